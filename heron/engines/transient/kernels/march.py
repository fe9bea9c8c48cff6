"""Time steps of both fields, several of them while a part of the grid is in cache."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from heron.engines.transient.kernels.additions import (
    absorb,
    branches,
    enter,
    keep,
    mix,
    polarise,
    remember,
)
from heron.engines.transient.kernels.curls import (
    FAST,
    Apart,
    U,
    pointers_of,
    sizes_of,
    start_of,
    update_e,
    update_h,
)
from heron.engines.transient.kernels.tables import (
    Drive,
    Entry,
    Extent,
    Half,
    Layers,
    Lumped,
    Polar,
    Poles,
    Spacing,
    Stretches,
    Table,
)


class Stretch(NamedTuple):
    """Slabs between two sloping cuts: fronts pass from ``begin`` to ``end``; at the n-th step the H
    of slabs h_low + n · slope_low to h_high + n · slope_high is updated, and E likewise.
    """

    begin: int
    end: int
    h_low: int
    h_high: int
    e_low: int
    e_high: int
    slope_low: int
    slope_high: int


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def _wave(
    cut: Any,
    n0: int,
    depth: int,
    electric: Any,
    magnetic: Any,
    lumped: Any,
    drive: Any,
    polar: Any,
    poles: Any,
    extent: Any,
    tile: int,
) -> None:  # pragma: no cover - compiled
    """``depth`` steps from step ``n0`` of a stretch of slabs, while they are in cache.

    Tiles of rows move back by a row with each step and the front of slabs by a slab, so that
    whatever a row needs from the step before is ready, and nothing is overwritten that is still
    needed.
    """
    e, h, slabs, rows = electric.field, magnetic.field, extent.slabs, extent.rows
    ny = U(rows)
    remembers, cased = polar.longest > 0, len(electric.cases.at) > 0
    drawn = np.empty(polar.longest, dtype=np.float32)
    of_e, of_h = pointers_of(electric), pointers_of(magnetic)
    sizes_e, sizes_h = sizes_of(electric, extent), sizes_of(magnetic, extent)
    here, there = start_of(e), start_of(h)
    for origin in range(0, rows + depth - 1, tile):
        for front in range(cut.begin, cut.end + depth - 1):
            for n in range(depth):
                s = front - n
                down, up = n * cut.slope_low, n * cut.slope_high
                with_h = cut.h_low + down <= s < cut.h_high + up
                with_e = cut.e_low + down <= s < cut.e_high + up
                if s < 0 or s >= slabs or not (with_h or with_e):
                    continue
                i = U(s)
                low, high = max(0, origin - n), min(rows, origin + tile - n)
                j0, j1 = U(low), U(max(low, high))
                q0, q1, step = i * ny + j0, i * ny + j1, drive.since + n0 + n
                if with_h:
                    update_h(i, j0, j1, there, here, of_h, sizes_h)
                    if cased:
                        absorb(q0, q1, h, e, magnetic.table.drive, magnetic.cases)
                    if drive.length:
                        enter(h, int(q0), int(q1), magnetic.entry, drive, step)
                if with_e:
                    if remembers:
                        remember(e, drawn, q0, q1, polar, poles)
                    update_e(i, j0, j1, here, there, of_e, sizes_e)
                    if cased:
                        absorb(q0, q1, e, h, electric.table.drive, electric.cases)
                    if remembers:
                        polarise(e, drawn, q0, q1, polar)
                    if drive.length:
                        enter(e, int(q0), int(q1), electric.entry, drive, step)
                    if lumped.of_slab[s] < lumped.of_slab[s + 1]:
                        branches(e, lumped, drive, s, low, high, n0 + n)


@njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _half(own: Any, table: Any, spacing: Any, layers: Any, cases: Any, entry: Any) -> Any:
    """A field's record, from tuples."""  # pragma: no cover - compiled
    return Half(
        own,
        Table(*table),
        Spacing(*spacing),
        Layers(*layers),
        Stretches(*cases),
        Entry(*entry),
    )


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _stretch_of(cuts: Any, t: int) -> Any:  # pragma: no cover - compiled
    """Between two cuts, narrowing from step to step except at the ends of the grid."""
    start, stop = cuts[t], cuts[t + 1]
    left, right = int(t > 0), -int(t < len(cuts) - 2)
    return Stretch(start, stop, start, stop, start + left, stop, left, right)


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _cut_of(cuts: Any, t: int, depth: int) -> Any:  # pragma: no cover - compiled
    """What is left at a cut, widening from step to step."""
    cut = cuts[t + 1]
    return Stretch(cut - depth + 1, cut + depth, cut, cut, cut, cut + 1, -1, 1)


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def march(
    electric: Any,
    magnetic: Any,
    lumped: Any,
    drive: Any,
    polar: Any,
    poles: Any,
    mixing: Any,
    extent: Any,
    cuts: Any,
    depth: int,
    tile: int,
) -> None:  # pragma: no cover - compiled
    """``len(drive.waves)`` time steps of flat fields, ``depth`` of them per pass.

    All records come as tuples, :class:`Half` as one of tuples. Each thread takes a stretch of slabs
    between two ``cuts``, that narrows from step to step, as its neighbours' later steps are not
    known; what is left at the cuts follows. ``mixing`` are edges that take from others, which needs
    passes of one step. A stretch must hold at least 2 · ``depth`` slabs.
    """
    e, table_e, spacing_e, layers_e, cases_e, entry_e = electric
    h, table_h, spacing_h, layers_h, cases_h, entry_h = magnetic
    steps, chunks = len(drive[0]), len(cuts) - 1
    for n0 in range(0, steps, depth):
        d = min(depth, steps - n0)
        if len(mixing[0]):
            keep(e, mixing[0], mixing[1])
        for second in range(2):
            for t in prange(chunks - second):
                _wave(
                    _stretch_of(cuts, t) if not second else _cut_of(cuts, t, d),
                    n0,
                    d,
                    _half(e, table_e, spacing_e, layers_e, cases_e, entry_e),
                    _half(h, table_h, spacing_h, layers_h, cases_h, entry_h),
                    Lumped(*lumped),
                    Drive(*drive),
                    Polar(*polar),
                    Poles(*poles),
                    Extent(*extent),
                    tile,
                )
        if len(mixing[0]):
            mix(e, *mixing)


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def energy(
    f: Any, weight_x: Any, weight_y: Any, weight_z: Any
) -> float:  # pragma: no cover - compiled
    """Σ |f|² over cells weighted by their sizes along x, y, z."""
    total = 0.0
    for i in prange(len(weight_x)):
        own = 0.0
        for j in range(len(weight_y)):
            row = 0.0
            for k in range(len(weight_z)):
                row += weight_z[k] * (f[0, i, j, k] ** 2 + f[1, i, j, k] ** 2 + f[2, i, j, k] ** 2)
            own += weight_y[j] * row
        total += weight_x[i] * own
    return total
