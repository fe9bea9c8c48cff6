"""Affine maps as 4×4 arrays acting on column vectors of SI coordinates."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


def identity() -> Matrix:
    """(4, 4)."""
    return np.eye(4)


def shift(by: Sequence[float]) -> Matrix:
    """(4, 4), by m along x, y, z."""
    m = np.eye(4)
    m[:3, 3] = by
    return m


def rotation(
    axis: Sequence[float], angle: float, about: Sequence[float] = (0.0, 0.0, 0.0)
) -> Matrix:
    """Right-handed turn by ``angle`` radians about ``axis`` through ``about`` (Rodrigues' formula).

    :raises ValueError: the axis has no direction.
    """
    n = _unit(axis)
    k = np.array([[0, -n[2], n[1]], [n[2], 0, -n[0]], [-n[1], n[0], 0]])
    m = np.eye(4)
    m[:3, :3] += np.sin(angle) * k + (1 - np.cos(angle)) * (k @ k)
    return shift(about) @ m @ shift([-c for c in about])


def reflection(normal: Sequence[float], about: Sequence[float]) -> Matrix:
    """Mirror image in the plane through ``about`` with the given normal.

    :raises ValueError: the normal has no direction.
    """
    n = _unit(normal)
    m = np.eye(4)
    m[:3, :3] -= 2 * np.outer(n, n)
    return shift(about) @ m @ shift([-c for c in about])


def scaling(factor: float, about: Sequence[float]) -> Matrix:
    """Everything ``factor`` times as far from ``about``."""
    m = np.eye(4)
    m[:3, :3] *= factor
    return shift(about) @ m @ shift([-c for c in about])


def inverse(m: Matrix) -> Matrix:
    """The inverse of a rigid map."""
    out = identity()
    out[:3, :3] = m[:3, :3].T
    out[:3, 3] = -m[:3, :3].T @ m[:3, 3]
    return out


def apply(m: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points (n, 3) mapped."""
    return points @ m[:3, :3].T + m[:3, 3]


def _unit(axis: Sequence[float]) -> NDArray[np.float64]:
    a = np.asarray(axis, dtype=float)
    length = float(np.linalg.norm(a))
    if length == 0:
        raise ValueError("the axis (0, 0, 0) has no direction")
    return a / length
