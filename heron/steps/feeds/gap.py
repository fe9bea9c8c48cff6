"""A gap feed on a wire."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.feeds.common import DRIVE, PortNumber, Source
from heron.steps.fields import Capacitance, Inductance, Length, Number, Resistance


class GapFeed(Source):
    """A gap feed on a wire part, at the fraction ``at`` of its length.

    The gap's field is uniform over ``width`` (default: the wire's diameter). The source behind the
    reference impedance offers ``amplitude``² watts; amplitude 0 only terminates. Between the port
    and the gap there may be R, L and C, in ``series`` with each other and the gap, or all
    ``parallel`` to it.
    """

    kind: Literal["gap"] = "gap"
    number: PortNumber
    part: str
    at: Number = "0.5"
    width: Length | None = None
    impedance: Resistance = "50 ohm"
    amplitude: Number = "1"
    phase: Number = "0"
    network: Literal["none", "series", "parallel"] = "none"
    resistance: Resistance | None = None
    inductance: Inductance | None = None
    capacitance: Capacitance | None = None


KIND = Kind(
    "gap",
    "feeds",
    GapFeed,
    "Gap feed",
    "port {number}¦on {part:wire}¦at {at}, {impedance}[, width {width|the wire’s diameter}]"
    "[, network {network}: R {resistance|none}, L {inductance|none}, C {capacitance|none}]" + DRIVE,
    (Entry("Feeds", "Gap feed", {"number": 1, "part": "", "at": "0.5"}),),
)
