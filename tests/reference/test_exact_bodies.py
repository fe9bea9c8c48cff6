"""Volumes and areas of exact shapes against closed forms (Bronstein, Handbook of Mathematics,
stereometry; Pappus' theorems), and files that keep them.
"""

from __future__ import annotations

import io
import json
import math
import struct
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest

from heron.geometry import Geometry, build_geometry
from heron.model import evaluate_document, load_document
from heron.shapes import exchange, imports
from heron.shapes.bodies import Body
from heron.shapes.kernel import area
from heron.shapes.mesh import triangulate

PI = math.pi
MM = 1e-3


def mesh_figures(points: np.ndarray, triangles: Any) -> tuple[float, float]:
    """Area and enclosed volume of a triangle mesh (divergence theorem; outward winding counts
    positive).
    """
    a, b, c = (points[triangles[:, k]] for k in range(3))
    cross = np.cross(b - a, c - a)
    return float(0.5 * np.linalg.norm(cross, axis=1).sum()), float(
        np.einsum("ij,ij->", a, cross) / 6
    )


def geometry(*parts: dict[str, Any], **more: Any) -> Geometry:
    document = {
        "parts": [{"name": f"p{i}", **p} for i, p in enumerate(parts)],
        "plan": {"f_start": "1 GHz", "f_stop": "2 GHz"},
        **more,
    }
    built = build_geometry(evaluate_document(load_document(document)))
    assert not built.errors, built.errors
    return built


def body(*parts: dict[str, Any], **more: Any) -> Body:
    """The last body of a few parts."""
    return geometry(*parts, **more).bodies[-1]


def to(x: str, y: str, **how: Any) -> dict[str, Any]:
    return {"to": [x, y], **how}


def frustum(a: float, b: float, c: float, d: float, h: float) -> float:
    """Prismatoid between a×b and c×d, Simpson's rule being exact for it."""
    return h / 6 * (a * b + c * d + 4 * (a + c) / 2 * (b + d) / 2)


def paraboloid(focus: float, rim: float) -> float:
    """Area of z = r²/(4f) up to radius rim."""
    return 8 * PI * focus**2 / 3 * ((1 + (rim / (2 * focus)) ** 2) ** 1.5 - 1)


