"""What is wrong with captures, whatever the geometry; and what an engine cannot record."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from heron.errors import HeronError
from heron.excitation.pulse import pulse_of
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import FRAMES
from heron.model import Evaluated
from heron.problems import Problem, whole
from heron.quantities import engineering

MAX_CAPTURE_POINTS = 250_000  # points of one near-field capture, directions of one far field
MAX_TRACED = 20_000  # points of one capture of snapshots
Found = Iterator[tuple[str, str]]


def capture_problems(model: Evaluated) -> Iterator[Problem]:
    """Sizes and frames of every capture."""
    frames = build_frames(model, [])
    for i, capture in enumerate(model.captures):
        if capture is None:
            continue
        here = ("captures", i)
        if getattr(capture, "frame", ""):
            try:
                frame_matrix(frames, capture.frame)
            except HeronError as error:
                yield Problem("error", "invalid", error.message, path=error.within(*here).path)
        for name, message in (*RULES[capture.kind](model, capture), *_window(model, capture)):
            yield Problem("error", "invalid", message, path=(*here, name))


def _far(model: Evaluated, c: Any) -> Found:
    steps = np.degrees([c.theta_step, c.phi_step])
    if not ((steps >= 0.1) & (steps <= 90)).all():
        yield "theta_step", "angular steps lie between 0.1° and 90°"
    elif (180 / steps[0] + 1) * (360 / steps[1] + 1) > MAX_CAPTURE_POINTS:
        yield (
            "theta_step",
            f"the grid has more than {MAX_CAPTURE_POINTS} directions; widen the steps",
        )


def _points(model: Evaluated, c: Any) -> Found:
    """Numbers of points along a line, a rectangle, a box."""
    field = "count" if hasattr(c, "count") else "counts"
    counts = np.ravel(getattr(c, field, ()))
    most = MAX_TRACED if c.kind == "snapshots" else MAX_CAPTURE_POINTS
    if any(not whole(n, 2, most) for n in counts) or np.prod(counts) > most:
        yield field, f"a capture has at least 2 points a side and at most {most} in all"


def _window(model: Evaluated, c: Any) -> Found:
    """When it records: some time while the run goes on."""
    opens, closes = getattr(c, "opens", None), getattr(c, "closes", None)
    if closes is not None and closes <= max(opens or 0.0, 0.0):
        yield (
            "closes",
            "it closes before it opens; give a later end, or leave it empty for the end of the run",
        )
    if opens is not None and model.plan is not None and model.plan.f_start > 0:
        pulse = pulse_of(model.plan)
        longest = pulse.duration + model.plan.longest * max(pulse.duration, 1 / pulse.centre)
        if opens >= longest:
            yield (
                "opens",
                (
                    f"the run ends after {engineering(longest, 's', 3)} at the latest, before it"
                    " opens; open it earlier"
                ),
            )


def _flat(model: Evaluated, c: Any) -> Found:
    yield from _points(model, c)
    if not np.linalg.norm(np.cross(c.along, c.across)) > 0:
        yield "across", "its two edges lie on one line; a rectangle needs two directions"


def _snapshots(model: Evaluated, c: Any) -> Found:
    yield from _flat(model, c)
    if not c.interval > 0:
        yield "interval", "the interval must be above zero"
    elif (
        model.plan is not None
        and model.plan.f_start > 0
        and c.interval * FRAMES < pulse_of(model.plan).duration
    ):
        yield (
            "interval",
            (
                f"{FRAMES} pictures are kept, which at this interval end before the pulse has left"
                f" ({engineering(pulse_of(model.plan).duration, 's', 3)}); make the interval longer"
            ),
        )


def _surface(model: Evaluated, c: Any) -> Found:
    if c.part and all(p.name != c.part for p in model.document.parts):
        yield "part", f"there is no part “{c.part}”; leave it empty for all conductors"
    if any(f <= 0 for f in c.frequencies):
        yield "frequencies", "frequencies are above zero"
    elif model.plan is not None and model.plan.f_start > 0:
        out = [f for f in c.frequencies if pulse_of(model.plan).level(f) < -LEAST_LEVEL_DB]
        if out:
            yield (
                "frequencies",
                (
                    f"the pulse has hardly anything at {engineering(out[0], 'Hz')}; ask within the"
                    " band"
                ),
            )


def _cut(model: Evaluated, c: Any) -> Found:
    if not model.document.illuminations:
        yield (
            "name",
            "radar cross-section needs an illumination; add a plane wave, or take this capture out",
        )
    if not 0.1 <= np.degrees(c.step) <= 90:
        yield "step", "the angular step lies between 0.1° and 90°"
    if model.plan is not None and any(
        not model.plan.f_start <= f <= model.plan.f_stop for f in c.frequencies
    ):
        yield "frequencies", "frequencies lie within the band"


def _far_trace(model: Evaluated, c: Any) -> Found:
    if not c.distance > 0:
        yield "distance", "the distance must be above zero"
    if not 0 <= np.degrees(c.theta) <= 180:
        yield "theta", "θ lies between 0 and 180°"
    if model.document.surround.layers or any(model.document.surround.period):
        yield (
            "name",
            (
                "far away there are signals in open space only, not over layers nor of what is"
                " repeated; take the layers or the period out, or this capture"
            ),
        )


LEAST_LEVEL_DB = 40.0  # of a pulse's spectrum: below, what is divided by it is mostly rounding
RULES: dict[str, Callable[[Evaluated, Any], Found]] = {
    "far_field": _far,
    "near_point": _points,
    "near_line": _points,
    "near_plane": _flat,
    "near_box": _points,
    "power_flux": _flat,
    "surface_current": _surface,
    "scattered_cut": _cut,
    "point_trace": _points,
    "far_trace": _far_trace,
    "snapshots": _snapshots,
}
