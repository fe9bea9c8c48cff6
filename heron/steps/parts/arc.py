"""A wire along part of a circle."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.shapes.curves import Path, Spiral, bend_of
from heron.steps.contract import Entry, WireKind
from heron.steps.fields import Length, Number, Point
from heron.steps.parts.common import FULL, ORIGIN, WIRE_END, OneTurn, WireStep


class Arc(WireStep):
    """Part of a circle about ``centre`` in the frame's x-y plane, angles from +x towards +y; 2π
    closes it.
    """

    kind: Literal["arc"]
    centre: Point = ORIGIN
    bend: Length
    from_angle: Number = "0"
    to_angle: Number = OneTurn


def path(step: Any) -> Path:
    bend = bend_of(step)
    span = step.to_angle - step.from_angle
    if span == 0 or abs(span) > FULL * (1 + 1e-9):
        raise ModelError("an arc spans more than 0 and at most one turn (2*pi)", ("to_angle",))
    return Path((Spiral(step.centre, bend, step.from_angle, step.to_angle),))


KIND = WireKind(
    "arc",
    "parts",
    Arc,
    "Arc",
    "{name} about {centre}, arc radius {bend}[, from angle {from_angle} to {to_angle}]" + WIRE_END,
    (Entry("Wires", "Arc or circle", {"name": "arc", "bend": "50 mm", "radius": "1 mm"}),),
    path=path,
)
