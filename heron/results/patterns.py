"""Radiation patterns: directivity, gain, cuts, beamwidth, lobes. Angles in degrees at this surface."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.engines import ENGINES, FieldSource
from heron.quantities.constants import ETA0
from heron.results.power import Budget, budget

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FLOOR_DB = -100.0


def nearest_index(results: xr.Dataset, frequency: float) -> int:
    """The sweep point nearest to a frequency in Hz."""
    return int(np.abs(results["frequency"].values - frequency).argmin())


def source(results: xr.Dataset, index: int) -> FieldSource:
    """Fields under the dataset's drive at sweep point ``index``."""
    return ENGINES[results.attrs["engine"]].fields(results, index, results["drive"].values)


def decibel(ratio: Floats) -> Floats:
    """10 log10 with a floor at -100 dB."""
    return np.asarray(10 * np.log10(np.maximum(ratio, 10 ** (FLOOR_DB / 10))))


def far_field(results: xr.Dataset, index: int, theta_deg: Floats, phi_deg: Floats) -> Complexes:
    """r·E (d, 2), θ and φ components in V, peak, at directions (d,); zero below a ground plane."""
    f = float(results["frequency"].values[index])
    field = source(results, index).far_field(np.radians(theta_deg), np.radians(phi_deg), f)[0]
    if has_ground(results):
        field[np.mod(theta_deg, 360) > 90.0 + 1e-9] = 0
    return np.asarray(field)


def has_ground(results: xr.Dataset) -> bool:
    return bool(results.attrs.get("ground", "none") != "none")


def intensity(field: Complexes) -> Floats:
    """Radiation intensity U (d,) in W/sr of far-field components (d, 2)."""
    return np.asarray((np.abs(field) ** 2).sum(axis=-1) / (2 * ETA0))


@dataclass(frozen=True)
class FarFieldFigures:
    """Headline numbers at one frequency; gains in dBi, angles in degrees. Terms as in IEEE Std 145."""

    frequency_hz: float
    directivity_dbi: float
    gain_dbi: float
    realized_gain_dbi: float
    radiation_efficiency: float
    total_efficiency: float
    peak_theta_deg: float
    peak_phi_deg: float


def figures(results: xr.Dataset, index: int, powers: Budget | None = None, start_step: float = 5.0) -> FarFieldFigures:
    """Peak direction by a coarse grid and two refinements round its maximum, and the gains there."""
    powers = powers or budget(results)
    top = 90.0 if has_ground(results) else 180.0
    theta, phi = _mesh(np.arange(0.0, top + 0.1, start_step), np.arange(0.0, 360.0, start_step))
    best, where = -1.0, (0.0, 0.0)
    step = start_step
    for _ in range(3):
        u = intensity(far_field(results, index, theta, phi))
        # Equal maxima (a dipole's ring) resolve to the first direction, not to rounding noise.
        i = int(np.flatnonzero(u >= u.max() * (1 - 1e-9))[0])
        if u[i] > best * (1 + 1e-9):
            best, where = float(u[i]), (float(theta[i]), float(phi[i]))
        step /= 5
        span = np.arange(-5.0, 6.0) * step
        theta, phi = _mesh(np.clip(where[0] + span, 0, top), where[1] + span)
    accepted, radiated = float(powers.accepted[index]), float(powers.radiated[index])
    available = float(powers.available[index])
    d, g, r = decibel(4 * np.pi * best / np.array([radiated, accepted, available]))
    return FarFieldFigures(float(results["frequency"].values[index]), float(d), float(g), float(r), radiated / accepted,
                           radiated / available, where[0], float(np.mod(where[1], 360.0)))


def _mesh(theta: NDArray[Any], phi: NDArray[Any]) -> tuple[Floats, Floats]:
    return np.repeat(theta, len(phi)), np.tile(phi, len(theta))


def grid(step_theta: float, step_phi: float) -> tuple[Floats, Floats]:
    """θ 0…180 and φ 0…360 inclusive, with steps that divide the range evenly and are no larger than asked."""
    return np.linspace(0, 180, int(np.ceil(180 / step_theta - 1e-9)) + 1), np.linspace(0, 360, int(np.ceil(360 / step_phi - 1e-9)) + 1)


@dataclass(frozen=True)
class Cut:
    """A full-circle cut. ``angle`` (n,) degrees from -180 to 180; gains (n,) in dBi; figures of its main lobe."""

    plane: str
    angle: Floats
    realized_gain_dbi: Floats
    beamwidth_deg: float | None
    front_to_back_db: float | None
    side_lobe_db: float | None


def cut(results: xr.Dataset, index: int, plane: str, powers: Budget | None = None, step: float = 1.0) -> Cut:
    """A cut through the pattern: ``plane`` is "phi=0", "phi=90" (angle is θ, negative on the far side) or "theta=90" (angle is φ).

    :raises ValueError: another plane.
    """
    kind, _, value = plane.partition("=")
    if kind not in ("phi", "theta"):
        raise ValueError(f"a cut is named phi=… or theta=…, not {plane!r}")
    angle = np.arange(-180, 180 + step / 2, step)
    fixed = float(value)
    if kind == "phi":
        theta, phi = np.abs(angle), np.where(angle < 0, fixed + 180, fixed)
    else:
        theta, phi = np.full_like(angle, fixed), angle
    powers = powers or budget(results)
    u = intensity(far_field(results, index, theta, phi))
    level = decibel(4 * np.pi * u / powers.available[index])
    width, back, side = lobe_figures(angle, level)
    return Cut(plane, angle, level, width, back, side)


def lobe_figures(angle: Floats, level: Floats) -> tuple[float | None, float | None, float | None]:
    """Half-power beamwidth (degrees), front-to-back ratio and side-lobe level (dB) of a closed cut.

    The first and last sample are the same direction. ``None`` where the cut has no such thing:
    no fall by 3 dB, nothing behind (ground), no second lobe.
    """
    a, v = angle[:-1], level[:-1]
    n = len(a)
    peak = int(np.argmax(v))
    turned = np.roll(v, n // 2 - peak)  # main lobe in the middle
    step = float(angle[1] - angle[0])
    top = turned[n // 2]
    half = top - 10 * np.log10(2)

    def edge(direction: int) -> float | None:
        i = n // 2
        for k in range(1, n // 2):
            j = i + direction * k
            if turned[j] < half:
                before = turned[j - direction]
                return k - 1 + float((before - half) / (before - turned[j]))
        return None

    left, right = edge(-1), edge(1)
    width = None if left is None or right is None else (left + right) * step
    back = float(v[(peak + n // 2) % n])
    front_to_back = None if back <= FLOOR_DB + 20 else float(top) - back
    maxima = np.flatnonzero((turned > np.roll(turned, 1)) & (turned >= np.roll(turned, -1)))
    others = [float(turned[i]) for i in maxima if abs(i - n // 2) > 1 and turned[i] > FLOOR_DB + 20]
    main = [i for i in maxima if turned[i] > top - 1e-6]
    side = max((o for o in others if o < top - 1e-6), default=None)
    if side is None and len(main) > 1:
        side = float(top)
    return width, front_to_back, None if side is None else side - float(top)


def as_dict(record: Any) -> dict[str, Any]:
    """A figures record as plain JSON values, NaN and infinities as ``None``."""
    return {k: (None if isinstance(v, float) and not np.isfinite(v) else v) for k, v in asdict(record).items()}
