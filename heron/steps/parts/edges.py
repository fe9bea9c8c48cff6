"""Edges rounded or cut off."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.steps.contract import ChangeKind, Entry, Pick, bodies
from heron.steps.fields import Length
from heron.steps.parts.common import FaceOrEdge, PartStep


class Edges(PartStep):
    """Picked edges of a solid rounded with a radius, or cut off by the same distance; none picked
    means all.
    """

    kind: Literal["edges"]
    source: str
    operation: Literal["round", "chamfer"] = "round"
    size: Length
    picks: Annotated[list[FaceOrEdge], Field(max_length=100)] = []


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    source = building.find(step.source, "source")
    building.replace(source, bodies.soften(i, step, source))


KIND = ChangeKind(
    "edges",
    "parts",
    Edges,
    "Edges",
    "{name}, {operation} {source:body} by {size}[ at the edges near <picks/and: {near}>]"
    "[, in frame {frame:frame}]",
    (
        Entry(
            "Changes",
            "Round or chamfer edges",
            {"name": "softened", "source": "", "operation": "round", "size": "1 mm", "picks": []},
        ),
    ),
    picks=(Pick(("picks",), "edge", many=True),),
    change=change,
)
