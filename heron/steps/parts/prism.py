"""An outline pulled straight."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length
from heron.steps.parts.common import BODY_END, CORNERS, TRIANGLE, BodyStep, Outline


class Prism(BodyStep):
    """An outline in the x-y plane at z = ``base``, pulled by ``height``."""

    kind: Literal["prism"]
    outline: Outline
    base: Length = "0"
    height: Length


def shape(step: Any, unit: float) -> Any:
    if step.height == 0:
        raise ModelError("the height is zero; a flat part is a polygon", ("height",))
    face = exact.outlined(step.outline, unit, lambda p: (p[0], p[1], step.base))
    return exact.pulled(face, (0, 0, step.height), unit)


KIND = BodyKind(
    "prism",
    "parts",
    Prism,
    "Prism",
    "{name} from " + CORNERS + "[, at z = {base}], height {height}" + BODY_END,
    (
        Entry(
            "Solids", "Prism", {"name": "prism", "outline": TRIANGLE, "base": "0", "height": "5 mm"}
        ),
    ),
    members={"outline": {"to": ["0", "0"]}},
    shape=shape,
)
