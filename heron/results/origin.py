"""What a dataset keeps of the model that it was solved from, so that it can be read without: values
of parameters, where captures lie, and how frames are turned.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import at_frequencies, capture_points
from heron.model import Evaluated
from heron.quantities import Quantity

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Captured:
    """A capture of a run: the ``counts`` of its grid of places, if it has one, and of fields at
    frequencies its ``points`` (n, 3), world m.
    """

    name: str
    kind: str
    counts: list[int]
    points: Floats | None = None


def with_origin(results: xr.Dataset, model: Evaluated) -> xr.Dataset:
    """The dataset with what is kept of its model."""
    lines, points = [], places(model)
    for number, capture in enumerate(model.captures):
        if capture is None:
            continue
        counts = [int(n) for n in getattr(capture, "counts", [])]
        lines.append(
            {"number": number, "name": capture.name, "kind": capture.kind, "counts": counts}
        )
    values = {name: [q.value, list(q.dimension)] for name, q in model.values.items()}
    own = {
        _variable(line["number"]): (
            (f"{_variable(line['number'])}_place", "axis"),
            points[line["name"]],
            {"units": "m"},
        )
        for line in lines
        if line["name"] in points
    }
    turned = {name: m[:3, :3].tolist() for name, m in build_frames(model, []).items() if name}
    return results.assign(own).assign_attrs(
        captures=json.dumps(lines), values=json.dumps(values), frames=json.dumps(turned)
    )


def _variable(number: Any) -> str:
    return f"capture_{number}"


def places(model: Evaluated) -> dict[str, Floats]:
    """World points (n, 3) in m of every capture of fields at frequencies, by name."""
    frames = build_frames(model, [])
    return {
        c.name: capture_points(c, frame_matrix(frames, c.frame))
        for c in model.captures
        if c is not None and at_frequencies(c)
    }


def has_origin(results: xr.Dataset) -> bool:
    """Whether it keeps anything: runs of earlier versions do not."""
    return "captures" in results.attrs


def captures_of(results: xr.Dataset) -> list[Captured]:
    """The captures of a run, in the order of its model."""
    found = []
    for line in json.loads(results.attrs.get("captures", "[]")):
        points = results.get(_variable(line["number"]))
        found.append(
            Captured(
                line["name"],
                line["kind"],
                line["counts"],
                None if points is None else np.asarray(points.values),
            )
        )
    return found


def capture_of(results: xr.Dataset, name: str) -> Captured:
    """:raises LookupError: the run has none of that name."""
    found = next((c for c in captures_of(results) if c.name == name), None)
    if found is None:
        raise LookupError(f"there is no capture “{name}” in this run")
    return found


def frames_of(results: xr.Dataset) -> dict[str, Floats]:
    """Axes of frames by name: columns of (3, 3)."""
    return {name: np.array(m) for name, m in json.loads(results.attrs.get("frames", "{}")).items()}


def values_of(results: xr.Dataset) -> dict[str, Quantity]:
    """Values of the parameters of a run by name."""
    stored = json.loads(results.attrs.get("values", "{}"))
    return {name: Quantity(value, tuple(dimension)) for name, (value, dimension) in stored.items()}
