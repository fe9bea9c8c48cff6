"""Several bodies made into one."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.errors import ModelError
from heron.steps.contract import ChangeKind, Entry, bodies
from heron.steps.parts.common import PartStep


class Combine(PartStep):
    """Fuses, cuts or intersects ``first`` with ``others`` into one body; ``imprint`` marks the
    others' outlines on its faces. The sources go unless kept.
    """

    kind: Literal["combine"]
    operation: Literal["fuse", "cut", "intersect", "imprint"]
    first: str
    others: Annotated[list[str], Field(min_length=1, max_length=200)]
    keep: bool = False


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    if step.first in step.others:
        raise ModelError("a part cannot be combined with itself", ("others",))
    made = bodies.combine(i, step, building.find)
    if not step.keep:
        spent = {step.first} if step.operation == "imprint" else {step.first, *step.others}
        building.bodies = [b for b in building.bodies if b.name not in spent]
    building.add(made)


KIND = ChangeKind(
    "combine",
    "parts",
    Combine,
    "Combine",
    "{name}, {operation} {first:body} with <others/and: {.:body}>[keep=yes:, originals kept]"
    "[, in frame {frame:frame}]",
    (
        Entry(
            "Changes",
            "Fuse, cut, intersect, imprint",
            {"name": "combined", "operation": "fuse", "first": "", "others": [""]},
        ),
    ),
    members={"others": ""},
    change=change,
)
