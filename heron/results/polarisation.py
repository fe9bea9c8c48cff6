"""Polarisation of far fields: components after Ludwig, circular waves, the ellipse.

Senses after IEEE Std 145.

Fields are (…, 2), θ and φ components of phasors under exp(+jωt); angles of directions in radians.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

COMPONENTS = ("total", "theta", "phi", "co", "cross", "right", "left")
AXIAL_RATIO_CAP = 1e4  # 80 dB: what is called linear


def co_cross(field: Complexes, phi: Floats, reference: float = 0.0) -> tuple[Complexes, Complexes]:
    """Co- and cross-polar components with the reference polarisation at ``reference`` rad from x
    towards y on the axis.

    A. C. Ludwig, "The definition of cross polarization", IEEE Trans. AP 21 (1973) 116, third
    definition.
    """
    c, s = np.cos(phi - reference), np.sin(phi - reference)
    return field[..., 0] * c - field[..., 1] * s, field[..., 0] * s + field[..., 1] * c


def circular(field: Complexes) -> tuple[Complexes, Complexes]:
    """Right- and left-hand circular components; right-hand turns clockwise looking along
    propagation, θ̂ − jφ̂.
    """
    return (field[..., 0] + 1j * field[..., 1]) / np.sqrt(2), (
        field[..., 0] - 1j * field[..., 1]
    ) / np.sqrt(2)


def component(field: Complexes, phi: Floats, name: str, reference: float = 0.0) -> Floats:
    """Squared magnitude (…,) of the component called ``name``, one of :data:`COMPONENTS`.

    :raises ValueError: another name.
    """
    match name:
        case "total":
            return np.asarray((np.abs(field) ** 2).sum(axis=-1))
        case "theta" | "phi":
            part = field[..., ("theta", "phi").index(name)]
        case "co" | "cross":
            part = co_cross(field, phi, reference)[("co", "cross").index(name)]
        case "right" | "left":
            part = circular(field)[("right", "left").index(name)]
        case _:
            raise ValueError(f"a component is one of {', '.join(COMPONENTS)}, not {name!r}")
    return np.asarray(np.abs(part) ** 2)


@dataclass(frozen=True)
class Ellipse:
    """Polarisation ellipses: axial ratio ≥ 1 (capped at 1e4, NaN where there is no field), tilt in
    rad, and whether right-handed.

    The tilt is that of the major axis from θ̂ towards φ̂, in (−π/2, π/2].
    """

    axial_ratio: Floats
    tilt: Floats
    right: NDArray[np.bool_]


def ellipse(field: Complexes) -> Ellipse:
    """Balanis, *Antenna Theory*, sec. 2.12, by way of the circular components."""
    r, l = circular(field)
    a, b = np.abs(r), np.abs(l)
    with np.errstate(invalid="ignore"):
        ratio = (a + b) / np.maximum(np.abs(a - b), (a + b) / AXIAL_RATIO_CAP)
    return Ellipse(np.asarray(ratio), np.asarray(0.5 * np.angle(r * l.conj())), np.asarray(a >= b))
