"""A wedge."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Wedge(BodyStep):
    """A box whose top face keeps only ``top`` of its x size, from x = 0 (0 gives an edge)."""

    kind: Literal["wedge"]
    corner: Point = ORIGIN
    size: Point
    top: Length = "0"


def shape(step: Any, unit: float) -> Any:
    (x, y, z), (a, b, c) = exact.corner_and_size(step)
    if not step.top >= 0:
        raise ModelError("the top must not be negative", ("top",))
    top = [(x + step.top, y, z + c), (x, y, z + c)] if step.top > 0 else [(x, y, z + c)]
    side = exact.flat([(x, y, z), (x + a, y, z), *top], unit)
    return exact.pulled(side, (0, b, 0), unit)


KIND = BodyKind(
    "wedge",
    "parts",
    Wedge,
    "Wedge",
    "{name} from {corner} by {size}[, top {top}]" + BODY_END,
    (
        Entry(
            "Solids",
            "Wedge",
            {
                "name": "wedge",
                "corner": ["0", "0", "0"],
                "size": ["30 mm", "20 mm", "10 mm"],
                "top": "0",
                "material": "perfect conductor",
            },
        ),
    ),
    shape=shape,
)
