"""Near fields at the points of a capture."""

from __future__ import annotations

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.results.patterns import has_ground, source

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def near_field(results: xr.Dataset, index: int, points: Floats) -> tuple[Complexes, Complexes]:
    """E in V/m and H in A/m, (n, 3) each, peak, under the dataset's drive; zero below a ground plane."""
    f = float(results["frequency"].values[index])
    e, h = source(results, index).near_field(points, f)
    if has_ground(results):
        below = points[:, 2] < float(results.attrs["ground"])
        e[:, below], h[:, below] = 0, 0
    return e[0], h[0]


def flux(points: Floats, counts: tuple[int, int], e: Complexes, h: Complexes) -> float:
    """Mean power in W through a rectangle of points (n, 3), the first count along the fast index, by the trapezoidal rule.

    It counts along the vector product of the first edge and the second.
    """
    n, m = counts
    grid = points.reshape(m, n, 3)
    normal = np.cross(grid[0, -1] - grid[0, 0], grid[-1, 0] - grid[0, 0]) / ((n - 1) * (m - 1))
    density = 0.5 * (np.cross(e, h.conj()).real @ normal).reshape(m, n)
    density[[0, -1], :] *= 0.5
    density[:, [0, -1]] *= 0.5
    return float(density.sum())


def rms_magnitude(field: Complexes) -> Floats:
    """√(½ Σ|F|²) (n,): root mean square of the whole vector."""
    return np.asarray(np.sqrt(0.5 * (np.abs(field) ** 2).sum(axis=-1)))