BAR = [to("-2 mm", "-1 mm"), to("2 mm", "-1 mm"), to("2 mm", "1 mm"), to("-2 mm", "1 mm")]
QUARTER = "30 mm * cos(pi / 4)"
# name: parts, volume in m³ (None for sheets), area in m² (None where no closed form is elementary)
FORMS: dict[str, tuple[list[dict[str, Any]], float | None, float | None]] = {
    "box": (
        [
            {
                "kind": "box",
                "corner": ["1 mm", "2 mm", "3 mm"],
                "size": ["40 mm", "20 mm", "-1.6 mm"],
            }
        ],
        40 * 20 * 1.6e-9,
        2e-6 * (800 + 64 + 32),
    ),
    "cylinder": (
        [{"kind": "cylinder", "radius": "10 mm", "height": "50 mm", "axis": "x"}],
        PI * 5e-6,
        2 * PI * (1e-4 + 5e-4),
    ),
    "tube": (
        [{"kind": "cylinder", "radius": "10 mm", "inner": "8 mm", "height": "50 mm"}],
        PI * 36e-6 * 0.05,
        2 * PI * (36e-6 + 0.018 * 0.05),
    ),
    "cone": (
        [{"kind": "cone", "radius": "30 mm", "height": "40 mm"}],
        PI * 9e-4 * 0.04 / 3,
        PI * (9e-4 + 0.03 * 0.05),
    ),
    "frustum of a cone": (
        [{"kind": "cone", "radius": "30 mm", "top": "10 mm", "height": "40 mm"}],
        PI * 0.04 / 3 * 13e-4,
        PI * (10e-4 + 0.04 * math.hypot(0.02, 0.04)),
    ),
    "sphere": ([{"kind": "sphere", "radius": "20 mm"}], 4 / 3 * PI * 8e-6, 4 * PI * 4e-4),
    "ellipsoid": (
        [{"kind": "ellipsoid", "radii": ["10 mm", "20 mm", "30 mm"]}],
        4 / 3 * PI * 6e-6,
        None,
    ),
    "torus": (
        [{"kind": "torus", "bend": "50 mm", "radius": "10 mm"}],
        2 * PI**2 * 0.05 * 1e-4,
        4 * PI**2 * 5e-4,
    ),
    "wedge": (
        [{"kind": "wedge", "size": ["30 mm", "20 mm", "10 mm"], "top": "12 mm"}],
        (0.03 + 0.012) / 2 * 0.01 * 0.02,
        None,
    ),
    "prism": (
        [
            {
                "kind": "prism",
                "height": "7 mm",
                "outline": [to("0", "0"), to("30 mm", "0"), to("0", "40 mm")],
            }
        ],
        0.5 * 12e-4 * 0.007,
        12e-4 + 0.12 * 0.007,
    ),
    "half ring": (
        [
            {
                "kind": "revolve",
                "angle": "180 deg",
                "outline": [
                    to("10 mm", "0"),
                    to("20 mm", "0"),
                    to("20 mm", "30 mm"),
                    to("10 mm", "30 mm"),
                ],
            }
        ],
        PI / 2 * 3e-4 * 0.03,
        None,
    ),
    "loft": (
        [
            {
                "kind": "loft",
                "sections": [
                    {"at": ["0", "0", "0"], "width": "20 mm", "height": "10 mm"},
                    {"at": ["0", "0", "50 mm"], "width": "80 mm", "height": "60 mm"},
                ],
            }
        ],
        frustum(0.02, 0.01, 0.08, 0.06, 0.05),
        None,
    ),
    "round loft": (
        [
            {
                "kind": "loft",
                "sections": [
                    {"at": ["0", "0", "0"], "width": "20 mm", "height": "20 mm", "round": True},
                    {"at": ["0", "0", "60 mm"], "width": "40 mm", "height": "40 mm", "round": True},
                ],
            }
        ],
        PI * 0.06 / 3 * 7e-4,
        PI * (5e-4 + 0.03 * math.hypot(0.01, 0.06)),
    ),
    "bent rod": (
        [
            {
                "kind": "rod",
                "radius": "2 mm",
                "bend": "10 mm",
                "points": [["0", "0", "0"], ["0", "0", "100 mm"], ["100 mm", "0", "100 mm"]],
            }
        ],
        PI * 4e-6 * (0.18 + PI / 2 * 0.01),
        PI * 8e-6 + 4e-3 * PI * (0.18 + PI / 2 * 0.01),
    ),
    "mitred rod": (
        [
            {
                "kind": "rod",
                "radius": "2 mm",
                "points": [["0", "0", "0"], ["0", "0", "100 mm"], ["100 mm", "0", "100 mm"]],
            }
        ],
        PI * 4e-6 * 0.2,
        None,
    ),
    "bent bar": (
        [
            {
                "kind": "rod",
                "bend": "10 mm",
                "outline": BAR,
                "points": [["0", "0", "0"], ["100 mm", "0", "0"], ["100 mm", "100 mm", "0"]],
            }
        ],
        8e-6 * (0.18 + PI / 2 * 0.01),
        16e-6 + 12e-3 * (0.18 + PI / 2 * 0.01),
    ),
    "mitred bar": (
        [
            {
                "kind": "rod",
                "outline": BAR,
                "points": [["0", "0", "0"], ["0", "0", "100 mm"], ["100 mm", "0", "100 mm"]],
            }
        ],
        8e-6 * 0.2,
        None,
    ),
    "coil": (
        [{"kind": "coil", "bend": "20 mm", "pitch": "10 mm", "turns": "3", "radius": "1 mm"}],
        PI * 1e-6 * 3 * math.hypot(2 * PI * 0.02, 0.01),
        None,
    ),
    "dish sheet": (
        [{"kind": "dish", "focus": "100 mm", "diameter": "300 mm"}],
        None,
        paraboloid(0.1, 0.15),
    ),
    "thick dish": (
        [{"kind": "dish", "focus": "100 mm", "diameter": "300 mm", "thickness": "2 mm"}],
        PI * 0.0225 * 0.002,
        2 * paraboloid(0.1, 0.15) + 2 * PI * 0.15 * 0.002,
    ),
    "rectangle": ([{"kind": "rectangle", "size": ["30 mm", "20 mm"], "axis": "y"}], None, 6e-4),
    "ring": ([{"kind": "disc", "radius": "20 mm", "inner": "10 mm", "axis": "x"}], None, PI * 3e-4),
    "quarter disc": (
        [
            {
                "kind": "polygon",
                "outline": [
                    to("0", "0"),
                    to("30 mm", "0"),
                    to("0", "30 mm", via=[QUARTER, QUARTER]),
                ],
            }
        ],
        None,
        PI * 9e-4 / 4,
    ),
    "exponential taper": (
        [
            {
                "kind": "formula",
                "pieces": [
                    {
                        "x": "t * 30 mm",
                        "y": "1 mm * exp(2 * t)",
                        "start": "0",
                        "stop": "1",
                        "points": "61",
                    },
                    {"x": "30 mm * (1 - t)", "y": "0 mm", "start": "0", "stop": "1", "points": "2"},
                ],
            }
        ],
        None,
        0.03 * 1e-3 * (math.exp(2) - 1) / 2,
    ),
    "drilled block": (
        [
            {"kind": "box", "size": ["40 mm", "20 mm", "10 mm"]},
            {
                "kind": "cylinder",
                "centre": ["20 mm", "10 mm", "-1 mm"],
                "radius": "5 mm",
                "height": "12 mm",
            },
            {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
        ],
        8e-6 - PI * 25e-6 * 0.01,
        2e-6 * (800 + 400 + 200) - 2 * PI * 25e-6 + 2 * PI * 5e-3 * 0.01,
    ),
    "lens of two spheres": (
        [
            {"kind": "sphere", "radius": "20 mm"},
            {"kind": "sphere", "centre": ["20 mm", "0", "0"], "radius": "20 mm"},
            {"kind": "combine", "operation": "intersect", "first": "p0", "others": ["p1"]},
        ],
        PI * (4 * 0.02 + 0.02) * (2 * 0.02 - 0.02) ** 2 / 12,
        2 * 2 * PI * 0.02 * 0.01,
    ),
    "two fused blocks": (
        [
            {"kind": "box", "size": ["40 mm", "20 mm", "10 mm"]},
            {"kind": "box", "corner": ["30 mm", "0", "0"], "size": ["40 mm", "20 mm", "10 mm"]},
            {"kind": "combine", "operation": "fuse", "first": "p0", "others": ["p1"]},
        ],
        14e-6,
        2e-6 * (1400 + 700 + 200),
    ),
    "thick sheet": (
        [
            {"kind": "disc", "radius": "20 mm"},
            {"kind": "thicken", "source": "p0", "thickness": "-3 mm"},
        ],
        PI * 4e-4 * 0.003,
        PI * 8e-4 + 2 * PI * 0.02 * 0.003,
    ),
    "rounded cube": (
        [
            {"kind": "box", "size": ["20 mm", "20 mm", "20 mm"]},
            {"kind": "edges", "source": "p0", "size": "3 mm"},
        ],
        0.014**3 + 6 * 0.014**2 * 0.003 + 3 * PI * 0.003**2 * 0.014 + 4 / 3 * PI * 0.003**3,
        6 * 0.014**2 + 6 * PI * 0.003 * 0.014 + 4 * PI * 0.003**2,
    ),
    "cube without one edge": (
        [
            {"kind": "box", "size": ["20 mm", "20 mm", "20 mm"]},
            {
                "kind": "edges",
                "operation": "chamfer",
                "source": "p0",
                "size": "4 mm",
                "picks": [{"near": ["0", "0", "10 mm"]}],
            },
        ],
        8e-6 - 0.5 * 16e-6 * 0.02,
        None,
    ),
    "scaled copy": (
        [
            {"kind": "sphere", "radius": "10 mm"},
            {
                "kind": "copy",
                "source": "p0",
                "operation": "scale",
                "factor": "2",
                "about": ["5 mm", "0", "0"],
            },
        ],
        4 / 3 * PI * 8e-6,
        4 * PI * 4e-4,
    ),
    "face of a block": (
        [
            {"kind": "box", "size": ["40 mm", "20 mm", "10 mm"]},
            {
                "kind": "face",
                "source": "p0",
                "pick": {"near": ["20 mm", "10 mm", "10 mm"], "facing": ["0", "0", "1"]},
            },
        ],
        None,
        8e-4,
    ),
}


@pytest.mark.parametrize("name", FORMS)
def test_exact_volume_and_area(name: str) -> None:
    parts, volume, area = FORMS[name]
    made = body(*parts)
    assert made.solid == (volume is not None)
    errors = [made.volume / volume - 1 if volume else 0.0, made.area / area - 1 if area else 0.0]
    print(f"{name}: volume {errors[0]:+.1e}, area {errors[1]:+.1e}")
    assert max(map(abs, errors)) < 1e-6


def test_a_loft_from_a_rectangle_to_an_ellipse_has_the_volume_of_its_ruled_walls() -> None:
    """Between plane curves c0 and c1 the section at t encloses ½∮ c × dc of (1 − t)·c0 + t·c1
    (Green's theorem), a square in t, so Simpson's rule is exact.
    """
    a, b, height = np.array([10e-3, 5e-3]), np.array([20e-3, 15e-3]), 0.04
    made = body(
        {
            "kind": "loft",
            "sections": [
                {"at": ["0", "0", "0"], "width": "20 mm", "height": "10 mm"},
                {"at": ["0", "0", "40 mm"], "width": "40 mm", "height": "30 mm", "round": True},
            ],
        }
    )
    n = 20000
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]])
    u = (np.arange(n) + 0.5) / n
    square = (
        np.vstack([corners[k] + u[:, None] * (corners[k + 1] - corners[k]) for k in range(4)]) * a
    )
    # Quarter arcs as rational Bézier curves of degree 2, middle weight cos 45° (Piegl and Tiller,
    # The NURBS Book, ch. 7): pole p1 where the tangents meet.
    w = math.sqrt(0.5)
    weights = np.column_stack(((1 - u) ** 2, 2 * w * u * (1 - u), u**2))
    middles = np.array([[0, -1], [1, 0], [0, 1], [-1, 0]]) / w
    quarters = [np.array([corners[k] * w, middles[k], corners[k + 1] * w]) for k in range(4)]
    oval = np.vstack([weights @ q / weights.sum(axis=1, keepdims=True) for q in quarters]) * b

    def enclosed(t: float) -> float:
        c = (1 - t) * square + t * oval
        d = np.roll(c, -1, axis=0)
        return float(0.5 * np.sum(c[:, 0] * d[:, 1] - c[:, 1] * d[:, 0]))

    wanted = height / 6 * (enclosed(0) + 4 * enclosed(0.5) + enclosed(1))
    print(f"rectangle to ellipse: volume {made.volume / wanted - 1:+.1e}")
    assert made.volume == pytest.approx(wanted, rel=1e-4)


