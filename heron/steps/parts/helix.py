"""A helical wire."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.shapes.curves import Path, Spiral, bend_of
from heron.steps.contract import Entry, WireKind
from heron.steps.fields import Length, Number, Point
from heron.steps.parts.common import FULL, MAX_TURNS, ORIGIN, WIRE_END, WireStep


class Helix(WireStep):
    """A helix about the frame's z axis, starting at ``centre`` + bend·x; ``pitch`` is the rise of
    one turn.
    """

    kind: Literal["helix"]
    centre: Point = ORIGIN
    bend: Length
    pitch: Length
    turns: Number
    hand: Literal["right", "left"] = "right"


def path(step: Any) -> Path:
    bend = bend_of(step)
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
    return Path((Spiral(step.centre, bend, 0.0, sign * FULL * step.turns, step.pitch / FULL),))


KIND = WireKind(
    "helix",
    "parts",
    Helix,
    "Helix",
    "{name} from {centre}, helix radius {bend}, pitch {pitch}, {turns} turns[, {hand} handed]"
    + WIRE_END,
    (
        Entry(
            "Wires",
            "Helix",
            {"name": "helix", "bend": "50 mm", "pitch": "30 mm", "turns": "3", "radius": "1 mm"},
        ),
    ),
    path=path,
)
