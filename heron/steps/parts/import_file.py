"""The bodies of a file."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.steps.contract import ChangeKind, imports
from heron.steps.fields import Number, Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Imported(BodyStep):
    """The bodies of a STEP, STL or OBJ file; ``unit`` for files that do not state theirs."""

    kind: Literal["import"]
    file: Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^/\\\x00-\x1f]+$")]
    unit: Literal["m", "mm", "um", "in"] = "mm"
    at: Point = ORIGIN
    scale: Number = "1"
    simplify: bool = False


def change(i: int, step: Any, frame: Any, building: Any) -> None:
    for body in imports.imported(
        i, step, frame, building.unit, building.files, building.wavelength
    ):
        building.add(body)


KIND = ChangeKind(
    "import",
    "parts",
    Imported,
    "Import",
    "{name} from {file:file}[ at {at}][, scale {scale}][, in {unit} if the file does not say]"
    "[simplify=yes:, simplified]" + BODY_END,
    (),
    change=change,
)
