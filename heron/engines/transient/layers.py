"""Absorbing layers at open walls, and at the ends of feeds' cases."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.engines.transient.field_layout import PAD, FieldLayout, aligned, in_lines
from heron.engines.transient.kernels.tables import Layers, Stretches
from heron.engines.transient.openings import BEFORE
from heron.engines.transient.polarisation import VECTOR
from heron.engines.transient.structure import Floats, Structure
from heron.quantities.constants import EPS0, MU0

# Layers: from the reflection of plane waves by such a layer, step by step, those that keep 0 to 60°
# below −66 dB and 75° below −48, at 10 to 40 cells per wavelength, steps up to the limit and bands
# up to 1 : 10, and take decaying waves best.
LAYER_ORDER = 2.4  # grading of the conductivity
LAYER_SHARE = 1.8  # of (m + 1)/(η Δ)
# times ωε0 of the lowest frequency, at the inner face: takes what only decays, and lets no wave of
# the band through to the metal behind
LAYER_ALPHA = 0.8
ALPHA_ORDER = 0.2  # how it falls towards the outer face


def layers_of(s: Structure, layout: FieldLayout, dt: float, offset: int) -> Layers:
    """Layers as E (``offset`` 1, on the nodes) or H (0, in the middles of cells) sees them; a
    wall without one has an empty memory.

    Across rows they reach to the first and the last one, along rows they are widened to whole
    strips: beside the layer are zeros.
    """
    nodes, most = np.array(s.shape) + 1, int(s.walls.max()) + 1
    first, count = np.zeros(4, dtype=np.int64), np.zeros(4, dtype=np.int64)
    across: list[Floats] = []
    along: dict[int, Floats] = {}
    for w in range(6):
        axis, side = divmod(w, 2)
        cells = int(s.walls[axis, side])
        size = float(np.diff(s.lines[axis])[0 if side == 0 else -1])
        # 0 at the inner face, where nothing is absorbed
        depth = (np.arange(cells) + (1.0 if offset else 0.5)) / max(cells, 1)
        begin = 0 if side == 0 else s.shape[axis] - cells + offset
        recursion = np.array(recursion_of(depth[::-1] if side == 0 else depth, size, s.lowest, dt))
        if axis < 2:
            first[w], count[w] = (
                (begin, nodes[axis] - begin if side else cells)
                if cells
                else (side * nodes[axis], 0)
            )
            across.append(np.pad(recursion, ((0, 0), (0, most - cells))))
        elif cells:
            for at, own in _strips(begin + layout.front, recursion, layout.nk).items():
                # both ends of a short row may lie in one strip
                along[at] = along.get(at, 0.0) + own
    b, c = (in_lines(x) for x in np.concatenate([*across, *along.values()], axis=1))
    rows = int(nodes[0] * nodes[1])
    sizes = [
        *(2 * layout.nk * count * (rows // nodes[:2]).repeat(2)),
        2 * PAD * len(along) * rows,
    ]
    base, *places = (
        np.array(x, dtype=np.uint64)
        for x in (np.concatenate(([0], np.cumsum(sizes)[:-1])), first, count, [*along])
    )
    return Layers(aligned(max(1, int(sum(sizes)))), base, places[0], places[1], places[2], b, c)


def _strips(begin: int, recursion: Floats, nk: int) -> dict[int, Floats]:
    """Strips of a row by their places, few and within lines of the cache, over a layer from a
    place on: b and c (2, PAD) of each, zeros beside the layer.
    """
    end = begin + recursion.shape[1]
    starts = (begin // unit * unit for unit in (PAD, VECTOR, 1))
    at, room = min(((at, -(-(end - at) // PAD) * PAD) for at in starts), key=lambda x: x[1])
    at = min(at, nk - room)
    wide = np.pad(recursion, ((0, 0), (begin - at, at + room - end)))
    return {at + n: wide[:, n : n + PAD] for n in range(0, room, PAD)}


def recursion_of(depth: Floats, size: float, lowest: float, dt: float) -> tuple[Floats, Floats]:
    """b and c of ψ = bψ + c ∂g at a ``depth`` from 0, at the inner face, to 1, in cells of ``size``
    m; ``lowest`` Hz is absorbed.

    Backward in time: with an exponential decay outer cells absorb too strongly, and reflect −50 dB,
    where steps are near their limit.
    """
    sigma = LAYER_SHARE * (LAYER_ORDER + 1) / (np.sqrt(MU0 / EPS0) * size) * depth**LAYER_ORDER
    alpha = LAYER_ALPHA * 2 * np.pi * lowest * EPS0 * (1 - depth) ** ALPHA_ORDER
    b = 1 / (1 + (sigma + alpha) * dt / EPS0)
    return b, sigma / np.maximum(sigma + alpha, 1e-30) * (b - 1) / size


def case_layers(
    s: Structure, layout: FieldLayout, dt: float, rows: NDArray[np.int32], magnetic: bool
) -> Stretches:
    """The absorbing ends of the cases of feeds: along their axis alone, growing from the plane
    to the end; ``rows`` (3, nx+1, ny+1) those of the field's table.
    """
    n = s.shape
    table = 1.0 if magnetic else -1.0
    found: list[tuple[Any, ...]] = []
    for p in s.apertures:
        d, (a, b) = p.axis, p.across
        places = 0.5 * (s.lines[d][1:] + s.lines[d][:-1]) if magnetic else s.lines[d]
        low, high = min(p.line, p.end), max(p.line, p.end)
        own = np.arange(low, high) if magnetic else np.arange(low + 1, high)
        size = (np.diff(s.lines[d]) if magnetic else dual(np.diff(s.lines[d])))[own]
        face = s.lines[d][p.line - p.sign * BEFORE]
        depth = (places[own] - face) / (s.lines[d][p.end] - face)
        own, size, depth = own[depth > 0], size[depth > 0], depth[depth > 0]
        recursions = np.array(
            [recursion_of(np.array([x]), h, s.lowest, dt) for x, h in zip(depth, size, strict=True)]
        )[:, :, 0]
        (a0, b0), (a1, b1) = p.low, p.high
        # E along a answers to H along b, and the other way round; H lies in the middles of
        # cells along b for the first, of E it is a.
        for c, of, sign in ((a, b, table), (b, a, -table)):
            spans = {
                d: own,
                a: np.arange(a0, a1 + ((c == a) == magnetic)),
                b: np.arange(b0, b1 + ((c == b) == magnetic)),
            }
            for i in spans[0].tolist():
                for j in spans[1].tolist():
                    along = own.searchsorted({0: i, 1: j}[d]) if d < 2 else slice(None)
                    found.append(
                        (
                            i * (n[1] + 1) + j,
                            c,
                            of,
                            i,
                            j,
                            int(spans[2][0]),
                            len(spans[2]),
                            d,
                            sign,
                            *(np.broadcast_to(recursions[along, q], len(spans[2])) for q in (0, 1)),
                        )
                    )
    found.sort(key=lambda x: x[0])
    signs = np.array([x[8] for x in found], dtype=np.float32)
    keep, gain = (
        np.concatenate([x[q] for x in found]).astype(np.float32)
        if found
        else np.zeros(0, dtype=np.float32)
        for q in (9, 10)
    )
    numbers = np.array([x[:8] for x in found], dtype=np.int64).reshape(-1, 8).T
    row, component, source, *place, count, axis = numbers
    nodes = layout.nodes
    stride = np.array([(n[1] + 1) * layout.nk, layout.nk, 1])[axis]
    at, beside = (
        layout.flat_number(np.ravel_multi_index((q, *place), nodes)) for q in (component, source)
    )
    first = np.searchsorted(row, np.arange((n[0] + 1) * (n[1] + 1) + 1))
    chart = (
        rows[component, place[0], place[1]].astype(np.int64) * layout.nk + layout.front + place[2]
    )
    memory = np.concatenate(([0], np.cumsum(count)))[:-1]
    unsigned = [
        x.astype(np.uint64)
        for x in (first, at, beside + stride * magnetic, stride, chart, count, memory)
    ]
    psi = np.zeros(len(keep), dtype=np.float32)
    return Stretches(
        unsigned[0],
        unsigned[1],
        unsigned[2],
        unsigned[3],
        signs,
        unsigned[4],
        unsigned[5],
        unsigned[6],
        psi,
        keep,
        gain,
    )
