"""Surrogates: curves over parameters from solved variants, with a band that says how sure they are.

A Gaussian process with a linear trend over the variables, which all samples of the curve share
(Sacks, Welch, Mitchell and Wynn, *Statistical Science* 4, 1989): one kernel, one set of lengths,
found by the likelihood of the curve's main components. The band is what the process says of its
variance, widened until it covers what each variant is off when it is left out, and more of few
(their residuals in closed form: Dubrule, *Mathematical Geology* 15, 1983), and no narrower than
what single variants are off in the middle.

A narrow resonance that moves by more than its width between variants is known to the process only
by its poles, which move evenly. Complex curves over frequency are taken apart into a few poles and
what is left, into as many as predict variants best that are left out; all of it is a process over
the variables.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_factor, cho_solve
from scipy.optimize import minimize

from heron.errors import HeronError
from heron.studies.contract import Floats
from heron.studies.poles import curves_of, fitted

COVERS = 0.95
LEAST = 4  # variants
FEW = 16  # with so many the band is twice as wide as what they are off
COMPONENTS = 12  # of curves, by which lengths are found
SHORTEST, LONGEST = 0.1, 30.0  # lengths of the kernel, in ranges of the variables
NOISES = (1e-7, 1e-3)  # of the variance: what solves' own noise may be
STARTS = (0.7, 2.0, 6.0)
MOST_FITTED = 150  # variants, evenly taken: more make no better lengths
MOST_TRIED = 60  # variants by which the number of poles is chosen
SEED = 1868
MOST_POLES = 3
PER_POLE = 4  # samples of a curve at least


@dataclass(frozen=True)
class Surrogate:
    """Curves (f,) at points of variables: ``trend`` (1 + d, c) and ``weights`` (n, c) of kernels
    about ``points`` (n, d), of the variables over ``scale`` from ``low`` on and over ``lengths``.
    Of the columns the first 2 p + 2 are ``poles`` p with their residues, a constant and a slope
    over ``axis`` (f,), none where there are no poles; the others, f, are what is to be added.
    ``spread`` (f,) is the standard deviation where nothing is known, ``inverse`` (n, n) that of
    the kernel's matrix with its ``noise``, ``reach`` how many deviations the band is wide and
    ``least`` (f,) what it is at least. ``alone`` (n, f) are the variants' curves as the others
    predict them.
    """

    low: Floats
    scale: Floats
    lengths: Floats
    points: Floats
    trend: NDArray[Any]
    weights: NDArray[Any]
    spread: Floats
    inverse: Floats
    reach: float
    least: Floats
    noise: float
    poles: int
    axis: Floats
    alone: NDArray[Any]

    def __call__(self, points: Floats) -> tuple[NDArray[Any], Floats]:
        """Curves (m, f) at points (m, d), and half the width of the band about them (m, f)."""
        x = (np.atleast_2d(points) - self.low) / self.scale
        k = kernel(x / self.lengths, self.points / self.lengths)
        columns = np.column_stack([np.ones(len(x)), x]) @ self.trend + k @ self.weights
        left = np.maximum(1 + self.noise - np.einsum("mn,nk,mk->m", k, self.inverse, k), 0.0)
        band = self.reach * np.sqrt(left)[:, None] * self.spread
        return whole(columns, self.poles, self.axis), np.maximum(band, self.least)


def whole(columns: NDArray[Any], poles: int, axis: Floats) -> NDArray[Any]:
    """Curves (m, f) from columns (m, c): their poles, and what is to be added."""
    if poles == 0:
        return columns
    own = 2 * poles + 2
    return np.asarray(curves_of(columns[:, :own], axis) + columns[:, own:])


def kernel(a: Floats, b: Floats) -> Floats:
    """Gaussian kernels (m, n) between points over their lengths."""
    squares = np.sum((a[:, None, :] - b[None, :, :]) ** 2, axis=2)
    return np.asarray(np.exp(-0.5 * squares))


def surrogate(points: Floats, curves: NDArray[Any], x: Floats | None = None) -> Surrogate:
    """A surrogate of curves (n, f), real or complex, at points (n, d); complex ones over ``x`` (f,)
    are tried with poles.

    :raises HeronError: there are too few variants, or a variable has one value only.
    """
    points = np.asarray(points, dtype=float)
    n, d = points.shape
    if n < max(LEAST, d + 2):
        values = "one value" if d == 1 else f"{d} values"
        raise HeronError(f"dials of {values} need {max(LEAST, d + 2)} solved variants, not {n}")
    if (np.ptp(points, axis=0) == 0).any():
        raise HeronError("a dial needs a value that differs between variants")
    samples = curves.shape[1]
    axis, most = np.zeros(samples), 0
    if x is not None and samples > 1 and np.iscomplexobj(curves):
        axis = 2 * (x - x[0]) / (x[-1] - x[0]) - 1
        most = min(MOST_POLES, samples // PER_POLE)

    def with_poles(count: int, some: NDArray[np.int64]) -> Surrogate:
        own = [fitted(axis, curve, count) if count else np.zeros(0) for curve in curves[some]]
        return _of_columns(points[some], curves[some], np.array(own), axis)

    some = np.sort(np.random.default_rng(SEED).permutation(n)[:MOST_TRIED])
    found = [with_poles(count, some) for count in range(most + 1)]
    best = min(found, key=lambda s: float(np.sum(np.abs(s.alone - curves[some]) ** 2)))
    return best if len(some) == n else with_poles(best.poles, np.arange(n))


def _of_columns(
    points: Floats, curves: NDArray[Any], features: NDArray[Any], axis: Floats
) -> Surrogate:
    """A surrogate with given poles of the variants (n, 2 p + 2), or none (n, 0)."""
    n, d = points.shape
    poles = max(0, features.shape[1] // 2 - 1)
    rest = curves - curves_of(features, axis) if poles else curves
    columns = np.column_stack([features, rest]) if poles else rest
    low, scale = points.min(axis=0), np.ptp(points, axis=0)
    x = (points - low) / scale
    # poles of one size with the curves, so that lengths are found by what moves
    sizes = np.ones(columns.shape[1])
    sizes[: features.shape[1]] = np.maximum(features.std(axis=0), 1e-12)
    even = columns / sizes
    flat = np.column_stack([even.real, even.imag]) if np.iscomplexobj(even) else even
    lengths, noise = _lengths(x, np.asarray(flat, dtype=float))
    matrix = kernel(x / lengths, x / lengths) + noise * np.eye(n)
    factor = cho_factor(matrix, lower=True)
    inverse = np.asarray(cho_solve(factor, np.eye(n)))
    terms = np.column_stack([np.ones(n), x])
    gram = np.linalg.pinv(terms.T @ inverse @ terms)
    trend = gram @ (terms.T @ inverse @ columns)
    weights = inverse @ (columns - terms @ trend)
    # what is found of a variant when it is left out, of the process with its trend
    projected = inverse - inverse @ terms @ gram @ terms.T @ inverse
    alone = np.diag(projected)[:, None]
    predicted = whole(columns - (projected @ columns) / alone, poles, axis)
    residual = np.abs(curves - predicted)
    if poles:
        spread = np.sqrt(np.mean(residual**2 * alone, axis=0))
    else:
        squares = np.real(np.sum(np.conj(curves) * (projected @ curves), axis=0))
        spread = np.sqrt(np.maximum(squares, 0.0) / max(1, n - d - 1))
    floor = 1e-9 * max(float(np.abs(curves).max()), 1e-30)
    reach = _covering(residual / np.maximum(spread * np.sqrt(1 / alone), floor))
    least = np.median(residual, axis=0)
    return Surrogate(
        low,
        scale,
        lengths,
        x,
        trend,
        weights,
        spread,
        inverse,
        reach,
        least,
        float(noise),
        poles,
        axis,
        predicted,
    )


def _covering(ratio: Floats) -> float:
    """How many deviations cover the whole curves of that share of variants, and more of few: where
    nothing was solved it is off by more than a variant that others surround.
    """
    each = np.sort(ratio.max(axis=1))
    place = min(len(each) - 1, int(np.ceil(COVERS * (len(each) + 1))) - 1)
    return float(max(each[place], 1.0)) * (1 + FEW / len(each))


def _lengths(x: Floats, curves: Floats) -> tuple[Floats, float]:
    """Lengths (d,) of the kernel and the noise, by the likelihood of the main components."""
    n, d = x.shape
    if n > MOST_FITTED:
        some = np.linspace(0, n - 1, MOST_FITTED).astype(int)
        x, curves, n = x[some], curves[some], MOST_FITTED
    terms = np.column_stack([np.ones(n), x])
    centred = curves - terms @ np.linalg.lstsq(terms, curves, rcond=None)[0]
    u, s, _ = np.linalg.svd(centred, full_matrices=False)
    kept = max(1, int(np.sum(s[:COMPONENTS] > 1e-6 * s[0]))) if s[0] > 0 else 1
    main, weight = u[:, :kept], s[:kept] ** 2 / max(float(np.sum(s[:kept] ** 2)), 1e-300)

    def cost(logs: Floats) -> float:
        lengths, noise = np.exp(logs[:d]), np.exp(logs[d])
        scaled = x / lengths
        matrix = kernel(scaled, scaled) + noise * np.eye(n)
        try:
            factor = cho_factor(matrix, lower=True)
        except np.linalg.LinAlgError:
            return 1e10
        solved = cho_solve(factor, np.column_stack([main, terms]))
        own, of_terms = solved[:, :kept], solved[:, kept:]
        gram = np.linalg.pinv(terms.T @ of_terms)
        left = np.sum(main * own, axis=0) - np.sum(
            (of_terms.T @ main) * (gram @ (of_terms.T @ main)), axis=0
        )
        log_det = 2 * np.sum(np.log(np.diag(factor[0])))
        fit = np.sum(weight * np.log(np.maximum(left, 1e-300)))
        return float(n * fit + log_det)

    bounds = [(np.log(SHORTEST), np.log(LONGEST))] * d + [tuple(np.log(NOISES))]
    best = min(
        (
            minimize(
                cost,
                np.array([np.log(start)] * d + [np.log(1e-8)]),
                method="L-BFGS-B",
                bounds=bounds,
            )
            for start in STARTS
        ),
        key=lambda found: float(found.fun),
    )
    return np.exp(best.x[:d]), float(np.exp(best.x[d]))
