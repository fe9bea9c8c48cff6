"""Grid lines, fillings, and what is said about a time-domain model before it runs."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csc_matrix, identity
from scipy.sparse.linalg import spsolve

from heron.checks import Examination, examine
from heron.discretise import features, filling
from heron.discretise.grid import INSIDE, RATIO, SLACK, Axis, lines, settle_edges
from heron.engines.transient.contents import fill
from heron.engines.transient.cut import cut
from heron.engines.transient.engine import FILLED_AT_ONCE
from heron.errors import ModelError
from heron.excitation.pulse import pulse_of
from heron.model import load_document
from heron.shapes.mesh import triangulate
from server.config import ROOT
from tests.models import planned
from tests.reference.test_exact_bodies import body

SETTINGS = ("plans", 0, "settings", "transient")


@given(st.lists(st.floats(0.01, 0.99), min_size=0, max_size=6), st.floats(0.02, 0.2))
@settings(max_examples=60, deadline=None)
def test_lines_meet_their_marks_and_grade_smoothly(marks: list[float], largest: float) -> None:
    least = largest / 60
    found = lines(Axis(0.0, 1.0, largest, least, marks=list(marks)), 2).lines
    steps = np.diff(found)
    assert (steps > 0).all()
    assert steps.max() <= largest * (1 + SLACK)
    assert (found[0], found[-1]) == (0.0, 1.0)
    for m in marks:
        assert np.abs(found - m).min() <= least * max(1, len(marks)), "a mark has no line"
    ratio = np.maximum(steps[1:] / steps[:-1], steps[:-1] / steps[1:])
    # Stretches hardly longer than the finest cell are one cell, whatever their neighbours.
    fine = (steps[1:] < 2.1 * least) | (steps[:-1] < 2.1 * least)
    assert ratio[~fine].max(initial=1) < 1.6 * RATIO


def test_a_smaller_size_stays_where_it_was_asked() -> None:
    found = lines(Axis(0.0, 1.0, 0.1, 1e-3, sizes=[(0.4, 0.5, 0.01)]), 2).lines
    steps, middles = np.diff(found), 0.5 * (found[1:] + found[:-1])
    assert steps[(middles > 0.41) & (middles < 0.49)].max() < 0.0125
    assert steps[0] > 0.05
    assert len(steps) < 45, "no small cells where none were asked"


def test_edges_of_thin_metal_lie_where_the_grid_sees_them() -> None:
    axis = Axis(0.0, 1.0, 0.1, 1e-3, edges=[(0.3, -1, 0.03), (0.7, 1, 0.03)])
    settle_edges(axis)
    found = lines(axis, 2).lines
    for edge, inside in ((0.3, 1), (0.7, -1)):
        nearest = np.sort(found[np.argsort(np.abs(found - edge))[:2]])
        assert np.diff(nearest)[0] == pytest.approx(0.03)
        inner = nearest[1] if inside > 0 else nearest[0]
        assert abs(inner - edge) == pytest.approx(INSIDE * 0.03), (
            "so much of the cell lies inside the metal"
        )
        beside = np.diff(found)[np.abs(0.5 * (found[1:] + found[:-1]) - edge) < 2 * 0.03]
        assert len(beside) >= 3
        assert beside == pytest.approx(0.03, rel=0.2), "and those beside are as large"
    shared = Axis(0.0, 1.0, 0.1, 1e-3, marks=[0.3], edges=[(0.3, -1, 0.03)])
    settle_edges(shared)
    assert np.abs(lines(shared, 2).lines - 0.3).min() < 1e-12, (
        "a mark of something else keeps its line"
    )


def test_edges_of_a_sheet_end_it_or_only_ask_for_a_line() -> None:
    """A line across a sheet, as an imprint leaves one, is no edge of the metal, but has a line; of
    a platform of many edges no distances are looked at.
    """
    square = np.array(
        [[[0, 0, 0], [1, 0, 0], [1, 1, 0]], [[0, 0, 0], [1, 1, 0], [0, 1, 0]]], dtype=float
    )
    around = [np.array([[x, 0.0, 0.0], [x, 1.0, 0.0]]) for x in (0.0, 0.4, 1.0)]
    asked = features.Asked(largest=1.0, coarse=0.5, finest=1e-3, cells=2.0)
    for lines_of, size in (
        (around, [0.2, 0.2, 0.3]),
        (around * features.MOST_EDGES, [0.5, 0.5, 0.5]),
    ):
        sheet = features.Conductor(np.zeros(3), np.array([1.0, 1.0, 0.0]), square, lines_of, 2)
        found = features.features_beside([sheet], [], {}, lambda a, b: 1.0, [], asked)
        assert [end.side for end in found.ends[:3]] == [-1, 0, 1]
        assert [end.size for end in found.ends[:3]] == pytest.approx(size)
    none = features.features_beside(
        [sheet], [], {}, lambda a, b: 1.0, [(0, 0.0), (0, 0.4), (0, 1.0)], asked
    )
    assert not none.ends, "metal goes on in the planes of feeds"


def test_how_far_a_half_plane_seems_to_reach_on_a_lattice() -> None:
    """The potential of a conducting half plane goes as the root of the distance from where it ends.

    On a square lattice whose last conducting line is at zero it is that of a plane that ends √2/4
    of a cell farther out, by the factors of the lattice's own symbol (the method of Wiener and
    Hopf; physics.md, "Edges").
    """
    n = 240
    at = np.arange(-n, n + 1)
    x, z = np.meshgrid(at, at, indexing="ij")
    number = np.full(x.shape, -1)
    free = (np.abs(x) < n) & (np.abs(z) < n) & ~((z == 0) & (x <= 0))
    number[free] = np.arange(free.sum())
    outside = np.real(np.sqrt(x - INSIDE + 1j * z + 0j))
    row, column, rest = [], [], np.zeros(free.sum())
    for dx, dz in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        beside = np.roll(np.roll(number, -dx, 0), -dz, 1)[free]
        value = np.roll(
            np.roll(np.where(free, 0, np.where((z == 0) & (x <= 0), 0, outside)), -dx, 0), -dz, 1
        )[free]
        inner = beside >= 0
        row.append(np.flatnonzero(inner))
        column.append(beside[inner])
        rest += np.where(inner, 0, value)
    links = np.concatenate(row)
    matrix = csc_matrix(
        (-np.ones(len(links)), (links, np.concatenate(column))), shape=(len(rest), len(rest))
    ) + 4 * identity(len(rest))
    found = spsolve(csc_matrix(matrix), rest)[number[n + 1 : n + 40, n]]
    ends = np.arange(1, 40) - found**2 / np.mean(found[20:] ** 2 / (np.arange(21, 40) - INSIDE))
    print(
        f"a half plane on a lattice ends {np.round(ends[[5, 10, 20]], 4)} of a cell beyond its last"
        f" line, √2/4 = {INSIDE:.4f}"
    )
    assert ends[5:] == pytest.approx(INSIDE, abs=0.01)


def corners(step: dict[str, Any]) -> np.ndarray:
    made = body(step)
    found = triangulate(made.shape, 1e-5 / made.unit)
    return np.asarray(found.points[found.triangles] * made.unit)


@pytest.mark.parametrize(
    ("step", "volume"),
    [
        ({"kind": "box", "size": ["20 mm", "10 mm", "5 mm"]}, 1e-6),
        ({"kind": "sphere", "radius": "10 mm"}, 4 / 3 * np.pi * 1e-6),
        (
            {"kind": "cylinder", "radius": "5 mm", "inner": "3 mm", "height": "20 mm", "axis": "x"},
            np.pi * 16e-6 * 0.02,
        ),
    ],
)
def test_shares_of_cells_add_up_to_the_volume(step: dict[str, Any], volume: float) -> None:
    grid = [np.linspace(-25e-3, 25e-3, n) for n in (101, 111, 121)]
    (ix, iy, iz), share = filling.fractions(corners(step), *grid)
    cell = np.prod([a[1] - a[0] for a in grid])
    error = share.sum() * cell / volume - 1
    print(f"{step['kind']}: volume on the grid {error:+.2%}")
    assert abs(error) < 0.01
    assert 0 <= share.min() <= share.max() <= 1
    assert share.shape == (ix.stop - ix.start, iy.stop - iy.start, iz.stop - iz.start)


def test_points_on_a_sheets_edge_count_as_covered() -> None:
    square = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]], dtype=float)
    u = np.array([-0.5, 0.0, 0.5, 1.0, 1.5])
    wanted = np.array([False, True, True, True, False])
    assert (filling.covered(square, u, u, 1e-6) == wanted[:, None] & wanted[None, :]).all()


SNAPS = {
    "kind": "snapshots",
    "name": "s",
    "corner": ["0", "0", "0"],
    "along": ["9 mm", "0", "0"],
    "across": ["0", "9 mm", "0"],
    "interval": "0.1 ns",
}


def patch(change: dict[str, Any] | None = None, **sets: str) -> Examination:
    document = json.loads((ROOT / "examples" / "roof-patch.json").read_text())
    for path, value in (change or {}).items():
        if path.startswith("plan."):
            document = planned(document, **{path.removeprefix("plan."): value})
            continue
        at: Any = document
        *keys, last = [int(k) if k.isdigit() else k for k in path.split(".")]
        for key in keys:
            at = at[key]
        at[last] = value
        if value is None:
            del at[last]
    return examine(load_document(document), sets)


def test_the_patch_is_given_to_the_transient_engine_with_a_reason_and_a_forecast() -> None:
    found = patch()
    assert found.sound, [p.message for p in found.errors]
    assert found.engine == "transient"
    assert "grid" in found.engine_reason
    assert found.forecast is not None
    assert (found.forecast.size, found.forecast.what) == (
        found.discretisation.structure.cells,
        "cells",
    )
    assert "cells, about" in found.forecast.reason
    s = found.discretisation.structure
    h = 1.524e-3
    for z in (0, h):
        assert np.abs(s.z - z).min() < 1e-9, "the board's faces have lines"
    assert ((s.z > 1e-9) & (s.z < h - 1e-9)).sum() >= 2
    assert s.means is not None and s.means[0].max() == pytest.approx(3.55)
    assert s.metal[:, :, :, np.abs(s.z).argmin()].any()


@pytest.mark.parametrize(
    ("change", "where", "words"),
    [
        (
            {"plan.cells_per_wavelength": "5"},
            (*SETTINGS, "cells_per_wavelength"),
            "coarser grids do not carry a wave",
        ),
        ({"plan.decay": "5"}, (*SETTINGS, "decay"), "20 to 100 dB"),
        ({"plan.longest": "0.2 ns"}, (*SETTINGS, "longest"), "cut the pulse off"),
        (
            {"surround": {"kind": "open", "margin": "-1 mm"}},
            ("surround", "margin"),
            "must be above zero",
        ),
        ({"loads": [{"name": "r", "part": "nothing"}]}, ("loads", 0, "part"), "there is no wire"),
        (
            {"loads": [{"name": "r", "part": "feed pin", "resistance": "1 ohm"}]},
            ("loads", 0, "at"),
            "in the same cell as feed 1",
        ),
        ({"feeds.0.part": "nothing"}, ("feeds", 0, "part"), "there is no wire"),
        ({"feeds.0.at": "2"}, ("feeds", 0, "at"), "from 0 to 1"),
        (
            {"parts.7.end": ["0", "-board / 2", "h / 2"], "feeds.0.at": "1"},
            ("feeds", 0),
            "not connected",
        ),
        ({"surround": {"kind": "ground", "height": "1 mm"}}, ("parts", 0), "below the ground"),
        (
            {
                "parts.1.corner": ["-board / 2", "-board / 2 - 5 mm", "h / 2"],
                "parts.1.kind": "box",
                "parts.1.size": ["board", "board", "h / 2"],
                "parts.1.axis": None,
            },
            ("feeds", 0, "at"),
            "lies in the metal of “ground”",
        ),
        (
            {"plan.pulse_start": "3 GHz", "plan.pulse_stop": "2 GHz"},
            ("plans", 0, "pulse_stop"),
            "covers a band from above 0 Hz upwards",
        ),
        (
            {"plan.pulse_start": "5 GHz", "plan.pulse_stop": "6 GHz"},
            ("plans", 0, "pulse_start"),
            "would be noise",
        ),
        (
            {
                "refinements": [
                    {"kind": "fine_part", "name": "r", "part": "nothing", "cell": "1 mm"}
                ]
            },
            ("refinements", 0, "part"),
            "no part “nothing” to refine",
        ),
        (
            {
                "refinements": [
                    {
                        "kind": "fine_box",
                        "name": "r",
                        "corner": ["0", "0", "0"],
                        "size": ["1 mm", "1 mm", "1 mm"],
                        "cell": "0",
                    }
                ]
            },
            ("refinements", 0, "cell"),
            "larger than zero",
        ),
        (
            {"loads": [{"kind": "parallel", "name": "r", "part": "feed pin"}]},
            ("loads", 0, "resistance"),
            "no R, L or C in it",
        ),
        (
            {
                "loads": [
                    {"kind": "parallel", "name": "r", "part": "feed pin", "inductance": "0 nH"}
                ]
            },
            ("loads", 0, "inductance"),
            "be above zero",
        ),
        (
            {"captures": [{"kind": "surface_current", "name": "k", "part": "nothing"}]},
            ("captures", 0, "part"),
            "no part “nothing”",
        ),
        (
            {"captures": [{"kind": "surface_current", "name": "k", "frequencies": ["9 GHz"]}]},
            ("captures", 0, "frequencies"),
            "hardly anything at 9 GHz",
        ),
        ({"captures": [SNAPS | {"interval": "0 s"}]}, ("captures", 0, "interval"), "above zero"),
        (
            {"captures": [SNAPS | {"interval": "1 ps"}]},
            ("captures", 0, "interval"),
            "before the pulse has left",
        ),
        (
            {"captures": [SNAPS | {"across": ["2 mm", "0", "0"]}]},
            ("captures", 0, "across"),
            "on one line",
        ),
        (
            {"captures": [SNAPS | {"counts": ["1", "9"]}]},
            ("captures", 0, "counts"),
            "at least 2 points",
        ),
        ({"captures": [SNAPS | {"frame": "nowhere"}]}, ("captures", 0, "frame"), "nowhere"),
    ],
)
def test_faults_are_found_before_the_run(
    change: dict[str, Any], where: tuple[Any, ...], words: str
) -> None:
    found = patch(change)
    told = [p for p in found.errors if words in p.message]
    assert told, [p.message for p in found.errors]
    assert told[0].path == where


def test_what_deserves_a_look_is_said() -> None:
    medium = {
        "kind": "table",
        "name": "wet board",
        "rows": [
            ["1 GHz", "5", "0.2"],
            ["2.4 GHz", "4", "0.4"],
            ["2.5 GHz", "6", "0.1"],
            ["5 GHz", "4", "0.3"],
        ],
    }
    found = patch({"materials": [medium], "parts.0.material": "wet board"})
    assert [
        p.message for p in found.problems if "the poles that stand for “wet board”" in p.message
    ]


def test_walls_stand_where_asked_and_near_ones_and_coarse_cells_are_told() -> None:
    near = patch(
        {"surround": {"kind": "open", "margin": "12 mm"}, "plan.cells_per_wavelength": "12"}
    )
    s = near.discretisation.structure
    low, high = s.inner
    assert s.low - low == pytest.approx(12e-3) and high - s.high == pytest.approx(12e-3)
    told = {p.code: p for p in near.problems}
    assert (
        told["near-walls"].path == ("surround", "margin") and "0.088" in told["near-walls"].message
    )
    assert told["coarse-cells"].path == (*SETTINGS, "cells_per_wavelength")
    assert not {"near-walls", "coarse-cells"} & {p.code for p in patch().problems}


def test_refinements_make_cells_finer_where_they_are_and_hardly_elsewhere() -> None:
    fine_box = {
        "kind": "fine_box",
        "name": "corner",
        "corner": ["20 mm", "10 mm", "-1 mm"],
        "size": ["-4 mm", "5 mm", "4 mm"],
        "cell": "0.3 mm",
    }
    fine_part = {"kind": "fine_part", "name": "line", "part": "patch", "cell": "0.9 mm"}
    plain, found = (
        patch({"refinements": r}).discretisation.structure for r in ([], [fine_box, fine_part])
    )

    def largest(line: np.ndarray, low: float, high: float) -> float:
        steps, middles = np.diff(line), 0.5 * (line[1:] + line[:-1])
        return float(steps[(middles > low) & (middles < high)].max())

    assert largest(found.x, 16e-3, 20e-3) < 0.33e-3 < largest(plain.x, 16e-3, 20e-3)
    assert largest(found.y, 10e-3, 15e-3) < 0.33e-3 < largest(plain.y, 10e-3, 15e-3)
    assert largest(found.x, 0, 18e-3) < 0.97e-3 < largest(plain.x, 0, 18e-3), "the patch's width"
    assert np.diff(found.x).max() == pytest.approx(np.diff(plain.x).max(), rel=0.1)
    outer = [np.diff(s.x)[-1] for s in (plain, found)]
    assert outer[1] == pytest.approx(outer[0], rel=0.1)


def test_details_finer_than_the_grid_and_bent_sheets_are_told() -> None:
    close = {
        "kind": "rectangle",
        "name": "hair",
        "corner": ["-30 mm", "30.00 mm", "h"],
        "size": ["9 mm", "9 mm"],
        "axis": "z",
        "material": "copper",
    }
    document = json.loads((ROOT / "examples" / "roof-patch.json").read_text())
    sliver = {
        "kind": "box",
        "name": "sliver",
        "corner": ["-30 mm", "20 mm", "10 mm"],
        "size": ["9 mm", "0.02 mm", "3 mm"],
        "material": "FR4",
    }
    dish = {
        "kind": "dish",
        "name": "bowl",
        "centre": ["0", "0", "20 mm"],
        "focus": "20 mm",
        "diameter": "30 mm",
        "thickness": "0",
        "material": "copper",
    }
    document["surround"] = {"mirror": ["none", "none", "none"]}
    document["parts"] += [close, sliver, dish]
    found = examine(load_document(document))
    told = {p.code: p for p in found.problems}
    assert (
        "become one on this grid" in told["crowded"].message and "20 µm" in told["crowded"].message
    )
    assert told["crowded"].point is not None and told["crowded"].point[1] == pytest.approx(
        20.01e-3, abs=1e-4
    )
    s = found.discretisation.structure
    number = s.names.index("bowl") + 1
    at = np.argwhere(s.edge_owner == number)
    reach = [s.lines[k][at[:, k + 1]] for k in range(3)]
    assert min(reach[2]) > 18e-3 and max(np.hypot(reach[0], reach[1])) < 17e-3


def test_the_pulse_covers_what_it_is_asked_to() -> None:
    asked = pulse_of(
        patch({"plan.pulse_start": "2.3 GHz", "plan.pulse_stop": "2.6 GHz"}).model.plan
    )
    assert asked.level([2.3e9, 2.45e9, 2.6e9]) == pytest.approx([-10.46, 0, -10.46], abs=0.01)
    plain = pulse_of(patch().model.plan)
    assert asked.duration > 1.5 * plain.duration, "a narrower pulse is longer"
    t = np.linspace(0, plain.duration, 40_001)
    f = np.array([2.2e9, 2.45e9, 2.9e9])
    spectrum = np.abs(np.exp(-2j * np.pi * np.outer(f, t)) @ plain(t))
    assert 20 * np.log10(spectrum / spectrum[1]) == pytest.approx(plain.level(f), abs=0.05)


def test_a_cut_shows_what_the_engine_sees() -> None:
    found = patch()
    s = found.discretisation.structure
    seen = cut(s, 2, 0.7e-3, 2.7e9)
    assert seen.epsilon.shape == (len(s.x) - 1, len(s.y) - 1) == seen.resolved.shape
    assert seen.epsilon.max() == pytest.approx(3.55) and seen.epsilon.min() == 1
    board = seen.epsilon > 3
    area = (np.diff(seen.u)[:, None] * np.diff(seen.v)[None, :])[board].sum()
    assert area == pytest.approx(45e-3 * 90e-3, rel=0.02), "half a board"
    assert seen.resolved.min() >= 19.5
    top = cut(s, 2, 1.524e-3, 2.7e9)
    assert top.place == pytest.approx(1.524e-3) and len(top.metal) > 100
    assert len(cut(s, 2, 10e-3, 2.7e9).metal) == 0
    assert cut(s, 0, -9e-3, 2.7e9).place == pytest.approx(cut(s, 0, 9e-3, 2.7e9).place), (
        "the image of what is beyond the mirror plane"
    )


def test_the_moments_engine_says_what_it_will_not_record() -> None:
    document = json.loads((ROOT / "examples" / "mast-dipole.json").read_text())
    document["captures"] = [{"kind": "point_trace", "name": "signal", "point": ["0.1 m", "0", "0"]}]
    told = [p.message for p in examine(load_document(document)).problems]
    assert any("no signals against time" in m for m in told), told


def test_what_the_grid_cannot_carry_is_refused_in_words() -> None:
    tilted = {"plan.engine": "transient", "parts.7.end": ["1 mm", "-board / 2 + 1 mm", "h"]}
    assert "does not run along x, y or z" in patch(tilted).errors[0].message
    with pytest.raises(ModelError, match="million cells"):
        document = load_document(json.loads((ROOT / "examples" / "roof-patch.json").read_text()))
        examined = examine(document, {"f_stop": "60 GHz"})
        raise ModelError(next(p.message for p in examined.errors))


@pytest.mark.parametrize(("width", "pieces"), [("0.3 mm", True), ("1.2 mm", False)])
def test_a_ring_narrower_than_its_cells_is_said_to_fall_to_pieces(width: str, pieces: bool) -> None:
    data = json.loads((ROOT / "examples" / "panel-cell.json").read_text())
    inner = next(p for p in data["parameters"] if p["name"] == "ring_inner")
    inner["expression"] = f"ring_outer - {width}"
    found = examine(load_document(data), plan="quick")
    said = [p for p in found.problems if p.code == "broken-sheet"]
    assert [p.path for p in said] == [("parts", 3)] * pieces
    assert all("“ring” is in" in p.message for p in said)


def test_two_sheets_in_one_part_are_no_broken_one() -> None:
    """Apart in truth, and where metal of another part holds them together."""
    strip = {"kind": "rectangle", "axis": "z", "material": "perfect conductor"}
    parts = [
        strip | {"name": "a", "corner": ["0", "0", "0"], "size": ["10 mm", "4 mm"]},
        strip | {"name": "b", "corner": ["20 mm", "0", "0"], "size": ["10 mm", "4 mm"]},
        {"kind": "combine", "name": "both", "operation": "fuse", "first": "a", "others": ["b"]},
        strip | {"name": "ring", "corner": ["5 mm", "1 mm", "0"], "size": ["20 mm", "2 mm"]},
    ]
    plan = {"engine": "transient", "f_start": "2 GHz", "f_stop": "4 GHz", "points": "3"}
    for some in (parts[:3], parts):
        found = examine(load_document({"name": "strips", "parts": some, "plans": [plan]}))
        assert not [p for p in found.problems if p.code == "broken-sheet"]
        assert found.discretisation.structure.filled


def test_a_very_fine_grid_is_filled_only_when_it_is_solved() -> None:
    found = patch({"plan.cells_per_wavelength": "70", "surround.mirror": ["none"] * 3})
    s = found.discretisation.structure
    assert s.cells > FILLED_AT_ONCE
    assert not s.filled
    assert found.forecast is not None
    fill(s, found.model, found.discretisation.geometry)
    assert s.filled
    assert len(s.gaps) == 1
