"""A thick helix."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import BodyKind, Entry, exact
from heron.steps.fields import Length, Number, Point
from heron.steps.parts.common import BODY_END, ORIGIN, BodyStep


class Coil(BodyStep):
    """A round profile of ``radius`` swept along a helix about z."""

    kind: Literal["coil"]
    centre: Point = ORIGIN
    bend: Length
    pitch: Length
    turns: Number
    radius: Length


def shape(step: Any, unit: float) -> Any:
    return exact.coil(step, unit)


KIND = BodyKind(
    "coil",
    "parts",
    Coil,
    "Coil",
    "{name} from {centre}, coil radius {bend}, pitch {pitch}, {turns} turns, radius {radius}"
    + BODY_END,
    (
        Entry(
            "Solids",
            "Coil",
            {
                "name": "coil",
                "centre": ["0", "0", "0"],
                "bend": "10 mm",
                "pitch": "5 mm",
                "turns": "4",
                "radius": "1 mm",
                "material": "copper",
            },
        ),
    ),
    shape=shape,
)
