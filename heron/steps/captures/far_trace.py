"""The far field against time."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from heron.steps.contract import CaptureKind, Entry, Found
from heron.steps.fields import Commented, Length, Name, Number


class FarTrace(Commented):
    """E and H of the far field against time, in one direction at a distance."""

    kind: Literal["far_trace"]
    name: Name
    theta: Number = "90 deg"
    phi: Number = "0"
    distance: Length = "1 m"


def check(model: Any, step: Any) -> Found:
    if not step.distance > 0:
        yield "distance", "the distance must be above zero"
    if not 0 <= np.degrees(step.theta) <= 180:
        yield "theta", "θ lies between 0 and 180°"
    if model.document.surround.layers or any(model.document.surround.period):
        yield (
            "name",
            (
                "far away there are signals in open space only, not over layers nor of what is"
                " repeated; take the layers or the period out, or this capture"
            ),
        )


KIND = CaptureKind(
    "far_trace",
    "captures",
    FarTrace,
    "Far-field waveform",
    "{name} towards θ = {theta}, φ = {phi}, at a distance of {distance}",
    (
        Entry(
            "Captures",
            "Far-field waveform",
            {"name": "waveform", "theta": "90 deg", "phi": "0", "distance": "1 m"},
        ),
    ),
    check=check,
)
