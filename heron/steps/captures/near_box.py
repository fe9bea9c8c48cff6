"""The near field in a box."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from heron.steps.captures.common import IN_FRAME, RECORDED, Recorded, counted
from heron.steps.contract import CaptureKind, Entry, Floats
from heron.steps.fields import Name, Number, Point

# corners of a cube, x y z as bits, so that the line runs along every edge
STROKE = (0, 4, 6, 2, 0, 1, 5, 4, 5, 7, 6, 7, 3, 2, 3, 1)


class NearBox(Recorded):
    """A box of ``counts`` points along x, y and z from ``corner``."""

    kind: Literal["near_box"]
    name: Name
    corner: Point
    size: Point
    counts: tuple[Number, Number, Number] = ("21", "21", "21")
    frame: str = ""


def points(step: Any) -> Floats:
    """The last index, along z, is the fastest."""
    axes = [
        c + np.linspace(0, 1, int(n)) * size
        for c, size, n in zip(step.corner, step.size, step.counts, strict=True)
    ]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)


def cage(step: Any) -> Floats:
    """All edges of a box in one stroke."""
    unit = np.array([(n >> 2 & 1, n >> 1 & 1, n & 1) for n in STROKE])
    return np.asarray(np.array(step.corner) + unit * np.array(step.size))


KIND = CaptureKind(
    "near_box",
    "captures",
    NearBox,
    "Near field",
    "{name} in the box from {corner} by {size}[, {counts.0} by {counts.1} by {counts.2} points]"
    + IN_FRAME
    + RECORDED,
    (
        Entry(
            "Captures",
            "Near field in a box",
            {
                "name": "box",
                "corner": ["-50 mm", "-50 mm", "0"],
                "size": ["100 mm", "100 mm", "50 mm"],
            },
        ),
    ),
    points=points,
    outline=cage,
    check=counted(),
)
