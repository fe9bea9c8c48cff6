"""Radiation patterns: directivity, gain, cuts, beamwidth, lobes. Angles in degrees at this
surface.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from itertools import groupby
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron import fields
from heron.errors import HeronError
from heron.fields.planes import planes_in
from heron.quantities.constants import ETA0
from heron.results import sphere
from heron.results.polarisation import component, ellipse
from heron.results.power import Budget, budget

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FLOOR_DB = -100.0
START_STEP = 5.0  # degrees, of the grid on which the largest gain is looked for
AT_ONCE = 32  # sweep points
ALIKE_DB = 0.1  # a cut that differs less front and back has no front-to-back ratio


def nearest_index(results: xr.Dataset, frequency: float) -> int:
    """The sweep point nearest to a frequency in Hz."""
    return int(np.abs(results["frequency"].values - frequency).argmin())


def cut_indices(model: Any, results: xr.Dataset, capture: Any) -> list[int]:
    """Sweep points of a cut: those it asks for, those of the plan's patterns, else the last of the
    band.
    """
    asked = capture.frequencies or model.plan.pattern_frequencies or [model.plan.f_stop]
    return sorted({nearest_index(results, f) for f in asked})


def source(results: xr.Dataset, index: int) -> fields.FieldSource:
    """Fields under the dataset's drive at sweep point ``index``."""
    return fields.source(results, index, results["drive"].values)


def decibel(ratio: Floats) -> Floats:
    """10 log10 with a floor at -100 dB."""
    return np.asarray(10 * np.log10(np.maximum(ratio, 10 ** (FLOOR_DB / 10))))


def far_field(results: xr.Dataset, index: int, theta_deg: Floats, phi_deg: Floats) -> Complexes:
    """r·E (d, 2), θ and φ components in V, peak, at directions (d,); zero behind reflecting
    planes.
    """
    f = float(results.variables["frequency"].values[index])
    theta, phi = np.radians(theta_deg), np.radians(phi_deg)
    (known,) = sphere.recorded(results, [index])
    field = (
        source(results, index).far_field(theta, phi, f)[0]
        if known is None
        else known.at(theta, phi)
    )
    field[hidden(results, theta, phi)] = 0
    return np.asarray(field)


def far_mesh(results: xr.Dataset, index: int, theta_deg: Floats, phi_deg: Floats) -> Complexes:
    """The same (θ, φ, 2) at all pairs of angles."""
    theta, phi = np.radians(theta_deg), np.radians(phi_deg)
    field = whole_sphere(results, index).mesh(theta, phi)
    field[hidden(results, theta[:, None], phi[None, :])] = 0
    return np.asarray(field)


def whole_sphere(results: xr.Dataset, index: int) -> sphere.Sphere:
    """The far field under the dataset's drive, as recorded or sampled now; it goes on behind
    reflecting planes, as their images would have it.
    """
    return whole_spheres(results, [index])[0]


def whole_spheres(results: xr.Dataset, indices: Sequence[int]) -> list[sphere.Sphere]:
    """The same at several sweep points."""
    frequency = results.variables["frequency"].values
    return [
        _sampled_now(results, i, float(frequency[i])) if known is None else known
        for i, known in zip(indices, sphere.recorded(results, indices), strict=True)
    ]


def _sampled_now(results: xr.Dataset, index: int, frequency: float) -> sphere.Sphere:
    samples, middle = sphere.sampled(source(results, index), frequency)
    return sphere.Sphere(sphere.waves_of(samples), middle, sphere.wave_number(frequency))


def hidden(results: xr.Dataset, theta: Floats, phi: Floats) -> NDArray[np.bool_]:
    """Which directions, in rad, lie behind a ground or a wall."""
    out = np.zeros(np.broadcast_shapes(np.shape(theta), np.shape(phi)), dtype=bool)
    planes = [plane for plane in planes_in(results) if not plane.doubles]
    if planes:
        unit = sphere.directions(theta, phi)
        for plane in planes:
            out |= plane._replace(at=0.0).beyond(unit, 1e-9)
    return out


def centre(results: xr.Dataset, index: int) -> Floats:
    """Middle (3,) m of the sources, images included."""
    return source(results, index).reach()[0]


def has_ground(results: xr.Dataset) -> bool:
    """Whether there is a ground plane, below which there is no field."""
    return bool(results.attrs.get("ground", "none") != "none")


def intensity(field: Complexes) -> Floats:
    """Radiation intensity U (d,) in W/sr of far-field components (d, 2)."""
    return np.asarray((np.abs(field) ** 2).sum(axis=-1) / (2 * ETA0))


@dataclass(frozen=True)
class FarFieldFigures:
    """Headline numbers at one frequency; gains in dBi, angles in degrees. Terms as in IEEE Std
    145.
    """

    frequency_hz: float
    directivity_dbi: float
    gain_dbi: float
    realized_gain_dbi: float
    radiation_efficiency: float
    total_efficiency: float
    peak_theta_deg: float
    peak_phi_deg: float


