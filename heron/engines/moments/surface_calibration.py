"""A known plate for measuring this machine: the forecast's rates and the benchmark use it."""

from __future__ import annotations

from functools import lru_cache
from time import perf_counter

import numpy as np

from heron.discretise.triangles import SurfaceMesh
from heron.engines.moments.surface_system import Surface, SurfaceSystem
from heron.materials import PERFECT

SIDES, SIDE, FREQUENCY = 20, 1.0, 3e7  # triangles along a side of so many m, at so many Hz


def plate(sides: int, side: float) -> SurfaceSystem:
    """A square of so many m, and so many equal triangles' sides along each of its own."""
    x, y = (g.ravel() for g in np.meshgrid(*2 * [np.linspace(0, side, sides + 1)]))
    a = (np.arange(sides)[:, None] * (sides + 1) + np.arange(sides)).ravel()
    b = a + sides + 1
    triangles = np.vstack((np.column_stack((a, a + 1, b)), np.column_stack((a + 1, b + 1, b))))
    count = len(triangles)
    mesh = SurfaceMesh(
        ["plate"],
        np.column_stack((x, y, np.zeros(len(x)))),
        triangles.astype(np.int64),
        np.zeros(count, dtype=np.int64),
        np.zeros(count, dtype=bool),
        np.zeros(len(x), dtype=bool),
    )
    return SurfaceSystem(mesh, [Surface(PERFECT)], [], [])


@lru_cache(maxsize=1)
def surface_rate() -> float:
    """This machine's pairs of triangles per second, measured once per process."""
    system = plate(SIDES, SIDE)
    system.matrix(FREQUENCY)
    started = perf_counter()
    system.matrix(FREQUENCY)
    return len(system.mesh.triangles) ** 2 / (perf_counter() - started)
