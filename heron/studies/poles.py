"""Curves over frequency as a few poles and their residues, which change evenly while a resonance
moves: a curve itself does not.

The poles are moved until the curve is fitted (vector fitting; Gustavsen and Semlyen, *IEEE
Transactions on Power Delivery* 14, 1999), here without their mirror images at negative frequencies.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.studies.contract import Floats

Complexes = NDArray[np.complex128]

ROUNDS = 12  # of moving poles
FIRST_LOSS = 0.1  # of half the band: how far from it poles begin


def fitted(x: Floats, curve: NDArray[Any], count: int) -> Complexes:
    """``count`` poles, their residues, a constant and a slope (2 count + 2,) that fit a curve (f,)
    over ``x`` (f,), which runs from -1 to 1. Poles are in the order of their real parts.
    """
    poles = np.linspace(-1, 1, count + 2)[1:-1] + 1j * FIRST_LOSS
    even = np.column_stack([np.ones(len(x)), x])
    for _ in range(ROUNDS):
        parts = 1 / (x[:, None] - poles)
        found = np.linalg.lstsq(
            np.column_stack([parts, even, -curve[:, None] * parts]), curve, rcond=None
        )[0]
        poles = np.linalg.eigvals(np.diag(poles) - np.ones((count, 1)) * found[count + 2 :])
    poles = poles[np.argsort(poles.real)]
    parts = 1 / (x[:, None] - poles)
    rest = np.linalg.lstsq(np.column_stack([parts, even]), curve, rcond=None)[0]
    return np.concatenate([poles, rest])


def curves_of(features: Complexes, x: Floats) -> Complexes:
    """Curves (m, f) over ``x`` (f,) of poles, residues, constants and slopes (m, 2 count + 2)."""
    count = features.shape[1] // 2 - 1
    poles, residues = features[:, :count, None], features[:, count : 2 * count, None]
    even = features[:, 2 * count, None] + features[:, 2 * count + 1, None] * x
    return np.asarray((residues / (x - poles)).sum(axis=1) + even)
