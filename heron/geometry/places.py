"""Where captures lie in the world."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.shapes.transforms import Matrix, apply
from heron.steps import kinds
from heron.steps.contract import CaptureKind

Floats = NDArray[np.float64]


def _kind(capture: Any) -> CaptureKind | None:
    found = kinds("captures").get(capture.kind)
    return found if isinstance(found, CaptureKind) else None


def at_frequencies(capture: Any) -> bool:
    """Whether a capture is of fields at points, at frequencies."""
    kind = _kind(capture)
    return kind is not None and kind.points is not None and not kind.in_time


def in_time(capture: Any) -> bool:
    """Whether a capture is of fields at points, against time."""
    kind = _kind(capture)
    return kind is not None and kind.points is not None and kind.in_time


def capture_outline(capture: Any, frame: Matrix) -> Floats | None:
    """Corners (n, 3) in m of the line that shows where an evaluated capture lies, if it lies
    anywhere.
    """
    kind = _kind(capture)
    return None if kind is None else _placed(kind.outline, capture, frame)


def capture_points(capture: Any, frame: Matrix) -> Floats:
    """World points (n, 3) in m of an evaluated capture of fields at points."""
    kind = _kind(capture)
    points = None if kind is None else _placed(kind.points, capture, frame)
    if points is None:
        raise TypeError(f"a capture of kind {capture.kind} has no points")
    return points


def _placed(make: Callable[[Any], Floats] | None, capture: Any, frame: Matrix) -> Floats | None:
    return None if make is None else apply(frame, make(capture))
