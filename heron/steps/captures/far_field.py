"""The far field."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from heron.steps.captures.common import MAX_POINTS
from heron.steps.contract import CaptureKind, Entry, Found, Shorthand
from heron.steps.fields import Commented, Name, Number


class FarField(Commented):
    """The far field on a regular grid of θ and φ, both ends included."""

    kind: Literal["far_field"]
    name: Name
    theta_step: Number = "5 deg"
    phi_step: Number = "5 deg"


def check(model: Any, step: Any) -> Found:
    steps = np.degrees([step.theta_step, step.phi_step])
    if not ((steps >= 0.1) & (steps <= 90)).all():
        yield "theta_step", "angular steps lie between 0.1° and 90°"
    elif (180 / steps[0] + 1) * (360 / steps[1] + 1) > MAX_POINTS:
        yield (
            "theta_step",
            f"the grid has more than {MAX_POINTS} directions; widen the steps",
        )


KIND = CaptureKind(
    "far_field",
    "captures",
    FarField,
    "Far field",
    "{name} every {theta_step} of θ, {phi_step} of φ",
    (Entry("Captures", "Far field", {"name": "far field"}),),
    (
        Shorthand(
            "far field",
            "every 2 deg",
            sentence="{name} every {theta_step}",
            like={"phi_step": "theta_step"},
        ),
    ),
    check=check,
)
