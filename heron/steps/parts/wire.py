"""A straight wire."""

from __future__ import annotations

from typing import Any, Literal

from heron.shapes.curves import Path, straight
from heron.steps.contract import Entry, Shorthand, WireKind
from heron.steps.fields import Point
from heron.steps.parts.common import HERE, WIRE_END, WireStep


class Wire(WireStep):
    """A straight wire."""

    kind: Literal["wire"]
    start: Point
    end: Point


def path(step: Any) -> Path:
    return Path((straight(step.start, step.end, ("end",)),))


KIND = WireKind(
    "wire",
    "parts",
    Wire,
    "Wire",
    "{name} from {start} to {end}" + WIRE_END,
    (
        Entry(
            "Wires",
            "Wire",
            {"name": "wire", "start": HERE, "end": ["0", "0", "100 mm"], "radius": "1 mm"},
        ),
    ),
    (Shorthand("wire", "from (0, 0, 0) to (0, 0, 80 mm), radius 1 mm"),),
    path=path,
    ends=lambda step: (("start",), ("end",)),
)
