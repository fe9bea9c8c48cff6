"""A cone, whole or cut off."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, Axis, BodyStep


class Cone(BodyStep):
    """From the middle of its base along ``axis``: ``radius`` there, ``top`` at the other end."""

    kind: Literal["cone"]
    centre: Point = ORIGIN
    radius: Length
    top: Length = "0"
    height: Length
    axis: Axis = "z"


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "height")
    for name in ("radius", "top"):
        if getattr(step, name) < 0:
            raise ModelError("a radius must not be negative", (name,))
    if step.radius == step.top:
        raise ModelError(
            "both radii are equal; that is a cylinder" if step.radius else "a cone needs a radius",
            ("top",),
        )
    return exact.cone(step.centre, step.axis, step.radius, step.top, step.height, unit)


KIND = BodyKind(
    "cone",
    "parts",
    Cone,
    "Cone",
    "{name} from {centre} along {axis}, height {height}, radius {radius}[, top radius {top}]"
    + BODY_END,
    (
        Entry(
            "Solids",
            "Cone",
            {
                "name": "cone",
                "centre": ["0", "0", "0"],
                "radius": "10 mm",
                "top": "0",
                "height": "20 mm",
                "axis": "z",
                "material": "perfect conductor",
            },
        ),
    ),
    (Shorthand("cone", "radius 5 mm, height 20 mm", ("radius", "height")),),
    shape=shape,
)
