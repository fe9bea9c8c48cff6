"""Near fields at the points of a capture."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.geometry.transforms import Matrix, apply
from heron.results.patterns import has_ground, source

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


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


def near_field(results: xr.Dataset, index: int, points: Floats) -> tuple[Complexes, Complexes]:
    """E in V/m and H in A/m, (n, 3) each, peak, under the dataset's drive; zero below a ground plane."""
    f = float(results["frequency"].values[index])
    e, h = source(results, index).near_field(points, f)
    if has_ground(results):
        below = points[:, 2] < float(results.attrs["ground"])
        e[:, below], h[:, below] = 0, 0
    return e[0], h[0]


def rms_magnitude(field: Complexes) -> Floats:
    """√(½ Σ|F|²) (n,): root mean square of the whole vector."""
    return np.asarray(np.sqrt(0.5 * (np.abs(field) ** 2).sum(axis=-1)))
