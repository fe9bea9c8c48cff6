"""S-, Y- and Z-parameter algebra with real reference impedances (Pozar, Microwave Engineering, ch.
4).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]


def y_to_s(y: Complexes, z0: Floats) -> Complexes:
    """(…, P, P) scattering matrix of an admittance matrix; ``z0`` (P,) Ω, real and positive."""
    root = np.sqrt(z0)
    normal = root[:, None] * y * root[None, :]
    eye = np.eye(len(z0))
    return np.asarray(np.linalg.solve(eye + normal, eye - normal))


def s_to_y(s: Complexes, z0: Floats) -> Complexes:
    """The inverse of :func:`y_to_s`."""
    root = np.sqrt(z0)
    eye = np.eye(len(z0))
    return np.asarray(np.linalg.solve(eye + s, eye - s) / root[:, None] / root[None, :])


def renormalise(s: Complexes, old: Floats, new: Floats) -> Complexes:
    """The same network at other reference impedances."""
    return y_to_s(s_to_y(s, old), new)


def input_impedance(s: Complexes, z0: Floats) -> Complexes:
    """(…, P) impedance into each port with every other port in its reference impedance, Ω."""
    own = np.diagonal(s, axis1=-2, axis2=-1)
    return np.asarray(z0 * (1 + own) / (1 - own))
