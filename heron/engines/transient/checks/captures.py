"""Captures that a grid cannot record."""

from __future__ import annotations

from typing import Any

from heron.engines.transient.recorder import NEAREST, window_of
from heron.excitation.pulse import longest_run, pulse_of
from heron.fields.surface import within
from heron.geometry import Geometry
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import capture_points, in_time
from heron.model import Evaluated
from heron.problems import Problem
from heron.quantities import engineering


def beyond_walls(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures that a grid records only between its walls, and reach beyond them."""
    low, high = discretisation.structure.inner
    frames, out = build_frames(model, []), []
    for i, c in enumerate(model.captures):
        own = c is not None and (
            window_of(c, pulse_of(model.plan)) is not None or getattr(c, "reading", "") == NEAREST
        )
        if c is None or not (own or in_time(c)) or (c.frame and c.frame not in frames):
            continue
        points = capture_points(c, frame_matrix(frames, c.frame))
        if not within(points, low, high).all():
            what = (
                "a part of the time, or read as the grid has it, it is known"
                if own
                else "against time it is recorded"
            )
            out.append(
                Problem(
                    "error",
                    "beyond-walls",
                    f"“{c.name}” reaches beyond the walls, and {what} between them only",
                    "move the walls away, or the capture nearer to the model",
                    ("captures", i),
                )
            )
    return out


def opens_late(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures that open when the run has ended for certain."""
    pulse = pulse_of(model.plan)
    longest = longest_run(model.plan, pulse)
    return [
        Problem(
            "error",
            "invalid",
            f"the run ends after {engineering(longest, 's', 3)} at the latest, before it opens;"
            " open it earlier",
            path=("captures", i, "opens"),
        )
        for i, c in enumerate(model.captures)
        if (getattr(c, "opens", None) or 0.0) >= longest
    ]


def of_matrices(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures of what a solve in time has none of."""
    return [
        Problem(
            "look",
            "not-recorded",
            f"the transient engine has no characteristic modes, so “{c.name}” will be empty",
            "choose the moments engine in the plan for it; it takes models of metal",
            ("captures", i),
        )
        for i, c in enumerate(model.captures)
        if c is not None and c.kind == "characteristic_modes"
    ]
