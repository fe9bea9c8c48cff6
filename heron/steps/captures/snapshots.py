"""The field on a rectangle against time."""

from __future__ import annotations

from typing import Any, Literal

from heron.excitation.pulse import pulse_of
from heron.quantities import engineering
from heron.steps.captures.common import (
    MAX_TRACED,
    ON_RECTANGLE,
    OnRectangle,
    flat,
    rectangle,
    rim,
)
from heron.steps.contract import CaptureKind, Entry, Found
from heron.steps.fields import Number, Time

FRAMES = 400  # pictures of a capture at most


class Snapshots(OnRectangle):
    """E on a rectangle at every ``interval`` of time."""

    kind: Literal["snapshots"]
    interval: Time
    counts: tuple[Number, Number] = ("61", "61")


def check(model: Any, step: Any) -> Found:
    yield from flat(MAX_TRACED)(model, step)
    if not step.interval > 0:
        yield "interval", "the interval must be above zero"
    elif model.plan is not None and model.plan.f_start > 0:
        lasts = pulse_of(model.plan).duration
        if step.interval * FRAMES < lasts:
            yield (
                "interval",
                (
                    f"{FRAMES} pictures are kept, which at this interval end before the pulse has"
                    f" left ({engineering(lasts, 's', 3)}); make the interval longer"
                ),
            )


KIND = CaptureKind(
    "snapshots",
    "captures",
    Snapshots,
    "Snapshots",
    "{name} every {interval} on the rectangle " + ON_RECTANGLE,
    (
        Entry(
            "Captures",
            "Snapshots in time",
            {
                "name": "snapshots",
                "corner": ["-50 mm", "-50 mm", "20 mm"],
                "along": ["100 mm", "0", "0"],
                "across": ["0", "100 mm", "0"],
                "interval": "50 ps",
            },
        ),
    ),
    points=rectangle,
    outline=rim,
    in_time=True,
    check=check,
)
