"""Solids and sheets: broken steps, picks, displacement, what joins, preflight, regeneration, typed
steps.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from heron.checks import examine
from heron.cli import BAD_INPUT, main
from heron.errors import HeronError
from heron.geometry import build_geometry
from heron.geometry.build import beside
from heron.geometry.contacts import contacts
from heron.materials import LIBRARY, MEDIA
from heron.model import evaluate_document, load_document
from heron.phrases import step_from
from heron.shapes import primitives
from server.config import ROOT
from tests.models import plan
from tests.reference.test_exact_bodies import body, geometry, to

EXAMPLES = sorted((ROOT / "examples").glob("*.json"))
BOX: dict[str, Any] = {"kind": "box", "size": ["40 mm", "20 mm", "10 mm"], "material": "FR4"}


def looked(*parts: dict[str, Any], **more: Any) -> Any:
    return examine(
        load_document(
            {
                "parts": [{"name": f"p{i}", **p} for i, p in enumerate(parts)],
                "plan": plan("1 GHz", "2 GHz", 3),
                **more,
            }
        )
    )


def faults(*parts: dict[str, Any]) -> list[tuple[tuple[Any, ...], str]]:
    return [(p.path, p.message) for p in looked(*parts).errors if p.path[0] == "parts"]


BROKEN: dict[str, tuple[dict[str, Any], tuple[Any, ...], str]] = {
    "zero size": ({"kind": "box", "size": ["40 mm", "0", "1 mm"]}, ("size", 1), "along y is zero"),
    "negative radius": (
        {"kind": "cylinder", "radius": "-1 mm", "height": "5 mm"},
        ("radius",),
        "above zero",
    ),
    "tube without a wall": (
        {"kind": "cylinder", "radius": "5 mm", "inner": "5 mm", "height": "5 mm"},
        ("inner",),
        "less than the radius",
    ),
    "cone that is a cylinder": (
        {"kind": "cone", "radius": "5 mm", "top": "5 mm", "height": "5 mm"},
        ("top",),
        "that is a cylinder",
    ),
    "torus that cuts itself": (
        {"kind": "torus", "bend": "4 mm", "radius": "5 mm"},
        ("bend",),
        "cuts itself",
    ),
    "outline that crosses itself": (
        {
            "kind": "polygon",
            "outline": [to("0", "0"), to("10 mm", "10 mm"), to("10 mm", "0"), to("0", "10 mm")],
        },
        ("outline",),
        "crosses or touches itself",
    ),
    "corner twice": (
        {
            "kind": "polygon",
            "outline": [to("0", "0"), to("10 mm", "0"), to("10 mm", "0"), to("0", "10 mm")],
        },
        ("outline", 2, "to"),
        "same point",
    ),
    "arc in a line": (
        {
            "kind": "polygon",
            "outline": [to("0", "0"), to("10 mm", "0", via=["5 mm", "0"]), to("0", "10 mm")],
        },
        ("outline", 1, "via"),
        "in line",
    ),
    "outline across the axis": (
        {"kind": "revolve", "outline": [to("-1 mm", "0"), to("5 mm", "0"), to("5 mm", "5 mm")]},
        ("outline", 0, "to"),
        "one side of the axis",
    ),
    "rod turned too tightly": (
        {
            "kind": "rod",
            "radius": "2 mm",
            "bend": "1 mm",
            "points": [["0", "0", "0"], ["0", "0", "40 mm"], ["40 mm", "0", "40 mm"]],
        },
        ("bend",),
        "more than the rod",
    ),
    "coil whose turns touch": (
        {"kind": "coil", "bend": "10 mm", "pitch": "1 mm", "turns": "3", "radius": "1 mm"},
        ("pitch",),
        "turns touch",
    ),
    "formula with a wrong unit": (
        {"kind": "formula", "pieces": [{"x": "t", "y": "1 mm", "start": "0", "stop": "1"}]},
        ("pieces", 0, "x"),
        "a length is needed",
    ),
    "formula that is infinite": (
        {
            "kind": "formula",
            "pieces": [{"x": "1 mm / t", "y": "t * 1 mm", "start": "0", "stop": "1"}],
        },
        ("pieces", 0, "x"),
        "",
    ),
    "unknown source": (
        {"kind": "thicken", "source": "lid", "thickness": "1 mm"},
        ("source",),
        "no earlier solid or sheet “lid”",
    ),
    "unknown frame": ({**BOX, "frame": "deck"}, ("frame",), "no frame “deck”"),
    "unknown material": (
        {**BOX, "material": "mithril", "corner": ["0", "0", "60 mm"]},
        ("material",),
        "no material “mithril”",
    ),
    "missing file": ({"kind": "import", "file": "boat.step"}, ("file",), "not at hand"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_step_says_why_and_the_others_stand(name: str) -> None:
    step, where, words = BROKEN[name]
    report = looked(BOX, step, {**BOX, "corner": ["0", "0", "30 mm"]})
    ((path, message),) = {(p.path, p.message) for p in report.errors if p.path[0] == "parts"}
    assert path == ("parts", 1, *where)
    assert words in message
    assert {b.name for b in report.geometry.bodies} >= {"p0", "p2"}


def test_wires_do_not_combine_and_nothing_left_is_said() -> None:
    assert (
        "wires cannot be combined"
        in faults(
            {"kind": "wire", "start": ["0", "0", "0"], "end": ["0", "0", "1 m"], "radius": "1 mm"},
            BOX,
            {"kind": "combine", "operation": "cut", "first": "p1", "others": ["p0"]},
        )[0][1]
    )
    assert (
        "remove all of it"
        in faults(
            BOX,
            {**BOX, "size": ["60 mm", "60 mm", "60 mm"], "corner": ["-5 mm", "-5 mm", "-5 mm"]},
            {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
        )[0][1]
    )
    assert (
        "nothing in common"
        in faults(
            BOX,
            {**BOX, "corner": ["1 m", "0", "0"]},
            {"kind": "combine", "operation": "intersect", "first": "p0", "others": ["p1"]},
        )[0][1]
    )


def test_picks_follow_rules_not_numbers() -> None:
    """The top face stays the top face when the block grows and is drilled; the wrong facing or
    distance is refused.
    """

    def top(size: str, *extra: dict[str, Any], **rule: Any) -> list[dict[str, Any]]:
        return [
            {"kind": "box", "size": ["40 mm", "20 mm", size], "material": "FR4"},
            *extra,
            {
                "kind": "face",
                "source": "p0",
                "pick": {"near": ["20 mm", "10 mm", "12 mm"], "facing": ["0", "0", "1"], **rule},
            },
        ]

    for size in ("8 mm", "12 mm", "31 mm"):
        made = body(*top(size))
        assert made.area == pytest.approx(8e-4)
        assert made.bounds[0][2] == pytest.approx(float(size.split()[0]) * 1e-3)
    assert "more than the tolerance" in faults(*top("31 mm", tolerance="5 mm"))[0][1]
    assert "faces that way" in faults(*top("8 mm", facing=["1", "1", "0"]))[0][1]
    edge = {
        "kind": "edges",
        "source": "p0",
        "size": "1 mm",
        "picks": [{"near": ["20 mm", "10 mm", "5 mm"]}],
    }
    assert "equally near" in faults(BOX, edge)[0][1]


def test_later_parts_displace_earlier_ones_unless_told() -> None:
    core = {
        "kind": "cylinder",
        "centre": ["20 mm", "10 mm", "-1 mm"],
        "radius": "5 mm",
        "height": "12 mm",
        "material": "copper",
    }
    hole = np.pi * 25e-6 * 0.01
    for first, second, loser in (
        (BOX, core, "p0"),
        (core, BOX, "p0"),
        ({**BOX, "priority": 1}, core, "p1"),
    ):
        placed = geometry(first, second).placed
        assert placed.taken == [(loser, "p1" if loser == "p0" else "p0")]
        weak, strong = (
            next(b for b in placed.bodies if b.name == n) for n in (loser, placed.taken[0][1])
        )
        whole = (
            8e-6 if (first if loser == "p0" else second)["kind"] == "box" else np.pi * 25e-6 * 0.012
        )
        assert weak.volume == pytest.approx(whole - hole, rel=1e-6)
        assert strong.volume == pytest.approx(
            8e-6 if whole != 8e-6 else np.pi * 25e-6 * 0.012, rel=1e-6
        )
    assert geometry(BOX, {**core, "material": "FR4"}).placed.taken == [], (
        "equal materials may overlap"
    )
    inside = looked({**core, "centre": ["20 mm", "10 mm", "2 mm"], "height": "5 mm"}, BOX)
    assert [p.code for p in inside.errors if p.path[0] == "parts"] == ["vanished"]


def test_what_meets_is_joined_and_what_nearly_meets_is_found_and_mended() -> None:
    patch = {
        "kind": "rectangle",
        "corner": ["5 mm", "5 mm", "10 mm"],
        "size": ["20 mm", "10 mm"],
        "material": "copper",
    }
    probe = {
        "kind": "wire",
        "start": ["10 mm", "10 mm", "0"],
        "end": ["10 mm", "10 mm", "10 mm"],
        "radius": "0.2 mm",
    }
    joined = {
        frozenset((c.first, c.second)) for c in contacts(geometry(BOX, patch, probe)) if c.joined
    }
    assert joined == {frozenset(p) for p in (("p0", "p1"), ("p0", "p2"), ("p1", "p2"))}
    report = looked(BOX, {**patch, "corner": ["5 mm", "5 mm", "10.05 mm"]})
    (miss,) = [p for p in report.problems if p.code == "near-miss"]
    assert "50 µm" in miss.message
    ((edit),) = miss.repair
    assert edit["path"] == ["parts", 1, "corner", 2]
    mended = looked(BOX, {**patch, "corner": ["5 mm", "5 mm", edit["value"]]})
    assert not [p for p in mended.problems if p.code == "near-miss"]
    assert [c.joined for c in mended.contacts] == [True]


def test_preflight_suspects_units_slivers_and_buried_sheets() -> None:
    assert [
        p.code
        for p in looked({**BOX, "size": ["40 m", "40 m", "1 m"]}).problems
        if p.path[:1] == ("parts",)
    ] == ["unit"]
    assert [
        p.code
        for p in looked({**BOX, "size": ["40 um", "40 um", "40 um"]}).problems
        if p.path[:1] == ("parts",)
    ] == ["unit", "below-cell"]
    assert "sliver" in [
        p.code for p in looked({**BOX, "size": ["40 mm", "20 mm", "1 um"]}).problems
    ]
    buried = {"kind": "rectangle", "corner": ["5 mm", "5 mm", "5 mm"], "size": ["10 mm", "5 mm"]}
    assert "buried" in [p.code for p in looked({**BOX, "material": "copper"}, buried).problems]
    assert "buried" not in [p.code for p in looked(BOX, buried).problems]


def test_a_parameter_outside_its_range_is_pointed_out() -> None:
    def found(value: str) -> list[tuple[Any, ...]]:
        report = looked(
            BOX, parameters=[{"name": "W", "expression": value, "low": "10 mm", "high": "20 mm"}]
        )
        return [p.path for p in report.problems if p.code == "range"]

    assert found("15 mm") == found("10 mm") == []
    assert found("9 mm") == found("21 mm") == [("parameters", 0)]
    assert looked(BOX, parameters=[{"name": "W", "expression": "1 mm", "low": "3 s"}]).errors[
        0
    ].path == ("parameters", 0, "low")


def test_an_import_is_simplified_below_a_fiftieth_of_the_wavelength(tmp_path: Path) -> None:
    from heron.shapes import exchange

    drilled = body(
        {"kind": "box", "size": ["20 mm", "20 mm", "20 mm"]},
        {
            "kind": "cylinder",
            "centre": ["10 mm", "10 mm", "-1 mm"],
            "radius": "2 mm",
            "height": "30 mm",
        },
        {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
    )
    exchange.write_step(
        [exchange.Named("block", drilled.shape)], tmp_path / "block.step", drilled.unit
    )
    volumes = {}
    for simplify in (False, True):
        document = load_document(
            {
                "parts": [
                    {"kind": "import", "name": "block", "file": "block.step", "simplify": simplify}
                ],
                "plan": plan("1 GHz", "2 GHz", 3),
            }
        )
        (made,) = examine(document, files=beside(tmp_path / "model.json")).geometry.bodies
        volumes[simplify] = made.volume
    assert volumes[False] == pytest.approx(8e-6 - np.pi * 4e-6 * 0.02, rel=1e-6)
    assert volumes[True] == pytest.approx(8e-6, rel=1e-6), "2 mm are less than 150 mm / 50"


def test_no_engine_yet_is_said_not_hidden() -> None:
    bowl = {"kind": "dish", "focus": "100 mm", "diameter": "240 mm", "thickness": "0"}
    slanted = {
        "kind": "wire",
        "start": ["0", "0", "0.2 m"],
        "end": ["10 mm", "10 mm", "0.3 m"],
        "radius": "1 mm",
    }
    # moments has no such walls, the transient engine no such wires
    found = looked(bowl, slanted, surround={"walls": ["PEC", *["open"] * 5]}).errors
    (last,) = [p for p in found if p.path == ("plans", 0, "engine")]
    assert "“p1” does not run along x, y or z" in last.message


def test_arrays_and_mirrors_of_bodies() -> None:
    post = {"kind": "cylinder", "centre": ["30 mm", "0", "0"], "radius": "2 mm", "height": "9 mm"}
    ring = geometry(
        post, {"kind": "copy", "source": "p0", "operation": "turn", "angle": "60 deg", "count": "5"}
    )
    middles = np.array([np.mean(b.bounds, axis=0) for b in ring.bodies])
    assert len(middles) == 6
    assert np.hypot(*middles[:, :2].T) == pytest.approx(0.03)
    assert middles[:, :2].sum(axis=0) == pytest.approx(0, abs=1e-9)
    half = geometry(
        {**BOX, "corner": ["5 mm", "0", "0"]},
        {"kind": "copy", "source": "p0", "operation": "mirror", "axis": ["1", "0", "0"]},
    ).bodies[1]
    assert half.bounds[1][0] == pytest.approx(-5e-3)
    assert half.volume == pytest.approx(8e-6)


# --- regeneration -----------------------------------------------------------------------


def joints(
    document: dict[str, Any], path: Path, overrides: dict[str, str]
) -> tuple[set[frozenset[str]], set[str]]:
    model = evaluate_document(load_document(document), overrides)
    built = build_geometry(model, beside(path))
    assert not built.errors, (overrides, built.errors)
    assert not model.errors
    return {frozenset((c.first, c.second)) for c in contacts(built) if c.joined}, {
        b.name for b in built.placed.bodies
    }


@pytest.mark.parametrize(
    "path", [p for p in EXAMPLES if '"low"' in p.read_text()], ids=lambda p: p.stem
)
def test_examples_regenerate_anywhere_in_their_ranges(path: Path) -> None:
    """The lowest, the highest and 20 random parameter sets within the stated ranges: every part is
    built, the same parts meet, no pick is lost.
    """
    document = json.loads(path.read_text())
    ranged = [p for p in document["parameters"] if p.get("low")]
    wanted = joints(document, path, {})

    @settings(max_examples=20, deadline=None, derandomize=True)
    @given(st.lists(st.floats(0, 1), min_size=len(ranged), max_size=len(ranged)))
    @example([0.0] * len(ranged))
    @example([1.0] * len(ranged))
    def regenerate(where: list[float]) -> None:
        overrides = {
            p["name"]: f"({p['low']}) + {t!r} * (({p['high']}) - ({p['low']}))"
            for p, t in zip(ranged, where, strict=True)
        }
        assert joints(document, path, overrides) == wanted

    regenerate()


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda p: p.stem)
def test_every_example_has_nothing_to_mend_but_what_later_engines_bring(path: Path) -> None:
    report = examine(load_document(json.loads(path.read_text())), files=beside(path))
    others = [p for p in report.problems if p.path[:1] not in (("plans",), ("feeds",))]
    assert others == []


def test_untouched_steps_are_not_built_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """An edit of one part of sixty builds one shape."""
    built: list[str] = []
    plain = primitives.corner_and_size
    monkeypatch.setattr(
        primitives, "corner_and_size", lambda step: built.append(step.name) or plain(step)
    )  # type: ignore[func-returns-value]
    many = [
        {**BOX, "corner": [f"{50 * i} mm", "0", "0"], "size": ["41.5 mm", "20 mm", "10 mm"]}
        for i in range(60)
    ]
    geometry(*many)
    assert len(built) == 60
    geometry(*many[:30], {**many[30], "size": ["42.5 mm", "20 mm", "10 mm"]}, *many[31:])
    assert built[60:] == ["p30"]


# --- typed steps ------------------------------------------------------------------------


DOCUMENT = load_document(
    {
        "parameters": [{"name": "h", "expression": "1.6 mm"}, {"name": "W", "expression": "30 mm"}],
        "plan": plan("1 GHz", "2 GHz", 3),
        "parts": [
            {
                "kind": "rectangle",
                "name": "ground",
                "corner": ["-40 mm", "-40 mm", "0"],
                "size": ["80 mm", "80 mm"],
            },
            {
                "kind": "box",
                "name": "board",
                "corner": ["-40 mm", "-40 mm", "0"],
                "size": ["80 mm", "80 mm", "h"],
            },
        ],
    }
)
PHRASES = {
    "box 40 x 20 x 1.6 mm, fr4, on ground": {
        "kind": "box",
        "size": ["40 mm", "20 mm", "1.6 mm"],
        "material": "FR4",
        "corner": ["-40 mm / 2", "-20 mm / 2", "0"],
        "name": "box",
    },
    "sheet W by W + 2 mm, copper, on board called patch": {
        "kind": "rectangle",
        "size": ["W", "W + 2 mm"],
        "material": "copper",
        "corner": ["-W / 2", "-(W + 2 mm) / 2", "h"],
        "name": "patch",
    },
    "cylinder radius 3 mm height 5 mm alumina": {
        "kind": "cylinder",
        "radius": "3 mm",
        "height": "5 mm",
        "material": "alumina",
        "name": "cylinder",
    },
    "tube 5 × 4 × 10 mm in copper at (1, 2, 3 mm)": {
        "kind": "cylinder",
        "radius": "5 mm",
        "inner": "4 mm",
        "height": "10 mm",
        "material": "copper",
        "centre": ["1 mm", "2 mm", "3 mm"],
        "name": "tube",
    },
    "wire from (0, 0, 0) to (0, 0, h), radius 0.3 mm": {
        "kind": "wire",
        "start": ["0", "0", "0"],
        "end": ["0", "0", "h"],
        "radius": "0.3 mm",
        "name": "wire",
    },
    "box 1 x 2 x 3 mm at (10 mm, 0, h)": {
        "kind": "box",
        "size": ["1 mm", "2 mm", "3 mm"],
        "corner": ["10 mm - 1 mm / 2", "-2 mm / 2", "h"],
        "name": "box",
    },
}


@pytest.mark.parametrize("text", PHRASES)
def test_a_phrase_becomes_a_step_that_builds(text: str) -> None:
    step = step_from(text, DOCUMENT, [*LIBRARY, *MEDIA]).step
    assert step == PHRASES[text]
    document = DOCUMENT.model_dump(mode="json")
    document["parts"].append(step)
    report = examine(load_document(document))
    assert not report.geometry.errors
    assert step["name"] in {x.name for x in (*report.geometry.bodies, *report.geometry.parts)}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("blob 3 mm", "begins with what it is"),
        ("box 40 x 20 mm", "takes 3 sizes"),
        ("box 1 x 2 x 3 mm, mithril", "“mithril” is not understood"),
        ("box 1 x 2 x 3 mm on nowhere", "no part “nowhere”"),
        ("wire 3 mm", "not understood"),
        ("sphere 5 mm at (1, 2)", "“)” is not understood here; there may stand an expression"),
        ("", "begins with"),
    ],
)
def test_a_phrase_that_is_not_understood_says_what_may_stand(text: str, words: str) -> None:
    with pytest.raises(HeronError, match=re.escape(words)):
        step_from(text, DOCUMENT, [*LIBRARY, *MEDIA])


# --- the command line -------------------------------------------------------------------


def test_the_geometry_command_writes_files_and_a_summary(tmp_path: Path) -> None:
    done = subprocess.run(
        [
            sys.executable,
            "-m",
            "heron.cli",
            "geometry",
            str(ROOT / "examples" / "skiff-mount.json"),
            "--set",
            "height=90 mm",
            "--out",
            str(tmp_path),
        ],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stderr, done.stdout) == (0, "", "")
    summary = json.loads((tmp_path / "summary.json").read_text())
    names = [p["name"] for p in summary["parts"]]
    assert names == [
        "skiff.hull",
        "skiff.thwart 1",
        "skiff.thwart 2",
        "skiff.console",
        "skiff.mast",
        "whip",
    ]
    hull, *_, whip = summary["parts"]
    assert hull["kind"] == "solid"
    assert np.ptp(hull["bounding_box_m"], axis=0)[0] == pytest.approx(4.2)
    assert (whip["kind"], whip["bounding_box_m"][1][2]) == ("wire", pytest.approx(1.85 + 0.092))
    assert ["skiff.mast", "whip"] in summary["joined"]
    assert {p.name for p in tmp_path.iterdir()} == {
        "summary.json",
        "geometry.step",
        "geometry.stl",
        "geometry.glb",
    }


def test_the_geometry_command_refuses_bad_input_in_one_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    model = str(ROOT / "examples" / "roof-patch.json")
    assert main(["geometry", model, "--set", "W=3 s", "--out", str(tmp_path / "x")]) == BAD_INPUT
    assert capsys.readouterr().err.count("\n") == 1
    assert evaluate_document(DOCUMENT).errors == []
