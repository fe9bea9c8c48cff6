"""The phase centre: the point about which the phase of a pattern is flattest over a cone (IEEE Std
145).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.quantities.constants import C0
from heron.results import patterns
from heron.results.polarisation import co_cross
from heron.results.sphere import directions

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

RINGS, SPOKES = 12, 24
STEPS = 30


@dataclass(frozen=True)
class PhaseCentre:
    """``place`` (3,) m; what is left of the phase about it over the cone, rad: weighted rms and
    largest where the field is above half power.
    """

    place: Floats
    rms: float
    largest: float


def cone(theta: float, phi: float, half_angle: float) -> tuple[Floats, Floats, Floats]:
    """Directions θ, φ (d,) within ``half_angle`` of an axis, all in rad, and the solid angle (d,)
    that each stands for.
    """
    axis = directions(np.array(theta), np.array(phi))
    across = np.array([np.cos(theta) * np.cos(phi), np.cos(theta) * np.sin(phi), -np.sin(theta)])
    third = np.cross(axis, across)
    edges = np.linspace(0, half_angle, RINGS + 1)
    rings = (edges[1:] + edges[:-1]) / 2
    turn = 2 * np.pi * np.arange(SPOKES) / SPOKES
    off = np.sin(rings)[:, None, None] * (
        np.cos(turn)[:, None] * across + np.sin(turn)[:, None] * third
    )
    unit = (np.cos(rings)[:, None, None] * axis + off).reshape(-1, 3)
    weight = np.repeat((np.cos(edges[:-1]) - np.cos(edges[1:])) * 2 * np.pi / SPOKES, SPOKES)
    return np.arccos(np.clip(unit[:, 2], -1, 1)), np.arctan2(unit[:, 1], unit[:, 0]), weight


def phase_centre(
    field: Complexes, theta: Floats, phi: Floats, weight: Floats, frequency: float, start: Floats
) -> PhaseCentre:
    """Fits ψ = ψ0 + k r̂·d to the phase of the stronger of two Ludwig-3 components (references 0°
    and 90°) in directions (d,) rad.

    Directions count by power and solid angle. ``start`` (3,) m must be within about half a
    wavelength of the answer along every direction.

    :raises HeronError: no field there.
    """
    parts = co_cross(field, phi)
    own = max(parts, key=lambda p: float((weight * np.abs(p) ** 2).sum()))
    power = weight * np.abs(own) ** 2
    if not power.sum() > 0:
        raise HeronError("there is no field in this cone; choose another direction or a wider cone")
    k = 2 * np.pi * frequency / C0
    unit = directions(theta, phi)
    place = np.asarray(start, dtype=float).copy()
    root = np.sqrt(power / power.sum())
    a = np.column_stack((np.ones(len(unit)), k * unit)) * root[:, None]
    rest = np.zeros(len(unit))
    for _ in range(STEPS):
        flat = own * np.exp(-1j * k * (unit @ place))
        rest = np.angle(flat * np.conj((root**2 * flat / np.abs(own).clip(1e-300)).sum()))
        step = np.linalg.lstsq(a, root * rest, rcond=1e-6)[0]
        place += step[1:]
        if np.abs(step[1:]).max() * k < 1e-9:
            break
    strong = np.abs(own) ** 2 >= 0.5 * (np.abs(own) ** 2).max()
    return PhaseCentre(
        place, float(np.sqrt((root**2 * rest**2).sum())), float(np.abs(rest[strong]).max())
    )


def phase_centres(
    results: xr.Dataset, indices: list[int], theta: float, phi: float, half_angle: float
) -> list[PhaseCentre]:
    """The phase centre at sweep points, over a cone about a direction; angles in rad.

    :raises HeronError: no field there.
    """
    t, p, weight = cone(theta, phi, half_angle)
    return [
        phase_centre(
            patterns.far_field(results, i, np.degrees(t), np.degrees(p)),
            t,
            p,
            weight,
            float(results["frequency"].values[i]),
            patterns.centre(results, i),
        )
        for i in indices
    ]