def drawing(**header: int) -> bytes:
    document = ezdxf.new(**header)
    space = document.modelspace()
    space.add_lwpolyline(
        [(0, 0), (40, 0), (40, 30), (0, 30)], close=True, dxfattribs={"layer": "patch"}
    )
    space.add_circle((20, 15), 5, dxfattribs={"layer": "patch"})
    for a, b in (((100, 0), (110, 0)), ((110, 10), (110, 0)), ((100, 0), (100, 10))):
        space.add_line(a, b, dxfattribs={"layer": "arm"})
    space.add_arc((105, 10), 5, 0, 180, dxfattribs={"layer": "arm"})
    space.add_line((0, 0), (200, 0), dxfattribs={"layer": "notes"})
    space.add_text("patch of the hide", dxfattribs={"layer": "notes"})
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def test_closed_outlines_of_a_drawing_become_sheets_by_layer() -> None:
    made = {n.name: n.shape for n in imports.read("outline.dxf", drawing(units=4))}
    errors = {
        "patch": area(made["patch"]) / (1200 - 25 * PI) - 1,
        "arm": area(made["arm"]) / (100 + 12.5 * PI) - 1,
    }
    print("drawing: areas", {k: f"{v:+.1e}" for k, v in errors.items()})
    assert set(made) == {"patch", "arm"}
    assert max(map(abs, errors.values())) < 1e-6
    inches = {n.name: n.shape for n in imports.read("outline.dxf", drawing(units=1))}
    assert area(inches["arm"]) == pytest.approx(25.4**2 * area(made["arm"]), rel=1e-9)
    unstated = {n.name: n.shape for n in imports.read("outline.dxf", drawing(units=0), unit="m")}
    assert area(unstated["arm"]) == pytest.approx(1e6 * area(made["arm"]), rel=1e-9)


