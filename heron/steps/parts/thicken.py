"""A sheet made into a solid."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import ChangeKind, Entry, bodies
from heron.steps.fields import Length
from heron.steps.parts.common import PartStep


class Thicken(PartStep):
    """A sheet made into a solid; a negative thickness goes the other way."""

    kind: Literal["thicken"]
    source: str
    thickness: Length


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    source = building.find(step.source, "source")
    building.replace(source, bodies.thicken(i, step, source))


KIND = ChangeKind(
    "thicken",
    "parts",
    Thicken,
    "Thicken",
    "{name}, {source:body} by {thickness}[, in frame {frame:frame}]",
    (
        Entry(
            "Changes",
            "Thicken a sheet",
            {"name": "thick", "source": "", "thickness": "1 mm"},
        ),
    ),
    change=change,
)
