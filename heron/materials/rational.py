"""Permittivity as a sum of poles, which is what a scheme in time needs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from heron.materials.media import Medium, Pole, best_fit
from heron.quantities.constants import EPS0

Complexes = NDArray[np.complex128]

SAMPLED = 81      # frequencies over the band that what is no sum of poles is fitted at
BEYOND = 0.15     # of the band on either side, as far as a table goes
ALMOST = 1e-6     # of a rate: poles that would fall together, or on the axis, are moved apart or off by this
TABLE_FITS = (("debye",), ("lorentz",), ("debye",) * 2, ("drude",), ("lorentz",) * 2, ("drude", "lorentz"), ("drude", "lorentz", "lorentz"),
              ("drude", "lorentz", "lorentz", "lorentz"))
COLE_FITS = (("debye",) * 2, ("debye",) * 3, ("debye",) * 4)


@dataclass(frozen=True)
class Rational:
    """ε(ω) = ``infinity`` + ``conductivity``/jωε0 + Σ c/(jω − a) + Σ w/(jω (jω − b)).

    Poles a in rad/s with their residues c, of a complex pair the one with Im a > 0, counted twice; ``currents`` are pairs (b, w) of free charges, b ≤ 0.
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
        """Conductivity (n,) in S/m that takes as much power as the poles do, besides ``conductivity``."""
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
    return [(complex(-half + sign * root.imag), complex(sign * top / (2 * root.imag))) for sign in (1, -1)]


def exact(medium: Medium, centre: float) -> Rational:
    """A medium that is a sum of poles already; a constant loss tangent becomes the conductivity that it is at ``centre`` Hz."""
    sigma = medium.conductivity + 2 * np.pi * centre * EPS0 * medium.permittivity * medium.loss_tangent
    bound = [term for pole in medium.poles if pole.kind != "drude" for term in _terms(pole)]
    free = tuple((-pole.gamma, pole.omega**2) for pole in medium.poles if pole.kind == "drude")
    return Rational(medium.permittivity, float(sigma), tuple(a for a, _ in bound), tuple(c for _, c in bound), free)


@lru_cache(maxsize=64)
def rational(medium: Medium, low: float, high: float) -> tuple[Rational, float]:
    """The sum of poles that a medium is, or that fits it between ``low`` and ``high`` Hz, passive in any case; and the largest error relative to |ε|."""
    centre = 0.5 * (low + high)
    if not medium.table and not any(p.spread for p in medium.poles):
        return exact(medium, centre), 0.0
    reach = BEYOND * max(high - low, 0.05 * centre)
    least, most = max(low - reach, low / 2), high + reach
    if medium.table:
        least, most = max(least, medium.table[0][0]), min(most, medium.table[-1][0])
    at = np.linspace(least, most, SAMPLED) if most > least else np.full(SAMPLED, centre)
    made = exact(best_fit(at, medium.epsilon(at), TABLE_FITS if medium.table else COLE_FITS)[0], centre)
    inside = np.linspace(low, high, SAMPLED)
    truth = medium.epsilon(inside)
    return made, float((np.abs(made.epsilon(inside) - truth) / np.abs(truth)).max())
