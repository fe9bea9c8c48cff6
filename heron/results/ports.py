"""Matching: impedance, reflection, resonances, bandwidth, quality factor."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.networks import input_impedance, renormalise
from heron.quantities import engineering

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def scattering(results: xr.Dataset, reference: Floats | None = None) -> Complexes:
    """(f, P, P) S-matrix, at other reference impedances (P,) Ω when given."""
    s, z0 = results["s"].values, results["z0"].values
    return s if reference is None else renormalise(s, z0, reference)


def impedances(results: xr.Dataset) -> Complexes:
    """(f, P) input impedance of each port, the others in their reference impedances, Ω."""
    return input_impedance(results["s"].values, results["z0"].values)


def magnitude_db(values: Complexes) -> Floats:
    """20 log10 |values|, floored at -200 dB."""
    return np.asarray(20 * np.log10(np.maximum(np.abs(values), 1e-10)))


def vswr(gamma: Complexes) -> Floats:
    """Voltage standing-wave ratio of reflection coefficients; infinite at total reflection."""
    m = np.abs(gamma)
    with np.errstate(divide="ignore"):
        return np.asarray(np.where(m < 1, (1 + m) / np.maximum(1 - m, 1e-300), np.inf))


def unwrapped(values: Complexes) -> Floats:
    """Phase (f,) in rad without its jumps of 2π; NaN stays NaN."""
    phase = np.angle(values)
    there = np.isfinite(phase)
    phase[there] = np.unwrap(phase[there])
    return np.asarray(phase)


def group_delay(frequency: Floats, phase: Floats) -> Floats:
    """−dφ/dω (f,) in s of an unwrapped phase in rad, by second-order differences."""
    if len(frequency) < 3:
        return np.full(len(frequency), np.nan)
    return np.asarray(-np.gradient(phase, 2 * np.pi * frequency, edge_order=2))


@dataclass(frozen=True)
class StepResponse:
    """Against time in s (n,): reflection of a unit step, and the impedance in Ω of a line that
    would reflect as much there.
    """

    time: Floats
    reflection: Floats
    impedance: Floats
    resolution: float


def time_domain(frequency: Floats, gamma: Complexes, z0: float) -> StepResponse:
    """Time-domain reflection in low-pass form: the band is carried down to zero frequency, weighted
    by a Kaiser window (β = 6) and transformed.

    Needs evenly spaced frequencies that reach down to at most a tenth of the highest; what lies
    below the first is drawn towards a real value at zero by a line in magnitude and phase (common
    practice of network analysers). ``resolution`` is the rise time, 10 to 90 %, about 0.98 /
    f_stop.

    :raises HeronError: the band does not reach far enough down.
    """
    step = float(frequency[1] - frequency[0]) if len(frequency) > 1 else 0.0
    if len(frequency) < 8 or not np.allclose(np.diff(frequency), step, rtol=1e-6):
        raise HeronError(
            "reflection against time needs at least 8 evenly spaced frequencies; choose linear"
            " spacing in the plan"
        )
    if frequency[0] > 0.1 * frequency[-1]:
        raise HeronError(
            "reflection against time needs frequencies from at most a tenth of the highest,"
            f" {engineering(frequency[-1] / 10, 'Hz')}; the sweep begins at"
            f" {engineering(frequency[0], 'Hz')}"
        )
    grid = np.arange(int(np.floor(frequency[-1] / step)) + 1) * step
    phase = unwrapped(gamma)
    turns = np.round((phase[0] - (phase[1] - phase[0]) / step * frequency[0]) / np.pi)
    low = np.interp(grid, [0.0, *frequency], [abs(gamma[0]), *np.abs(gamma)]) * np.exp(
        1j * np.interp(grid, [0.0, *frequency], [np.pi * turns, *phase])
    )
    window = np.kaiser(2 * len(grid) - 1, 6.0)[len(grid) - 1 :]
    count = 16 * len(grid)
    resolution = 0.98 / float(frequency[-1])
    before = int(2 * resolution * count * step)  # the step's front reaches to before zero
    impulse = np.roll(np.fft.irfft(low * window, count), before)[: count // 2]
    reflection = np.cumsum(impulse)
    time = (np.arange(count // 2) - before) / (count * step)
    bounded = np.clip(reflection, -0.999, 0.999)
    return StepResponse(time, reflection, z0 * (1 + bounded) / (1 - bounded), resolution)


@dataclass(frozen=True)
class Resonance:
    """X = 0 crossing: frequency in Hz, resistance in Ω, whether X rises, and Q (Yaghjian and
    Best).
    """

    frequency: float
    resistance: float
    rising: bool
    q: float


def resonances(frequency: Floats, z: Complexes) -> list[Resonance]:
    """All zero crossings of the reactance, by linear interpolation.

    Q = ω/(2R) |dZ/dω + j|X|/ω| at the crossing: Yaghjian and Best, "Impedance, bandwidth,
    and Q of antennas", IEEE Trans. AP 53 (2005), eq. 96.
    """
    found: list[Resonance] = []
    if len(frequency) < 2:
        return found
    slope = np.gradient(z, frequency)
    x = z.imag
    for i in np.flatnonzero(np.diff(np.signbit(x))):
        t = x[i] / (x[i] - x[i + 1])
        f = frequency[i] + t * (frequency[i + 1] - frequency[i])
        r = z.real[i] + t * (z.real[i + 1] - z.real[i])
        dz = slope[i] + t * (slope[i + 1] - slope[i])
        q = float(f * abs(dz) / (2 * r)) if r > 0 else float("nan")
        found.append(Resonance(float(f), float(r), bool(x[i + 1] > x[i]), q))
    return found


@dataclass(frozen=True)
class Band:
    """A stretch of frequencies in Hz with |S| under a limit; ``open_*`` where the sweep ends before
    the band does.
    """

    low: float
    high: float
    open_low: bool
    open_high: bool

    @property
    def width(self) -> float:
        """Hz."""
        return self.high - self.low

    @property
    def relative(self) -> float:
        """Width over centre frequency."""
        return 2 * self.width / (self.high + self.low)


def bands(frequency: Floats, level_db: Floats, limit_db: float) -> list[Band]:
    """Stretches where ``level_db`` is at or under ``limit_db``, edges by linear interpolation."""
    under = level_db <= limit_db
    edges = np.flatnonzero(np.diff(under))
    found: list[Band] = []
    low, open_low = float(frequency[0]), True
    for i in edges:
        t = (limit_db - level_db[i]) / (level_db[i + 1] - level_db[i])
        f = float(frequency[i] + t * (frequency[i + 1] - frequency[i]))
        if under[i]:
            found.append(Band(low, f, open_low, False))
        low, open_low = f, False
    if under[-1]:
        found.append(Band(low, float(frequency[-1]), open_low, True))
    return found


VSWR_2_DB = float(20 * np.log10(1 / 3))  # |Γ| at VSWR 2


def minimum(frequency: Floats, level_db: Floats) -> tuple[float, float]:
    """Frequency in Hz and level in dB of the lowest sample."""
    i = int(np.argmin(level_db))
    return float(frequency[i]), float(level_db[i])