def test_there_are_twenty_bodies_and_more() -> None:
    assert len(FORMS) >= 20


@pytest.mark.parametrize("name", FORMS)
def test_step_keeps_volume_area_place_and_name(name: str, tmp_path: Path) -> None:
    made = body(*FORMS[name][0])
    exchange.write_step(
        [exchange.Named("Flügel 7", made.shape, "#3c6480")], tmp_path / "a.step", made.unit
    )
    (back,), unit = exchange.read_step(tmp_path / "a.step")
    again = Body("again", 0, back.shape, "perfect conductor", unit, f"again {name}")
    assert (back.name, back.colour) == ("Flügel 7", "#3c6480")
    if made.solid:
        assert again.volume == pytest.approx(made.volume, rel=1e-6)
    assert again.area == pytest.approx(made.area, rel=1e-6)
    assert np.allclose(again.bounds, made.bounds, atol=1e-6 * np.ptp(made.bounds))


@pytest.mark.parametrize("deflection", [1e-3, 1e-4, 1e-5])
def test_stl_comes_as_near_as_asked(deflection: float, tmp_path: Path) -> None:
    """A facet within d of a sphere of radius r: the polyhedron's volume is short by at most 1 − (1
    − d/r)³.
    """
    r = 0.02
    made = body({"kind": "sphere", "radius": "20 mm"})
    exchange.write_stl(
        [exchange.Named("ball", made.shape)], tmp_path / "a.stl", made.unit, deflection
    )
    data = (tmp_path / "a.stl").read_bytes()
    points, triangles = exchange.read_stl(data)
    area, volume = mesh_figures(points * MM, triangles)
    short = 1 - volume / (4 / 3 * PI * r**3)
    print(
        f"d = {deflection} m: {len(triangles)} triangles, volume short by {short:.1e}, area by"
        f" {1 - area / (4 * PI * r * r):.1e}"
    )
    assert 0 < short < 1 - (1 - deflection / r) ** 3
    assert 0 < 1 - area / (4 * PI * r * r) < 2 * deflection / r
    assert np.abs(np.linalg.norm(points, axis=1) - 20).max() < 1e-4, (
        "corners lie on the exact sphere (float32 file)"
    )
    assert struct.unpack("<I", data[80:84])[0] == len(triangles)


