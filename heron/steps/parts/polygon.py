"""A flat sheet of any outline."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length
from heron.steps.parts.common import BODY_END, CORNERS, TRIANGLE, BodyStep, Outline


class Polygon(BodyStep):
    """A flat sheet in the x-y plane at z = ``base``."""

    kind: Literal["polygon"]
    outline: Outline
    base: Length = "0"


def shape(step: Any, unit: float) -> Any:
    return exact.outlined(step.outline, unit, lambda p: (p[0], p[1], step.base))


KIND = BodyKind(
    "polygon",
    "parts",
    Polygon,
    "Polygon",
    "{name} from " + CORNERS + "[, at z = {base}]" + BODY_END,
    (
        Entry(
            "Sheets",
            "Polygon",
            {"name": "polygon", "outline": TRIANGLE, "base": "0", "material": "copper"},
        ),
    ),
    members={"outline": {"to": ["0", "0"]}},
    sheet=True,
    shape=shape,
)
