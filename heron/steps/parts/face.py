"""A face of a solid as a sheet."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import ChangeKind, Entry, Pick, bodies
from heron.steps.parts.common import BODY_END, HERE, BodyStep, FaceOrEdge


class FaceSheet(BodyStep):
    """A face of an earlier part as a sheet of its own."""

    kind: Literal["face"]
    source: str
    pick: FaceOrEdge


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    building.add(bodies.face_sheet(i, step, building.find(step.source, "source")))


KIND = ChangeKind(
    "face",
    "parts",
    FaceSheet,
    "Face",
    "{name} of {source:body} near {pick.near}[ facing {pick.facing|any way}]"
    "[, within {pick.tolerance|any distance}]" + BODY_END,
    (
        Entry(
            "Sheets",
            "Face of a solid",
            {"name": "face", "source": "", "pick": {"near": HERE}, "material": "copper"},
        ),
    ),
    picks=(Pick(("pick",), "face"),),
    change=change,
)
