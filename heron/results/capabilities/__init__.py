"""What runs provide. ``CAPABILITIES`` is the registration, in the order in which they speak."""

from __future__ import annotations

import json

import xarray as xr

from heron.results.capabilities.cells import Cells
from heron.results.capabilities.characteristic_modes import CharacteristicModes
from heron.results.capabilities.contract import Capability, Headline, Judged, TrustItem
from heron.results.capabilities.far_field import FarField
from heron.results.capabilities.noise_floor import NoiseFloor
from heron.results.capabilities.ports import Ports
from heron.results.capabilities.power import Power
from heron.results.capabilities.scattering import Scattering

CAPABILITIES: dict[str, Capability] = {
    c.name: c
    for c in (
        NoiseFloor(),
        Ports(),
        Power(),
        FarField(),
        Scattering(),
        Cells(),
        CharacteristicModes(),
    )
}


def directional() -> tuple[str, ...]:
    """Quantities that take a direction, of all capabilities."""
    return tuple(name for c in CAPABILITIES.values() for name in c.directional)


def of_power() -> frozenset[str]:
    """Quantities whose decibels are those of powers."""
    return frozenset(name for c in CAPABILITIES.values() for name in c.powers)


def judged() -> dict[str, Judged]:
    """The errors that make grades, in the order in which they are listed."""
    return {name: own for c in CAPABILITIES.values() for name, own in c.judged.items()}


def in_space() -> tuple[str, ...]:
    """Names of capabilities that show something in all directions."""
    pairs = CAPABILITIES.items()
    return tuple(n for n, c in pairs if type(c).pattern is not Capability.pattern)


def provided(results: xr.Dataset) -> list[Capability]:
    """The capabilities of a run: those that its dataset names in the attribute ``provides``, a JSON
    list; of runs from before that, those that know their own.
    """
    if "provides" in results.attrs:
        names = set(json.loads(results.attrs["provides"]))
        return [c for name, c in CAPABILITIES.items() if name in names]
    return [c for c in CAPABILITIES.values() if c.in_older(results)]


def provides(results: xr.Dataset, name: str) -> bool:
    """Whether a run provides the capability of a name."""
    return any(c.name == name for c in provided(results))


def leading(results: xr.Dataset) -> list[Capability]:
    """Those that are judged and make the headline."""
    found = provided(results)
    return [c for c in found if c.alone] or found


__all__ = [
    "CAPABILITIES",
    "Capability",
    "Headline",
    "Judged",
    "TrustItem",
    "directional",
    "in_space",
    "judged",
    "leading",
    "of_power",
    "provided",
    "provides",
]
