"""A flat sheet bounded by formulas."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Formula, Length, Number, Step
from heron.steps.parts.common import BODY_END, BodyStep


class Piece(Step):
    """A stretch of an outline from formulas in ``t``: a spline through ``points`` of them.

    Straight lines join the pieces.
    """

    x: Formula
    y: Formula
    start: Number
    stop: Number
    points: Number = "33"


class Curved(BodyStep):
    """A flat sheet whose outline is given by formulas in ``t``, for tapers, spirals and sinuous
    arms.
    """

    kind: Literal["formula"]
    pieces: Annotated[list[Piece], Field(min_length=1, max_length=20)]
    base: Length = "0"


def shape(step: Any, unit: float) -> Any:
    return exact.curved(step.pieces, step.base, unit)


KIND = BodyKind(
    "formula",
    "parts",
    Curved,
    "Curved sheet",
    "{name} along <pieces/then: x = {x}, y = {y}, for t from {start} to {stop}"
    "[, {points} points]>[, at z = {base}]" + BODY_END,
    (
        Entry(
            "Sheets",
            "Curved sheet",
            {
                "name": "taper",
                "base": "0",
                "material": "copper",
                "pieces": [
                    {
                        "x": "t * 30 mm",
                        "y": "1 mm * exp(2 * t)",
                        "start": "0",
                        "stop": "1",
                        "points": "33",
                    },
                    {"x": "30 mm * (1 - t)", "y": "0 mm", "start": "0", "stop": "1", "points": "2"},
                ],
            },
        ),
    ),
    members={
        "pieces": {"x": "30 mm * (1 - t)", "y": "0 mm", "start": "0", "stop": "1", "points": "2"}
    },
    sheet=True,
    shape=shape,
)
