"""The near field on a rectangle."""

from __future__ import annotations

from typing import Literal

from heron.steps.captures.common import (
    ON_RECTANGLE,
    RECORDED,
    OnRectangle,
    Recorded,
    flat,
    rectangle,
    rim,
)
from heron.steps.contract import CaptureKind, Entry


class NearPlane(Recorded, OnRectangle):
    """The field on a rectangle."""

    kind: Literal["near_plane"]


KIND = CaptureKind(
    "near_plane",
    "captures",
    NearPlane,
    "Near field",
    "{name} on the rectangle " + ON_RECTANGLE + RECORDED,
    (
        Entry(
            "Captures",
            "Near field on a plane",
            {
                "name": "plane",
                "corner": ["-200 mm", "5 mm", "-200 mm"],
                "along": ["400 mm", "0", "0"],
                "across": ["0", "0", "400 mm"],
            },
        ),
    ),
    points=rectangle,
    outline=rim,
    check=flat(),
)
