"""Power that currents radiate over a band, from few frequencies."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.fft import dct

from heron.engines.rational import Rational

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FIRST = 8  # intervals between Chebyshev's nodes at first; then two for each
LAST = 2  # coefficients
ENOUGH = 1e-8  # of the powers of the currents themselves: what the last coefficients are


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
    ∫∫ J₁*·J₂ sin(kR)/(kR) and the like: it is interpolated between Chebyshev's nodes, as many
    as it takes until his last coefficients are nothing (Trefethen, *Approximation Theory and
    Approximation Practice*, ch. 4). Where half of the frequencies do not do, each is worked out.
    """
    given = samples.reshape(-1, *samples.shape[2:])
    count, ports = samples.shape[:2]
    most = len(frequency) // 2
    if most < FIRST:
        return _each(radiated, frequency, weights, samples)
    middle, half = (frequency[-1] + frequency[0]) / 2, (frequency[-1] - frequency[0]) / 2

    def at(nodes: Floats) -> Complexes:
        return np.array([radiated(given, float(middle + half * x)) for x in nodes])

    intervals = FIRST
    nodes = np.cos(np.pi * np.arange(intervals + 1) / intervals)
    values = at(nodes)
    while not _enough(values):
        intervals *= 2
        if intervals > most:
            return _each(radiated, frequency, weights, samples)
        nodes = np.cos(np.pi * np.arange(intervals + 1) / intervals)
        finer = np.empty((len(nodes), *values.shape[1:]), dtype=complex)
        finer[::2], finer[1::2] = values, at(nodes[1::2])
        values = finer
    signs = (-1.0) ** np.arange(len(nodes)) * np.where(np.abs(nodes) == 1, 0.5, 1)
    between = Rational(np.arange(len(nodes)), nodes, signs.astype(complex))
    rows = between.matrix((frequency - middle) / half)
    forms = np.tensordot(rows, values, axes=1).reshape(-1, count, ports, count, ports)
    return np.asarray(np.einsum("fs,fspuq,fu->fpq", weights.conj(), forms, weights, optimize=True))


def _enough(values: Complexes) -> bool:
    """Whether the last of Chebyshev's coefficients of forms (n, k, k) at his nodes are nothing."""
    last = np.abs(dct(values, type=1, axis=0)[-LAST:] / (len(values) - 1))
    own = np.sqrt(np.abs(np.diagonal(values, axis1=1, axis2=2)).max(axis=0))
    return bool((last / np.maximum(np.outer(own, own), 1e-300)).max() < ENOUGH)


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
