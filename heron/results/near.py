"""Near fields at the points of a capture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.results.patterns import has_ground, source

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

QUANTITIES = ("e", "h", "ex", "ey", "ez", "hx", "hy", "hz", "s", "sx", "sy", "sz", "w", "r")


def near_field(results: xr.Dataset, index: int, points: Floats) -> tuple[Complexes, Complexes]:
    """E in V/m and H in A/m, (n, 3) each, peak, under the dataset's drive; zero below a ground plane."""
    f = float(results["frequency"].values[index])
    e, h = source(results, index).near_field(points, f)
    if has_ground(results):
        below = points[:, 2] < float(results.attrs["ground"])
        e[:, below], h[:, below] = 0, 0
    return e[0], h[0]


def flux(points: Floats, counts: tuple[int, int], e: Complexes, h: Complexes) -> float:
    """Mean power in W through a rectangle of points (n, 3), the first count along the fast index, by the trapezoidal rule.

    It counts along the vector product of the first edge and the second.
    """
    n, m = counts
    grid = points.reshape(m, n, 3)
    normal = np.cross(grid[0, -1] - grid[0, 0], grid[-1, 0] - grid[0, 0]) / ((n - 1) * (m - 1))
    density = (poynting(e, h) @ normal).reshape(m, n)
    density[[0, -1], :] *= 0.5
    density[:, [0, -1]] *= 0.5
    return float(density.sum())


def rms_magnitude(field: Complexes) -> Floats:
    """√(½ Σ|F|²) (n,): root mean square of the whole vector."""
    return np.asarray(np.sqrt(0.5 * (np.abs(field) ** 2).sum(axis=-1)))


@dataclass(frozen=True)
class Decay:
    """A fit |F| = a·exp(−x/length) and arg F = φ − βx along a line: ``length`` in m (negative where it grows), ``beta`` in rad/m, and what is left, rms, in dB."""

    length: float
    beta: float
    rest_db: float


def decay(distance: Floats, field: Complexes) -> Decay:
    """Fits the strongest component of a field (n, 3) along a line, at distances (n,) in m from its start.

    :raises HeronError: fewer than three points, or no field.
    """
    own = field[:, int((np.abs(field) ** 2).sum(axis=0).argmax())]
    there = np.abs(own) > 1e-9 * np.abs(own).max() if len(own) else np.array([])
    if there.sum() < 3 or np.ptp(distance) == 0:
        raise HeronError("a decay needs at least three points of a line with a field")
    x, level = distance[there], np.log(np.abs(own[there]))
    slope, offset = np.polyfit(x, level, 1)
    beta = -float(np.polyfit(x, np.unwrap(np.angle(own[there])), 1)[0])
    rest = float(np.sqrt(np.mean((level - slope * x - offset) ** 2)) * 20 / np.log(10))
    return Decay(float(-1 / slope) if slope else float("inf"), beta, rest)


def poynting(e: Complexes, h: Complexes) -> Floats:
    """Mean power density ½ Re E × H* (n, 3) in W/m² of peak phasors."""
    return np.asarray(0.5 * np.cross(e, h.conj()).real)


def quantity(e: Complexes, h: Complexes, what: str, incident: float | None = None) -> tuple[Floats, Complexes | None]:
    """One number (n,) per point of fields (n, 3), and the phasors (n, 1 or 3) that it is the size of, if it changes within a period.

    ``e``, ``h``: rms of the whole vector; ``ex`` … ``hz``: peak of a component; ``s``, ``sx`` …: mean power density and its components; ``w``: |E|/|H|;
    ``r``: |E| over the ``incident`` peak field in V/m of a lit run.

    :raises ValueError: another quantity.
    """
    if what in ("e", "h"):
        field = e if what == "e" else h
        return rms_magnitude(field), field
    if what in ("ex", "ey", "ez", "hx", "hy", "hz"):
        part = (e if what[0] == "e" else h)[:, "xyz".index(what[1]), None]
        return np.abs(part[:, 0]), part
    if what in ("s", "sx", "sy", "sz"):
        density = poynting(e, h)
        return np.asarray(np.linalg.norm(density, axis=1) if what == "s" else density[:, "xyz".index(what[1])]), None
    if what == "w":
        return wave_impedance(e, h), None
    if what == "r":
        if not incident:
            raise ValueError("|E|/|E0| needs a wave that lights the model; this run is driven")
        return np.asarray(np.linalg.norm(np.abs(e), axis=-1) / incident), None
    raise ValueError(f"a near field shows {', '.join(QUANTITIES)}, not {what!r}")


def wave_impedance(e: Complexes, h: Complexes) -> Floats:
    """|E| / |H| (n,) of the whole vectors, Ω; NaN where there is no H."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.linalg.norm(np.abs(e), axis=-1) / np.linalg.norm(np.abs(h), axis=-1))