def test_triangles_are_wound_outward_and_know_their_face() -> None:
    mesh = triangulate(
        body(
            {"kind": "box", "size": ["40 mm", "20 mm", "10 mm"]},
            {
                "kind": "box",
                "corner": ["5 mm", "5 mm", "5 mm"],
                "size": ["10 mm", "10 mm", "10 mm"],
            },
            {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
        ).shape
    )
    assert mesh_figures(mesh.points, mesh.triangles)[1] == pytest.approx(
        (8000 - 500) * (MM / 1e-3) ** 3
    )
    assert set(mesh.face) == set(range(11))
    assert len(mesh.edges) == 24


def test_gltf_is_metres_and_upright(tmp_path: Path) -> None:
    """glTF 2.0: little-endian header, JSON chunk; metres, +y up."""
    made = body({"kind": "box", "size": ["40 mm", "20 mm", "100 mm"]})
    exchange.write_gltf([exchange.Named("post", made.shape)], tmp_path / "a.glb", made.unit)
    data = (tmp_path / "a.glb").read_bytes()
    magic, version, total, length, kind = struct.unpack("<IIIII", data[:20])
    assert (magic, version, total, kind) == (0x46546C67, 2, len(data), 0x4E4F534A)
    scene = json.loads(data[20 : 20 + length])
    low = [
        min(a["min"][k] for a in scene["accessors"] if "min" in a and a["type"] == "VEC3")
        for k in range(3)
    ]
    high = [
        max(a["max"][k] for a in scene["accessors"] if "max" in a and a["type"] == "VEC3")
        for k in range(3)
    ]
    matrix = next((n["matrix"] for n in scene["nodes"] if "matrix" in n), None)
    size = np.subtract(high, low)
    assert sorted(size) == pytest.approx([0.02, 0.04, 0.1]) or matrix is not None
    assert any(n.get("name") == "post" for n in scene["nodes"])


def test_closed_triangles_become_a_solid_again(tmp_path: Path) -> None:
    made = body({"kind": "cone", "radius": "30 mm", "top": "10 mm", "height": "40 mm"})
    exchange.write_stl([exchange.Named("cone", made.shape)], tmp_path / "a.stl", made.unit, 1e-4)
    points, triangles = exchange.read_stl((tmp_path / "a.stl").read_bytes())
    shape, closed = exchange.sewn(points, triangles, 1e-5)
    assert closed
    again = Body("again", 0, shape, "perfect conductor", MM, "sewn cone")
    assert again.volume == pytest.approx(mesh_figures(points * MM, triangles)[1], rel=1e-6)
    _, still = exchange.sewn(points, triangles[1:], 1e-5)
    assert not still, "a missing triangle leaves it open"


@pytest.mark.parametrize("scale", [1e-9, 1e-6, 1e-3, 1.0])
def test_units_fit_the_wavelength_from_gold_grains_to_ships(scale: float) -> None:
    """The same body at a thousandth or a billionth of the size, with a band to match, has the same
    relative figures.
    """
    document = {
        "parts": [
            {
                "kind": "box",
                "name": "a",
                "size": [f"{40 * scale} m", f"{20 * scale} m", f"{10 * scale} m"],
            },
            {
                "kind": "sphere",
                "name": "b",
                "centre": [f"{40 * scale} m", "0", "0"],
                "radius": f"{6 * scale} m",
            },
            {"kind": "combine", "name": "c", "operation": "cut", "first": "a", "others": ["b"]},
        ],
        "plan": {"f_start": f"{3e7 / scale} Hz", "f_stop": f"{3e7 / scale} Hz"},
    }
    made = build_geometry(evaluate_document(load_document(document))).bodies[-1]
    assert made.volume / scale**3 == pytest.approx(8000 - 4 / 3 * PI * 216 / 8, rel=1e-6)
