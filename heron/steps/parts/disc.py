"""A round sheet."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, Axis, BodyStep


class Disc(BodyStep):
    """A round sheet across ``axis``; ``inner`` above zero makes a ring."""

    kind: Literal["disc"]
    centre: Point = ORIGIN
    radius: Length
    inner: Length = "0"
    axis: Axis = "z"


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "radius")
    exact.hollow(step)
    return exact.disc(step.centre, step.axis, step.radius, step.inner, unit)


def top(step: Any) -> str | None:
    return str(step.centre[2]) if step.axis == "z" else None


KIND = BodyKind(
    "disc",
    "parts",
    Disc,
    "Disc",
    "{name} about {centre}, radius {radius}[, inner radius {inner}], across {axis}" + BODY_END,
    (
        Entry(
            "Sheets",
            "Disc or ring",
            {
                "name": "disc",
                "centre": ["0", "0", "0"],
                "radius": "20 mm",
                "inner": "0",
                "axis": "z",
                "material": "copper",
            },
        ),
    ),
    (
        Shorthand("disc", "radius 10 mm", ("radius",)),
        Shorthand("ring", "radius 10 mm, inner radius 5 mm", ("radius", "inner")),
    ),
    sheet=True,
    top=top,
    shape=shape,
)
