"""Copies of a part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

from heron.errors import ModelError
from heron.shapes.transforms import Matrix, identity, inverse, reflection, rotation, scaling, shift
from heron.steps.contract import ChangeKind, Entry, bodies
from heron.steps.fields import Direction, Number, Point
from heron.steps.parts.common import ORIGIN, PartStep

MAX_COPIES = 1000
MAPS: dict[str, Callable[[Any], Matrix]] = {
    "move": lambda step: shift(step.by),
    "turn": lambda step: rotation(step.axis, step.angle, step.about),
    "mirror": lambda step: reflection(step.axis, step.about),
    "scale": lambda step: scaling(step.factor, step.about),
}


class Copy(PartStep):
    """``count`` copies of an earlier part, each moved, turned, mirrored or scaled once more than
    the one before.
    """

    kind: Literal["copy"]
    source: str
    operation: Literal["move", "turn", "mirror", "scale"]
    by: Point = ORIGIN
    about: Point = ORIGIN
    axis: Direction = ("0", "0", "1")
    angle: Number = "0"
    factor: Number = "1"
    count: Number = "1"
    keep: bool = True


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    source, body = building.part(step.source), building.body(step.source)
    if source is None and body is None:
        raise ModelError(f"there is no earlier part “{step.source}” to copy", ("source",))
    if step.count != int(step.count) or not 1 <= step.count <= MAX_COPIES:
        raise ModelError(
            f"the number of copies must be a whole number from 1 to {MAX_COPIES}", ("count",)
        )
    if step.operation == "scale" and (source is not None or step.factor <= 0):
        raise ModelError(
            (
                "a wire cannot be scaled; scale its lengths by a parameter"
                if source
                else "the factor must be above zero"
            ),
            ("factor",),
        )
    try:
        local = MAPS[step.operation](step)
    except ValueError as error:
        raise ModelError(str(error), ("axis",)) from error
    once = frame @ local @ inverse(frame)
    total = identity()
    if not step.keep:
        building.parts = [p for p in building.parts if p is not source]
        building.bodies = [b for b in building.bodies if b is not body]
    for k in range(1, int(step.count) + 1):
        total = once @ total
        name = step.name if step.count == 1 else f"{step.name}.{k}"
        if source is not None:
            building.parts.append(
                replace(source, name=name, step=i, path=source.path.mapped(total))
            )
        if body is not None:
            building.add(bodies.transformed(body, name, i, total))


KIND = ChangeKind(
    "copy",
    "parts",
    Copy,
    "Copy",
    "{name}, {count} of {source:part}, {operation}"
    "[!operation=move: by {by}]"
    "[!operation=turn: by {angle} about axis {axis} through {about}]"
    "[!operation=mirror: in the plane across {axis} through {about}]"
    "[!operation=scale: by {factor} from {about}]"
    "[keep=no:, original removed][, in frame {frame:frame}]",
    (
        Entry(
            "Changes",
            "Copy of a part",
            {"name": "copy", "source": "", "operation": "move", "by": ["100 mm", "0", "0"]},
        ),
    ),
    gives="part",
    change=change,
)
