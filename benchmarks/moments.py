"""Fill, factor and solve of the moments engine against a bare LU of a random matrix of the same
size, for wires and for plates of triangles; and what compressed matrices of plates take.

Interleaved repeats, best of each, in one process: ratios, not absolute times.
"""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lu_factor, lu_solve

from heron.engines.moments.calibration import straight_wire
from heron.engines.moments.linear import solved
from heron.engines.moments.surface_calibration import plate
from heron.engines.moments.surface_system import SurfaceSystem
from heron.quantities.constants import C0

SIZES = (500, 1000, 2000)
REPEATS = 5
PLATES = (6000,)  # unknowns
LARGE = (5000, 10_000, 20_000, 40_000)
FREQUENCY = 1e9
PER_WAVELENGTH = 10  # sides of triangles
Complexes = NDArray[np.complex128]


def run(
    sizes: tuple[int, ...] = SIZES,
    repeats: int = REPEATS,
    plates: tuple[int, ...] = PLATES,
    large: tuple[int, ...] = LARGE,
) -> list[dict[str, Any]]:
    """One row per size of wires: unknowns, fill_s, factor_s, solve_s, lu_alone_s, ratio; of plates
    the same with mixed_s, mixed_ratio and residual; of compressed plates: unknowns, build_s,
    solve_s, megabytes, whole_megabytes, error, residual, and after them by which powers of the
    unknowns time and memory grow.
    """
    rows: list[dict[str, Any]] = []
    for size in sizes:
        system = straight_wire(size + 1)
        rows.append({"of": "wire", **_whole(system.matrix, system.ports, repeats)})
    for size in plates:
        system = plate_of(size)
        port = np.ones((1, system.size))
        rows.append({"of": "plate", **_whole(system.matrix, port, 1), **_mixed(system, port)})
        rows[-1]["mixed_ratio"] = rows[-1]["mixed_s"] / rows[-1]["lu_alone_s"]
    found = [_compressed(plate_of(size)) for size in large]
    rows += [{"of": "plate, compressed", **row} for row in found]
    if len(found) > 1:
        m = np.log([row["unknowns"] for row in found])
        times = np.log([row["build_s"] + row["solve_s"] for row in found])
        memory = np.log([row["megabytes"] for row in found])
        rows.append(
            {
                "of": "plates, compressed",
                "time_power": float(np.polyfit(m, times, 1)[0]),
                "memory_power": float(np.polyfit(m, memory, 1)[0]),
            }
        )
    return rows


def plate_of(unknowns: int) -> SurfaceSystem:
    """A square of about so many unknowns, ten triangles' sides to the wavelength at 1 GHz."""
    sides = max(2, round(np.sqrt(unknowns / 3)))
    return plate(sides, sides * C0 / FREQUENCY / PER_WAVELENGTH)


def _whole(
    fill: Callable[[float], Complexes], ports: NDArray[np.float64], repeats: int
) -> dict[str, float]:
    rng = np.random.default_rng(7)
    n = ports.shape[1]
    random = rng.standard_normal((n, n)) + 1j * rng.standard_normal((n, n))
    best = np.full(4, np.inf)
    fill(FREQUENCY)
    for _ in range(repeats):
        t0 = perf_counter()
        matrix = fill(FREQUENCY)
        t1 = perf_counter()
        factors = lu_factor(matrix.T, overwrite_a=True, check_finite=False)
        t2 = perf_counter()
        lu_solve(factors, ports.T.astype(complex), check_finite=False)
        t3 = perf_counter()
        lu_factor(random, check_finite=False)
        t4 = perf_counter()
        best = np.minimum(best, [t1 - t0, t2 - t1, t3 - t2, t4 - t3])
    filled, factor, solve, alone = best.tolist()
    return {
        "unknowns": n,
        "fill_s": filled,
        "factor_s": factor,
        "solve_s": solve,
        "lu_alone_s": alone,
        "ratio": (filled + factor + solve) / alone,
    }


def _mixed(system: SurfaceSystem, ports: NDArray[np.float64]) -> dict[str, float]:
    """Half the digits and steps towards the solution, as the engine solves it."""
    started = perf_counter()
    matrix = system.matrix(FREQUENCY)
    right = ports.T.astype(complex)
    found = solved(matrix, right)
    seconds = perf_counter() - started
    left = np.linalg.norm(system.matrix(FREQUENCY) @ found - right) / np.linalg.norm(right)
    return {"mixed_s": seconds, "residual": float(left)}


def _compressed(system: SurfaceSystem) -> dict[str, float]:
    rng = np.random.default_rng(7)
    right = rng.standard_normal((system.size, 1)) + 0j
    started = perf_counter()
    matrix = system.large.compressed(FREQUENCY, *system.rows(FREQUENCY))
    built = perf_counter()
    system.large.solve(matrix, right)
    ended = perf_counter()
    return {
        "unknowns": system.size,
        "build_s": built - started,
        "solve_s": ended - built,
        "megabytes": matrix.bytes / 1e6,
        "whole_megabytes": 16e-6 * system.size**2,
        "error": matrix.error(),
        "residual": matrix.residual,
    }
