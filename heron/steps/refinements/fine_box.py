"""A box with cells of its own."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Commented, Length, Name, Point


class FineBox(Commented):
    """Cells of at most ``cell`` along every axis in a box; for engines that fill space with a
    grid.
    """

    kind: Literal["fine_box"]
    name: Name
    corner: Point
    size: Point
    cell: Length


KIND = Kind(
    "fine_box",
    "refinements",
    FineBox,
    "Fine box",
    "{name} from {corner} by {size}, cells of at most {cell}",
    (
        Entry(
            "Grid",
            "Finer cells in a box",
            {
                "name": "fine box",
                "corner": ["-5 mm", "-5 mm", "-5 mm"],
                "size": ["10 mm", "10 mm", "10 mm"],
                "cell": "0.5 mm",
            },
        ),
    ),
)
