"""A far field as a finite sum of waves round the sphere, from a few samples of it; then it is known
in every direction.

The field of a source within a radius a about its centre has spherical harmonics up to a little
above ka, so that each component, followed over the pole onto the other side, is a trigonometric
polynomial of that degree in θ and in φ: Hansen, *Spherical Near-Field Antenna Measurements*, IEE
1988, ch. 2 and 4. Samples on a grid of that fineness hold all of it.
"""

from __future__ import annotations

import json
from functools import lru_cache

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron import fields
from heron.quantities.constants import C0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

CHUNK = 20_000  # directions evaluated at a time


def degree(radius: float, frequency: float) -> int:
    """The highest degree that counts (below 1e-4 of the peak is left out) for a source within
    ``radius`` m, at a frequency in Hz.
    """
    ka = 2 * np.pi * frequency / C0 * radius
    return int(np.ceil(ka + 3 * np.cbrt(ka) + 6))


def nodes(order: int) -> tuple[Floats, Floats]:
    """θ (order + 2,) from 0 to π and φ (2 order + 2,) below 2π, in radians: where a field of that
    degree is sampled.
    """
    return np.pi * np.arange(order + 2) / (order + 1), np.pi * np.arange(2 * order + 2) / (
        order + 1
    )


def directions(theta: Floats, phi: Floats) -> Floats:
    """Unit vectors (…, 3)."""
    st = np.sin(theta)
    return np.stack(
        (st * np.cos(phi), st * np.sin(phi), np.cos(theta) * np.ones_like(phi)), axis=-1
    )


class Sphere:
    """The far field r·E in V at one frequency in Hz, from samples (θ, φ, 2) at :func:`nodes`, whose
    phase refers to ``centre`` (3,) m.
    """

    def __init__(self, samples: Complexes, centre: Floats, frequency: float) -> None:
        half = samples.shape[1] // 2
        # over the pole both unit vectors point the other way
        beyond = -np.roll(samples[-2:0:-1], half, axis=1)
        double = np.concatenate((samples, beyond))
        self.waves = np.fft.fft2(double, axes=(0, 1)) / (double.shape[0] * double.shape[1])
        self.m, self.n = (np.fft.fftfreq(count, 1 / count) for count in double.shape[:2])
        self.centre, self.k = centre, 2 * np.pi * frequency / C0

    @property
    def order(self) -> int:
        """The degree that its samples hold."""
        return len(self.m) // 2 - 1

    def at(self, theta: Floats, phi: Floats) -> Complexes:
        """(d, 2) V, θ and φ components, at directions (d,) in radians; the phase refers to the
        origin.
        """
        out = np.empty((len(theta), 2), dtype=complex)
        for start in range(0, len(theta), CHUNK):
            part = slice(start, start + CHUNK)
            along = np.exp(1j * np.outer(theta[part], self.m)) @ self.waves.reshape(len(self.m), -1)
            round_ = np.exp(1j * np.outer(phi[part], self.n))
            out[part] = np.einsum("dnc,dn->dc", along.reshape(len(along), len(self.n), 2), round_)
        return out * self._shift(directions(theta, phi))[:, None]

    def mesh(self, theta: Floats, phi: Floats, phased: bool = True) -> Complexes:
        """(θ, φ, 2) V at all pairs of angles in radians; without the phase of its centre where only
        magnitudes are asked for.
        """
        along = _turns(theta.tobytes(), len(self.m)) @ self.waves.reshape(len(self.m), -1)
        around = _turns(phi.tobytes(), len(self.n))
        out = around @ along.reshape(len(theta), len(self.n), 2)  # (θ, φ, 2)
        if not phased:
            return np.asarray(out)
        return np.asarray(out * self._shift(directions(theta[:, None], phi[None, :]))[..., None])

    def _shift(self, direction: Floats) -> Complexes:
        if not self.centre.any():
            return np.ones(direction.shape[:-1], dtype=complex)
        return np.asarray(np.exp(1j * self.k * (direction @ self.centre)))


@lru_cache(maxsize=64)
def _turns(angles: bytes, count: int) -> Complexes:
    """Waves (angles, count) round a circle: the same for most frequencies of a sweep."""
    return np.asarray(
        np.exp(1j * np.outer(np.frombuffer(angles), np.fft.fftfreq(count, 1 / count)))
    )


def sampled(
    source: fields.FieldSource, frequency: float, order: int | None = None
) -> tuple[Complexes, Floats]:
    """Samples (θ, φ, 2) of a source at :func:`nodes` of its own degree, or a given one, with the
    centre (3,) that their phase refers to.
    """
    centre, radius = source.reach()
    theta, phi = nodes(degree(radius, frequency) if order is None else order)
    t, p = np.repeat(theta, len(phi)), np.tile(phi, len(theta))
    field = (
        source.far_field(t, p, frequency)[0]
        * np.exp(-2j * np.pi * frequency / C0 * (directions(t, p) @ centre))[:, None]
    )
    return field.reshape(len(theta), len(phi), 2), centre


def record(results: xr.Dataset, indices: list[int]) -> xr.Dataset:
    """The dataset with the far field of each port at sweep points ``indices``: ``sphere_e`` (point,
    port, θ, φ, 2), V for 1 √W into the port.
    """
    count = results["drive"].size
    frequency = results["frequency"].values
    ones = np.eye(count, dtype=complex)
    _, radius = fields.source(results, indices[0], ones[0]).reach()
    order = degree(radius, float(frequency[indices].max()))
    taken = [
        [
            sampled(fields.source(results, i, ones[p]), float(frequency[i]), order)
            for p in range(count)
        ]
        for i in indices
    ]
    samples = np.array([[field for field, _ in row] for row in taken]).astype(np.complex64)
    return results.assign(
        sphere_e=(
            (
                "sphere_point",
                results["drive"].dims[0],
                "sphere_theta",
                "sphere_phi",
                "polarisation",
            ),
            samples,
            {"units": "V", "long_name": "r E, peak"},
        ),
        sphere_index=("sphere_point", np.asarray(indices)),
    ).assign_attrs(sphere_centre=json.dumps(taken[0][0][1].tolist()))


def recorded(results: xr.Dataset, index: int, incident: Complexes | None = None) -> Sphere | None:
    """The far field at a sweep point under incident waves (P,), the dataset's drive by default;
    ``None`` if it was not recorded there.
    """
    if "sphere_e" not in results:
        return None
    place = np.flatnonzero(results.variables["sphere_index"].values == index)
    if not len(place):
        return None
    a = results.variables["drive"].values if incident is None else incident
    samples = np.einsum("p,p...->...", a, results.variables["sphere_e"].values[place[0]])
    return Sphere(
        samples.astype(complex),
        np.array(json.loads(results.attrs["sphere_centre"])),
        float(results.variables["frequency"].values[index]),
    )
