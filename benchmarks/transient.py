"""Rate of the time-domain kernels against a float32 STREAM triad of the same moment.

Interleaved repeats, best of each, in one process: ratios, not absolute times. ``roofline_ratio`` is cells/s × 72 bytes
(six fields read and written, six coefficients) over the triad's bytes/s; ``layers_ratio`` and ``records_ratio`` compare the
rate with ten absorbing layers on each wall, and with a Huygens box at 30 frequencies, with the bare one; ``light_ratio``, ``beam_ratio`` and
``poles_ratio`` that with an oblique plane wave or a Gaussian beam let in through a box of 0.6 of each side, and with a medium of two poles in a tenth of
the cells; ``mode_ratio`` that with the mode of a guide of half the sides let in, absorbed in its case and looked for.
"""

from __future__ import annotations

from time import perf_counter
from typing import Any

import numpy as np
from numba import njit, prange

from heron.engines.transient import records
from heron.engines.transient.apertures import BEFORE, DEEP, enclose
from heron.engines.transient.beams import Beam, beam_rays, let_in
from heron.engines.transient.incidence import PlaneWave
from heron.engines.transient.launch import WATCHED, Gate, families, launched, section
from heron.engines.transient.pulse import pulse_for
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import LAYERS, Dispersion, Structure
from heron.materials import Medium, Pole
from heron.materials.rational import exact
from heron.quantities.constants import C0

SIZES = (100, 200, 300)
REPEATS = 5
WORK = 4e7            # cell steps of one timing
LONG = 6e8            # the same with records, in whole samples
TRIAD = 20_000_000    # elements: far beyond any cache
FREQUENCIES = 30
SAMPLE = 20           # steps between samples of the records


@njit(parallel=True, fastmath=True)  # type: ignore[untyped-decorator]
def _triad(a: Any, b: Any, c: Any) -> None:  # pragma: no cover - compiled
    for i in prange(len(a)):
        a[i] = b[i] + np.float32(3) * c[i]


def _vacuum(cells: int, layers: int) -> Stepper:
    line = np.arange(cells + 1) * 1e-3
    nodes, shape = (3, cells + 1, cells + 1, cells + 1), (cells, cells, cells)
    ones = np.ones(nodes, dtype=np.float32)
    media = np.ones(shape), np.zeros(shape), np.ones(shape)
    s = Structure(line, line, line, np.full((3, 2), layers), *media, np.zeros(nodes, dtype=bool), ones * np.float32(np.inf), ones, ones, {}, {})
    return Stepper(s, np.zeros(0))


