"""What is recorded while a run goes on: weighted sums of field values, by running Fourier
transform.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from heron.discretise.grid import dual
from heron.engines.transient.metal import metal_faces
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats, Structure, WireEdge

Complexes = NDArray[np.complex128]
BATCH = 32  # samples transformed together
PER_WAVELENGTH = 20  # of the shortest wavelength: largest side of a patch of a Huygens surface


@dataclass
class Rows:
    """Sums over field values, as triplets: row, flat number into (3, nx+1, ny+1, nz+1), weight."""

    row: list[NDArray[np.int64]] = field(default_factory=list)
    at: list[NDArray[np.int64]] = field(default_factory=list)
    weight: list[Floats] = field(default_factory=list)
    count: int = 0

    def add(self, row: Any, at: Any, weight: Any) -> None:
        """Triplets whose rows count from the number of rows so far; does not move that number."""
        self.row.append(np.asarray(row, dtype=np.int64).ravel() + self.count)
        self.at.append(np.asarray(at, dtype=np.int64).ravel())
        self.weight.append(np.asarray(weight, dtype=float).ravel())

    def matrix(self, stepper: Stepper) -> Any:
        """(count, length of a flat field)."""
        shape = (max(1, self.count), stepper.layout.length)
        if not self.row:
            return csr_matrix(([0.0], ([0], [0])), shape=shape, dtype=np.float32)
        return csr_matrix(
            (
                np.concatenate(self.weight).astype(np.float32),
                (np.concatenate(self.row), stepper.layout.flat_number(np.concatenate(self.at))),
            ),
            shape=shape,
        )


class Transform:
    """Running Fourier transform of ``matrix`` · field at frequencies (f,), samples given every so
    often; sums (f, rows) approximate ∫ q e^(−jωt) dt.
    """

    def __init__(
        self, matrix: Any, frequency: Floats, level: Callable[[float], float] | None = None
    ) -> None:
        """``level`` of the samples at a time in s: of a window that opens late or closes early."""
        self.matrix, self.frequency, self.level = matrix, frequency, level
        self.cosine, self.sine = (
            np.zeros((len(frequency), matrix.shape[0]), dtype=np.float32) for _ in range(2)
        )
        self.held: list[Any] = []
        self.times: list[float] = []

    def take(self, values: Any, time: float) -> Any:
        """The sums (rows,) of a field at a time in s, which are added to the transforms; ``None``
        where the window is closed.
        """
        level = 1.0 if self.level is None else self.level(time)
        if not level:
            return None
        own = self.matrix @ values
        self.held.append(own if level == 1 else np.float32(level) * own)
        self.times.append(time)
        if len(self.held) >= BATCH:
            self.flush()
        return own

    def flush(self) -> None:
        """Works off the samples that wait."""
        if not self.held:
            return
        phase = np.exp(-2j * np.pi * np.outer(self.frequency, self.times)).astype(np.complex64)
        block = np.array(self.held, dtype=np.float32)
        self.cosine += phase.real @ block
        self.sine += phase.imag @ block
        self.held, self.times = [], []

    def total(self) -> Any:
        """The sums so far, (f, rows)."""
        self.flush()
        return self.cosine + 1j * self.sine


class Series:
    """Values of ``matrix`` · field, (n, rows), kept at every ``stride``-th sample of a run, up to
    ``most`` of them.
    """

    def __init__(self, matrix: Any, stride: int = 1, most: int | None = None) -> None:
        self.matrix, self.stride, self.most = matrix, stride, most
        self.samples = 0
        self.values: list[Any] = []
        self.times: list[float] = []

    def take(self, values: Any, time: float) -> None:
        """A sample of the field at a time in s."""
        self.samples += 1
        if self.samples % self.stride == 0 and (self.most is None or len(self.values) < self.most):
            self.values.append(self.matrix @ values)
            self.times.append(time)

    def total(self) -> tuple[Floats, Any]:
        """Times (n,) in s, and the values at them."""
        return np.array(self.times), np.array(self.values, dtype=np.float32).reshape(
            len(self.times), -1
        )


# --- Huygens surface --------------------------------------------------------------------


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


# --- power through a box -----------------------------------------------------------------


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


# --- fields at points -------------------------------------------------------------------


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


# --- currents in metal, losses -----------------------------------------------------------


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
