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
    return np.asarray(
        corner + (v[:, None, None] * across + u[None, :, None] * along).reshape(-1, 3)
    )


def _box(capture: Any) -> Floats:
    """The last index, along z, is the fastest."""
    axes = [
        c + np.linspace(0, 1, int(n)) * size
        for c, size, n in zip(capture.corner, capture.size, capture.counts, strict=True)
    ]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)


# Captures of fields at frequencies, and of fields against time.
POINTS: dict[str, Callable[[Any], Floats]] = {
    "near_point": _point,
    "near_line": _line,
    "near_plane": _plane,
    "near_box": _box,
    "power_flux": _plane,
}
FRAMES = 400  # snapshots of a capture at most
TIME_POINTS: dict[str, Callable[[Any], Floats]] = {"point_trace": _point, "snapshots": _plane}


def _ends(capture: Any) -> Floats:
    return np.array([capture.start, capture.end], dtype=float)


def _rim(capture: Any) -> Floats:
    c, a, b = (np.array(x) for x in (capture.corner, capture.along, capture.across))
    return np.array([c, c + a, c + a + b, c + b, c])


# corners of a cube, x y z as bits, so that the line runs along every edge
STROKE = (0, 4, 6, 2, 0, 1, 5, 4, 5, 7, 6, 7, 3, 2, 3, 1)


def _cage(capture: Any) -> Floats:
    """All edges of a box in one stroke."""
    unit = np.array([(n >> 2 & 1, n >> 1 & 1, n & 1) for n in STROKE])
    return np.asarray(np.array(capture.corner) + unit * np.array(capture.size))


OUTLINES: dict[str, Callable[[Any], Floats]] = {
    "near_point": _point,
    "near_line": _ends,
    "near_plane": _rim,
    "near_box": _cage,
    "power_flux": _rim,
    "point_trace": _point,
    "snapshots": _rim,
}


def capture_outline(capture: Any, frame: Matrix) -> Floats:
    """Corners (n, 3) in m of the line that shows where an evaluated capture lies."""
    return apply(frame, OUTLINES[capture.kind](capture))


def capture_points(capture: Any, frame: Matrix) -> Floats:
    """World points (n, 3) in m of an evaluated near-field capture."""
    return apply(frame, (POINTS | TIME_POINTS)[capture.kind](capture))
