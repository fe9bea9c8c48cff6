"""A box."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, Shorthand, exact
from heron.steps.fields import Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep

SIZES = ("size.0", "size.1", "size.2")


class Box(BodyStep):
    """From ``corner`` by ``size`` along x, y, z; a negative size goes the other way."""

    kind: Literal["box"]
    corner: Point = ORIGIN
    size: Point


def shape(step: Any, unit: float) -> Any:
    (x, y, z), (a, b, c) = exact.corner_and_size(step)
    base = exact.flat([(x, y, z), (x + a, y, z), (x + a, y + b, z), (x, y + b, z)], unit)
    return exact.pulled(base, (0, 0, c), unit)


def top(step: Any) -> str | None:
    z, height = step.corner[2], step.size[2]
    return str(height) if z == "0" else f"{z} + {height}"


KIND = BodyKind(
    "box",
    "parts",
    Box,
    "Box",
    "{name} from {corner} by {size}" + BODY_END,
    (
        Entry(
            "Solids",
            "Box",
            {
                "name": "box",
                "corner": ["-20 mm", "-15 mm", "0"],
                "size": ["40 mm", "30 mm", "10 mm"],
                "material": "FR4",
            },
        ),
    ),
    (
        Shorthand("box", "40 x 20 x 1.6 mm", SIZES, centred=True),
        Shorthand("block", "40 x 20 x 1.6 mm", SIZES, centred=True),
    ),
    top=top,
    shape=shape,
)