def _lit(cells: int, waist: float = 0.0) -> Stepper:
    """An oblique wave, or a beam of a ``waist`` in m to the middle, through a box of 0.6 of the sides, for as long as anything is measured."""
    stepper = _vacuum(cells, 0)
    stepper.structure.walls[:] = LAYERS  # for its place only: none absorb here
    stepper.structure.box = np.full(3, cells // 5), np.full(3, cells - cells // 5)
    pulse = pulse_for(5e9, 15e9)
    wave = PlaneWave(np.array([0.48, 0.36, 0.8]), np.array([0.6, -0.8, 0.0]), 2)
    if waist:
        wave = Beam(np.array([0.0, 0.28, 0.96]), np.array([1.0, 0.0, 0.0]), 2, np.full(3, 5e-4 * cells), waist)
    stepper.light = let_in(stepper, wave, beam_rays(stepper, wave, pulse, 5e9), pulse).entries
    return stepper


def _dispersive(cells: int) -> Stepper:
    """A Debye and a Lorentz pole in a cube of a tenth of the cells."""
    medium = Medium("probe", 2.0, poles=(Pole("debye", 3.0, time=1.5e-11), Pole("lorentz", 1.0, omega=7.5e10, gamma=1e10)))
    share = np.zeros((cells, cells, cells), dtype=np.float32)
    side = round(0.1 ** (1 / 3) * cells)
    share[:side, :side, :side] = 1
    s = _vacuum(cells, 0).structure
    s.dispersions = [Dispersion("probe", exact(medium, 1e10), share)]
    return Stepper(s, np.zeros(0))


def _fed(cells: int) -> tuple[Stepper, list[Any]]:
    """The first mode of a square guide of half the sides let in at the middle, and the sums that find it again."""
    s = _vacuum(cells, 0).structure
    line, low, high = cells // 2, (cells // 4,) * 2, (3 * cells // 4,) * 2
    s.cell_owner, s.edge_owner = np.zeros(s.shape, dtype=np.int16), np.zeros(s.metal.shape, dtype=np.int16)
    s.apertures = [enclose(s, 0, 0, 1, line, line - DEEP - BEFORE, low, high, None)]
    stepper, pulse = Stepper(s, np.zeros(0)), pulse_for(10e9, 15e9)
    p = s.apertures[0]
    found = Gate(p, families(stepper, p, pulse, 1 + WATCHED, 15e9), 1, [1.0], 0.0, section(stepper, p, 12e9).weight, pulse)
    stepper.light = launched(stepper, found, 0, pulse, 10e9).entries
    e, h = records.Rows(), records.Rows()
    found.record(s, e, h)
    return stepper, [e.matrix(stepper), h.matrix(stepper)]


def _with_sums(stepper: Stepper, steps: int, sums: list[Any]) -> float:
    started = perf_counter()
    _again(stepper, steps)
    for _ in range(max(1, steps // SAMPLE)):
        sums[0] @ stepper.flat_e
        sums[1] @ stepper.flat_h
    return perf_counter() - started


def _seconds(stepper: Stepper, steps: int) -> float:
    none = np.zeros((steps, 0))
    started = perf_counter()
    stepper.advance(none, none)
    return perf_counter() - started


def _again(stepper: Stepper, steps: int) -> float:
    """The same from the beginning of an incident wave, which would be over otherwise."""
    stepper.steps = 0
    return _seconds(stepper, steps)


def _recorded(stepper: Stepper, steps: int, transforms: list[records.Transform]) -> float:
    started = perf_counter()
    for n in range(0, steps, SAMPLE):
        _seconds(stepper, min(SAMPLE, steps - n))
        transforms[0].take(stepper.flat_e, 0.0)
        transforms[1].take(stepper.flat_h, 0.0)
    for transform in transforms:
        transform.flush()
    return perf_counter() - started


def run(sizes: tuple[int, ...] = SIZES, repeats: int = REPEATS) -> list[dict[str, float]]:
    """One row per size: cells, mcells_per_s, triad_gb_per_s, roofline_ratio, layers_ratio, records_ratio."""
    a, b, c = (np.ones(TRIAD, dtype=np.float32) for _ in range(3))
    _triad(a, b, c)
    rows = []
    for size in sizes:
        bare, layered = _vacuum(size, 0), _vacuum(size, LAYERS)
        e, h = records.Rows(), records.Rows()
        low, high = np.full(3, LAYERS + 2), np.full(3, size - LAYERS - 2)
        records.huygens(bare.structure, low, high, e, h, C0 / 15e9, False)
        frequency = np.linspace(5e9, 15e9, FREQUENCIES)
        transforms = [records.Transform(r.matrix(bare), frequency) for r in (e, h)]
        steps = max(4, int(WORK / size**3))
        long = SAMPLE * int(np.clip(LONG / size**3 / SAMPLE, 8, records.BATCH))
        lit, beam, polar = _lit(size), _lit(size, 0.035), _dispersive(size)
        fed, sums = _fed(size)
        for stepper in (bare, layered, lit, beam, polar, fed):
            _seconds(stepper, 2)
        best = np.full(8, np.inf)
        for _ in range(repeats):
            started = perf_counter()
            _triad(a, b, c)
            triad = perf_counter() - started
            best = np.minimum(best, [triad, _seconds(bare, steps) / steps, _seconds(layered, steps) / steps, np.inf,
                                     _again(lit, steps) / steps, _seconds(polar, steps) / steps, _with_sums(fed, steps, sums) / steps,
                                     _again(beam, steps) / steps])
        for _ in range(min(2, repeats)):
            best[3] = min(best[3], _recorded(bare, long, transforms) / long)
        cells, bandwidth = size**3, 12 * TRIAD / best[0]
        best, bandwidth = [float(x) for x in best], float(bandwidth)
        rows.append({"cells": cells, "mcells_per_s": cells / best[1] / 1e6, "triad_gb_per_s": bandwidth / 1e9, "roofline_ratio": cells / best[1] * 72 / bandwidth,
                     "layers_ratio": best[1] / best[2], "records_ratio": best[1] / best[3], "light_ratio": best[1] / best[4], "poles_ratio": best[1] / best[5],
                     "mode_ratio": best[1] / best[6], "beam_ratio": best[1] / best[7]})
    return rows
