"""A paraboloid."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Dish(BodyStep):
    """A paraboloid with its vertex at ``centre``, open along +z; thickness 0 makes a sheet."""

    kind: Literal["dish"]
    centre: Point = ORIGIN
    focus: Length
    diameter: Length
    thickness: Length = "0"


def shape(step: Any, unit: float) -> Any:
    return exact.dish(step, unit)


KIND = BodyKind(
    "dish",
    "parts",
    Dish,
    "Dish",
    "{name} with its vertex at {centre}, focus {focus}, diameter {diameter}"
    "[, thickness {thickness}]" + BODY_END,
    (
        Entry(
            "Solids",
            "Dish",
            {
                "name": "dish",
                "centre": ["0", "0", "0"],
                "focus": "100 mm",
                "diameter": "240 mm",
                "thickness": "0",
                "material": "aluminium",
            },
        ),
    ),
    (Shorthand("dish", "diameter 200 mm, focus 80 mm", ("diameter",)),),
    shape=shape,
)
