"""Finer cells about a part."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Commented, Length, Name


class FinePart(Commented):
    """Cells of at most ``cell`` along every axis within the bounds of a part."""

    kind: Literal["fine_part"]
    name: Name
    part: str
    cell: Length


KIND = Kind(
    "fine_part",
    "refinements",
    FinePart,
    "Fine part",
    "{name} within {part:part}, cells of at most {cell}",
    (Entry("Grid", "Finer cells at a part", {"name": "fine part", "part": "", "cell": "0.5 mm"}),),
)
