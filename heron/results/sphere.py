"""A far field as a finite sum of waves round the sphere, from a few samples of it; then it is known
in every direction.

The field of a source within a radius a about its centre has spherical harmonics up to a little
above ka, so that each component, followed over the pole onto the other side, is a trigonometric
polynomial of that degree in θ and in φ: Hansen, *Spherical Near-Field Antenna Measurements*, IEE
1988, ch. 2 and 4. Samples on a grid of that fineness hold all of it.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

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
    ka = wave_number(frequency) * radius
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


def waves_of(samples: Complexes) -> Complexes:
    """Amplitudes (…, m, n, 2) of the waves e^(j(mθ + nφ)), in the order of a Fourier transform,
    that make up samples (…, θ, φ, 2) at :func:`nodes`.
    """
    half = samples.shape[-2] // 2
    # over the pole both unit vectors point the other way
    beyond = -np.roll(samples[..., -2:0:-1, :, :], half, axis=-2)
    double = np.concatenate((samples, beyond), axis=-3)
    return np.asarray(np.fft.fft2(double, axes=(-3, -2)) / (double.shape[-3] * double.shape[-2]))


def mesh_of(waves: Complexes, along: Complexes, around: Complexes) -> Complexes:
    """Sums (…, θ, φ, 2) of waves (…, m, n, 2) at all pairs of angles, from what :func:`turns` says
    of θ (…, θ, m) and of φ (…, φ, n).
    """
    *_, m, n, _ = waves.shape
    part = along @ waves.reshape(*waves.shape[:-3], m, 2 * n)
    return np.asarray(around[..., None, :, :] @ part.reshape(*part.shape[:-1], n, 2))


def turns(angles: Floats, count: int) -> Complexes:
    """Waves (…, count) round a circle at angles (…) in radians."""
    return np.asarray(np.exp(1j * angles[..., None] * np.fft.fftfreq(count, 1 / count)))


@dataclass(frozen=True)
class Sphere:
    """The far field r·E in V at one frequency: the amplitudes of its waves (m, n, 2), whose phase
    refers to ``centre`` (3,) m, with ``k`` in rad/m.
    """

    waves: Complexes
    centre: Floats
    k: float

    @property
    def order(self) -> int:
        """The degree that its samples hold."""
        return len(self.waves) // 2 - 1

    def at(self, theta: Floats, phi: Floats) -> Complexes:
        """(d, 2) V, θ and φ components, at directions (d,) in radians; the phase refers to the
        origin.
        """
        m, n, _ = self.waves.shape
        out = np.empty((len(theta), 2), dtype=complex)
        for start in range(0, len(theta), CHUNK):
            part = slice(start, start + CHUNK)
            along = turns(theta[part], m) @ self.waves.reshape(m, -1)
            round_ = turns(phi[part], n)
            out[part] = np.einsum("dnc,dn->dc", along.reshape(len(along), n, 2), round_)
        return out * self._shift(directions(theta, phi))[:, None]

    def mesh(self, theta: Floats, phi: Floats) -> Complexes:
        """(θ, φ, 2) V at all pairs of angles in radians."""
        m, n, _ = self.waves.shape
        out = mesh_of(self.waves, turns(theta, m), turns(phi, n))
        return np.asarray(out * self._shift(directions(theta[:, None], phi[None, :]))[..., None])

    def _shift(self, direction: Floats) -> Complexes:
        if not self.centre.any():
            return np.ones(direction.shape[:-1], dtype=complex)
        return np.asarray(np.exp(1j * self.k * (direction @ self.centre)))


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
        * np.exp(-1j * wave_number(frequency) * (directions(t, p) @ centre))[:, None]
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


def recorded(
    results: xr.Dataset, indices: Sequence[int], incident: Complexes | None = None
) -> list[Sphere | None]:
    """The far fields at sweep points under incident waves (P,), the dataset's drive by default;
    ``None`` for those that were not recorded.
    """
    out: list[Sphere | None] = [None] * len(indices)
    if "sphere_e" not in results:
        return out
    place = {int(i): n for n, i in enumerate(results.variables["sphere_index"].values)}
    known = [n for n, i in enumerate(indices) if i in place]
    if not known:
        return out
    a = results.variables["drive"].values if incident is None else incident
    kept = results.variables["sphere_e"].values[[place[indices[n]] for n in known]]
    waves = waves_of(np.einsum("p,ip...->i...", a, kept))
    centre = np.array(json.loads(results.attrs["sphere_centre"]))
    frequency = results.variables["frequency"].values
    for own, n in zip(waves, known, strict=True):
        out[n] = Sphere(own, centre, wave_number(float(frequency[indices[n]])))
    return out


def wave_number(frequency: float) -> float:
    """rad/m of free space at a frequency in Hz."""
    return 2 * np.pi * frequency / C0
