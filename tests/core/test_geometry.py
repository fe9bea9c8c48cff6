"""Curves, transforms, proximity and the stage's polylines against plain geometry."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from heron.discretise.proximity import close_pairs
from heron.geometry.places import capture_points
from heron.geometry.tessellate import shapes
from heron.shapes.curves import Line, Path, Spiral
from heron.shapes.transforms import apply, reflection, rotation
from tests.models import dipole, examined, plan, wire

coordinate = st.floats(-2, 2, allow_nan=False).map(lambda v: round(v, 3))
point = st.tuples(coordinate, coordinate, coordinate)


def test_helix_length_and_ends() -> None:
    helix = Spiral((0, 0, 1), 0.1, 0, 2 * np.pi * 3, 0.05 / (2 * np.pi))
    assert helix.length == pytest.approx(3 * np.hypot(2 * np.pi * 0.1, 0.05))
    ends = helix.at(np.array([0.0, 1.0]))
    assert ends == pytest.approx(np.array([[0.1, 0, 1], [0.1, 0, 1.15]]))
    fine = helix.at(np.linspace(0, 1, 20001))
    assert np.linalg.norm(np.diff(fine, axis=0), axis=1).sum() == pytest.approx(
        helix.length, rel=1e-6
    )


def test_left_handed_helix_still_rises() -> None:
    left = Spiral((0, 0, 0), 0.1, 0, -2 * np.pi, 0.01)
    quarter, end = left.at(np.array([0.25, 1.0]))
    assert quarter[1] == pytest.approx(-0.1)
    assert end[2] > 0


def test_path_fractions_follow_length() -> None:
    path = Path((Line((0, 0, 0), (1, 0, 0)), Line((1, 0, 0), (1, 3, 0))))
    assert path.length == 4
    assert path.corners == pytest.approx([0, 0.25, 1])
    assert path.at(np.array([0.125, 0.25, 0.625])) == pytest.approx(
        np.array([[0.5, 0, 0], [1, 0, 0], [1, 1.5, 0]])
    )


@given(point, point, st.floats(-6, 6))
def test_rotations_keep_distances_and_their_axis(
    a: tuple[float, ...], b: tuple[float, ...], angle: float
) -> None:
    axis, about = (1.0, -2.0, 0.5), (0.3, 0.1, -0.2)
    m = rotation(axis, angle, about)
    moved = apply(m, np.array([a, b, about]))
    assert np.linalg.norm(moved[0] - moved[1]) == pytest.approx(
        np.linalg.norm(np.subtract(a, b)), abs=1e-12
    )
    assert moved[2] == pytest.approx(np.array(about), abs=1e-12)
    assert np.linalg.det(m[:3, :3]) == pytest.approx(1)


@given(point)
def test_mirroring_twice_is_nothing(a: tuple[float, ...]) -> None:
    m = reflection((0.2, 1.0, -0.4), (0.1, 0.2, 0.3))
    assert apply(m @ m, np.array([a])) == pytest.approx(np.array([a]), abs=1e-12)
    assert np.linalg.det(m[:3, :3]) == pytest.approx(-1)


def test_an_axis_without_direction_is_refused_where_it_stands() -> None:
    copy = {
        "kind": "copy",
        "name": "c",
        "source": "rod",
        "operation": "turn",
        "axis": ["0", "0", "0"],
        "angle": "1",
    }
    document = dipole(parts=[wire("rod", [0, 0, -0.25], [0, 0, 0.25]), copy])
    error = examined(document).errors[0]
    assert "no direction" in error.message
    assert error.path == ("parts", 1, "axis")


@given(point, point, point, point)
def test_closest_approach_against_sampling(
    a: tuple[float, ...], b: tuple[float, ...], c: tuple[float, ...], d: tuple[float, ...]
) -> None:
    nodes = np.array([a, b, c, d])
    if np.linalg.norm(nodes[0] - nodes[1]) < 0.1 or np.linalg.norm(nodes[2] - nodes[3]) < 0.1:
        return
    row = close_pairs(nodes, np.array([[0, 1], [2, 3]]), np.array([100.0, 100.0]))[0]
    t = np.linspace(0, 1, 101)[:, None]
    p, q = nodes[0] + t * (nodes[1] - nodes[0]), nodes[2] + t * (nodes[3] - nodes[2])
    sampled = np.linalg.norm(p[:, None] - q[None], axis=2).min()
    reach = 0.01 * (np.linalg.norm(nodes[1] - nodes[0]) + np.linalg.norm(nodes[3] - nodes[2]))
    assert row[2] <= sampled + 1e-9
    assert row[2] >= sampled - reach


def test_stage_polylines_end_where_parts_do() -> None:
    document = {
        "parts": [
            {"kind": "arc", "name": "bow", "bend": "1 m", "radius": "1 mm", "to_angle": "90 deg"},
            {
                "kind": "polyline",
                "name": "frame",
                "radius": "1 mm",
                "closed": True,
                "points": [["2 m", "0", "0"], ["3 m", "0", "0"], ["3 m", "1 m", "0"]],
            },
        ],
        "feeds": [{"number": 1, "part": "bow"}],
        "plan": plan("30 MHz"),
    }
    bow, frame = shapes(examined(document).geometry)
    assert bow["points"][0] == pytest.approx([1, 0, 0])
    assert bow["points"][-1] == pytest.approx([0, 1, 0], abs=1e-12)
    assert all(np.hypot(x, y) == pytest.approx(1) for x, y, _ in bow["points"])
    assert len(frame["points"]) == 4
    assert frame["points"][0] == frame["points"][-1]


def test_plane_captures_run_along_first() -> None:
    document = dipole(
        captures=[
            {
                "kind": "near_plane",
                "name": "p",
                "corner": ["0", "0", "0"],
                "along": ["1 m", "0", "0"],
                "across": ["0", "2 m", "0"],
                "counts": ["3", "2"],
            }
        ]
    )
    points = capture_points(examined(document).model.captures[0], np.eye(4))
    assert points.tolist() == [[0, 0, 0], [0.5, 0, 0], [1, 0, 0], [0, 2, 0], [0.5, 2, 0], [1, 2, 0]]


def test_suspended_parts_are_left_out() -> None:
    parts = [
        wire("rod", [0, 0, -0.25], [0, 0, 0.25]),
        wire("spare", [0.2, 0, 0], [0.2, 0, 0.1], suspended=True),
    ]
    assert [p.name for p in examined(dipole(parts=parts)).geometry.parts] == ["rod"]


def test_a_broken_step_does_not_hide_the_others() -> None:
    parts = [
        wire("rod", [0, 0, -0.25], [0, 0, 0.25]),
        wire("bad", [0, 0, 0], [0, 0, "zz"]),
        wire("good", [0.2, 0, 0], [0.2, 0, 0.1]),
    ]
    examination = examined(dipole(parts=parts))
    assert [p.name for p in examination.geometry.parts] == ["rod", "good"]
    assert [p.path for p in examination.errors] == [("parts", 1, "end", 2)]
