"""Polynomials of the second degree through what variants gave, and how far off they are."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations_with_replacement

import numpy as np

from heron.studies.contract import Floats


@dataclass(frozen=True)
class Polynomial:
    """A fitted polynomial. ``error`` is the RMS of what each sample is off from a fit without it,
    ``explained`` the share of the variance that such fits find.
    """

    centre: Floats
    scale: Floats
    weights: Floats
    error: float
    explained: float

    def __call__(self, points: Floats) -> Floats:
        """Values (m,) at points (m, n)."""
        return np.asarray(_terms((points - self.centre) / self.scale) @ self.weights)


def _terms(x: Floats) -> Floats:
    n = x.shape[1]
    squares = [x[:, i] * x[:, j] for i, j in combinations_with_replacement(range(n), 2)]
    return np.column_stack([np.ones(len(x)), x, *squares])


def fitted(points: Floats, values: Floats) -> Polynomial | None:
    """The polynomial through points (m, n) and values (m,) by least squares; none of fewer than
    one and a half times as many points as it has terms. Samples left out one by one: Allen's PRESS
    (*Technometrics* 16, 1974).
    """
    centre, scale = points.mean(axis=0), points.std(axis=0)
    if (scale == 0).any() or np.ptp(values) == 0:
        return None
    terms = _terms((points - centre) / scale)
    if len(points) < 1.5 * terms.shape[1]:
        return None
    q, r = np.linalg.qr(terms)
    weights = np.linalg.solve(r, q.T @ values)
    leverage = np.sum(q**2, axis=1)
    left_out = (values - terms @ weights) / np.maximum(1 - leverage, 1e-9)
    error = float(np.sqrt(np.mean(left_out**2)))
    return Polynomial(centre, scale, weights, error, float(1 - error**2 / np.var(values)))
