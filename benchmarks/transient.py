"""Rate of the time-domain kernels against a float32 STREAM triad of the same moment.

Interleaved repeats, best of each, in one process: ratios, not absolute times. ``roofline_ratio`` is
cells/s × 72 bytes (six fields read and written, six coefficients) over the triad's bytes/s. The
others are shares of the bare rate that are left: ``layers_ratio`` with ten absorbing layers on each
wall, ``records_ratio`` with a Huygens box at 30 frequencies; up to 200³ also ``light_ratio`` and
``beam_ratio`` with an oblique plane wave or a Gaussian beam let in through a box of 0.6 of each
side, ``poles_ratio`` with a medium of two poles in a tenth of the cells, ``mode_ratio`` with the
mode of a guide of half the sides let in, absorbed in its case and looked for.
"""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter
from typing import Any

import numpy as np
from numba import njit, prange

from heron.engines.transient import huygens, sums
from heron.engines.transient.apertures import enclose
from heron.engines.transient.beams import beam_rays, incident_beam
from heron.engines.transient.launch import WATCHED, Gate, families, launched, section
from heron.engines.transient.openings import BEFORE, DEEP
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import LAYERS, Dispersion, Structure
from heron.excitation.pulse import pulse_for
from heron.excitation.waves import Beam, PlaneWave
from heron.materials import Medium, Pole
from heron.materials.rational import exact
from heron.quantities.constants import C0

SIZES = (100, 200, 300)
# cells a side: beyond, incident waves, media and modes take too much memory to be made here
COMMON = 200
REPEATS = 5
WORK = 4e7  # cell steps of one timing
LONG = 6e8  # the same with records, in whole samples
TRIAD = 20_000_000  # elements: far beyond any cache
FREQUENCIES = 30
SAMPLE = 20  # steps between samples of the records


@njit(parallel=True, fastmath=True)  # type: ignore[untyped-decorator]
def _triad(a: Any, b: Any, c: Any) -> None:  # pragma: no cover - compiled
    for i in prange(len(a)):
        a[i] = b[i] + np.float32(3) * c[i]


def _vacuum(cells: int, layers: int) -> Stepper:
    line = np.arange(cells + 1) * 1e-3
    nodes, shape = (3, cells + 1, cells + 1, cells + 1), (cells, cells, cells)
    ones = np.ones(nodes, dtype=np.float32)
    media = np.ones(shape), np.zeros(shape), np.ones(shape)
    s = Structure(
        line,
        line,
        line,
        np.full((3, 2), layers),
        *media,
        np.zeros(nodes, dtype=bool),
        ones * np.float32(np.inf),
        ones,
        ones,
        {},
        {},
    )
    return Stepper(s, np.zeros(0))


