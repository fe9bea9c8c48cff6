"""Rational interpolation of frequency responses: set-valued AAA with one denominator for all
components.

Nakatsukasa, Sète, Trefethen, "The AAA algorithm for rational approximation", SIAM J. Sci. Comput.
40 (2018) A1494; the set-valued form after Lietaert et al., IMA J. Numer. Anal. 42 (2022). A
structure's responses share their poles, so one set of weights serves S-parameters and currents
alike.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class Rational:
    """Barycentric form: support indices into the samples, and weights."""

    support: NDArray[np.int64]
    points: Floats
    weights: Complexes

    def matrix(self, x: Floats) -> Complexes:
        """(len(x), len(support)) matrix that maps support values to values at ``x``."""
        gap = x[:, None] - self.points[None, :]
        exact = gap == 0
        cauchy = self.weights / np.where(exact, 1.0, gap)
        with np.errstate(invalid="ignore", divide="ignore"):
            rows = cauchy / cauchy.sum(axis=1, keepdims=True)
        hit = exact.any(axis=1)
        rows[hit] = exact[hit].astype(complex)
        return np.asarray(rows)


def fit(x: Floats, values: Complexes, tolerance: float = 1e-12) -> Rational:
    """Greedy fit of samples ``values`` (n, components) at distinct ``x`` (n,).

    Stops when all samples are met within ``tolerance`` of the largest value of each
    component, or when the linear problem would become under-determined.
    """
    n = len(x)
    scale = np.maximum(np.abs(values).max(axis=0), 1e-300)
    data = values / scale
    support: list[int] = []
    current = np.broadcast_to(data.mean(axis=0), data.shape)
    weights = np.ones(1, dtype=complex)
    columns = data.shape[1]
    for _ in range(n):
        error = np.abs(data - current).max(axis=1)
        error[support] = 0
        if support and error.max() < tolerance:
            break
        rest_after = n - len(support) - 1
        if support and rest_after * columns < len(support) + 1:
            break
        support.append(int(error.argmax()))
        rest = np.setdiff1d(np.arange(n), support)
        if len(rest) == 0:
            weights = np.ones(len(support), dtype=complex)
            break
        cauchy = 1.0 / (x[rest, None] - x[None, support])
        loewner = (data[rest][:, :, None] - data[support].T[None, :, :]) * cauchy[:, None, :]
        weights = np.linalg.svd(loewner.reshape(-1, len(support)), full_matrices=True)[2][-1].conj()
        model = Rational(np.array(support), x[support], weights)
        current = model.matrix(x) @ data[support]
    return Rational(np.array(support), x[np.array(support)], weights)
