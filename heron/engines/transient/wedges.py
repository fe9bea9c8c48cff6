"""Edges of solid metal on the grid's lines: right-angled ones, where the field grows as r^(−1/3),
and those of plates thinner than a cell, r^(−1/2).

A lattice whose lines end on such an edge takes the metal for larger, by what a field of r^(−2/3),
of r^(−1/2) at a thin plate, does about the edge. It is what it should be when the edges that leave
the end of the metal away from it are longer by ``CORNER`` or ``PLATE`` times the diagonal of the
cell beyond, less at plates of some thickness: found with the lattice's own equation about an edge
in a large square, for cells of 1 : 1 to 1 : 4 (tests/core/test_wedges.py; physics.md, "Edges").
What is as much longer has faces as much larger, so that the index of a line stays what it is, and
the time step too.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import permutations, product
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.structure import Structure

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

CORNER = 0.1735
# the last two: of e^(−2.2 v^0.9), v the thickness over a mean of the cells' sizes
PLATE, FALLS, POWER = 0.377, 2.2, 0.9
FULL, EMPTY = 1 - 1e-4, 1e-4  # shares of solid metal in a cell
EVEN = 1e-3  # shares of two cells along a plate that differ by less are alike


class Ends(NamedTuple):
    """Ends of metal along the third of some axes at nodes (i, j) across it and cells k along: the
    metal lies at ``side_a`` (−1 or 1) of the node along the first axis, and at ``side_b`` along the
    second, 0 for a plate, which lies between.
    """

    i: Indices
    j: Indices
    k: Indices
    side_a: int
    side_b: int

    def where(self, kept: Any) -> Ends:
        """Those that are ``kept`` of them."""
        return self._replace(i=self.i[kept], j=self.j[kept], k=self.k[kept])

    @property
    def out_a(self) -> Indices:
        """Cells beyond the end along the first axis."""
        return self.i - (self.side_a > 0)

    @property
    def outs_b(self) -> list[Indices]:
        """The same along the second, on one side of a corner and on both of a plate."""
        return [self.j - (way < 0) for way in ([-self.side_b] if self.side_b else [-1, 1])]


def withdraw(s: Structure) -> None:
    """Adds to the free shares of the edges that leave edges of metal, and of the faces beside
    them.
    """
    if s.solid is None or not s.solid.any():
        return
    more_edge, more_face = np.zeros_like(s.free_edge), np.zeros_like(s.free_face)
    for order in permutations(range(3)):
        a, b, c = order
        solid = np.moveaxis(s.solid, order, (0, 1, 2))
        metal, free, shares, edge, face = (
            np.moveaxis(x, [1 + k for k in order], (1, 2, 3))
            for x in (s.metal, s.free_edge, s.free_face, more_edge, more_face)
        )
        sizes = np.diff(s.lines[a]), np.diff(s.lines[b])
        for found in (*(_corners(solid) if a < b else ()), *_plates(solid, metal[a], free[a])):
            ends = _with_open_air(s, found, order, metal)
            farther = _farther(ends, sizes, free[b])
            i, j, k, out_a = ends.i, ends.j, ends.k, ends.out_a
            _raise(edge[a], face[b], face[c], (out_a, j, k), 1, farther / sizes[0][out_a])
            for out_b in ends.outs_b:
                if not ends.side_b:  # the end of a plate lies in the faces across it
                    shares[a][i, out_b, k] = np.minimum(
                        shares[a][i, out_b, k], free[b, i, out_b, k]
                    )
                _raise(edge[b], face[a], face[c], (i, out_b, k), 0, farther / sizes[1][out_b])
    for own, more in ((s.free_edge, more_edge), (s.free_face, more_face)):
        own[own > 0] += more[own > 0]


def _farther(ends: Ends, sizes: tuple[Floats, Floats], free: Any) -> Floats:
    """m, by which the edges that leave the ends are longer; ``free`` shares of edges along the
    second axis tell how thick a plate is.
    """
    size_a, size_b = (
        sizes[0][ends.out_a],
        np.mean([sizes[1][out_b] for out_b in ends.outs_b], axis=0),
    )
    diagonal = np.hypot(size_a, size_b)
    if ends.side_b:
        return np.asarray(CORNER * diagonal)
    thick = sum((1 - free[ends.i, out_b, ends.k]) * sizes[1][out_b] for out_b in ends.outs_b)
    return np.asarray(
        PLATE * diagonal * np.exp(-FALLS * (thick / np.cbrt(size_a**2 * size_b)) ** POWER)
    )


def _corners(solid: Any) -> Iterator[Ends]:
    """Right-angled edges: of four cells (na, nb, nc) about a node one is full, and three are
    empty.
    """
    full, empty = solid > FULL, solid < EMPTY
    na, nb, _ = solid.shape
    for qa, qb in product((0, 1), repeat=2):
        found = np.ones((na - 1, nb - 1, solid.shape[2]), dtype=bool)
        for da, db in product((0, 1), repeat=2):
            found &= (full if (da, db) == (qa, qb) else empty)[da : na - 1 + da, db : nb - 1 + db]
        i, j, k = np.nonzero(found)
        yield Ends(i + 1, j + 1, k, 2 * qa - 1, 2 * qb - 1)


def _plates(solid: Any, metal: Any, free: Any) -> Iterator[Ends]:
    """Ends of even plates that lie about a line along the first axis, whose edges along it are
    ``metal``, and that end on a node: what is ``free`` beyond is whole.
    """
    partly, empty = (solid > EMPTY) & (solid < FULL), solid < EMPTY
    for side in (-1, 1):
        way = np.s_[::-side]  # from the metal outwards
        own, beyond = partly[way], empty[way]
        even = np.zeros(own.shape, dtype=bool)
        even[1:] = np.abs(np.diff(solid[way], axis=0)) < EVEN
        level = np.abs(np.diff(solid[way], axis=2)) < EVEN
        even[:, :, 1:] |= level  # of a strip of one cell across
        even[:, :, :-1] |= level
        ends = own[:-1] & even[:-1] & beyond[1:]
        i, j, k = np.nonzero(ends[:, :-1] & ends[:, 1:])
        i = i + 1 if side < 0 else len(solid) - 1 - i
        before, out = (i - 1, i) if side < 0 else (i, i - 1)
        good = (
            metal[before, j + 1, k]
            & metal[before, j + 1, k + 1]
            & (free[out, j + 1, k] == 1)
            & (free[out, j + 1, k + 1] == 1)
        )
        yield Ends(i[good], j[good] + 1, k[good], side, 0)


def _with_open_air(s: Structure, ends: Ends, order: tuple[int, ...], metal: Any) -> Ends:
    """Those from which no sheet goes on, and that lie in no plane of a feed, where metal ends in
    the model only.
    """
    kept = ~metal[order[0], ends.out_a, ends.j, ends.k]
    for out_b in ends.outs_b:
        kept &= ~metal[order[1], ends.i, out_b, ends.k]
    for case in s.cases:
        plane = int(np.abs(s.lines[case.axis] - case.at).argmin())
        kept &= np.select(
            [case.axis == order[0], case.axis == order[1]], [ends.i != plane, ends.j != plane], True
        )
    return ends.where(kept)


def _raise(
    edge: Any,
    face: Any,
    upright: Any,
    at: tuple[Indices, Indices, Indices],
    across: int,
    more: Floats,
) -> None:
    """What edges that leave an end ``at`` cells (i, j, k) along one axis and nodes across it,
    ``across`` being the other axis, are longer by, at both ends of each cell along it; and the
    faces that they border.
    """
    i, j, k = at
    np.maximum.at(face, at, more)
    for node in (k, k + 1):
        np.maximum.at(edge, (i, j, node), more)
        for before in (0, 1):
            np.maximum.at(
                upright, (i - before * (across == 0), j - before * (across == 1), node), more
            )