def _lit(cells: int, waist: float = 0.0) -> Stepper:
    """An oblique wave, or a beam of a ``waist`` in m to the middle, through a box of 0.6 of the
    sides, for as long as anything is measured.
    """
    stepper = _vacuum(cells, 0)
    stepper.structure.walls[:] = LAYERS  # for its place only: none absorb here
    stepper.structure.box = np.full(3, cells // 5), np.full(3, cells - cells // 5)
    pulse = pulse_for(5e9, 15e9)
    wave = PlaneWave(np.array([0.48, 0.36, 0.8]), np.array([0.6, -0.8, 0.0]), 2)
    if waist:
        wave = Beam(
            np.array([0.0, 0.28, 0.96]),
            np.array([1.0, 0.0, 0.0]),
            2,
            np.full(3, 5e-4 * cells),
            waist,
        )
    stepper.light = incident_beam(stepper, wave, beam_rays(stepper, wave, pulse, 5e9), pulse).light
    return stepper


def _dispersive(cells: int) -> Stepper:
    """A Debye and a Lorentz pole in a cube of a tenth of the cells."""
    medium = Medium(
        "probe",
        2.0,
        poles=(Pole("debye", 3.0, time=1.5e-11), Pole("lorentz", 1.0, omega=7.5e10, gamma=1e10)),
    )
    share = np.zeros((cells, cells, cells), dtype=np.float32)
    side = round(0.1 ** (1 / 3) * cells)
    share[:side, :side, :side] = 1
    s = _vacuum(cells, 0).structure
    s.dispersions = [Dispersion("probe", exact(medium, 1e10), share)]
    return Stepper(s, np.zeros(0))


def _fed(cells: int) -> tuple[Stepper, list[Any]]:
    """The first mode of a square guide of half the sides let in at the middle, and the sums that
    find it again.
    """
    s = _vacuum(cells, 0).structure
    line, low, high = cells // 2, (cells // 4,) * 2, (3 * cells // 4,) * 2
    s.cell_owner, s.edge_owner = (
        np.zeros(s.shape, dtype=np.int16),
        np.zeros(s.metal.shape, dtype=np.int16),
    )
    s.apertures = [enclose(s, 0, 0, 1, line, line - DEEP - BEFORE, low, high, None)]
    stepper, pulse = Stepper(s, np.zeros(0)), pulse_for(10e9, 15e9)
    p = s.apertures[0]
    found = Gate(
        p,
        families(stepper, p, pulse, 1 + WATCHED, 15e9),
        1,
        [1.0],
        0.0,
        section(stepper, p, 12e9).weight,
        pulse,
    )
    stepper.light = launched(stepper, found, 0, pulse, 10e9).light
    e, h = sums.Rows(), sums.Rows()
    found.record(s, e, h)
    return stepper, [e.matrix(stepper), h.matrix(stepper)]


Seconds = Callable[[int], float]  # of so many steps


def _marching(stepper: Stepper) -> Seconds:
    def seconds(steps: int) -> float:
        none = np.zeros((steps, 0))
        stepper.steps = 0  # from the beginning of an incident wave, which would be over otherwise
        started = perf_counter()
        stepper.advance(none, none)
        return perf_counter() - started

    return seconds


def _summing(cells: int) -> Seconds:
    stepper, sums = _fed(cells)
    march = _marching(stepper)

    def seconds(steps: int) -> float:
        started = perf_counter()
        march(steps)
        for _ in range(max(1, steps // SAMPLE)):
            sums[0] @ stepper.flat_e
            sums[1] @ stepper.flat_h
        return perf_counter() - started

    return seconds


def _recording(cells: int) -> Seconds:
    """With a Huygens box at ``FREQUENCIES``."""
    stepper = _vacuum(cells, 0)
    e, h = sums.Rows(), sums.Rows()
    low, high = np.full(3, LAYERS + 2), np.full(3, cells - LAYERS - 2)
    huygens.huygens(stepper.structure, low, high, e, h, C0 / 15e9, False)
    transforms = [
        sums.Transform(r.matrix(stepper), np.linspace(5e9, 15e9, FREQUENCIES)) for r in (e, h)
    ]
    march = _marching(stepper)

    def seconds(steps: int) -> float:
        started = perf_counter()
        for n in range(0, steps, SAMPLE):
            march(min(SAMPLE, steps - n))
            transforms[0].add_sample(stepper.flat_e, 0.0)
            transforms[1].add_sample(stepper.flat_h, 0.0)
        for transform in transforms:
            transform.flush()
        return perf_counter() - started

    return seconds


CASES: dict[str, Callable[[int], Seconds]] = {
    "layers_ratio": lambda cells: _marching(_vacuum(cells, LAYERS)),
    "records_ratio": _recording,
    "light_ratio": lambda cells: _marching(_lit(cells)),
    "poles_ratio": lambda cells: _marching(_dispersive(cells)),
    "mode_ratio": _summing,
    "beam_ratio": lambda cells: _marching(_lit(cells, 0.035)),
}


def run(sizes: tuple[int, ...] = SIZES, repeats: int = REPEATS) -> list[dict[str, float]]:
    """One row per size: cells, mcells_per_s, triad_gb_per_s, roofline_ratio, and for each of
    ``CASES`` its rate over the bare one of the same minute.
    """
    a, b, c = (np.ones(TRIAD, dtype=np.float32) for _ in range(3))
    _triad(a, b, c)
    rows = []
    for size in sizes:
        bare, cells = _marching(_vacuum(size, 0)), size**3
        steps = max(4, int(WORK / cells))
        bare(steps)
        triad, plain, ratios = np.inf, np.inf, {}
        for name in CASES if size <= COMMON else ("layers_ratio", "records_ratio"):
            # one of them at a time: all together would not fit into memory
            case = CASES[name](size)
            own = (
                SAMPLE * int(np.clip(LONG / cells / SAMPLE, 8, sums.BATCH))
                if name == "records_ratio"
                else steps
            )
            case(2)
            here, there = np.inf, np.inf
            for _ in range(repeats):
                started = perf_counter()
                _triad(a, b, c)
                triad = min(triad, perf_counter() - started)
                here, there = min(here, bare(steps) / steps), min(there, case(own) / own)
            plain = min(plain, here)
            ratios[name] = here / there
            del case
        bandwidth = 12 * TRIAD / triad
        rows.append(
            {
                "cells": cells,
                "mcells_per_s": cells / plain / 1e6,
                "triad_gb_per_s": bandwidth / 1e9,
                "roofline_ratio": cells / plain * 72 / bandwidth,
                **ratios,
            }
        )
    return rows
