"""The field of a capture of a run at one frequency."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import HeronError
from heron.results import near, patterns
from heron.results.origin import captures_of
from server.errors import Problem, not_found
from server.runs.opened import Opened


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


def averaged(run: Opened, field: CaptureField, quantity: str, width: float) -> NDArray[np.float64]:
    """A quantity (n,) of a capture's field, averaged over a line ``width`` Hz wide about its
    frequency.

    :raises Problem: 422 when there are too few sweep points for it.
    """
    try:
        return near.averaged(
            run.results,
            run.index(field.frequency),
            field.points,
            field.name,
            width,
            quantity,
            run.incident,
        )
    except (HeronError, ValueError) as error:
        raise Problem(422, f"run {run.run.number}: {error}") from error


def capture_field(
    results: xr.Dataset, name: str, frequency: float, raw: bool = False
) -> CaptureField:
    """The field of the capture called ``name`` at the sweep point nearest to a frequency; ``raw``,
    as the run's pulse had it, V/m and A/m per Hz.

    :raises Problem: 404 when the run has none of that name, 422 when nothing was recorded there, or
        no pulse.
    """
    capture = next((c for c in captures_of(results) if c.name == name), None)
    if capture is None or capture.points is None:
        raise not_found("near-field capture of that name")
    points, index = capture.points, patterns.nearest_index(results, frequency)
    try:
        e, h = near.near_field(
            near.as_pulsed(results, index) if raw else results, index, points, name
        )
    except LookupError as error:
        raise Problem(422, str(error)) from error
    at = float(results["frequency"].values[index])
    return CaptureField(name, capture.kind, at, capture.counts or [len(points)], points, e, h)


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
