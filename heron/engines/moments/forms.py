"""Power that currents radiate over a band, from few frequencies."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import BarycentricInterpolator

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FIRST = 5  # Chebyshev's nodes at first; then two intervals for each
ENOUGH = 1e-7  # of the powers of the currents themselves: what the last nodes may differ by


def radiated_forms(
    radiated: Callable[[Complexes, float], Complexes],
    frequency: Floats,
    weights: Complexes,
    samples: Complexes,
) -> Complexes:
    """Hermitian forms (f, P, P) in W of currents that are, at each of the frequencies (f,) in Hz in
    rising order, sums by ``weights`` (f, S) of ``samples`` (S, P, …); ``radiated`` gives the form
    (k, k) of currents (k, …) at a frequency.

    What two given currents radiate together is an entire function of the frequency,
    ∫∫ J₁*·J₂ sin(kR)/(kR) and the like: it is interpolated from as many of Chebyshev's nodes as
    predict the next ones. Where that takes more than every frequency by itself, each is worked out.
    """
    given = samples.reshape(-1, *samples.shape[2:])
    count, ports = samples.shape[:2]
    most = len(frequency) // 2
    if most < FIRST * 2:
        return _each(radiated, frequency, weights, samples)
    middle, half = (frequency[-1] + frequency[0]) / 2, (frequency[-1] - frequency[0]) / 2

    def at(nodes: Floats) -> Complexes:
        return np.array([radiated(given, float(middle + half * x)) for x in nodes])

    nodes = np.cos(np.pi * np.arange(FIRST) / (FIRST - 1))
    found = BarycentricInterpolator(nodes, at(nodes))
    while True:
        intervals = 2 * (len(found.xi) - 1)
        if intervals > most:
            return _each(radiated, frequency, weights, samples)
        new = np.cos(np.pi * np.arange(1, intervals, 2) / intervals)
        true, predicted = at(new), found(new)
        own = np.sqrt(np.abs(np.diagonal(true, axis1=1, axis2=2)))
        scale = np.maximum(own[:, :, None] * own[:, None, :], 1e-300)
        found.add_xi(new, true)
        if (np.abs(true - predicted) / scale).max() < ENOUGH:
            break
    forms = found((frequency - middle) / half).reshape(-1, count, ports, count, ports)
    return np.asarray(np.einsum("fs,fspuq,fu->fpq", weights.conj(), forms, weights, optimize=True))


def _each(
    radiated: Callable[[Complexes, float], Complexes],
    frequency: Floats,
    weights: Complexes,
    samples: Complexes,
) -> Complexes:
    return np.array(
        [
            radiated(np.tensordot(w, samples, axes=1), float(f))
            for f, w in zip(frequency, weights, strict=True)
        ]
    )
