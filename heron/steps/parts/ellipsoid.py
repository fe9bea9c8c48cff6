"""An ellipsoid."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Ellipsoid(BodyStep):
    """An ellipsoid about ``centre`` with three radii along x, y, z."""

    kind: Literal["ellipsoid"]
    centre: Point = ORIGIN
    radii: Point


def shape(step: Any, unit: float) -> Any:
    for i, r in enumerate(step.radii):
        if r <= 0:
            raise ModelError("every radius must be above zero", ("radii", i))
    return exact.ellipsoid(step.centre, step.radii, unit)


KIND = BodyKind(
    "ellipsoid",
    "parts",
    Ellipsoid,
    "Ellipsoid",
    "{name} about {centre}, radii {radii}" + BODY_END,
    (
        Entry(
            "Solids",
            "Ellipsoid",
            {
                "name": "ellipsoid",
                "centre": ["0", "0", "0"],
                "radii": ["10 mm", "15 mm", "20 mm"],
                "material": "perfect conductor",
            },
        ),
    ),
    shape=shape,
)
