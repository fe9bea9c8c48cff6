"""The near field at a point."""

from __future__ import annotations

from typing import Literal

from heron.steps.captures.common import IN_FRAME, RECORDED, Recorded, one
from heron.steps.contract import CaptureKind, Entry
from heron.steps.fields import Name, Point


class NearPoint(Recorded):
    """The field at a point."""

    kind: Literal["near_point"]
    name: Name
    point: Point
    frame: str = ""


KIND = CaptureKind(
    "near_point",
    "captures",
    NearPoint,
    "Near field",
    "{name} at {point}" + IN_FRAME + RECORDED,
    (Entry("Captures", "Near field at a point", {"name": "point", "point": ["100 mm", "0", "0"]}),),
    points=one,
    outline=one,
)
