"""What is recorded of the fields at points, in metal, along wires and of losses, as sums of their
values on the grid.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from heron.discretise.grid import dual
from heron.engines.transient.metal import metal_faces
from heron.engines.transient.structure import Floats, Structure, WireEdge
from heron.engines.transient.sums import Rows


def _places(
    s: Structure, k: int, c: int, magnetic: bool
) -> tuple[Floats, NDArray[np.int64], Floats]:
    """Where along axis k component c of E or H lies; the numbers of those places, and factors of
    what is read there: beyond a plane lies the image of the last.
    """
    if (k == c) == magnetic:
        return s.lines[k], np.arange(len(s.lines[k])), np.ones(len(s.lines[k]))
    places = 0.5 * (s.lines[k][1:] + s.lines[k][:-1])
    number, factor = np.arange(len(places)), np.ones(len(places))
    for plane in s.planes:
        if plane.axis == k:
            end, at = (-1, len(places)) if plane.side else (0, 0)
            factor = np.insert(factor, at, plane.signs(plane.magnetic == magnetic)[c])
            places, number = (
                np.insert(places, at, 2 * plane.at - places[end]),
                np.insert(number, at, number[end]),
            )
    return places, number, factor


def interpolated(
    s: Structure, points: Floats, rows: Rows, magnetic: bool, nearest: bool = False
) -> None:
    """Adds the three components at points (n, 3), trilinear between the places where each lies, or
    of the ``nearest``: rows 3n … in the order x, y, z.
    """
    nodes = tuple(n + 1 for n in s.shape)
    for c in range(3):
        index, weight = [], []
        for k in range(3):
            places, number, factor = _places(s, k, c, magnetic)
            i = np.clip(np.searchsorted(places, points[:, k], side="right") - 1, 0, len(places) - 2)
            t = np.clip((points[:, k] - places[i]) / (places[i + 1] - places[i]), 0, 1)
            t = np.round(t) if nearest else t
            index.append((number[i], number[i + 1]))
            weight.append(((1 - t) * factor[i], t * factor[i + 1]))
        for a in (0, 1):
            for b in (0, 1):
                for g in (0, 1):
                    at = np.ravel_multi_index(
                        (np.full(len(points), c), index[0][a], index[1][b], index[2][g]),
                        (3, *nodes),
                    )
                    rows.add(
                        3 * np.arange(len(points)) + c,
                        at,
                        weight[0][a] * weight[1][b] * weight[2][g],
                    )
    rows.count += 3 * len(points)


def _circulation(s: Structure, c: int, node: NDArray[np.int64]) -> tuple[NDArray[np.int64], Floats]:
    """Ampère's law round edges along c at nodes (n, 3): which values of H (n, 4) and their weights
    (m) give the current in each, A.

    In a mirror plane the loop is the half of it on the grid.
    """
    a, b = (c + 1) % 3, (c + 2) % 3
    widths = [dual(np.diff(s.lines[k])) for k in range(3)]
    nodes = (3, *(n + 1 for n in s.shape))
    at, weight = [], []
    for component, across, sign in ((b, a, 1.0), (a, b, -1.0)):
        for back in (0, 1):
            place = node.copy()
            place[:, across] -= back
            there = (place[:, across] >= 0) & (place[:, across] < s.shape[across])
            at.append(
                np.ravel_multi_index(
                    (np.full(len(node), component), *np.clip(place, 0, None).T), nodes
                )
            )
            weight.append(
                np.where(
                    there,
                    sign * (-1.0 if back else 1.0) * widths[component][node[:, component]],
                    0.0,
                )
            )
    return np.column_stack(at), np.column_stack(weight)


@dataclass
class Faces:
    """Cell faces of metal: their ``low`` and ``high`` corners (n, 3) in m, normal ``axis`` (n,);
    two rows each from ``first``, along the next axes in turn.
    """

    low: Floats
    high: Floats
    axis: NDArray[np.int64]


def _metal_widths(s: Structure) -> Floats:
    """(3, nx+1, ny+1, nz+1): the width of metal that the current of each edge flows in, m: half of
    every metal face beside it.
    """
    out = np.zeros(s.metal.shape)
    for d, node in metal_faces(s):
        for c, across in (((d + 1) % 3, (d + 2) % 3), ((d + 2) % 3, (d + 1) % 3)):
            half = 0.5 * np.diff(s.lines[across])[node[:, across]]
            for side in (0, 1):
                edge = node.copy()
                edge[:, across] += side
                np.add.at(out[c], tuple(edge.T), half)
    return out


def surface_currents(s: Structure, part: str, h: Rows) -> Faces:
    """Adds the current per width (A/m) on the metal of a part, or of all: the mean of that in the
    two edges along each side of a face, both sides of a sheet together.

    Summed over the faces of a strip it gives all the current there is, that of the rim included.
    """
    widths = _metal_widths(s)
    low, high, axis = [], [], []
    for d, node in metal_faces(s, part):
        a, b = (d + 1) % 3, (d + 2) % 3
        for row, (c, across) in enumerate(((a, b), (b, a))):
            for side in (0, 1):
                edge = node.copy()
                edge[:, across] += side
                at, weight = _circulation(s, c, edge)
                h.add(
                    np.repeat(2 * np.arange(len(node)) + row, 4),
                    at,
                    0.5 * weight / widths[c][tuple(edge.T)][:, None],
                )
        h.count += 2 * len(node)
        corner = np.column_stack([s.lines[k][node[:, k]] for k in range(3)])
        far = corner.copy()
        for k in (a, b):
            far[:, k] = s.lines[k][node[:, k] + 1]
        low.append(corner)
        high.append(far)
        axis.append(np.full(len(node), d))
    return Faces(np.vstack(low), np.vstack(high), np.concatenate(axis))


def wire_currents(s: Structure, edges: list[WireEdge], h: Rows) -> None:
    """Adds the current along every edge of a wire, A, of the whole where a magnetic mirror plane
    cuts it.
    """
    for c, i, j, k, sign, _ in edges:
        node = np.array([[i, j, k]])
        at, weight = _circulation(s, c, node)
        halves = sum(
            p.doubles and p.magnetic and p.axis != c and node[0, p.axis] == 0 for p in s.planes
        )
        h.add(np.zeros(4), at, sign * 2**halves * weight)
        h.count += 1


def loss_shares(
    s: Structure, at: NDArray[np.int64], metal: NDArray[np.bool_], frequency: float
) -> Any:
    """(parts, n): what share of the loss at edges belongs to each part, by the loss of the cells
    round them at a frequency, or by whose metal they are.
    """
    sigma = sum((d.share * d.law.loss(frequency)[0] for d in s.dispersions), s.sigma)
    nodes = (3, *(n + 1 for n in s.shape))
    c, *node = np.unravel_index(at, nodes)
    owner = s.edge_owner.reshape(-1)[at]
    triplets = [(owner[metal], np.flatnonzero(metal), np.ones(int(metal.sum())))]
    own = np.flatnonzero(~metal)
    steps = [np.diff(line) for line in s.lines]
    for da in (0, 1):
        for db in (0, 1):
            cell = np.array(node)[:, own]
            area = np.ones(len(own))
            for k in range(3):
                shift = np.where(k == (c[own] + 1) % 3, da, np.where(k == (c[own] + 2) % 3, db, 0))
                cell[k] = np.clip(cell[k] - shift, 0, s.shape[k] - 1)
                area *= np.where(k == c[own], 1.0, steps[k][cell[k]])
            index = tuple(cell)
            triplets.append((s.cell_owner[index], own, area * sigma[index]))
    part, edge, weight = (np.concatenate([t[k] for t in triplets]) for k in range(3))
    out = csr_matrix((weight, (part, edge)), shape=(len(s.names) + 1, len(at)))[1:]
    total = np.asarray(out.sum(axis=0)).ravel()
    return csr_matrix(out.multiply(1 / np.where(total > 0, total, 1.0)[None, :]))


def edge_volumes(s: Structure, at: NDArray[np.int64]) -> Floats:
    """Volumes (n,) in m³ that edges stand for: their length by their share of the plane across."""
    return _volumes(s, at, True)


def face_volumes(s: Structure, at: NDArray[np.int64]) -> Floats:
    """Volumes (n,) in m³ that faces stand for: their area by the distance of the cells' middles on
    both sides.
    """
    return _volumes(s, at, False)


def _volumes(s: Structure, at: NDArray[np.int64], edges: bool) -> Floats:
    nodes = (3, *(n + 1 for n in s.shape))
    c, *index = np.unravel_index(at, nodes)
    out = np.ones(len(at))
    for k in range(3):
        steps = np.diff(s.lines[k])
        out *= np.where(
            (c == k) == edges, steps[np.minimum(index[k], len(steps) - 1)], dual(steps)[index[k]]
        )
    return out
