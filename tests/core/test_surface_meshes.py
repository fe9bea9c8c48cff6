"""Triangles of metal: how they are made, what is integrated over them, and what is refused."""

from __future__ import annotations

from collections import Counter
from itertools import product
from typing import Any

import numpy as np
import pytest

from heron.checks import examine
from heron.checks.preflight import Examination
from heron.engines import ENGINES
from heron.engines.moments import triangle_static as static
from heron.engines.moments.linear import MIXED_FROM, solved
from heron.fields.triangles import RULE_3, RULE_7
from heron.model import load_document
from tests.models import plan

UNIT = np.array([[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.3, 0.8, 0.1]])


def sheet(name: str, corner: list[str], size: list[str], axis: str = "z") -> dict[str, Any]:
    return {
        "kind": "rectangle",
        "name": name,
        "corner": corner,
        "size": size,
        "axis": axis,
        "material": "copper",
    }


PLATE = sheet("plate", ["-20 mm", "-20 mm", "0"], ["40 mm", "40 mm"])


def looked(*parts: dict[str, Any], **more: Any) -> Examination:
    own = plan("2 GHz", "3 GHz", 3, engine="moments")
    return examine(load_document({"parts": list(parts), "plans": [own], **more}))


def pin(name: str, x: str, y: str = "0", radius: str = "0.3 mm", **more: Any) -> dict[str, Any]:
    return {
        "kind": "wire",
        "name": name,
        "start": [x, y, "0"],
        "end": [x, y, "8 mm"],
        "radius": radius,
        **more,
    }


def feed(part: str, at: str = "0.5") -> dict[str, Any]:
    return {"kind": "gap", "number": 1, "part": part, "at": at}


def met(mesh: Any) -> Counter[int]:
    """How many edges have so many triangles."""
    edges = Counter(
        tuple(sorted((int(t[i]), int(t[(i + 1) % 3])))) for t in mesh.triangles for i in range(3)
    )
    return Counter(edges.values())


def pair(a: np.ndarray, b: np.ndarray, shared: list[tuple[int, int]]) -> np.ndarray:
    """The eight numbers of two triangles, of which corners (i, j) are one."""
    corners = np.ascontiguousarray([a, b])
    number = np.arange(6).reshape(2, 3)
    for i, j in shared:
        number[1, j] = number[0, i]
    centre = corners.mean(axis=1)
    out = np.empty((3, static.KEPT))
    partner = np.empty(3, dtype=np.int64)
    static.near_static(
        corners,
        number,
        np.zeros(6, dtype=bool),
        centre,
        np.full(2, 10.0),
        np.array([0, 2, 3]),
        0.0,
        False,
        *static.touching_rules(),
        RULE_7,
        partner,
        out,
    )
    return out[1]


def centres(steps: int) -> tuple[np.ndarray, np.ndarray]:
    """Of ``steps``² triangles that one is divided into: shares of its second and third corner."""
    i, j = (g.ravel() for g in np.meshgrid(np.arange(steps), np.arange(steps)))
    up, down = i + j < steps, i + j < steps - 1
    u = np.concatenate((i[up] + 1 / 3, i[down] + 2 / 3)) / steps
    v = np.concatenate((j[up] + 1 / 3, j[down] + 2 / 3)) / steps
    return u, v


def test_rules_have_the_weights_of_what_they_cover() -> None:
    for rule in static.touching_rules():
        assert rule[:, 4].sum() == pytest.approx(0.25, abs=1e-14)
        assert (rule[:, :4] >= 0).all() and (rule[:, 1] <= rule[:, 0]).all()
    for rule in (RULE_3, RULE_7):
        assert rule[:, 3].sum() == pytest.approx(1, abs=1e-12)
        assert rule[:, :3].sum(axis=1) == pytest.approx(1, abs=1e-12)


def test_a_triangle_by_itself_is_its_four_quarters_by_each_other() -> None:
    """∫∫ 1/R of a half-sized triangle is an eighth: pairs that are one, share a side or a corner,
    or nothing, must add up.
    """
    middle = 0.5 * (UNIT + np.roll(UNIT, -1, axis=0))
    quarters = [
        np.array([UNIT[0], middle[0], middle[2]]),
        np.array([middle[0], UNIT[1], middle[1]]),
        np.array([middle[2], middle[1], UNIT[2]]),
        middle,
    ]
    total = 0.0
    for a, b in product(range(4), repeat=2):
        if a == b:
            continue
        shared = [
            (i, j)
            for i, j in product(range(3), repeat=2)
            if np.linalg.norm(quarters[a][i] - quarters[b][j]) < 1e-12
        ]
        total += pair(quarters[a], quarters[b], shared)[0]
    own = pair(UNIT, UNIT, [(0, 0), (1, 1), (2, 2)])[0]
    print("self:", own, "by its quarters:", 4 * own / 8 + total)
    assert 4 * own / 8 + total == pytest.approx(own, rel=2e-5)


