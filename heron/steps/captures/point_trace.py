"""The field at a point against time."""

from __future__ import annotations

from typing import Literal

from heron.steps.captures.common import IN_FRAME, one
from heron.steps.contract import CaptureKind, Entry
from heron.steps.fields import Commented, Name, Point


class PointTrace(Commented):
    """E and H at a point against time."""

    kind: Literal["point_trace"]
    name: Name
    point: Point
    frame: str = ""


KIND = CaptureKind(
    "point_trace",
    "captures",
    PointTrace,
    "Field against time",
    "{name} at {point}" + IN_FRAME,
    (
        Entry(
            "Captures",
            "Field against time at a point",
            {"name": "point", "point": ["0", "0", "50 mm"]},
        ),
    ),
    points=one,
    outline=one,
    in_time=True,
)
