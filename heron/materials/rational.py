"""Permittivity as a sum of poles, which is what a scheme in time needs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from heron.materials.media import Medium, Pole, best_fit
from heron.quantities.constants import EPS0

Complexes = NDArray[np.complex128]

CONSTANT_WITHIN = 0.01  # of a constant loss: what the relaxations that stand for it may be off by
MOST_RELAXATIONS = 8
# where they begin and end, over the ends of the band
FIRST_RELAXATIONS, LAST_RELAXATIONS = (0.5, 1.0, 1.5, 2.0, 3.0), (0.5, 1.0, 2.0, 3.0, 5.0)
RELAXATIONS = (2, 4, 6)
FEW_RELAXATIONS = (1, 2, 3, 4, 6)  # the same of a loss too large to be constant together with ε′
NARROWEST = 1.05  # top of a band over its bottom: a narrower one is fitted as this
LOSSLESS = 3e-4  # of |ε|: smaller losses are judged as if they were this
SAMPLED = 81  # frequencies over the band that what is no sum of poles is fitted at
BEYOND = 0.15  # of the band on either side, as far as a table goes
# of a rate: poles that would fall together, or on the axis, are moved apart or off by this
ALMOST = 1e-6
TABLE_FITS = (
    ("debye",),
    ("lorentz",),
    ("debye",) * 2,
    ("drude",),
    ("lorentz",) * 2,
    ("drude", "lorentz"),
    ("drude", "lorentz", "lorentz"),
    ("drude", "lorentz", "lorentz", "lorentz"),
)
COLE_FITS = (("debye",) * 2, ("debye",) * 3, ("debye",) * 4)


@dataclass(frozen=True)
class Rational:
    """ε(ω) = ``infinity`` + ``conductivity``/jωε0 + Σ c/(jω − a) + Σ w/(jω (jω − b)).

    Poles a in rad/s with their residues c, of a complex pair the one with Im a > 0, counted twice;
    ``currents`` are pairs (b, w) of free charges, b ≤ 0.
    """

    infinity: float
    conductivity: float
    poles: tuple[complex, ...] = ()
    residues: tuple[complex, ...] = ()
    currents: tuple[tuple[float, float], ...] = ()

    def epsilon(self, frequency: ArrayLike) -> Complexes:
        """Relative permittivity (n,) at frequencies (n,) Hz."""
        s = 2j * np.pi * np.atleast_1d(np.asarray(frequency, dtype=float))
        out = self.infinity + self.conductivity / (s * EPS0)
        for a, c in zip(self.poles, self.residues, strict=True):
            out = out + c / (s - a) + (np.conj(c) / (s - np.conj(a)) if a.imag else 0)
        for b, w in self.currents:
            out = out + w / (s * (s - b))
        return np.asarray(out)

    def loss(self, frequency: ArrayLike) -> Any:
        """Conductivity (n,) in S/m that takes as much power as the poles do, besides
        ``conductivity``.
        """
        f = np.atleast_1d(np.asarray(frequency, dtype=float))
        return -2 * np.pi * f * EPS0 * self.epsilon(f).imag - self.conductivity


def _terms(pole: Pole) -> list[tuple[complex, complex]]:
    """Poles with their residues, of bound charges."""
    if pole.kind == "debye":
        return [(complex(-1 / pole.time), complex(pole.strength / pole.time))]
    half = pole.gamma / 2
    square = pole.omega**2 - half**2
    if abs(square) < ALMOST * pole.omega**2:
        square = ALMOST * pole.omega**2
    top = pole.strength * pole.omega**2
    root = np.sqrt(complex(square))
    if square > 0:
        return [(complex(-half, root.real), top / (2j * root.real))]
    return [
        (complex(-half + sign * root.imag), complex(sign * top / (2 * root.imag)))
        for sign in (1, -1)
    ]


def exact(medium: Medium, centre: float) -> Rational:
    """A medium that is a sum of poles already; a constant loss tangent becomes the conductivity
    that it is at ``centre`` Hz.
    """
    sigma = (
        medium.conductivity + 2 * np.pi * centre * EPS0 * medium.permittivity * medium.loss_tangent
    )
    bound = [term for pole in medium.poles if pole.kind != "drude" for term in _terms(pole)]
    free = tuple((-pole.gamma, pole.omega**2) for pole in medium.poles if pole.kind == "drude")
    return Rational(
        medium.permittivity,
        float(sigma),
        tuple(a for a, _ in bound),
        tuple(c for _, c in bound),
        free,
    )


class Fit(NamedTuple):
    """A sum of poles in place of a medium, with the largest errors within the band: of ε relative
    to |ε|, and of its losses relative to themselves.
    """

    law: Rational
    error: float
    loss_error: float


@lru_cache(maxsize=256)
def rational(medium: Medium, low: float, high: float) -> Fit:
    """The sum of poles that a medium is, or that fits it between ``low`` and ``high`` Hz, passive
    in any case.
    """
    centre = 0.5 * (low + high)
    if not medium.table and not any(p.spread for p in medium.poles):
        lossless = exact(replace(medium, loss_tangent=0.0), centre)
        law, settled = _with_constant_loss(
            lossless, medium.permittivity * medium.loss_tangent, low, high
        )
        tries = [law]
        if not settled:
            inside = np.linspace(low, high, SAMPLED)
            tries += [_relaxing(inside, medium.epsilon(inside), n) for n in FEW_RELAXATIONS]
        return _best(tries, medium, low, high)
    reach = BEYOND * max(high - low, 0.05 * centre)
    least, most = max(low - reach, low / 2), high + reach
    if medium.table:
        least, most = max(least, medium.table[0][0]), min(most, medium.table[-1][0])
    at = np.linspace(least, most, SAMPLED) if most > least else np.full(SAMPLED, centre)
    tries = [
        exact(
            best_fit(at, medium.epsilon(at), TABLE_FITS if medium.table else COLE_FITS)[0], centre
        )
    ]
    tries += [_relaxing(at, medium.epsilon(at), n) for n in RELAXATIONS]
    return _best(tries, medium, low, high)


def _best(laws: list[Rational], medium: Medium, low: float, high: float) -> Fit:
    return min(
        (_judged(law, medium, low, high) for law in laws),
        key=lambda fit: max(fit.error, fit.loss_error),
    )


def _judged(law: Rational, medium: Medium, low: float, high: float) -> Fit:
    inside = np.linspace(low, high, SAMPLED)
    truth, found = medium.epsilon(inside), law.epsilon(inside)
    losses = np.maximum(-truth.imag, LOSSLESS * np.abs(truth))
    return Fit(
        law,
        float((np.abs(found - truth) / np.abs(truth)).max()),
        float((np.abs((found - truth).imag) / losses).max()),
    )


@lru_cache(maxsize=64)
def _constant(ratio: float) -> tuple[float, tuple[float, ...], tuple[float, ...]]:
    """What makes ε″ = 1 for ω from 1 to ``ratio``: s of s/ω, and the times and strengths of
    relaxations, few and passive.

    Lorentzians evenly spread on a logarithmic scale add up to a constant; strengths are the
    non-negative least-squares solution (Lawson and Hanson 1974).
    """
    from scipy.optimize import nnls

    omega = np.geomspace(1.0, ratio, SAMPLED)
    best: tuple[float, float, Any, Any] = (np.inf, 0.0, np.zeros(0), np.zeros(0))
    for n in range(MOST_RELAXATIONS + 1):
        for first in FIRST_RELAXATIONS if n > 1 else (1.0,):
            for last in LAST_RELAXATIONS if n else (1.0,):
                times = 1 / (
                    np.array([ratio * last]) if n == 1 else np.geomspace(first, ratio * last, n)[:n]
                )
                columns = np.column_stack(
                    [1 / omega, *(omega * t / (1 + (omega * t) ** 2) for t in times)]
                )
                x, _ = nnls(columns, np.ones(len(omega)))
                error = float(np.abs(columns @ x - 1).max())
                if error < best[0]:
                    best = error, float(x[0]), times, x[1:]
        if best[0] < CONSTANT_WITHIN:
            break
    some = best[3] > 0
    return best[1], tuple(best[2][some].tolist()), tuple(best[3][some].tolist())


def _with_constant_loss(
    law: Rational, loss: float, low: float, high: float
) -> tuple[Rational, bool]:
    """A law with ε″ = ``loss`` more from ``low`` to ``high`` Hz, and the same ε′ in the middle:
    causality makes it fall by 2/π ε″ for every factor of e.

    Whether ε′ is the same: what the relaxations raise it by can only be taken from ε∞ down to 1.
    """
    if loss <= 0:
        return law, True
    scale, (slope, times, strengths) = (
        2 * np.pi * low,
        _constant(round(max(high / low, NARROWEST), 6)),
    )
    poles = [complex(-scale / t) for t in times]
    residues = [complex(loss * x * scale / t) for t, x in zip(times, strengths, strict=True)]
    more = replace(
        law,
        conductivity=law.conductivity + loss * slope * scale * EPS0,
        poles=(*law.poles, *poles),
        residues=(*law.residues, *residues),
    )
    centre = 0.5 * (low + high)
    raised = float((more.epsilon(centre) - law.epsilon(centre)).real[0])
    least = min(law.infinity, 1.0)
    return replace(more, infinity=max(law.infinity - raised, least)), law.infinity - raised >= least


def _relaxing(frequency: Any, epsilon: Complexes, count: int) -> Rational:
    """A conductivity and relaxations at fixed times about the band, by non-negative least squares
    with losses weighed by themselves.
    """
    from scipy.optimize import nnls

    omega = 2 * np.pi * np.asarray(frequency)
    rates = np.geomspace(omega.min() / 2, omega.max() * 4, count)
    columns = np.column_stack(
        [
            np.ones(len(omega)),
            -1j * omega.min() / omega,
            *(1 / (1 + 1j * omega / rate) for rate in rates),
        ]
    )
    losses = 1 / np.maximum(-epsilon.imag, LOSSLESS * np.abs(epsilon))
    rows = np.vstack((columns.real / np.abs(epsilon)[:, None], columns.imag * losses[:, None]))
    x, _ = nnls(rows, np.concatenate(((epsilon.real - 1) / np.abs(epsilon), epsilon.imag * losses)))
    some = np.flatnonzero(x[2:] > 0)
    return Rational(
        1 + float(x[0]),
        float(x[1] * omega.min() * EPS0),
        tuple(complex(-rates[k]) for k in some),
        tuple(complex(x[2 + k] * rates[k]) for k in some),
    )
