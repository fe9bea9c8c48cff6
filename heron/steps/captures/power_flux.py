"""The power through a rectangle."""

from __future__ import annotations

from typing import Literal

from heron.steps.captures.common import ON_RECTANGLE, OnRectangle, flat, rectangle, rim
from heron.steps.contract import CaptureKind, Entry


class PowerFlux(OnRectangle):
    """The power through a rectangle, counted along the vector product of its edges."""

    kind: Literal["power_flux"]


KIND = CaptureKind(
    "power_flux",
    "captures",
    PowerFlux,
    "Power flux",
    "{name} through the rectangle " + ON_RECTANGLE,
    (
        Entry(
            "Captures",
            "Power through a rectangle",
            {
                "name": "power",
                "corner": ["-50 mm", "-50 mm", "50 mm"],
                "along": ["100 mm", "0", "0"],
                "across": ["0", "100 mm", "0"],
            },
        ),
    ),
    points=rectangle,
    outline=rim,
    check=flat(),
)
