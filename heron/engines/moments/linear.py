"""Solving a symmetric system for all ports."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lu_factor, lu_solve

from heron.engines.lumped import Networks

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

# unknowns from which on factors of half the digits, and steps towards the solution, are quicker
MIXED_FROM = 1500
ENOUGH = 1e-9  # of the right-hand side: the residual at which steps end
MOST_STEPS = 8


def port_solution(
    coefficients: Complexes, ports: Floats, networks: Networks, frequency: float
) -> tuple[Complexes, Complexes]:
    """Admittance matrix (P, P) in S and coefficients (m, P) for 1 V at each port behind its
    network, the others shorted, from those of 1 V at each of the gaps ``ports`` (P, m).
    """
    y = ports @ coefficients
    f = np.array([frequency])
    # The gap's voltage is the port's less what drops in series: V_gap = (1 + ZY)⁻¹ V_port.
    divider = np.linalg.inv(np.eye(len(y)) + networks.series(f)[0][:, None] * y)
    return y @ divider + np.diag(networks.shunt(f)[0]), coefficients @ divider


def solved(matrix: Complexes, right: Complexes, symmetric: bool = True) -> Complexes:
    """x (m, c) of Ax = b, with a matrix that may be overwritten.

    Large ones are factored with half the digits, and the solution is improved by its residual until
    that is 1e-9 of b (Higham, *Accuracy and Stability of Numerical Algorithms*, ch. 12); where that
    does not come about, they are factored with all digits.
    """
    if len(matrix) >= MIXED_FROM:
        found = _refined(matrix, right, symmetric)
        if found is not None:
            return found
    # The transpose is in LAPACK's order and saves a copy.
    factors = lu_factor(matrix.T, overwrite_a=True, check_finite=False)
    return np.asarray(lu_solve(factors, right, trans=0 if symmetric else 1, check_finite=False))


def _refined(matrix: Complexes, right: Complexes, symmetric: bool) -> Complexes | None:
    factors = lu_factor(matrix.T.astype(np.complex64), overwrite_a=True, check_finite=False)
    size = np.linalg.norm(right, axis=0)
    found = np.zeros_like(right)
    residual, before = right, np.inf
    for _ in range(MOST_STEPS):
        scale = np.maximum(np.linalg.norm(residual, axis=0), 1e-300)
        step = lu_solve(
            factors,
            (residual / scale).astype(np.complex64),
            trans=0 if symmetric else 1,
            check_finite=False,
        )
        found = found + step * scale
        residual = right - matrix @ found
        left = float((np.linalg.norm(residual, axis=0) / np.maximum(size, 1e-300)).max())
        if left < ENOUGH:
            return np.asarray(found)
        if not left < 0.5 * before:
            return None
        before = left
    return None
