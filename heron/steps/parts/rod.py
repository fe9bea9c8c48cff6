"""A profile along a path."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, CORNERS, BodyStep, Corner


class Rod(BodyStep):
    """A profile swept along straight stretches, with corners mitred, or rounded with ``bend``:
    round, or an ``outline`` of (sideways, up).
    """

    kind: Literal["rod"]
    points: Annotated[list[Point], Field(min_length=2, max_length=200)]
    radius: Length = "0"
    outline: Annotated[list[Corner], Field(max_length=200)] = []
    bend: Length = "0"


def shape(step: Any, unit: float) -> Any:
    return exact.rod(step, unit)


KIND = BodyKind(
    "rod",
    "parts",
    Rod,
    "Rod",
    "{name} through <points/: {.}>[, radius {radius}][, with the profile from "
    + CORNERS
    + "][, corners bent by {bend}]"
    + BODY_END,
    (
        Entry(
            "Solids",
            "Rod",
            {
                "name": "rod",
                "points": [["0", "0", "0"], ["0", "0", "40 mm"], ["40 mm", "0", "40 mm"]],
                "radius": "2 mm",
                "bend": "8 mm",
                "material": "perfect conductor",
            },
        ),
        Entry(
            "Solids",
            "Swept profile",
            {
                "name": "swept profile",
                "points": [["0", "0", "0"], ["40 mm", "0", "0"], ["40 mm", "40 mm", "0"]],
                "outline": [
                    {"to": ["-2 mm", "-1 mm"]},
                    {"to": ["2 mm", "-1 mm"]},
                    {"to": ["2 mm", "1 mm"]},
                    {"to": ["-2 mm", "1 mm"]},
                ],
                "bend": "8 mm",
                "material": "perfect conductor",
            },
        ),
    ),
    members={"points": ["0", "0", "0"], "outline": {"to": ["0", "0"]}},
    shape=shape,
)
