"""The current on surfaces."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.excitation.pulse import LEAST_LEVEL_DB, pulse_of
from heron.quantities import engineering
from heron.steps.contract import CaptureKind, Entry, Found
from heron.steps.fields import Commented, Frequency, Name


class SurfaceCurrent(Commented):
    """The current on a conducting part, or on all when none is named, at ``frequencies``; at those
    of the plan's patterns when there are none.
    """

    kind: Literal["surface_current"]
    name: Name
    part: str = ""
    frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []


def check(model: Any, step: Any) -> Found:
    if step.part and all(p.name != step.part for p in model.document.parts):
        yield "part", f"there is no part “{step.part}”; leave it empty for all conductors"
    if any(f <= 0 for f in step.frequencies):
        yield "frequencies", "frequencies are above zero"
    elif model.plan is not None and model.plan.f_start > 0:
        pulse = pulse_of(model.plan)
        out = [f for f in step.frequencies if pulse.level(f) < -LEAST_LEVEL_DB]
        if out:
            yield (
                "frequencies",
                (
                    f"the pulse has hardly anything at {engineering(out[0], 'Hz')}; ask within the"
                    " band"
                ),
            )


KIND = CaptureKind(
    "surface_current",
    "captures",
    SurfaceCurrent,
    "Surface current",
    "{name}[ on {part:part|all conductors}][, at <frequencies/and: {.}>]",
    (Entry("Captures", "Surface current", {"name": "surface current"}),),
    members={"frequencies": "1 GHz"},
    check=check,
)