def figures(results: xr.Dataset, indices: Sequence[int]) -> list[FarFieldFigures]:
    """Of sweep points: the peak direction by a coarse grid and two refinements round its maximum,
    and the gains there; NaN over what is not above zero, as of a closed guide.
    """
    powers, frequency = budget(results), results.variables["frequency"].values
    out = []
    for start in range(0, len(indices), AT_ONCE):
        own = indices[start : start + AT_ONCE]
        alike = groupby(whole_spheres(results, own), lambda s: s.waves.shape)
        found = [p for _, spheres in alike for p in _peaks(results, [s.waves for s in spheres])]
        for i, (u, theta, phi) in zip(own, found, strict=True):
            radiated = float(powers.radiated[i])
            over = np.array([radiated, powers.accepted[i], powers.available[i]])
            over[over <= 0] = np.nan
            d, g, r = decibel(4 * np.pi * u / over)
            out.append(
                FarFieldFigures(
                    float(frequency[i]),
                    float(d),
                    float(g),
                    float(r),
                    float(radiated / over[1]),
                    float(radiated / over[2]),
                    theta,
                    float(np.mod(phi, 360.0)),
                )
            )
    return out


def _peaks(results: xr.Dataset, waves: list[Complexes]) -> list[tuple[float, float, float]]:
    """The largest intensity of each of several fields' waves (m, n, 2), W/sr, with its θ and φ in
    degrees.
    """
    m, n, _ = waves[0].shape
    every = np.array(waves)
    step = min(START_STEP, 180 / (m // 2) / 2)
    theta = np.linspace(0, 180, int(np.ceil(180 / step)) + 1)[None]
    phi = np.linspace(0, 360, int(np.ceil(360 / step)), endpoint=False)[None]
    best, where = np.full(len(waves), -1.0), np.zeros((len(waves), 2))
    for _ in range(3):
        t, p = np.radians(theta), np.radians(phi)
        u = intensity(sphere.mesh_of(every, sphere.turns(t, m), sphere.turns(p, n)))
        u[np.broadcast_to(hidden(results, t[..., :, None], p[..., None, :]), u.shape)] = 0
        # Equal maxima (a dipole's ring) resolve to the first direction, not to rounding noise.
        flat = u.reshape(len(u), -1)
        first = (flat >= flat.max(axis=1, keepdims=True) * (1 - 1e-6)).argmax(axis=1)
        found = flat[np.arange(len(u)), first]
        i, j = np.unravel_index(first, u.shape[1:])
        better = found > best * (1 + 1e-6)
        own = np.arange(len(u)) if len(theta) > 1 else np.zeros(len(u), dtype=int)
        best[better] = found[better]
        where[better] = np.stack((theta[own, i], phi[own, j]), axis=1)[better]
        step /= 5
        span = np.arange(-5.0, 6.0) * step
        theta, phi = np.clip(where[:, :1] + span, 0, 180), where[:, 1:] + span
    return [(float(u), float(t), float(p)) for u, (t, p) in zip(best, where, strict=True)]


def grid(step_theta: float, step_phi: float) -> tuple[Floats, Floats]:
    """θ 0…180 and φ 0…360 inclusive, with steps that divide the range evenly and are no larger than
    asked.
    """
    return np.linspace(0, 180, int(np.ceil(180 / step_theta - 1e-9)) + 1), np.linspace(
        0, 360, int(np.ceil(360 / step_phi - 1e-9)) + 1
    )


@dataclass(frozen=True)
class Lobes:
    """Figures of a cut's main lobe; ``None`` where the cut has no such thing: no fall by 3 dB,
    nothing behind (ground) or the same as in front, no second lobe.

    Side lobes in dB relative to the main one: the highest, and the higher of the two next to the
    main lobe.
    """

    peak_deg: float
    beamwidth_deg: float | None
    front_to_back_db: float | None
    side_lobe_db: float | None
    first_side_lobe_db: float | None


@dataclass(frozen=True)
class Cut:
    """A full-circle cut.

    ``angle`` (n,) degrees from -180 to 180; ``level`` (n,) dBi; axial ratio (n,) dB, positive when
    right-handed.
    """

    plane: str
    angle: Floats
    level: Floats
    axial_ratio: Floats
    lobes: Lobes


QUANTITIES = ("realized_gain", "gain", "directivity")


def normal_power(powers: Budget, index: int, quantity: str) -> float:
    """The power in W that a kind of gain refers to.

    :raises ValueError: not one of :data:`QUANTITIES`.
    """
    if quantity not in QUANTITIES:
        raise ValueError(f"a pattern shows {', '.join(QUANTITIES)}, not {quantity!r}")
    return float(
        {
            "realized_gain": powers.available,
            "gain": powers.accepted,
            "directivity": powers.radiated,
        }[quantity][index]
    )


def levels(
    results: xr.Dataset,
    index: int,
    theta_deg: Floats,
    phi_deg: Floats,
    quantity: str = "realized_gain",
    part: str = "total",
    reference: float = 0.0,
) -> Floats:
    """One component in dBi (θ, φ) at all pairs of angles.

    :raises ValueError: a quantity or component that there is not.
    """
    u = component(
        far_mesh(results, index, theta_deg, phi_deg), np.radians(phi_deg)[None, :], part, reference
    ) / (2 * ETA0)
    return decibel(4 * np.pi * u / normal_power(budget(results), index, quantity))


@dataclass(frozen=True)
class Polarisation:
    """The ellipse in a direction: axial ratio in dB, tilt in degrees from θ̂ towards φ̂, sense, and
    realized gain in dBi of the field's components.
    """

    axial_ratio_db: float
    tilt_deg: float
    right: bool
    realized_gain_dbi: dict[str, float]


def polarisation(results: xr.Dataset, index: int, theta_deg: float, phi_deg: float) -> Polarisation:
    """How the field towards a direction is polarised.

    :raises HeronError: there is none.
    """
    field = far_field(results, index, np.array([theta_deg]), np.array([phi_deg]))
    own = ellipse(field)
    if not np.isfinite(own.axial_ratio[0]):
        raise HeronError("there is no field in this direction")
    available = float(budget(results).available[index])
    gains = {
        name: float(
            decibel(
                4 * np.pi * component(field, np.radians([phi_deg]), name) / (2 * ETA0) / available
            )[0]
        )
        for name in ("total", "theta", "phi", "right", "left")
    }
    return Polarisation(
        float(20 * np.log10(own.axial_ratio[0])),
        float(np.degrees(own.tilt[0])),
        bool(own.right[0]),
        gains,
    )


def plane_angles(plane: str, step: float = 1.0) -> tuple[Floats, Floats, Floats]:
    """Angle along a cut and its θ and φ, degrees: "phi=0" (the angle is θ, negative on the far
    side) or "theta=90" (the angle is φ).

    :raises ValueError: another plane.
    """
    kind, _, value = plane.partition("=")
    try:
        fixed = float(value)
    except ValueError:
        kind = ""
    if kind not in ("phi", "theta"):
        raise ValueError(f"a cut is named phi=… or theta=…, not {plane!r}")
    angle = np.arange(-180, 180 + step / 2, step)
    if kind == "phi":
        return angle, np.abs(angle), np.where(angle < 0, fixed + 180, fixed)
    return angle, np.full_like(angle, fixed), angle


def cut(
    results: xr.Dataset,
    index: int,
    plane: str,
    powers: Budget | None = None,
    step: float = 1.0,
    quantity: str = "realized_gain",
    part: str = "total",
    reference: float = 0.0,
) -> Cut:
    """A cut through the pattern of one component; ``reference`` is that of co-polarisation, rad
    from x.

    :raises ValueError: a plane, quantity or component that there is not.
    """
    angle, theta, phi = plane_angles(plane, step)
    field = far_field(results, index, theta, phi)
    u = component(field, np.radians(phi), part, reference) / (2 * ETA0)
    level = decibel(4 * np.pi * u / normal_power(powers or budget(results), index, quantity))
    own = ellipse(field)
    return Cut(
        plane,
        angle,
        level,
        20 * np.log10(own.axial_ratio) * np.where(own.right, 1, -1),
        lobe_figures(angle, level),
    )


def lobe_figures(angle: Floats, level: Floats) -> Lobes:
    """Figures of a closed cut (n,): degrees and dB; the first and last sample are the same
    direction.
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
    front_to_back = None if back <= FLOOR_DB + 20 or top - back < ALIKE_DB else float(top) - back
    maxima = np.flatnonzero((turned > np.roll(turned, 1)) & (turned >= np.roll(turned, -1)))
    others = [
        int(i)
        for i in maxima
        if abs(i - n // 2) > 1 and turned[i] > FLOOR_DB + 20 and turned[i] < top - 1e-6
    ]
    side = max((float(turned[i]) for i in others), default=None)
    if side is None and len([i for i in maxima if turned[i] > top - 1e-6]) > 1:
        side = float(top)
    near = [
        float(turned[i])
        for i in (
            max((i for i in others if i < n // 2), default=None),
            min((i for i in others if i > n // 2), default=None),
        )
        if i is not None
    ]
    return Lobes(
        float(a[peak]),
        width,
        front_to_back,
        None if side is None else side - float(top),
        max(near) - float(top) if near else None,
    )


def as_dict(record: Any) -> dict[str, Any]:
    """A figures record as plain JSON values, NaN and infinities as ``None``."""
    return {
        k: (None if isinstance(v, float) and not np.isfinite(v) else v)
        for k, v in asdict(record).items()
    }
