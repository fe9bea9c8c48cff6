"""Feature selective validation of one curve against another: IEEE Std 1597.1.

After A. P. Duffy, A. J. M. Martin, A. Orlandi, G. Antonini, T. M. Benson, M. S. Woolfson, "Feature
selective validation (FSV) for validation of computational electromagnetics (CEM). Part I: the FSV
method", IEEE Trans. EMC 48 (2006) 449–459. Each curve is split, in its Fourier transform, into its
offset, its trend and its features. The amplitude difference measure (ADM) compares offsets and
trends, the feature difference measure (FDM) their derivatives, the global one (GDM) is √(ADM² +
FDM²). The constants below are from memory of that paper.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.errors import HeronError

Floats = NDArray[np.float64]

OFFSET_POINTS = 4  # of the transform, that make the offset
SHARE = 0.4  # of the rest of the transform's sum, where trend and features part
BEYOND = 5  # points after it, where they part
FADE = 7  # points over which one gives way to the other
FEWEST = 32  # samples that can be split at all
SPREAD_LOW, SPREAD_HIGH, SPREAD_SECOND = 2, 3, 4  # samples on either side, in differences
WEIGHT_LOW, WEIGHT_HIGH, WEIGHT_SECOND = 2.0, 6.0, 7.2
GRADES = (
    ("excellent", 0.1),
    ("very good", 0.2),
    ("good", 0.4),
    ("fair", 0.8),
    ("poor", 1.6),
    ("very poor", np.inf),
)


@dataclass(frozen=True)
class Grade:
    """Measures at every common abscissa ``x`` (n,), and their means; 0 is identity.

    ``grade`` is the word for the mean of the global one.

    ``difference`` is the first curve less the second.
    """

    x: Floats
    difference: Floats
    adm_at: Floats
    fdm_at: Floats
    gdm_at: Floats

    @property
    def adm(self) -> float:
        """Mean amplitude difference measure."""
        return float(self.adm_at.mean())

    @property
    def fdm(self) -> float:
        """Mean feature difference measure."""
        return float(self.fdm_at.mean())

    @property
    def gdm(self) -> float:
        """Mean global difference measure."""
        return float(self.gdm_at.mean())

    @property
    def grade(self) -> str:
        """The grade of the global measure."""
        return word(self.gdm)

    def histogram(self, values: Floats) -> dict[str, float]:
        """Share of the abscissae in each grade, for one of the point-wise measures: the confidence
        histogram.
        """
        words = [word(v) for v in values]
        return {name: words.count(name) / len(words) for name, _ in GRADES}


def word(value: float) -> str:
    """The grade of a measure."""
    return next(name for name, top in GRADES if value < top or top == np.inf)


def common(x1: Floats, y1: Floats, x2: Floats, y2: Floats) -> tuple[Floats, Floats, Floats]:
    """Both curves on evenly spaced abscissae of their overlap, as many as the denser one has there,
    by linear interpolation.

    :raises HeronError: no overlap, or too few samples in it.
    """
    first, second = (_ordered(x1, y1), _ordered(x2, y2))
    low, high = max(first[0][0], second[0][0]), min(first[0][-1], second[0][-1])
    if not high > low:
        raise HeronError(
            f"the curves do not overlap: one runs from {first[0][0]:g} to {first[0][-1]:g}, "
            f"the other from {second[0][0]:g} to {second[0][-1]:g}; are the units the same?"
        )
    counts = [int(((x >= low) & (x <= high)).sum()) for x, _ in (first, second)]
    if min(counts) < 2:
        raise HeronError(
            f"only {min(counts)} sample of one curve lies in the overlap, from {low:g} to {high:g}"
        )
    x = np.linspace(low, high, max(FEWEST, *counts))
    return x, np.interp(x, *first), np.interp(x, *second)


def _ordered(x: Floats, y: Floats) -> tuple[Floats, Floats]:
    x, y = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    if x.shape != y.shape or x.ndim != 1 or len(x) < 2:
        raise HeronError("a curve needs at least two pairs of numbers")
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        raise HeronError("a curve has a value that is not a finite number")
    order = np.argsort(x, kind="stable")
    if (np.diff(x[order]) == 0).any():
        raise HeronError(f"a curve has two values at {x[order][1:][np.diff(x[order]) == 0][0]:g}")
    return x[order], y[order]


def between(x: Floats, y: Floats, low: float | None, high: float | None) -> tuple[Floats, Floats]:
    """The finite part of a curve within limits; ``None`` is no limit."""
    keep = (
        np.isfinite(y)
        & (x >= (-np.inf if low is None else low))
        & (x <= (np.inf if high is None else high))
    )
    return x[keep], y[keep]


def compare(x1: Floats, y1: Floats, x2: Floats, y2: Floats) -> Grade:
    """Grades the difference of two curves; it does not matter which is first, nor in which unit
    both ordinates are.

    :raises HeronError: the curves cannot be laid over each other.
    """
    x, a, b = common(x1, y1, x2, y2)
    parts = [np.fft.rfft(v) for v in (a, b)]
    n = len(x)
    split = min(_split(p) for p in parts)
    low = np.clip((split + (FADE - 1) / 2 - np.arange(len(parts[0]))) / (FADE - 1), 0, 1)
    low[:OFFSET_POINTS] = 0
    high = 1 - low
    high[:OFFSET_POINTS] = 0
    offset = np.zeros(len(low))
    offset[:OFFSET_POINTS] = 1
    dc, lo, hi = ([np.fft.irfft(p * w, n) for p in parts] for w in (offset, low, high))

    scale = max(np.abs(v).max() for v in (a, b)) or 1.0
    alpha, chi = _relative(lo, 1.0, scale), _relative(dc, 1.0, scale)
    adm = np.abs(alpha) + np.abs(chi) * np.exp(np.abs(chi))
    slope_low, slope_high = (
        [_difference(v, s) for v in w] for w, s in ((lo, SPREAD_LOW), (hi, SPREAD_HIGH))
    )
    second = [_difference(v, SPREAD_SECOND) for v in slope_high]
    fdm = 2 * np.abs(
        _relative(slope_low, WEIGHT_LOW, scale)
        + _relative(slope_high, WEIGHT_HIGH, scale)
        + _relative(second, WEIGHT_SECOND, scale)
    )
    return Grade(x, a - b, adm, fdm, np.hypot(adm, fdm))


def _split(transform: NDArray[np.complex128]) -> int:
    """Where the trend ends: so many points after the place at which the sum of the rest has reached
    its share.
    """
    sums = np.cumsum(np.abs(transform[OFFSET_POINTS:]))
    return OFFSET_POINTS + int(np.searchsorted(sums, SHARE * sums[-1])) + BEYOND


def _relative(pair: list[Floats], weight: float, scale: float) -> Floats:
    """Difference of magnitudes over ``weight`` times their mean sum; 0 where both are nothing
    beside the curves themselves.
    """
    first, second = (np.abs(v) for v in pair)
    mean = float((first + second).mean())
    if mean <= 1e-12 * scale:
        return np.zeros_like(first)
    return np.asarray((first - second) / (weight * mean))


def _difference(v: Floats, spread: int) -> Floats:
    """Central differences over ``spread`` samples on either side, one-sided at the ends."""
    i = np.arange(len(v))
    return np.asarray(v[np.minimum(i + spread, len(v) - 1)] - v[np.maximum(i - spread, 0)])
