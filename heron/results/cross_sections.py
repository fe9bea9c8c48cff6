"""What a body does to a wave that illuminates it: radar cross-section, cross-sections of power.

Bohren and Huffman, ch. 3; Knott, *Radar Cross Section*, ch. 3.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron import fields
from heron.fields.layered import LOSSLESS, Stack, stack_of
from heron.fields.rays import rays_in
from heron.quantities.constants import C0, ETA0
from heron.results import sphere

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

# of the scattered amplitude where it meets the wave: what its phase and the end of the record
# leave, measured on conducting spheres of ka 0.2 to 1
OF_AMPLITUDE = 5e-3
OF_POWER = 1e-2  # of scattered and absorbed power, likewise


def layered(results: xr.Dataset) -> bool:
    """Whether layers go through an illuminated model; then the far field has no bounded degree, and
    a part of the power may stay in the layers.
    """
    return "layer_height" in results


def kept(results: xr.Dataset) -> bool:
    """Whether layers may keep power that is neither scattered nor absorbed by the model: they take
    it, or guide waves that no far field shows.
    """
    if not layered(results):
        return False
    epsilon = results["layer_epsilon"].values * results["layer_mu"].values
    lossy = bool((epsilon.imag < -LOSSLESS * np.abs(epsilon)).any())
    return lossy or bool(
        (epsilon[:, 1:-1].real > np.maximum(epsilon[:, 0], epsilon[:, -1]).real[:, None]).any()
    )


def _wave_number(results: xr.Dataset, stack: Stack, light: int) -> float:
    """rad/m in the medium that an illumination comes from."""
    return (
        2
        * np.pi
        * stack.frequency
        / C0
        * stack.outer(bool(results["travels"].values[light][2] > 0))[0]
    )


def beam_power(results: xr.Dataset, light: int = 0) -> Floats:
    """W (f,) of an illumination alone, with 1 V/m at its focus; infinite of a plane wave."""
    rays = rays_in(results, light)
    stacks = [stack_of(results, i) for i in range(results.sizes["frequency"])]
    return np.array(
        [
            rays.power(_wave_number(results, stack, light), _first(results, stack, light))
            for stack in stacks
        ]
    )


def power_of_waves(results: xr.Dataset, index: int) -> float:
    """W of all beams under the drive at a sweep point; infinite with a plane wave among them."""
    levels = np.abs(results["drive"].values) ** 2
    return float(sum(w * beam_power(results, n)[index] for n, w in enumerate(levels)))


def leakage(results: xr.Dataset) -> Floats:
    """The largest field (f,) round the box in dB of the incident one: of an empty run, its noise
    floor.
    """
    return np.asarray(20 * np.log10(np.maximum(results["outside_field"].values.max(axis=1), 1e-15)))


def illuminations(results: xr.Dataset) -> list[str]:
    """Their names."""
    return [str(n) for n in results["port_in"].values]


def back(results: xr.Dataset, light: int = 0) -> tuple[float, float]:
    """θ and φ in rad of the direction that an illumination comes from."""
    x, y, z = -results["travels"].values[light]
    on_axis = np.hypot(x, y) < 1e-9
    return float(np.arccos(np.clip(z, -1, 1))), 0.0 if on_axis else float(
        np.arctan2(y, x) % (2 * np.pi)
    )


def far_field(
    results: xr.Dataset, index: int, theta: Floats, phi: Floats, light: int = 0
) -> Complexes:
    """r·E (d, 2) in V, θ and φ components, that 1 V/m of an illumination alone scatters towards
    directions (d,) in rad at sweep point ``index``.
    """
    one = np.zeros(results.sizes["port_in"], dtype=complex)
    one[light] = 1
    (known,) = sphere.recorded(results, [index], one)
    f = float(results["frequency"].values[index])
    return (
        known.at(theta, phi)
        if known is not None
        else fields.source(results, index, one).far_field(theta, phi, f)[0]
    )


def cross_section(
    results: xr.Dataset, index: int, theta: Floats, phi: Floats, light: int = 0
) -> Floats:
    """Radar cross-section (d,) in m²: 4π r² times the power density scattered over that of the
    wave, each in its own medium.
    """
    theta, stack = np.asarray(theta), stack_of(results, index)
    media = np.where(np.cos(theta) < 0, stack.outer(True)[1], stack.outer(False)[1]) / _first(
        results, stack, light
    )
    return np.asarray(
        4
        * np.pi
        * media
        * (np.abs(far_field(results, index, theta, np.asarray(phi), light)) ** 2).sum(axis=1)
    )


def _first(results: xr.Dataset, stack: Stack, light: int) -> float:
    """Relative admittance of the medium that an illumination comes from."""
    return stack.outer(bool(results["travels"].values[light][2] > 0))[1]


def dbsm(area: Floats) -> Floats:
    """Areas in m² in dB of one square metre, floored at −300."""
    return np.asarray(10 * np.log10(np.maximum(area, 1e-30)))


def monostatic(results: xr.Dataset, light: int = 0) -> Floats:
    """Radar cross-section (f,) in m² back to where the wave comes from."""
    theta, phi = (np.array([v]) for v in back(results, light))
    return np.array(
        [cross_section(results, i, theta, phi, light)[0] for i in range(results.sizes["frequency"])]
    )


@dataclass(frozen=True)
class CrossSections:
    """Of power, (f,) in m²: what is scattered, what is absorbed, and what is taken from the wave;
    of what is scattered, that into the lowest layer; and what is taken by the optical theorem
    alone.
    """

    scattered: Floats
    absorbed: Floats
    extinction: Floats
    scattered_below: Floats
    theorem: Floats

    @property
    def balance(self) -> Floats:
        """(scattered + absorbed − extinction by the optical theorem)/extinction."""
        return np.asarray((self.scattered + self.absorbed - self.theorem) / self.extinction)


def cross_sections(results: xr.Dataset, light: int = 0) -> CrossSections:
    """Powers over the density of the wave, of a beam that at its focus.

    By the optical theorem, what is taken from it is missing where the scattered field meets the
    waves that leave without the scatterer, each −(4π/k) Im(E*·F) of the amplitude F in its
    direction, for exp(+jωt): what goes on, and over layers also what they reflect.

    Of what is small beside its wavelength that is the small difference of large numbers. So
    extinction is the mean of the theorem and of scattered + absorbed, each by one over the square
    of what it may be off: by a share of all of F, and of the powers. Where layers keep power it is
    the theorem alone.
    """
    rays, count = rays_in(results, light), results.sizes["frequency"]
    first, taken = np.empty(count), np.zeros(count, dtype=complex)
    for i, f in enumerate(results["frequency"].values):
        stack = stack_of(results, i)
        first[i] = _first(results, stack, light)
        level = rays.amplitudes(_wave_number(results, stack, light))
        for leaving in stack.leaving(rays.travels, rays.electric):
            amplitude = far_field(results, i, leaving.theta, leaving.phi, light)
            index = stack.outer(bool(leaving.theta[0] > np.pi / 2))[0]
            taken[i] -= (
                leaving.admittance
                / first[i]
                * 2
                * C0
                / (index * f)
                * ((level[leaving.of, None] * leaving.field).conj() * amplitude).sum()
            )
    area = 2 * ETA0 / first
    scattered, absorbed = (
        results[f"{what}_power"].values[:, light] * area for what in ("scattered", "absorbed")
    )
    below = (
        results["scattered_below"].values[:, light] * area if layered(results) else np.zeros(count)
    )
    extinction = taken.imag
    if not kept(results):
        power = scattered + absorbed
        by_theorem, by_power = (
            1 / np.maximum(off, 1e-150) ** 2
            for off in (OF_AMPLITUDE * np.abs(taken), OF_POWER * (scattered + np.abs(absorbed)))
        )
        extinction = (by_theorem * taken.imag + by_power * power) / (by_theorem + by_power)
    return CrossSections(scattered, absorbed, extinction, below, taken.imag)


def received(results: xr.Dataset, light: int = 0) -> Floats:
    """Areas (f, ports) in m² from which the wave's power reaches each port: the effective area in
    its direction, mismatch and polarisation included (IEEE Std 145; Balanis, *Antenna Theory*, ch.
    2.15).
    """
    density = np.array(
        [_first(results, stack_of(results, i), light) for i in range(results.sizes["frequency"])]
    ) / (2 * ETA0)
    return np.asarray(np.abs(results["s"].values[:, :, light]) ** 2 / 2 / density[:, None])


@dataclass(frozen=True)
class Shares:
    """Of a wave on a model that is repeated without end, (f,): power that is reflected,
    transmitted, absorbed, in all directions; and what goes straight, as E along that of the wave
    over it, complex, with phases at the origin.
    """

    reflectance: Floats
    transmittance: Floats
    absorptance: Floats
    reflection: Complexes
    transmission: Complexes

    @property
    def balance(self) -> Floats:
        """Their sum less one: nothing, but for errors."""
        return np.asarray(self.reflectance + self.transmittance + self.absorptance - 1)


def shares(results: xr.Dataset, light: int = 0) -> Shares:
    """Of one illumination alone."""
    electric = results["electric"].values[light]
    powers = [results[f"{what}_share"].values[:, light] for what in ("returned", "passed", "taken")]
    return Shares(
        powers[0],
        powers[1],
        powers[2],
        *(np.asarray(results[what].values[:, light] @ electric) for what in ("returned", "passed")),
    )


def around(
    results: xr.Dataset, index: int, phi_deg: float, step_deg: float, light: int = 0
) -> tuple[Floats, Floats]:
    """A cut all round in the plane at ``phi_deg``: angles (n,) from +z in degrees, 0 to 360
    inclusive, and the cross-section in m² there.
    """
    angle = np.linspace(0, 360, round(360 / step_deg) + 1)
    theta = np.radians(np.where(angle <= 180, angle, 360 - angle))
    phi = np.radians(np.where(angle <= 180, phi_deg, phi_deg + 180))
    return angle, cross_section(results, index, theta, phi, light)
