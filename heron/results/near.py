"""Near fields at the points of a capture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.quantities import engineering
from heron.results.patterns import has_ground, source

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FAINT = 1e-4  # of a line shape's sum: points with less are left out

QUANTITIES = ("e", "h", "ex", "ey", "ez", "hx", "hy", "hz", "s", "sx", "sy", "sz", "w", "r")


def near_field(
    results: xr.Dataset, index: int, points: Floats, capture: str = ""
) -> tuple[Complexes, Complexes]:
    """E in V/m and H in A/m, (n, 3) each, peak, under the dataset's drive; zero below a ground
    plane. Of a ``capture`` that was recorded in a way of its own, for a part of the time or as the
    grid's components lie, what it has.

    :raises LookupError: nothing was recorded at a place inside the walls, or outside of them in a
        way of its own.
    """
    f = float(results["frequency"].values[index])
    own = dict(
        zip(
            *(
                np.ravel(results.attrs.get(which, [])).tolist()
                for which in ("own_captures", "own_records")
            ),
            strict=True,
        )
    )
    if capture and capture in own:
        if results.sizes[f"{own[capture]} point"] != len(points):
            raise LookupError(
                f"“{capture}” is recorded in a way of its own, which there is between the walls"
                " only; move them away, or the capture nearer to the model"
            )
        e, h = (
            np.einsum(
                "p,p...->...",
                results["drive"].values,
                results[f"{own[capture]}_{field}"].values[index],
            )
            for field in ("e", "h")
        )
        return e, h
    e, h = source(results, index).near_field(points, f)
    if has_ground(results):
        below = points[:, 2] < float(results.attrs["ground"])
        e[:, below], h[:, below] = 0, 0
    return e[0], h[0]


def line_shape(results: xr.Dataset, index: int, width: float) -> Floats:
    """Weights (f,) of sweep points whose sum is one: a Gaussian line about sweep point ``index``,
    ``width`` Hz wide at half of its height.

    :raises HeronError: the sweep has fewer than three points within the width.
    """
    f = results["frequency"].values
    if (np.abs(f - f[index]) <= width / 2).sum() < 3:
        raise HeronError(
            f"the sweep has fewer than three points within {engineering(width, 'Hz', 3)}; average"
            " over more, or solve at more points"
        )
    weight = np.exp(-4 * np.log(2) * ((f - f[index]) / width) ** 2) * np.gradient(f)
    return np.asarray(weight / weight.sum())


def averaged(
    results: xr.Dataset,
    index: int,
    points: Floats,
    capture: str,
    width: float,
    what: str,
    incident: float | None = None,
) -> Floats:
    """A quantity (n,) as light of that width has it: the mean of powers over the sweep points in a
    Gaussian line, and of fields its root.

    :raises HeronError: too few points within the width, or another quantity.
    """
    weight = line_shape(results, index, width)
    power = 1 if what[0] == "s" else 2
    total = np.zeros(len(points))
    for i in np.flatnonzero(weight > FAINT):
        total += (
            weight[i]
            * quantity(*near_field(results, int(i), points, capture), what, incident)[0] ** power
        )
    return np.asarray(total ** (1 / power))


def as_pulsed(results: xr.Dataset, index: int) -> xr.Dataset:
    """A run whose drive at a sweep point is that of its own pulses, per Hz, so that its fields are
    those that it had.

    :raises LookupError: the run was not solved in time, or did not keep its pulse.
    """
    if "pulse_spectrum" not in results:
        raise LookupError(
            "this run kept no pulse; fields as its pulse had them need a run that is solved in time"
        )
    return results.assign(drive=results["drive"] * results["pulse_spectrum"].values[index])


def flux(points: Floats, counts: tuple[int, int], e: Complexes, h: Complexes) -> float:
    """Mean power in W through a rectangle of points (n, 3), the first count along the fast index,
    by the trapezoidal rule.

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
    """A fit |F| = a·exp(−x/length) and arg F = φ − βx along a line: ``length`` in m (negative where
    it grows), ``beta`` in rad/m, and what is left, rms, in dB.
    """

    length: float
    beta: float
    rest_db: float


def decay(distance: Floats, field: Complexes) -> Decay:
    """Fits the strongest component of a field (n, 3) along a line, at distances (n,) in m from its
    start.

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


def quantity(
    e: Complexes, h: Complexes, what: str, incident: float | None = None
) -> tuple[Floats, Complexes | None]:
    """One number (n,) per point of fields (n, 3), and the phasors (n, 1 or 3) that it is the size
    of, if it changes within a period.

    ``e``, ``h``: rms of the whole vector; ``ex`` … ``hz``: peak of a component; ``s``, ``sx`` …:
    mean power density and its components; ``w``: |E|/|H|; ``r``: |E| over the ``incident`` peak
    field in V/m of an illuminated run.

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
        return (
            np.asarray(
                np.linalg.norm(density, axis=1) if what == "s" else density[:, "xyz".index(what[1])]
            ),
            None,
        )
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
