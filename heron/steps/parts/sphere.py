"""A sphere."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Sphere(BodyStep):
    """A sphere about ``centre``."""

    kind: Literal["sphere"]
    centre: Point = ORIGIN
    radius: Length


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "radius")
    return exact.ball(step.centre, step.radius, unit)


KIND = BodyKind(
    "sphere",
    "parts",
    Sphere,
    "Sphere",
    "{name} about {centre}, radius {radius}" + BODY_END,
    (
        Entry(
            "Solids",
            "Sphere",
            {
                "name": "sphere",
                "centre": ["0", "0", "0"],
                "radius": "15 mm",
                "material": "perfect conductor",
            },
        ),
    ),
    (Shorthand("sphere", "radius 10 mm", ("radius",)),),
    shape=shape,
)
