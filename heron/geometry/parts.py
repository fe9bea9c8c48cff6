"""One builder per kind of wire part: evaluated step to path in its own frame.

Register new kinds here.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise
from typing import Any

from heron.errors import ModelError
from heron.geometry.curves import Curve, Line, Path, Spiral

MAX_TURNS = 1000


def wire(step: Any) -> Path:
    return Path((_line(step.start, step.end, ("end",)),))


def polyline(step: Any) -> Path:
    points = list(step.points) + ([step.points[0]] if step.closed else [])
    curves: list[Curve] = [
        _line(a, b, ("points", min(i + 1, len(step.points) - 1)))
        for i, (a, b) in enumerate(pairwise(points))
    ]
    return Path(tuple(curves))


def arc(step: Any) -> Path:
    _positive_bend(step)
    span = step.to_angle - step.from_angle
    if span == 0 or abs(span) > 2 * math.pi * (1 + 1e-9):
        raise ModelError("an arc spans more than 0 and at most one turn (2*pi)", ("to_angle",))
    return Path((Spiral(step.centre, step.bend, step.from_angle, step.to_angle),))


def helix(step: Any) -> Path:
    _positive_bend(step)
    if not 0 < step.turns <= MAX_TURNS:
        raise ModelError(
            f"the number of turns must be above 0 and at most {MAX_TURNS}, not {step.turns:g}",
            ("turns",),
        )
    if abs(step.pitch) <= 2 * step.radius:
        raise ModelError(
            "the pitch must be more than the wire's diameter, or the turns touch", ("pitch",)
        )
    sign = 1 if step.hand == "right" else -1
    return Path(
        (
            Spiral(
                step.centre,
                step.bend,
                0.0,
                sign * 2 * math.pi * step.turns,
                step.pitch / (2 * math.pi),
            ),
        )
    )


BUILDERS: dict[str, Callable[[Any], Path]] = {
    "wire": wire,
    "polyline": polyline,
    "arc": arc,
    "helix": helix,
}


def _line(
    a: tuple[float, float, float], b: tuple[float, float, float], where: tuple[str | int, ...]
) -> Line:
    line = Line(a, b)
    if line.length == 0:
        raise ModelError("the wire has no length: its two ends are the same point", where)
    return line


def _positive_bend(step: Any) -> None:
    if step.bend <= 0:
        raise ModelError("the bend radius must be above zero", ("bend",))
    if step.bend <= step.radius:
        raise ModelError("the bend radius must be more than the wire's radius", ("bend",))
