"""Waves that illuminate a model: plane ones and Gaussian beams."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.errors import ModelError

Floats = NDArray[np.float64]

LEAST_ACROSS = 0.05  # cosine of the angle between a wave and the normal of layers


@dataclass(frozen=True)
class PlaneWave:
    """Unit vectors ``travels`` and ``electric`` (3,), across each other; 1 V/m, of phase zero at
    the origin. Space is stratified across the axis ``normal``.
    """

    travels: Floats
    electric: Floats
    normal: int


def plane_wave(step: Any, layered: bool = False) -> PlaneWave:
    """The wave of an evaluated step of the model, over layers across z or in free space.

    :raises ModelError: it travels nowhere, or along the layers; its field lies along its way.
    """
    travels, electric = (np.array(v, dtype=float) for v in (step.travels, step.electric))
    length = float(np.linalg.norm(travels))
    if not length > 0:
        raise ModelError(
            "the wave travels nowhere: give it a direction such as (0, 0, 1)", ("travels",)
        )
    travels /= length
    across = electric - (electric @ travels) * travels
    if not np.linalg.norm(across) > 1e-6 * max(float(np.linalg.norm(electric)), 1e-30):
        raise ModelError(
            "the electric field lies along the wave's way; it must have a part across it",
            ("electric",),
        )
    if layered and abs(travels[2]) < LEAST_ACROSS:
        raise ModelError(
            "the wave travels along the layers and never meets them; give it a part along z",
            ("travels",),
        )
    return PlaneWave(
        travels, across / np.linalg.norm(across), 2 if layered else int(np.abs(travels).argmax())
    )


@dataclass(frozen=True)
class Beam(PlaneWave):
    """A Gaussian beam along ``travels``, of 1 V/m and phase zero at ``focus`` (3,) m, where its
    field has fallen to 1/e at the radius ``waist``, m.
    """

    focus: Floats
    waist: float


def light_of(step: Any, layered: bool = False) -> PlaneWave:
    """The wave of an evaluated step of the model, over layers across z or in free space.

    :raises ModelError: as :func:`plane_wave`; the waist is no
        size.
    """
    wave = plane_wave(step, layered)
    if step.kind != "gaussian_beam":
        return wave
    if not step.waist > 0:
        raise ModelError("the waist must be above zero", ("waist",))
    return Beam(
        wave.travels,
        wave.electric,
        wave.normal,
        np.array(step.focus, dtype=float),
        float(step.waist),
    )
