"""The field of a capture of a run at one frequency."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import at_frequencies, capture_points
from heron.model import Evaluated, evaluate_document, load_document
from heron.results import near, patterns
from heron.results.capabilities import CAPABILITIES, Capability, provided
from server.errors import Problem, not_found
from server.runs.models import Run


@dataclass(frozen=True)
class CaptureField:
    """Peak phasors E, V/m, and H, A/m, (n, 3) at ``points`` (n, 3) m; ``counts`` of a grid of
    them.
    """

    name: str
    kind: str
    frequency: float
    counts: list[int]
    points: NDArray[np.float64]
    e: NDArray[np.complex128]
    h: NDArray[np.complex128]


def needs(run: Run, results: xr.Dataset, *names: str) -> Capability:
    """The first of the capabilities of those names that a run provides.

    :raises Problem: 422 for a run that provides none of them.
    """
    for capability in provided(results):
        if capability.name in names:
            return capability
    wanted = " or ".join(CAPABILITIES[name].words for name in names)
    there = ", ".join(c.words for c in provided(results))
    raise Problem(422, f"run {run.number} has no {wanted}; it has {there}")


def file_name(run: Run, name: str) -> str:
    """What a file of a run is called when it is taken out: "run-3.s2p", "run-3-ports.csv"."""
    return f"run-{run.number}" + (name.removeprefix("ports") if ".s" in name else f"-{name}")


def model_of(run: Run) -> Evaluated:
    return evaluate_document(load_document(run.revision.document), run.overrides, run.plan or None)


def averaged(
    run: Run, results: xr.Dataset, field: CaptureField, quantity: str, width: float
) -> NDArray[np.float64]:
    """A quantity (n,) of a capture's field, averaged over a line ``width`` Hz wide about its
    frequency.

    :raises Problem: 422 when there are too few sweep points for it.
    """
    try:
        return near.averaged(
            results,
            patterns.nearest_index(results, field.frequency),
            field.points,
            field.name,
            width,
            quantity,
            incident(results),
        )
    except (HeronError, ValueError) as error:
        raise Problem(422, f"run {run.number}: {error}") from error


def incident(results: xr.Dataset) -> float | None:
    """Peak field in V/m of the first illumination, if there is one."""
    found = (c.incident(results) for c in provided(results))
    return next((level for level in found if level is not None), None)


def capture_field(
    run: Run, results: xr.Dataset, name: str, frequency: float, raw: bool = False
) -> CaptureField:
    """The field of the capture called ``name`` at the sweep point nearest to a frequency; ``raw``,
    as the run's pulse had it, V/m and A/m per Hz.

    :raises Problem: 404 when the run has none of that name, 422 when nothing was recorded there, or
        no pulse.
    """
    model = model_of(run)
    capture: Any = next(
        (c for c in model.captures if c is not None and c.name == name and at_frequencies(c)),
        None,
    )
    if capture is None:
        raise not_found("near-field capture of that name")
    points = capture_points(capture, frame_matrix(build_frames(model, []), capture.frame))
    index = patterns.nearest_index(results, frequency)
    try:
        e, h = near.near_field(
            near.as_pulsed(results, index) if raw else results, index, points, name
        )
    except LookupError as error:
        raise Problem(422, str(error)) from error
    counts = [int(c) for c in capture.counts] if hasattr(capture, "counts") else [len(points)]
    return CaptureField(
        name, capture.kind, float(results["frequency"].values[index]), counts, points, e, h
    )


def without(field: CaptureField, other: CaptureField, number: int) -> CaptureField:
    """A field less that of a reference run ``number``, as of the same model without a scatterer:
    what the difference between them adds.

    :raises Problem: 422 when they are not of the same points and frequency.
    """
    if field.points.shape != other.points.shape or not np.allclose(
        field.points, other.points, rtol=0, atol=1e-9 * float(np.abs(field.points).max() + 1e-30)
    ):
        raise Problem(
            422, f"run {number} has its capture at other points; solve both with the same one"
        )
    if abs(field.frequency - other.frequency) > 1e-6 * field.frequency:
        raise Problem(
            422,
            f"run {number} has no field at {field.frequency / 1e9:.6g} GHz; solve both at the same"
            " frequencies",
        )
    return replace(field, e=field.e - other.e, h=field.h - other.h)
