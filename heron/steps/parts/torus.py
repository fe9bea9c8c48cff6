"""A torus."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, Axis, BodyStep


class Torus(BodyStep):
    """A ring of radius ``bend`` about ``axis``, round with ``radius``."""

    kind: Literal["torus"]
    centre: Point = ORIGIN
    bend: Length
    radius: Length
    axis: Axis = "z"


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "bend", "radius")
    if step.radius >= step.bend:
        raise ModelError(
            "the ring's radius must be more than its round profile's, or it cuts itself", ("bend",)
        )
    return exact.torus(step.centre, step.axis, step.bend, step.radius, unit)


KIND = BodyKind(
    "torus",
    "parts",
    Torus,
    "Torus",
    "{name} about {centre} along {axis}, ring radius {bend}, profile radius {radius}" + BODY_END,
    (
        Entry(
            "Solids",
            "Torus",
            {
                "name": "torus",
                "centre": ["0", "0", "0"],
                "bend": "20 mm",
                "radius": "4 mm",
                "axis": "z",
                "material": "perfect conductor",
            },
        ),
    ),
    (Shorthand("torus", "ring radius 20 mm, profile radius 3 mm", ("bend", "radius")),),
    shape=shape,
)
