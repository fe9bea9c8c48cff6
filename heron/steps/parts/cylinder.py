"""A cylinder or tube."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, Axis, BodyStep


class Cylinder(BodyStep):
    """From the middle of its base along ``axis``; ``inner`` above zero makes a tube."""

    kind: Literal["cylinder"]
    centre: Point = ORIGIN
    radius: Length
    inner: Length = "0"
    height: Length
    axis: Axis = "z"


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "radius", "height")
    exact.hollow(step)
    return exact.cylinder(step.centre, step.axis, step.radius, step.height, step.inner, unit)


def top(step: Any) -> str | None:
    if step.axis != "z":
        return None
    return str(step.height) if step.centre[2] == "0" else f"{step.centre[2]} + {step.height}"


KIND = BodyKind(
    "cylinder",
    "parts",
    Cylinder,
    "Cylinder",
    "{name} from {centre} along {axis}, height {height}, radius {radius}[, inner radius {inner}]"
    + BODY_END,
    (
        Entry(
            "Solids",
            "Cylinder or tube",
            {
                "name": "cylinder",
                "centre": ["0", "0", "0"],
                "radius": "10 mm",
                "inner": "0",
                "height": "20 mm",
                "axis": "z",
                "material": "perfect conductor",
            },
        ),
    ),
    (
        Shorthand("cylinder", "radius 5 mm, height 20 mm", ("radius", "height")),
        Shorthand(
            "tube",
            "radius 5 mm, inner radius 4 mm, height 20 mm",
            ("radius", "inner", "height"),
        ),
    ),
    top=top,
    shape=shape,
)
