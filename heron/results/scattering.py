"""What a body does to a wave that lights it: radar cross-section, cross-sections of power. Bohren and Huffman, ch. 3; Knott, *Radar Cross Section*, ch. 3."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.engines import ENGINES
from heron.quantities.constants import C0, ETA0
from heron.results import sphere

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


Kind = Literal["driven", "lit", "layered", "empty"]


def kind(results: xr.Dataset) -> Kind:
    """Driven by feeds; lit by waves, in open space or over layers (then there is no far field yet); or empty, for the noise floor."""
    attrs = results.attrs
    return "driven" if not attrs.get("lit", 0) else "empty" if attrs["empty"] else "layered" if attrs["layered"] else "lit"


def lit(results: xr.Dataset) -> bool:
    """Whether waves light the model, rather than feeds drive it."""
    return kind(results) != "driven"


def layered(results: xr.Dataset) -> bool:
    """Whether layers lie under a lit model; then there is no far field yet, and nothing that follows from it."""
    return lit(results) and bool(results.attrs["layered"])


def leakage(results: xr.Dataset) -> Floats:
    """The largest field (f,) round the box in dB of the incident one: of an empty run, its noise floor."""
    return np.asarray(20 * np.log10(np.maximum(results["outside_field"].values.max(axis=1), 1e-15)))


def illuminations(results: xr.Dataset) -> list[str]:
    return [str(n) for n in results["port_in"].values]


def back(results: xr.Dataset, light: int = 0) -> tuple[float, float]:
    """θ and φ in rad of the direction that an illumination comes from."""
    x, y, z = -results["travels"].values[light]
    on_axis = np.hypot(x, y) < 1e-9
    return float(np.arccos(np.clip(z, -1, 1))), 0.0 if on_axis else float(np.arctan2(y, x) % (2 * np.pi))


def far_field(results: xr.Dataset, index: int, theta: Floats, phi: Floats, light: int = 0) -> Complexes:
    """r·E (d, 2) in V, θ and φ components, that 1 V/m of an illumination alone scatters towards directions (d,) in rad at sweep point ``index``."""
    one = np.zeros(results.sizes["port_in"], dtype=complex)
    one[light] = 1
    known = sphere.recorded(results, index, one)
    f = float(results["frequency"].values[index])
    return known.at(theta, phi) if known is not None else ENGINES[results.attrs["engine"]].fields(results, index, one).far_field(theta, phi, f)[0]


def cross_section(results: xr.Dataset, index: int, theta: Floats, phi: Floats, light: int = 0) -> Floats:
    """Radar cross-section (d,) in m²: 4π r² |Es|²/|Ei|²."""
    return np.asarray(4 * np.pi * (np.abs(far_field(results, index, np.asarray(theta), np.asarray(phi), light)) ** 2).sum(axis=1))


def dbsm(area: Floats) -> Floats:
    """Areas in m² in dB of one square metre, floored at −300."""
    return np.asarray(10 * np.log10(np.maximum(area, 1e-30)))


def monostatic(results: xr.Dataset, light: int = 0) -> Floats:
    """Radar cross-section (f,) in m² back to where the wave comes from."""
    theta, phi = (np.array([v]) for v in back(results, light))
    return np.array([cross_section(results, i, theta, phi, light)[0] for i in range(results.sizes["frequency"])])


@dataclass(frozen=True)
class CrossSections:
    """Of power, (f,) in m²: what is scattered, what is absorbed, and what is taken from the wave, by the optical theorem."""

    scattered: Floats
    absorbed: Floats
    extinction: Floats

    @property
    def balance(self) -> Floats:
        """(scattered + absorbed − extinction)/extinction."""
        return np.asarray((self.scattered + self.absorbed - self.extinction) / self.extinction)


def cross_sections(results: xr.Dataset, light: int = 0) -> CrossSections:
    """Powers over the density 1/2η of the wave; extinction is −(4π/k) Im(e*·F) of the forward amplitude F, for exp(+jωt). Over layers only what is absorbed."""
    density = 1 / (2 * ETA0)
    absorbed = results["absorbed_power"].values[:, light] / density
    if layered(results):
        return CrossSections(np.full_like(absorbed, np.nan), absorbed, np.full_like(absorbed, np.nan))
    travels, electric = results["travels"].values[light], results["electric"].values[light]
    theta, phi = float(np.arccos(np.clip(travels[2], -1, 1))), float(np.arctan2(travels[1], travels[0]))
    unit = np.array([[np.cos(theta) * np.cos(phi), np.cos(theta) * np.sin(phi), -np.sin(theta)], [-np.sin(phi), np.cos(phi), 0.0]])
    frequency = results["frequency"].values
    forward = np.array([far_field(results, i, np.array([theta]), np.array([phi]), light)[0] for i in range(len(frequency))])
    extinction = -2 * C0 / frequency * (forward @ (unit @ electric)).imag
    return CrossSections(results["scattered_power"].values[:, light] / density, absorbed, np.asarray(extinction))


def around(results: xr.Dataset, index: int, phi_deg: float, step_deg: float, light: int = 0) -> tuple[Floats, Floats]:
    """A cut all round in the plane at ``phi_deg``: angles (n,) from +z in degrees, 0 to 360 inclusive, and the cross-section in m² there."""
    angle = np.linspace(0, 360, round(360 / step_deg) + 1)
    theta = np.radians(np.where(angle <= 180, angle, 360 - angle))
    phi = np.radians(np.where(angle <= 180, phi_deg, phi_deg + 180))
    return angle, cross_section(results, index, theta, phi, light)
