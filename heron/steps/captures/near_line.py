"""The near field on a line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from heron.steps.captures.common import IN_FRAME, RECORDED, Recorded, counted
from heron.steps.contract import CaptureKind, Entry, Floats
from heron.steps.fields import Name, Number, Point


class NearLine(Recorded):
    """The field at ``count`` points of a line, both ends included."""

    kind: Literal["near_line"]
    name: Name
    start: Point
    end: Point
    count: Number = "101"
    frame: str = ""


def points(step: Any) -> Floats:
    t = np.linspace(0, 1, int(step.count))[:, None]
    return np.asarray((1 - t) * np.array(step.start) + t * np.array(step.end))


def ends(step: Any) -> Floats:
    return np.array([step.start, step.end], dtype=float)


KIND = CaptureKind(
    "near_line",
    "captures",
    NearLine,
    "Near field",
    "{name} on the line from {start} to {end}[, {count} points]" + IN_FRAME + RECORDED,
    (
        Entry(
            "Captures",
            "Near field on a line",
            {"name": "line", "start": ["10 mm", "0", "0"], "end": ["300 mm", "0", "0"]},
        ),
    ),
    points=points,
    outline=ends,
    check=counted(),
)
