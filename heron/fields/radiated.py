"""Power that sources radiate, from their far field."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from heron.fields.source import FieldSource
from heron.quantities.constants import C0, ETA0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@lru_cache(maxsize=256)
def _gauss(count: int) -> tuple[Floats, Floats]:
    """Nodes and weights from −1 to 1, the same for most frequencies of a sweep."""
    return np.polynomial.legendre.leggauss(count)


def sphere_rule(radius: float, frequency: float, half: bool) -> tuple[Floats, Floats, Floats]:
    """θ, φ (d,) and weights (d,) of a product rule exact for the power pattern of a source within
    ``radius``.

    A field of size a has spherical harmonics up to about ka + 6 + 2 (ka)^(1/3) (Hansen, *Spherical
    Near-Field Antenna Measurements*, ch. 2, with a margin); its power twice that.
    """
    ka = 2 * np.pi * frequency / C0 * radius
    order = int(np.ceil(ka + 6 + 2 * np.cbrt(ka)))
    nodes, weights = _gauss(order + 1)
    if half:
        nodes, weights = 0.5 * (nodes + 1), 0.5 * weights
    count = 2 * order + 2
    phi = 2 * np.pi * np.arange(count) / count
    theta = np.arccos(nodes)
    return (
        np.repeat(theta, count),
        np.tile(phi, len(theta)),
        np.repeat(weights, count) * 2 * np.pi / count,
    )


def radiated_power(sources: FieldSource, half: bool, frequency: float) -> Complexes:
    """Hermitian form (P, P) in W of sources of P currents: aᴴ M a is the power radiated under
    incident waves a; above a ground plane into ``half`` of all directions. With its far field's
    phases from the middle of what radiates.
    """
    theta, phi, weight = sphere_rule(sources.reach()[1], frequency, half)
    field = sources.far_field(theta, phi, frequency)
    return np.asarray(np.einsum("pdc,d,qdc->pq", field.conj(), weight, field) / (2 * ETA0))