def test_the_potential_of_a_triangle_is_what_many_points_give() -> None:
    """∫ 1/R, ∫ (r' − r)/R and ∇ ∫ 1/R in closed form, against a fine rule; above a corner too."""
    u, v = centres(100)
    points = UNIT[0] + np.outer(u, UNIT[1] - UNIT[0]) + np.outer(v, UNIT[2] - UNIT[0])
    area = np.linalg.norm(np.cross(UNIT[1] - UNIT[0], UNIT[2] - UNIT[0])) / 2
    out = np.empty(7)
    for r in (np.array([0.4, 0.3, 0.5]), np.array([0.0, 0.0, 0.6]), np.array([-1.0, 2.0, 0.0])):
        static.potential(r, UNIT, out)
        gap = np.linalg.norm(points - r, axis=1)
        way = points - r
        means = (np.mean(way / gap[:, None] ** n, axis=0) for n in (1, 3))
        expected = [np.mean(1 / gap), *np.concatenate(list(means))]
        assert out == pytest.approx(area * np.array(expected), rel=1e-3, abs=1e-3)


def test_near_triangles_in_closed_form_and_by_many_points_agree() -> None:
    above = UNIT + np.array([0.2, 0.1, 0.15])
    found = pair(UNIT, above, [])
    u, v = centres(24)
    a = UNIT[0] + np.outer(u, UNIT[1] - UNIT[0]) + np.outer(v, UNIT[2] - UNIT[0])
    b = a + np.array([0.2, 0.1, 0.15])
    area = np.linalg.norm(np.cross(UNIT[1] - UNIT[0], UNIT[2] - UNIT[0])) / 2
    fine = np.mean(1 / np.linalg.norm(a[:, None] - b[None], axis=2)) * area**2
    assert found[0] == pytest.approx(fine, rel=1e-3)


def test_sheets_that_meet_share_points_and_three_meet_at_an_edge() -> None:
    fin = sheet("fin", ["0", "-10 mm", "0"], ["20 mm", "15 mm"], "x")
    mesh = looked(PLATE, fin, pin("whip", "12 mm"), feeds=[feed("whip")]).discretisation.mesh
    edges = met(mesh)
    assert edges[3] >= 2 and not mesh.closed.any()
    area = {n: mesh.area[mesh.part == k].sum() for k, n in enumerate(mesh.parts)}
    assert area["plate"] == pytest.approx(1600e-6, rel=1e-9)
    assert area["fin"] == pytest.approx(300e-6, rel=1e-9)
    assert area["whip"] == pytest.approx(8e-3 * np.exp(1.5) * 0.3e-3, rel=1e-6)


def test_solids_that_touch_are_one_closed_surface_without_what_is_inside() -> None:
    box = {"kind": "box", "size": ["20 mm", "20 mm", "10 mm"], "material": "copper"}
    mesh = looked(
        {**box, "name": "one", "corner": ["0", "0", "0"]},
        {**box, "name": "two", "corner": ["20 mm", "0", "0"]},
        sheet("buried", ["5 mm", "5 mm", "5 mm"], ["8 mm", "8 mm"]),
    ).discretisation.mesh
    assert mesh.closed.all() and set(met(mesh)) == {2}
    assert mesh.area.sum() == pytest.approx(2 * (40 * 20 + 40 * 10 + 20 * 10) * 1e-6, rel=1e-9)
    outwards = ((mesh.centre - [0.02, 0.01, 0.005]) * mesh.normal).sum(axis=1)
    assert (outwards > 0).all()


def test_bent_faces_hold_as_much_as_they_do() -> None:
    ball = {"kind": "sphere", "radius": "30 mm", "material": "copper"}
    mesh = looked({**ball, "name": "ball"}).discretisation.mesh
    c = mesh.corners
    volume = np.einsum("ti,ti->", c[:, 0], np.cross(c[:, 1], c[:, 2])) / 6
    assert volume == pytest.approx(4 / 3 * np.pi * 30e-3**3, rel=1e-3)


def test_triangles_at_a_gap_are_no_larger_than_it() -> None:
    hole = sheet("hole", ["-15 mm", "-0.5 mm", "0"], ["30 mm", "1 mm"])
    cut = {"kind": "combine", "name": "slotted", "operation": "cut", "first": "plate"}
    mesh = looked(PLATE, hole, {**cut, "others": ["hole"]}).discretisation.mesh
    beside = np.abs(mesh.corners[:, :, 1]).min(axis=1) < 0.51e-3
    middle = np.abs(mesh.centre[:, 0]) < 10e-3
    assert mesh.longest_side[beside & middle].max() < 2e-3
    over = sheet("over", ["-10 mm", "-2 mm", "1.5 mm"], ["20 mm", "4 mm"])
    mesh = looked(PLATE, over).discretisation.mesh
    beneath = (mesh.part == 0) & (np.abs(mesh.centre[:, :2]) < [10e-3, 2e-3]).all(axis=1)
    assert np.median(mesh.longest_side[beneath]) < 3.5e-3


def test_a_wire_at_a_rim_lies_along_it_and_at_a_corner_is_refused() -> None:
    rim = looked(PLATE, pin("whip", "20 mm"), feeds=[feed("whip")])
    assert rim.sound and met(rim.discretisation.mesh)[3] == 0
    corner = looked(PLATE, pin("whip", "20 mm", "20 mm"), feeds=[feed("whip")])
    (told,) = [p for p in corner.errors if "too near to its rim" in p.message]
    assert told.path == ("parts", 1) and "move the wire inwards" in told.message


