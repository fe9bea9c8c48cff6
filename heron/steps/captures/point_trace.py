"""The field at a point against time."""

from __future__ import annotations

from typing import Literal

from heron.steps.captures.common import IN_FRAME, one
from heron.steps.contract import CaptureKind, Entry
from heron.steps.fields import Name, Point, Step


class PointTrace(Step):
    """E and H at a point against time."""

    kind: Literal["point_trace"]
    name: Name
    point: Point
    frame: str = ""


KIND = CaptureKind(
    "point_trace",
    "captures",
    PointTrace,
    "Signal",
    "{name} at {point}" + IN_FRAME,
    (Entry("Captures", "Signal at a point", {"name": "signal", "point": ["0", "0", "50 mm"]}),),
    points=one,
    outline=one,
    in_time=True,
)
