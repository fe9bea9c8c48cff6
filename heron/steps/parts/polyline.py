"""A wire of straight stretches."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field

from heron.shapes.curves import Path, straight
from heron.steps.contract import Entry, WireKind
from heron.steps.fields import Point
from heron.steps.parts.common import HERE, WIRE_END, WireStep


class Polyline(WireStep):
    """Straight stretches through the points in order; ``closed`` returns to the first."""

    kind: Literal["polyline"]
    points: Annotated[list[Point], Field(min_length=2, max_length=500)]
    closed: bool = False


def path(step: Any) -> Path:
    points = list(step.points) + ([step.points[0]] if step.closed else [])
    return Path(
        tuple(
            straight(a, b, ("points", min(i + 1, len(step.points) - 1)))
            for i, (a, b) in enumerate(pairwise(points))
        )
    )


KIND = WireKind(
    "polyline",
    "parts",
    Polyline,
    "Bent wire",
    "{name} through <points/: {.}>[closed=yes: and back to the first]" + WIRE_END,
    (
        Entry(
            "Wires",
            "Bent wire",
            {
                "name": "bent wire",
                "points": [HERE, ["0", "0", "50 mm"], ["50 mm", "0", "50 mm"]],
                "radius": "1 mm",
            },
        ),
    ),
    members={"points": HERE},
    path=path,
    ends=lambda step: None if step.closed else (("points", 0), ("points", len(step.points) - 1)),
)
