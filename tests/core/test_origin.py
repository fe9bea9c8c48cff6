"""What a dataset keeps of the model it was solved from."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
import xarray as xr

from heron.checks import examine
from heron.formats import netcdf
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import capture_points
from heron.model import load_document
from heron.results.origin import (
    Captured,
    capture_of,
    captures_of,
    has_origin,
    places,
    values_of,
    with_origin,
)
from heron.runner import solve
from tests.models import dipole, plan

CAPTURES: list[dict[str, Any]] = [
    {"kind": "far_field", "name": "far"},
    {
        "kind": "near_plane",
        "name": "beside",
        "frame": "mast",
        "corner": ["0", "0", "0"],
        "along": ["10 mm", "0", "0"],
        "across": ["0", "20 mm", "0"],
        "counts": ["3", "4"],
    },
    {
        "kind": "near_line",
        "name": "up",
        "start": ["5 mm", "0", "0"],
        "end": ["5 mm", "0", "30 mm"],
        "count": "7",
    },
]


def document(**more: Any) -> dict[str, Any]:
    frame = {"name": "mast", "origin": ["0.1 m", "0", "0.2 m"]}
    made = dipole(0.48, 1e-3, plan=plan("280 MHz", "320 MHz", 3, rounds="1"))
    parameters = [
        {"name": "reach", "expression": "12 mm"},
        {"name": "half", "expression": "reach / 2"},
        {"name": "turns", "expression": "4.5"},
    ]
    return made | {"captures": CAPTURES, "frames": [frame], "parameters": parameters} | more


@pytest.fixture(scope="module")
def examined() -> Any:
    found = examine(load_document(document()))
    assert found.sound, [p.message for p in found.errors]
    return found


@pytest.fixture(scope="module")
def results(examined: Any) -> xr.Dataset:
    return solve(examined).results


def test_a_run_keeps_its_captures_in_order(results: xr.Dataset) -> None:
    assert has_origin(results)
    found = captures_of(results)
    assert [(c.name, c.kind, c.counts) for c in found] == [
        ("far", "far_field", []),
        ("beside", "near_plane", [3, 4]),
        ("up", "near_line", []),
    ]
    assert found[0].points is None


def test_points_stand_in_the_world(examined: Any, results: xr.Dataset) -> None:
    """Of a capture in a frame, too."""
    frames = build_frames(examined.model, [])
    for capture in examined.model.captures[1:]:
        here = capture_points(capture, frame_matrix(frames, capture.frame))
        kept = capture_of(results, capture.name).points
        assert kept is not None and np.array_equal(kept, here)
    plane = capture_of(results, "beside").points
    assert plane is not None and plane.shape == (12, 3)
    assert plane.min(axis=0) == pytest.approx([0.1, 0, 0.2])
    assert plane.max(axis=0) == pytest.approx([0.11, 0.02, 0.2])
    assert set(places(examined.model)) == {"beside", "up"}


def test_values_are_those_of_the_run(results: xr.Dataset) -> None:
    values = values_of(results)
    assert values["reach"].value == pytest.approx(12e-3)
    assert values["half"].value == pytest.approx(6e-3)
    assert values["half"].dimension == values["reach"].dimension != values["turns"].dimension
    other = examine(load_document(document()), {"reach": "20 mm"})
    again = values_of(with_origin(results, other.model))
    assert again["half"].value == pytest.approx(10e-3)


def test_it_survives_a_file(results: xr.Dataset, tmp_path: Any) -> None:
    netcdf.write(results, tmp_path / "run.nc")
    read = netcdf.opened((tmp_path / "run.nc").read_bytes())
    assert values_of(read) == values_of(results)
    for one, other in zip(captures_of(read), captures_of(results), strict=True):
        assert (one.name, one.kind, one.counts) == (other.name, other.kind, other.counts)
        assert (one.points is None) == (other.points is None)
        assert one.points is None or np.array_equal(one.points, other.points)
    json.loads(read.attrs["captures"])


def test_a_capture_that_is_not_there_is_named(results: xr.Dataset) -> None:
    with pytest.raises(LookupError, match="there is no capture “rim” in this run"):
        capture_of(results, "rim")
    assert isinstance(capture_of(results, "far"), Captured)


def test_a_dataset_of_an_earlier_version_says_that_it_keeps_nothing(results: xr.Dataset) -> None:
    older = results.copy()
    older.attrs = {k: v for k, v in results.attrs.items() if k not in ("captures", "values")}
    assert not has_origin(older)
    assert captures_of(older) == [] and values_of(older) == {}
