"""Bistatic radar cross-section in a plane."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from heron.steps.contract import CaptureKind, Entry, Found
from heron.steps.fields import Commented, Frequency, Name, Number


class ScatteredCut(Commented):
    """Bistatic radar cross-section in a plane through the z axis, θ from 0 to 360° at ``phi``, at
    ``frequencies``; at those of the plan's patterns if there are none.
    """

    kind: Literal["scattered_cut"]
    name: Name
    phi: Number = "0"
    step: Number = "2 deg"
    frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []


def check(model: Any, step: Any) -> Found:
    if not model.document.illuminations:
        yield (
            "name",
            "radar cross-section needs an illumination; add a plane wave, or take this capture out",
        )
    if not 0.1 <= np.degrees(step.step) <= 90:
        yield "step", "the angular step lies between 0.1° and 90°"
    if model.plan is not None and any(
        not model.plan.f_start <= f <= model.plan.f_stop for f in step.frequencies
    ):
        yield "frequencies", "frequencies lie within the band"


KIND = CaptureKind(
    "scattered_cut",
    "captures",
    ScatteredCut,
    "Bistatic RCS cut",
    "{name} at φ = {phi} every {step}[, at <frequencies/and: {.}>]",
    (
        Entry(
            "Captures",
            "Bistatic RCS cut",
            {"name": "RCS cut", "phi": "0", "step": "2 deg"},
        ),
    ),
    members={"frequencies": "1 GHz"},
    check=check,
)
