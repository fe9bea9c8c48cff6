"""A load across a gap of a wire: R, L and C side by side."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Capacitance, Commented, Inductance, Name, Number, Resistance


class ParallelLoad(Commented):
    """R, L and C side by side across a gap of the wire's diameter, at the fraction ``at`` of a
    part's length; what is not given is not there.
    """

    kind: Literal["parallel"]
    name: Name
    part: str
    at: Number = "0.5"
    resistance: Resistance | None = None
    inductance: Inductance | None = None
    capacitance: Capacitance | None = None


KIND = Kind(
    "parallel",
    "loads",
    ParallelLoad,
    "Parallel load",
    "{name} on {part:wire}¦at {at}"
    "[, R {resistance|none}][, L {inductance|none}][, C {capacitance|none}]",
    (
        Entry(
            "Feeds",
            "Parallel load",
            {"name": "load", "part": "", "at": "0.5", "inductance": "10 nH", "capacitance": "1 pF"},
        ),
    ),
)
