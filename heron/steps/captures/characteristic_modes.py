"""Characteristic modes of what is of metal."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import CaptureKind, Entry, Found
from heron.steps.fields import Commented, Name, Number

MOST_MODES, MOST_POINTS = 20, 201


class CharacteristicModes(Commented):
    """The ``count`` modes that radiate best, at so many ``points`` over the band of the plan, ends
    included: currents of the metal as it is, whatever drives it.
    """

    kind: Literal["characteristic_modes"]
    name: Name
    count: Number = "6"
    points: Number = "21"


def check(model: Any, step: Any) -> Found:
    if not 1 <= step.count <= MOST_MODES or step.count % 1:
        yield "count", f"ask for a whole number of modes, 1 to {MOST_MODES}"
    if not 1 <= step.points <= MOST_POINTS or step.points % 1:
        yield "points", f"ask for a whole number of frequencies, 1 to {MOST_POINTS}"
    several = [c for c in model.captures if c is not None and c.kind == step.kind]
    if several[1:] and several[0] is not step:
        yield "name", "modes are found once for a run; leave one of these captures"


KIND = CaptureKind(
    "characteristic_modes",
    "captures",
    CharacteristicModes,
    "Characteristic modes",
    "{name}: {count} modes at {points} frequencies",
    (Entry("Captures", "Characteristic modes", {"name": "modes"}),),
    check=check,
)
