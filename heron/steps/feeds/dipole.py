"""A point dipole as a feed."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.feeds.common import DRIVE, PortNumber, Source
from heron.steps.fields import Direction, Number, Point


class DipoleFeed(Source):
    """A point dipole at ``centre`` along a vector: a short electric current, or a magnetic one as
    of a small loop across that vector.

    Its port is matched where the dipole is alone: a wave of 1 W is then what it radiates, and S11
    is what its surroundings send back.
    """

    kind: Literal["dipole"]
    number: PortNumber
    centre: Point
    along: Direction = ("0", "0", "1")
    moment: Literal["electric", "magnetic"] = "electric"
    amplitude: Number = "1"
    phase: Number = "0"


KIND = Kind(
    "dipole",
    "feeds",
    DipoleFeed,
    "Point dipole",
    "port {number}¦at {centre} along {along}, {moment}" + DRIVE,
    (Entry("Feeds", "Point dipole", {"number": 1, "centre": ["0", "0", "0"]}),),
)
