"""Fill, factor and solve of the moments engine against a bare LU of a random matrix of the same
size.

Interleaved repeats, best of each, in one process: ratios, not absolute times.
"""

from __future__ import annotations

from time import perf_counter

import numpy as np
from scipy.linalg import lu_factor, lu_solve

from heron.engines.moments.calibration import straight_wire

SIZES = (500, 1000, 2000)
REPEATS = 5
FREQUENCY = 1e9


def run(sizes: tuple[int, ...] = SIZES, repeats: int = REPEATS) -> list[dict[str, float]]:
    """One row per size: unknowns, fill_s, factor_s, solve_s, lu_alone_s, ratio."""
    rng = np.random.default_rng(7)
    rows = []
    for size in sizes:
        system = straight_wire(size + 1)
        n = system.basis.size
        random = rng.standard_normal((n, n)) + 1j * rng.standard_normal((n, n))
        best = np.full(4, np.inf)
        system.matrix(FREQUENCY)
        for _ in range(repeats):
            t0 = perf_counter()
            matrix = system.matrix(FREQUENCY)
            t1 = perf_counter()
            factors = lu_factor(matrix.T, overwrite_a=True, check_finite=False)
            t2 = perf_counter()
            lu_solve(factors, system.ports.T.astype(complex), check_finite=False)
            t3 = perf_counter()
            lu_factor(random, check_finite=False)
            t4 = perf_counter()
            best = np.minimum(best, [t1 - t0, t2 - t1, t3 - t2, t4 - t3])
        fill, factor, solve, alone = best.tolist()
        rows.append(
            {
                "unknowns": n,
                "fill_s": fill,
                "factor_s": factor,
                "solve_s": solve,
                "lu_alone_s": alone,
                "ratio": (fill + factor + solve) / alone,
            }
        )
    return rows
