"""What captures have in common."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np

from heron.problems import whole
from heron.steps.contract import Floats, Found
from heron.steps.fields import Commented, Name, Number, Point, Time

MAX_POINTS = 250_000  # of one near-field capture, directions of one far field
MAX_TRACED = 20_000  # points of one capture of snapshots
RECORDED = "[, recorded from {opens|the start} to {closes|the end}][, {reading}]"
IN_FRAME = "[, in frame {frame:frame}]"
ON_RECTANGLE = (
    "from {corner} along {along} and across {across}[, {counts.0} by {counts.1} points]" + IN_FRAME
)


class Recorded(Commented):
    """How a run on a grid records: from the time it ``opens`` to the time it ``closes``, with soft
    ends; and its ``reading``, interpolated between the places of the grid, or of each component at
    the nearest grid point.
    """

    opens: Time | None = None
    closes: Time | None = None
    reading: Literal["interpolated", "nearest grid point"] = "interpolated"


class OnRectangle(Commented):
    """A rectangle of ``counts`` points from ``corner`` along the edges ``along`` and ``across``."""

    name: Name
    corner: Point
    along: Point
    across: Point
    counts: tuple[Number, Number] = ("41", "41")
    frame: str = ""


def one(step: Any) -> Floats:
    """The one point of a capture."""
    return np.array([step.point], dtype=float)


def rectangle(step: Any) -> Floats:
    """Rows run along ``across``, the fast index along ``along``."""
    n, m = (int(c) for c in step.counts)
    u, v = np.linspace(0, 1, n), np.linspace(0, 1, m)
    corner, along, across = (np.array(x) for x in (step.corner, step.along, step.across))
    return np.asarray(
        corner + (v[:, None, None] * across + u[None, :, None] * along).reshape(-1, 3)
    )


def rim(step: Any) -> Floats:
    """The edges of a rectangle as a closed line."""
    c, a, b = (np.array(x) for x in (step.corner, step.along, step.across))
    return np.array([c, c + a, c + a + b, c + b, c])


def counted(most: int = MAX_POINTS) -> Callable[[Any, Any], Found]:
    """Numbers of points along a line, a rectangle, a box."""

    def check(model: Any, step: Any) -> Found:
        field = "count" if hasattr(step, "count") else "counts"
        counts = np.ravel(getattr(step, field, ()))
        if any(not whole(n, 2, most) for n in counts) or np.prod(counts) > most:
            yield field, f"a capture has at least 2 points a side and at most {most} in all"

    return check


def flat(most: int = MAX_POINTS) -> Callable[[Any, Any], Found]:
    """A rectangle's points and edges."""

    def check(model: Any, step: Any) -> Found:
        yield from counted(most)(model, step)
        if not np.linalg.norm(np.cross(step.along, step.across)) > 0:
            yield "across", "its two edges lie on one line; a rectangle needs two directions"

    return check
