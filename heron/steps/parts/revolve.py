"""An outline turned about the z axis."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Number
from heron.steps.parts.common import BODY_END, CORNERS, FULL, BodyStep, OneTurn, Outline


class Revolve(BodyStep):
    """An outline of (distance from the z axis, z), turned about z by ``angle``."""

    kind: Literal["revolve"]
    outline: Outline
    angle: Number = OneTurn


def shape(step: Any, unit: float) -> Any:
    for i, corner in enumerate(step.outline):
        if corner.to[0] < 0:
            raise ModelError(
                "the outline must stay on one side of the axis: distances from it are not negative",
                ("outline", i, "to"),
            )
    if step.angle == 0 or abs(step.angle) > FULL * (1 + 1e-9):
        raise ModelError("the turn is more than 0 and at most a whole one (2*pi)", ("angle",))
    return exact.turned(exact.outlined(step.outline, unit, lambda p: (p[0], 0.0, p[1])), step.angle)


KIND = BodyKind(
    "revolve",
    "parts",
    Revolve,
    "Revolved solid",
    "{name} with the profile from " + CORNERS + "[, revolved by {angle}]" + BODY_END,
    (
        Entry(
            "Solids",
            "Revolved solid",
            {
                "name": "revolved solid",
                "outline": [
                    {"to": ["5 mm", "0"]},
                    {"to": ["20 mm", "0"]},
                    {"to": ["5 mm", "30 mm"]},
                ],
                "angle": "360 deg",
                "material": "perfect conductor",
            },
        ),
    ),
    members={"outline": {"to": ["0", "0"]}},
    shape=shape,
)
