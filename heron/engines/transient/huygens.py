"""Closed surfaces of the grid: the currents on them that radiate, and the power through them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.engines.transient.structure import Floats, Structure
from heron.engines.transient.sums import Complexes, Rows

PER_WAVELENGTH = 20  # of the shortest wavelength: largest side of a patch of a Huygens surface


@dataclass
class Face:
    """One side of a Huygens box: outward ``sign`` along ``axis``, at ``at`` (m); patches in the
    order of the blocks along the two other axes.
    """

    axis: int
    sign: float
    points: Floats  # (patches, 3)
    area: Floats  # (patches,) m²
    # row of its first patch in the E and in the H rows, component a; component b follows
    first: int


def _blocks(line: Floats, low: int, high: int, largest: float, ends: Any = ()) -> NDArray[np.int64]:
    """Line numbers (n + 1,) from low to high that part them in blocks no longer than ``largest``,
    where cells allow it, and at lines ``ends``.
    """
    out = [low]
    for k in range(low + 1, high):
        if k in ends or line[k + 1] - line[out[-1]] > largest:
            out.append(k)
    return np.array([*out, high])


def _cells(line: Floats, edges: NDArray[np.int64]) -> tuple[Any, Any, Floats]:
    """(block, cell, length) of every cell in the blocks."""
    cell = np.arange(edges[0], edges[-1])
    return np.searchsorted(edges, cell, side="right") - 1, cell, np.diff(line)[cell]


def _nodes(line: Floats, edges: NDArray[np.int64]) -> tuple[Any, Any, Floats]:
    """(block, node, length): each node stands for half a cell on either side, in the blocks those
    lie in.
    """
    block, cell, length = _cells(line, edges)
    return (
        np.concatenate((block, block)),
        np.concatenate((cell, cell + 1)),
        np.concatenate((length, length)) / 2,
    )


def _third_order(places: Floats, at: float) -> list[float]:
    """Weights of values at four places that give the one in between: of third order, as a mean of
    two would lose (kΔ)²/8 of every wave that passes.
    """
    away = places - at
    return [
        float(np.prod([m / (m - away[q]) for m in np.delete(away, q)])) for q in range(len(away))
    ]


def _onto_line(line: Floats, p: int) -> list[tuple[int, float]]:
    """Cells about line p with weights that give there what lies in their middles."""
    cells = np.arange(p - 2, p + 2)
    return list(
        zip(
            cells.tolist(),
            _third_order(0.5 * (line[cells] + line[cells + 1]), line[p]),
            strict=True,
        )
    )


def _in_cells(line: Floats, edges: NDArray[np.int64]) -> tuple[Any, Any, Floats]:
    """(block, node, length): what lies on lines, brought to the middle of every cell by four of
    them.
    """
    block, cell, length = _cells(line, edges)
    node = np.clip(cell, 1, len(line) - 3)[:, None] + np.arange(-1, 3)
    weight = np.array(
        [
            _third_order(line[own], 0.5 * (line[c] + line[c + 1]))
            for c, own in zip(cell, node, strict=True)
        ]
    )
    return np.repeat(block, 4), node.ravel(), (weight * length[:, None]).ravel()


def huygens(
    s: Structure, low: Any, high: Any, e: Rows, h: Rows, wavelength: float, by_amplitude: bool
) -> list[Face]:
    """Adds the sums of tangential E and H over the patches of a box between lines ``low`` and
    ``high`` (3,); no face lies on a wall that reflects.

    ``by_amplitude``: the sums are to have the amplitudes of waves, as those of illuminations have.
    Else what lies on lines counts with the cells on both sides, by which a wave's power in E² is
    that of the scheme, as the powers of feeds are: it lies below by (kΔ)²/8 along an axis, as E and
    H lie half a cell apart.
    """
    faces, nodes_of = [], _in_cells if by_amplitude else _nodes
    nodes = tuple(n + 1 for n in s.shape)
    ends = [int(np.abs(s.z - height).argmin()) for height in s.interfaces]
    for d in range(3):
        a, b = (d + 1) % 3, (d + 2) % 3
        ea, eb = (
            _blocks(
                s.lines[k], low[k], high[k], wavelength / PER_WAVELENGTH, ends if k == 2 else ()
            )
            for k in (a, b)
        )
        na, nb = len(ea) - 1, len(eb) - 1
        middle = [
            0.5 * (s.lines[k][edges[1:]] + s.lines[k][edges[:-1]])
            for k, edges in ((a, ea), (b, eb))
        ]
        for sign, p in ((-1.0, int(low[d])), (1.0, int(high[d]))):
            if s.walls[d, int(sign > 0)] == 0:
                continue
            points = np.empty((na * nb, 3))
            points[:, d] = s.lines[d][p]
            points[:, a], points[:, b] = np.repeat(middle[0], nb), np.tile(middle[1], na)
            area = np.outer(
                *(np.diff(s.lines[k][edges]) for k, edges in ((a, ea), (b, eb)))
            ).ravel()
            faces.append(Face(d, sign, points, area, e.count))
            planes = _onto_line(s.lines[d], p)
            for c in (a, b):
                for rows, planes_of, along_a, along_b in (
                    (
                        e,
                        ((p, 1.0),),
                        _cells if c == a else nodes_of,
                        nodes_of if c == a else _cells,
                    ),
                    (h, planes, nodes_of if c == a else _cells, _cells if c == a else nodes_of),
                ):
                    (ra, ia, wa), (rb, ib, wb) = along_a(s.lines[a], ea), along_b(s.lines[b], eb)
                    for plane, share in planes_of:
                        index: list[Any] = [None, None, None]
                        index[d] = np.full((len(ia), len(ib)), plane)
                        index[a], index[b] = np.broadcast_arrays(ia[:, None], ib[None, :])
                        at = np.ravel_multi_index((np.full_like(index[d], c), *index), (3, *nodes))
                        rows.add(
                            ra[:, None] * nb + rb[None, :], at, share * wa[:, None] * wb[None, :]
                        )
                for rows in (e, h):
                    rows.count += na * nb
    return faces


def currents(faces: list[Face], e: Complexes, h: Complexes) -> tuple[Floats, Complexes, Complexes]:
    """Patch centres (n, 3), and J = n × H and M = −n × E times area (f, n, 3), A·m and V·m, from
    the recorded sums (f, rows).
    """
    points, js, ms = [], [], []
    for face in faces:
        n = len(face.points)
        a, b = (face.axis + 1) % 3, (face.axis + 2) % 3
        j, m = (np.zeros((len(e), n, 3), dtype=complex) for _ in range(2))
        ea, eb = e[:, face.first : face.first + n], e[:, face.first + n : face.first + 2 * n]
        ha, hb = h[:, face.first : face.first + n], h[:, face.first + n : face.first + 2 * n]
        j[:, :, b], j[:, :, a] = face.sign * ha, -face.sign * hb
        m[:, :, b], m[:, :, a] = -face.sign * ea, face.sign * eb
        points.append(face.points)
        js.append(j)
        ms.append(m)
    return np.vstack(points), np.concatenate(js, axis=1), np.concatenate(ms, axis=1)


def largest_along(faces: list[Face], e: Complexes) -> Floats:
    """The largest component (f,) along a box in V/m, as the means over patches, from the recorded
    sums (f, rows).
    """
    n = [len(face.points) for face in faces]
    found = [
        np.abs(e[:, face.first : face.first + 2 * k]) / np.tile(face.area, 2)
        for face, k in zip(faces, n, strict=True)
    ]
    return np.asarray(np.concatenate(found, axis=1).max(axis=1))


def outflow(faces: list[Face], e: Complexes, h: Complexes) -> Floats:
    """Mean power (f,) in W out of a box, from the recorded sums (f, rows): over each patch, the
    mean of E by that of H.
    """
    total = np.zeros(len(e))
    for face in faces:
        n = len(face.points)
        ea, eb, ha, hb = (
            x[:, first : first + n] for x in (e, h) for first in (face.first, face.first + n)
        )
        total += 0.5 * face.sign * ((ea * hb.conj() - eb * ha.conj()).real / face.area).sum(axis=1)
    return total


@dataclass
class Flow:
    """Power through one side of a box: ``count`` sums of E along one axis and as many of H across
    from row ``first``, whose products count outwards by ``sign``.
    """

    sign: float
    first: int
    count: int


def flows(s: Structure, low: Any, high: Any, e: Rows, h: Rows, largest: float) -> list[Flow]:
    """Adds sums that give the power out of a box between lines ``low`` and ``high`` (3,), in
    patches no longer than ``largest`` m, or cell by cell.

    E on the box goes with the H beside it outwards that the scheme pairs it with, over the area
    that edge and face share: with single cells the difference equations then keep the power to the
    last digit (Yee's fields obey a Poynting theorem of their own; Taflove and Hagness, ch. 3 and
    4).
    """
    out, nodes = [], tuple(n + 1 for n in s.shape)
    for d in range(3):
        for side, p in enumerate((int(low[d]), int(high[d]))):
            if s.walls[d, side] == 0:
                continue
            sign = 1.0 if side else -1.0
            for c, across, turn in (
                ((d + 1) % 3, (d + 2) % 3, 1.0),
                ((d + 2) % 3, (d + 1) % 3, -1.0),
            ):
                cells, lines = (
                    np.arange(low[c], high[c]),
                    np.arange(low[across], high[across] + (across not in s.repeats)),
                )
                width = np.outer(np.diff(s.lines[c])[cells], dual(np.diff(s.lines[across]))[lines])
                blocks = [_blocks(s.lines[k], low[k], high[k], largest) for k in (c, across)]
                along, beside = (
                    np.minimum(
                        np.searchsorted(edges, own, side="right") - 1,
                        len(edges) - 2 + (not largest and k == 1),
                    )
                    for k, (edges, own) in enumerate(zip(blocks, (cells, lines), strict=True))
                )
                row = along[:, None] * (int(beside[-1]) + 1) + beside[None, :]
                scale = 1 / np.sqrt(np.bincount(row.ravel(), width.ravel()))
                index: list[Any] = [None, None, None]
                index[c], index[across] = np.meshgrid(cells, lines, indexing="ij")
                for rows, component, plane in ((e, c, p), (h, across, p if side else p - 1)):
                    index[d] = np.full_like(index[c], plane)
                    rows.add(
                        row,
                        np.ravel_multi_index(
                            (np.full_like(index[c], component), *index), (3, *nodes)
                        ),
                        width * scale[row],
                    )
                out.append(Flow(sign * turn, e.count, len(scale)))
                e.count += len(scale)
                h.count += len(scale)
    return out


def power_out(own: list[Flow], e: Complexes, h: Complexes) -> Floats:
    """Mean power (f,) in W out of a box, from the recorded sums (f, rows)."""
    total = np.zeros(len(e))
    for flow in own:
        rows = slice(flow.first, flow.first + flow.count)
        total += 0.5 * flow.sign * (e[:, rows].astype(complex) * h[:, rows].conj()).real.sum(axis=1)
    return total
