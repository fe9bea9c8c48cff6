"""A plane wave."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind, Shorthand
from heron.steps.feeds.common import DRIVE, Source
from heron.steps.fields import Direction, FieldStrength, Name, Number


class PlaneWave(Source):
    """A plane wave that travels along a vector; its electric field lies along another (of which the
    part across the first counts), of that peak value at the origin.
    """

    kind: Literal["plane_wave"] = "plane_wave"
    name: Name
    travels: Direction = ("0", "0", "1")
    electric: Direction = ("1", "0", "0")
    amplitude: FieldStrength = "1 V/m"
    phase: Number = "0"


KIND = Kind(
    "plane_wave",
    "illuminations",
    PlaneWave,
    "Plane wave",
    "{name} along {travels}, electric field along {electric}" + DRIVE,
    (
        Entry(
            "Feeds",
            "Plane wave",
            {"name": "wave", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"]},
        ),
    ),
    (
        Shorthand(
            "wave", "along −z, E along x", sentence="{name} along {travels}, E along {electric}"
        ),
    ),
)
