"""Edges of solid metal whose faces lie on the grid's lines: right-angled ones, where the field grows as r^(−1/3), and those of plates thinner than a cell, r^(−1/2).

A lattice whose lines end on such an edge takes the metal for larger, by what a field of r^(−2/3), of r^(−1/2) at a thin plate, does about the edge. It is what it
should be when the edges that leave the end of the metal away from it are longer by ``CORNER`` or ``PLATE`` times the diagonal of the cell beyond, less at plates of
some thickness: found with the lattice's own equation about an edge in a large square, for cells of 1 : 1 to 1 : 4 (tests/core/test_wedges.py; physics.md, "Edges").
What is as much longer has faces as much larger, so that the index of a line stays what it is, and the time step too.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from heron.engines.transient.structure import Structure

Indices = NDArray[np.int64]

CORNER = 0.1735
PLATE, FALLS, POWER = 0.377, 2.2, 0.9  # the last two: of e^(−2.2 v^0.9), v the thickness over a mean of the cells' sizes
FULL, EMPTY = 1 - 1e-4, 1e-4  # shares of solid metal in a cell
EVEN = 1e-3                   # shares of two cells along a plate that differ by less are alike


class Ends(NamedTuple):
    """Ends of metal along the third of some axes at nodes (i, j) across it and cells k along: the metal lies at ``side_a`` (−1 or 1) of the node along the first
    axis, and at ``side_b`` along the second, 0 for a plate, which lies between."""

    i: Indices
    j: Indices
    k: Indices
    side_a: int
    side_b: int


def withdraw(s: Structure) -> None:
    """Adds to the free shares of the edges that leave edges of metal, and of the faces beside them."""
    if s.solid is None or not s.solid.any():
        return
    more_edge, more_face = np.zeros_like(s.free_edge), np.zeros_like(s.free_face)
    for c, (a, b) in ((c, pair) for c in range(3) for pair in _pairs(c)):
        order = (a, b, c)
        solid = np.moveaxis(s.solid, order, (0, 1, 2))
        metal, free, edge, face = (np.moveaxis(x, [1 + k for k in order], (1, 2, 3)) for x in (s.metal, s.free_edge, more_edge, more_face))
        sizes = [np.diff(s.lines[k]) for k in (a, b)]
        for ends in (*(_corners(solid) if a < b else ()), *_plates(solid, metal[a], free[a])):
            ends = _inner(s, ends, (a, b))
            out_a = ends.i - (ends.side_a > 0)
            ways = [-ends.side_b] if ends.side_b else [-1, 1]
            outs_b = [ends.j - (way < 0) for way in ways]
            alone = ~metal[a, out_a, ends.j, ends.k] & ~np.logical_or.reduce([metal[b, ends.i, out_b, ends.k] for out_b in outs_b])  # no sheet goes on there
            i, j, k, out_a = (x[alone] for x in (ends.i, ends.j, ends.k, out_a))
            outs_b = [out_b[alone] for out_b in outs_b]
            size_a, size_b = sizes[0][out_a], np.mean([sizes[1][out_b] for out_b in outs_b], axis=0)
            farther = np.hypot(size_a, size_b)
            if ends.side_b:
                farther *= CORNER
            else:
                thick = sum((1 - free[b, i, out_b, k]) * sizes[1][out_b] for out_b in outs_b)
                farther *= PLATE * np.exp(-FALLS * (thick / np.cbrt(size_a**2 * size_b)) ** POWER)
            more_a = farther / size_a
            _raise(face[b], (out_a, j, k), more_a)
            for node in (k, k + 1):
                _raise(edge[a], (out_a, j, node), more_a)
                for beside in (j - 1, j):
                    _raise(face[c], (out_a, beside, node), more_a)
            for out_b in outs_b:
                more_b = farther / sizes[1][out_b]
                _raise(face[a], (i, out_b, k), more_b)
                for node in (k, k + 1):
                    _raise(edge[b], (i, out_b, node), more_b)
                    for beside in (i - 1, i):
                        _raise(face[c], (beside, out_b, node), more_b)
    for free, more in ((s.free_edge, more_edge), (s.free_face, more_face)):
        free += np.where(free > 0, more, 0)


def _pairs(c: int) -> tuple[tuple[int, int], tuple[int, int]]:
    a, b = (k for k in range(3) if k != c)
    return (a, b), (b, a)


def _corners(solid: Any) -> Iterator[Ends]:
    """Right-angled edges: of four cells (na, nb, nc) about a node one is full, and three are empty."""
    full, empty = solid > FULL, solid < EMPTY
    na, nb, _ = solid.shape
    for qa, qb in product((0, 1), repeat=2):
        found = np.ones((na - 1, nb - 1, solid.shape[2]), dtype=bool)
        for da, db in product((0, 1), repeat=2):
            found &= (full if (da, db) == (qa, qb) else empty)[da:na - 1 + da, db:nb - 1 + db]
        i, j, k = np.nonzero(found)
        yield Ends(i + 1, j + 1, k, 2 * qa - 1, 2 * qb - 1)


def _plates(solid: Any, metal: Any, free: Any) -> Iterator[Ends]:
    """Ends of even plates that lie about a line along the first axis, whose edges along it are ``metal``, and that end on a node: what is ``free`` beyond is whole."""
    empty = solid < EMPTY
    na, nb, nc = solid.shape
    for side in (-1, 1):
        along = solid if side < 0 else solid[::-1]
        even = (along[1:-1] > EMPTY) & (along[1:-1] < FULL) & (np.abs(along[1:-1] - along[:-2]) < EVEN)  # the cell before a node, and the one before that
        ends = even & (empty if side < 0 else empty[::-1])[2:]
        found = ends[:, :-1] & ends[:, 1:]
        i, j, k = np.nonzero(found)
        i = i + 2 if side < 0 else na - 2 - i
        own, out = (i - 1, i) if side < 0 else (i, i - 1)
        good = metal[own, j + 1, k] & metal[own, j + 1, k + 1] & (free[out, j + 1, k] == 1) & (free[out, j + 1, k + 1] == 1)
        yield Ends(i[good], j[good] + 1, k[good], side, 0)


def _inner(s: Structure, ends: Ends, axes: tuple[int, int]) -> Ends:
    """Those that lie in no plane of a feed, where metal ends in the model only."""
    kept = np.ones(len(ends.i), dtype=bool)
    for case in s.cases:
        plane = int(np.abs(s.lines[case.axis] - case.at).argmin())
        for axis, nodes in zip(axes, (ends.i, ends.j), strict=True):
            kept &= (nodes != plane) | (case.axis != axis)
    return ends._replace(i=ends.i[kept], j=ends.j[kept], k=ends.k[kept])


def _raise(values: Any, at: tuple[Indices, Indices, Indices], least: Any) -> None:
    np.maximum.at(values, at, least.astype(values.dtype))
