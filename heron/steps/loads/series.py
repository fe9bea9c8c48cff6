"""A load across a gap of a wire: R, L and C in series."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Capacitance, Commented, Inductance, Name, Number, Resistance


class SeriesLoad(Commented):
    """R, L and C in series across a gap of the wire's diameter, at the fraction ``at`` of a part's
    length.
    """

    kind: Literal["series"] = "series"
    name: Name
    part: str
    at: Number = "0.5"
    resistance: Resistance = "0 ohm"
    inductance: Inductance = "0 nH"
    capacitance: Capacitance | None = None


KIND = Kind(
    "series",
    "loads",
    SeriesLoad,
    "Series load",
    "{name} on {part:wire}¦at {at}"
    "[, R {resistance|none}][, L {inductance|none}][, C {capacitance|none}]",
    (Entry("Feeds", "Load", {"name": "load", "part": "", "at": "0.5", "resistance": "50 ohm"}),),
)