def test_wires_that_join_lie_in_a_plane_and_are_as_thick() -> None:
    top = {
        "kind": "wire",
        "name": "top",
        "start": ["12 mm", "0", "8 mm"],
        "end": ["0", "0", "8 mm"],
        "radius": "0.3 mm",
    }
    mesh = looked(PLATE, pin("post", "12 mm"), top, feeds=[feed("post")]).discretisation.mesh
    assert not mesh.errors
    shared = set(mesh.triangles[mesh.part == 1].ravel()) & set(
        mesh.triangles[mesh.part == 2].ravel()
    )
    assert len(shared) == 2, "an edge"
    thick = looked(PLATE, pin("post", "12 mm"), {**top, "radius": "1 mm"}, feeds=[feed("post")])
    assert any("not as thick" in p.message for p in thick.errors)


def test_what_is_wrong_with_a_feed_is_said_there() -> None:
    lost = looked(PLATE, pin("whip", "0"), feeds=[feed("mast")])
    assert any(p.path[:2] == ("feeds", 0) and "mast" in p.message for p in lost.errors)
    far = looked(PLATE, pin("whip", "0"), feeds=[feed("whip", "1.5")])
    assert any(p.path == ("feeds", 0, "at") for p in far.errors)


def test_triangles_too_coarse_are_told_where_they_are() -> None:
    own = plan("2 GHz", "3 GHz", 3, engine="moments")
    own["settings"] = {"moments": {"segments_per_wavelength": "8"}}
    field = sheet("field", ["0", "0", "0"], ["200 mm", "200 mm"])
    told = examine(load_document({"parts": [field], "plans": [own]})).problems
    (coarse,) = [p for p in told if p.code == "coarse-triangles"]
    assert "“field”" in coarse.message and coarse.point is not None
    assert coarse.path[-1] == "segments_per_wavelength"
    assert not [p for p in looked(field).problems if p.code == "coarse-triangles"]


def test_metal_goes_to_this_engine_and_what_is_dear_or_of_other_stuff_does_not() -> None:
    def chosen(*parts: dict[str, Any], top: str = "3 GHz", **more: Any) -> tuple[str, str]:
        own = plan("1 GHz", top, 3)
        found = examine(load_document({"parts": list(parts), "plans": [own], **more}))
        return found.engine, found.engine_reason

    fed = {"feeds": [feed("whip")]}
    engine, reason = chosen(PLATE, pin("whip", "0"), **fed)
    assert engine == "moments" and "all parts are of metal" in reason
    block = {"kind": "box", "name": "foam", "size": ["9 mm", "9 mm", "2 mm"]}
    assert chosen(PLATE, pin("whip", "0"), {**block, "material": "rigid foam"}, **fed)[0] == (
        "transient"
    )
    assert chosen(PLATE, pin("whip", "0"), top="90 GHz", **fed)[0] == "transient"
    large = looked(sheet("field", ["0", "0", "0"], ["30 m", "30 m"]))
    assert any("triangles" in p.message for p in large.errors)
    walls = looked(PLATE, surround={"walls": ["PEC", *["open"] * 5]})
    assert any("reflecting walls" in p.message for p in walls.errors)


def test_triangles_can_be_looked_at_before_a_run() -> None:
    found = looked(PLATE, pin("whip", "0"), feeds=[feed("whip")])
    engine = ENGINES["moments"]
    view = engine.views["triangles"]
    seen = view.show(engine, found.model, found.geometry, found.discretisation, view.asks())
    count = found.discretisation.mesh.corners.shape[0]
    assert seen.arrays["corners"].shape == (count, 3, 3)
    assert 0 < seen.arrays["quality"].min() <= seen.arrays["quality"].max() <= 1
    assert seen.arrays["resolved"].min() > 5
    told = engine.stage(found.model, found.discretisation)["mesh"]
    assert told["triangles"] == count and told["unknowns"] == found.discretisation.unknowns


def test_half_of_the_digits_and_steps_solve_as_well_as_all() -> None:
    rng = np.random.default_rng(3)
    n = MIXED_FROM
    a = rng.normal(size=(n, n)) + 1j * rng.normal(size=(n, n))
    for symmetric in (True, False):
        matrix = a + a.T + 40 * np.eye(n) if symmetric else a + 40 * np.eye(n)
        right = rng.normal(size=(n, 2)).astype(complex)
        found = solved(matrix.copy(), right, symmetric)
        residual = np.linalg.norm(matrix @ found - right) / np.linalg.norm(right)
        print("residual:", residual)
        assert residual < 1e-8
    singular = np.ones((n, n), dtype=complex) + 1e-9 * a
    right = rng.normal(size=(n, 1)).astype(complex)
    found = solved(singular.copy(), right, symmetric=False)
    assert np.linalg.norm(singular @ found - right) < 1e-4 * np.linalg.norm(right)
