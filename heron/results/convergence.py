"""How far the last of some values is from what they tend to, as cells or segments shrink.

From values f₁, f₂, f₃ on grids whose cells shrink by a fixed ratio r, the order p of convergence is
that of their differences, and f₃ is off by (f₃ − f₂)/(rᵖ − 1) (Richardson; Roache, J. Fluids Eng.
116 (1994)). Where the order is not one that a scheme of second order can have, the larger
difference counts. Factors beyond that were fitted on cases with known answers (docs/accuracy.md).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

ORDERS = (0.8, 1.5)  # between which an order is believed
UNSURE = 1.0  # the order assumed when it is not, or when there are two rounds only
SAFETY = 1.6  # fitted: over Richardson's estimate
# share of the RMS of a difference over the band that counts everywhere: differences pass through
# zero, errors need not there
SPREAD = 0.5
# of a line's, relative: what rounds do not see, as cells grow alike from a thin conductor outwards
# in all of them; measured
FLOOR_IMPEDANCE = 9.7e-3
# fitted: share of the difference before the last that the last counts for at least, as differences
# pass through zero
HELD = 0.4


def error_of(
    values: Sequence[Any], sizes: Sequence[float], held: float = HELD, steepest: float = ORDERS[1]
) -> Floats | None:
    """The error of the last of some values (…) along frequency first, from coarse to fine; ``None``
    if there is but one. ``held`` is the share of the difference before the last that counts at
    least: all of it where the values are single ones. No order above the ``steepest`` is believed.

    Values that are NaN in any round have the error NaN.
    """
    return (
        error_by(
            [np.abs(np.asarray(b) - np.asarray(a)) for a, b in pairwise(values)],
            sizes,
            held,
            _rms,
            steepest,
        )
        if len(values) > 1
        else None
    )


def error_by(
    differences: Sequence[Floats],
    sizes: Sequence[float],
    held: float,
    typical: Callable[[Floats], float],
    steepest: float = ORDERS[1],
) -> Floats:
    """The error that one or more sizes of differences (…) between values on grids of falling
    ``sizes`` speak of; ``typical`` tells the size of many of them.
    """
    last, ratio = differences[-1], sizes[-2] / sizes[-1]
    order, larger = UNSURE, last
    if len(differences) > 1:
        before = differences[-2]
        sized = [typical(d) for d in (before, last)]
        found = (
            float(np.log(sized[0] / sized[1]) / np.log(sizes[-3] / sizes[-2]))
            if min(sized) > 0
            else ORDERS[1]
        )
        if ORDERS[0] <= found:
            order = min(found, steepest)
        else:
            held = 1.0
        larger = np.maximum(last, held * before)
    return np.asarray(SAFETY / (ratio**order - 1) * np.hypot(larger, SPREAD * typical(larger)))


def _rms(values: Any) -> float:
    square = np.abs(values) ** 2
    return float(np.sqrt(np.nanmean(square))) if np.isfinite(square).any() else 0.0


def error_of_wavering(values: Sequence[Any]) -> Floats:
    """The error of the last of some values that waver about their limit as lines of a grid fall
    here or there, such as impedances of lines: from the largest change.
    """
    return np.asarray(SAFETY * np.abs(np.diff(np.asarray(values), axis=0)).max(axis=0))
