"""World points of near-field captures."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.geometry.transforms import Matrix, apply

Floats = NDArray[np.float64]


def _point(capture: Any) -> Floats:
    return np.array([capture.point], dtype=float)


def _line(capture: Any) -> Floats:
    t = np.linspace(0, 1, int(capture.count))[:, None]
    return np.asarray((1 - t) * np.array(capture.start) + t * np.array(capture.end))


def _plane(capture: Any) -> Floats:
    """Rows run along ``across``, the fast index along ``along``."""
    n, m = (int(c) for c in capture.counts)
    u, v = np.linspace(0, 1, n), np.linspace(0, 1, m)
    corner, along, across = (np.array(x) for x in (capture.corner, capture.along, capture.across))
    return np.asarray(corner + (v[:, None, None] * across + u[None, :, None] * along).reshape(-1, 3))


POINTS: dict[str, Callable[[Any], Floats]] = {"near_point": _point, "near_line": _line, "near_plane": _plane}


def capture_points(capture: Any, frame: Matrix) -> Floats:
    """World points (n, 3) in m of an evaluated near-field capture."""
    return apply(frame, POINTS[capture.kind](capture))
