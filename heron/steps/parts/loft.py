"""A body between profiles."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length, Point, Step
from heron.steps.parts.common import BODY_END, BodyStep


class Section(Step):
    """A profile across z at ``at``: a rectangle of ``width`` by ``height``, or the ellipse inside
    it.
    """

    at: Point
    width: Length
    height: Length
    round: bool = False


class Loft(BodyStep):
    """Straight between sections, rectangles and ellipses in any order; ``shell`` leaves the two
    ends open and makes a sheet.
    """

    kind: Literal["loft"]
    sections: Annotated[list[Section], Field(min_length=2, max_length=50)]
    shell: bool = False


def shape(step: Any, unit: float) -> Any:
    return exact.loft(step, unit)


KIND = BodyKind(
    "loft",
    "parts",
    Loft,
    "Loft",
    "{name} from <sections/to:[!round=yes: an ellipse][!round=no: a rectangle]"
    " {width} by {height} at {at}>[shell=yes:, walls only]" + BODY_END,
    (
        Entry(
            "Solids",
            "Loft",
            {
                "name": "loft",
                "sections": [
                    {"at": ["0", "0", "0"], "width": "20 mm", "height": "10 mm"},
                    {"at": ["0", "0", "40 mm"], "width": "50 mm", "height": "40 mm"},
                ],
                "material": "perfect conductor",
            },
        ),
    ),
    members={"sections": {"at": ["0", "0", "80 mm"], "width": "50 mm", "height": "40 mm"}},
    shape=shape,
)
