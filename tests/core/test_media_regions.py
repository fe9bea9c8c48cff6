"""Bodies of media in the moments engine: their functions, what is refused, and what deserves a
look.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.checks import examine
from heron.checks.preflight import Examination
from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.engines.moments.region_basis import region_basis
from heron.errors import ModelError
from heron.model import load_document
from heron.quantities.constants import ETA0
from tests.models import medium_mesh, plan

# a pyramid on a square of two triangles, normals outwards
POINTS = np.array([[0, 0, 0.0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0.5, 1]])
BASE = [[0, 2, 1], [0, 3, 2]]
SLOPES = [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]


def pyramid(metal: list[int], grounded: bool = False, gap: SurfaceGap | None = None) -> SurfaceMesh:
    """A body of a medium, of which triangles are covered with ``metal``."""
    return medium_mesh(
        POINTS,
        SLOPES if grounded else BASE + SLOPES,
        grounded,
        metal,
        feeds=[] if gap is None else [gap],
    )


def counted(mesh: SurfaceMesh) -> tuple[int, int]:
    """How many functions of either sort there are."""
    basis = region_basis(mesh)
    sorts = [
        set(np.concatenate([b.function for b in of]).tolist())
        for of in (basis.electric, basis.magnetic)
    ]
    assert not sorts[0] & sorts[1] and sorted(sorts[0] | sorts[1]) == list(range(basis.size))
    return len(sorts[0]), len(sorts[1])


def test_functions_at_the_edges_of_media_and_metal() -> None:
    """Of nine edges: one function of either sort at each; where metal is, no magnetic one, and
    between two triangles of metal an electric one on either side.
    """
    assert counted(pyramid([])) == (9, 9)
    assert counted(pyramid([0, 1])) == (9 + 1, 9 - 5)
    # at the ground, which is metal and ends the base: four edges on it, four to the top
    assert counted(pyramid([], grounded=True)) == (8, 4)


def test_surfaces_that_contradict_each_other_are_refused() -> None:
    """One triangle of a closed body whose inside is said to be outside."""
    mesh = pyramid([])
    mesh.sides[3] = [0, 1]
    with pytest.raises(ModelError, match="do not fit together"):
        region_basis(mesh)


def test_current_of_metal_is_that_on_both_sides_and_that_of_media_is_none() -> None:
    """Functions of one region and of the other add up on metal only."""
    basis = region_basis(pyramid([0, 1]))
    total = basis.total()
    assert set(total.triangle.tolist()) == {0, 1}
    assert set(region_basis(pyramid([])).total().triangle.tolist()) == set()


def test_the_field_in_a_gap_is_known() -> None:
    """1 V over the base from x = 0 to 1: along its diagonal 1/√2 V/m, along its sides 1 or none."""
    gap = SurfaceGap(np.array([0, 1]), np.array([1.0, 0.0, 0.0]), 1.0, POINTS[:4].mean(axis=0))
    basis = region_basis(pyramid([0, 1], gap=gap))
    amounts = sorted(abs(a) * ETA0 for _, of, a in basis.known if of is gap)
    assert amounts == pytest.approx([0, 0, np.sqrt(0.5), 1, 1], abs=1e-12)


def looked(*parts: dict[str, Any], **more: Any) -> Examination:
    own = plan("2 GHz", "3 GHz", 3, engine="moments")
    return examine(load_document({"parts": list(parts), "plans": [own], **more}))


BLOCK = {"kind": "box", "name": "block", "size": ["20 mm", "20 mm", "8 mm"], "material": "alumina"}
SHEET = {
    "kind": "rectangle",
    "name": "patch",
    "corner": ["4 mm", "4 mm", "8 mm"],
    "size": ["10 mm", "10 mm"],
    "material": "copper",
}
WAVE = {"kind": "plane_wave", "name": "wave", "travels": ["0", "0", "-1"]}


def test_what_is_refused_and_what_deserves_a_look() -> None:
    sound = looked(BLOCK, illuminations=[WAVE])
    assert sound.sound and sound.engine == "moments"
    patched = looked(BLOCK, SHEET, illuminations=[WAVE])
    told = next(p for p in patched.problems if p.code == "metal-on-media")
    assert "“patch”" in told.message and told.level == "look" and told.point is not None
    sheet = looked({**SHEET, "material": "alumina"}, illuminations=[WAVE])
    assert any("“patch” is a sheet" in p.message for p in sheet.errors)
    many = looked({**BLOCK, "size": ["90 mm", "90 mm", "8 mm"]}, illuminations=[WAVE])
    assert any("bodies of media need the whole matrix" in p.message for p in many.errors)
    capture = {"kind": "characteristic_modes", "name": "modes"}
    modes = looked(BLOCK, SHEET, illuminations=[WAVE], captures=[capture])
    assert any("metal alone" in p.message for p in modes.errors)
    coarse = plan("2 GHz", "9 GHz", 3, engine="moments", settings={"moments": {}})
    coarse["settings"]["moments"]["segments_per_wavelength"] = "10"
    found = examine(load_document({"parts": [BLOCK], "illuminations": [WAVE], "plans": [coarse]}))
    assert any("λ there at the top" in p.message for p in found.problems)


def test_vacuum_is_no_medium() -> None:
    """A hollow is cut out of what it is in, and is as the outside."""
    hollow = {
        "kind": "box",
        "name": "hollow",
        "corner": ["4 mm", "4 mm", "2 mm"],
        "size": ["8 mm", "8 mm", "4 mm"],
        "material": "vacuum",
    }
    mesh = looked(BLOCK, hollow, illuminations=[WAVE]).discretisation.mesh
    assert mesh.media == ["alumina"]
    assert sorted(set(map(tuple, np.sort(mesh.sides, axis=1).tolist()))) == [(0, 1)]
    inner = (np.abs(mesh.centre - [8e-3, 8e-3, 4e-3]) < [4.1e-3, 4.1e-3, 2.1e-3]).all(axis=1)
    area = mesh.area[inner].sum()
    assert area == pytest.approx(2 * 64e-6 + 4 * 32e-6, rel=1e-6)
