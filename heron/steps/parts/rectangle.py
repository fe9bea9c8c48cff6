"""A rectangular sheet."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Point
from heron.steps.parts.common import BODY_END, ORIGIN, Axis, BodyStep, Flat

OTHERS = {"x": (1, 2), "y": (0, 2), "z": (0, 1)}


class Rectangle(BodyStep):
    """A sheet across ``axis``: from ``corner`` by two sizes along the other two axes in the order
    x, y, z.
    """

    kind: Literal["rectangle"]
    corner: Point = ORIGIN
    size: Flat
    axis: Axis = "z"


def shape(step: Any, unit: float) -> Any:
    i, j = OTHERS[step.axis]
    for k, s in enumerate(step.size):
        if s == 0:
            raise ModelError("a rectangle's sizes must not be zero; a line is a wire", ("size", k))
    corners = []
    for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)):
        p = list(step.corner)
        p[i] += a * step.size[0]
        p[j] += b * step.size[1]
        corners.append(p)
    return exact.flat(corners, unit)


def top(step: Any) -> str | None:
    return str(step.corner[2]) if step.axis == "z" else None


KIND = BodyKind(
    "rectangle",
    "parts",
    Rectangle,
    "Rectangle",
    "{name} from {corner} by {size}, across {axis}" + BODY_END,
    (
        Entry(
            "Sheets",
            "Rectangle",
            {
                "name": "sheet",
                "corner": ["-20 mm", "-15 mm", "0"],
                "size": ["40 mm", "30 mm"],
                "axis": "z",
                "material": "copper",
            },
        ),
    ),
    (
        Shorthand("sheet", "40 x 20 mm", ("size.0", "size.1"), centred=True),
        Shorthand("rectangle", "40 x 20 mm", ("size.0", "size.1"), centred=True),
    ),
    sheet=True,
    top=top,
    shape=shape,
)
