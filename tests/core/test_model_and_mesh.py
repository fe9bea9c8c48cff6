"""Documents, geometry, joints, and every bad input the product promises to explain."""

from __future__ import annotations

import json
from types import SimpleNamespace
from typing import Any

import numpy as np
import psutil
import pytest

from heron.checks import examine, judged_for
from heron.discretise.wires import STRAIGHT_OVER_RADIUS
from heron.errors import ModelError
from heron.jobs import Job, execute
from heron.model import VERSION, load_document
from server.config import ROOT
from tests.models import dipole, examined, plan, wire

EXAMPLES = [
    ROOT / "examples" / f"{n}.json"
    for n in ("ground-whip", "helix", "mast-dipole", "twin-loops", "yagi")
]


def problem(document: dict[str, Any], **overrides: str) -> tuple[str, tuple[Any, ...]]:
    found = examined(document, **overrides).errors
    assert found, "preflight found no error"
    return found[0].message, found[0].path


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda p: p.stem)
def test_examples_are_sound_and_can_be_swept(path: Any) -> None:
    document = json.loads(path.read_text())
    assert examined(document).problems == []
    narrow = examined(document, f_start="860 MHz", f_stop="870 MHz", points="3")
    assert narrow.model.plan.points == 3
    assert (
        load_document(load_document(document).model_dump(mode="json")).digest()
        == load_document(document).digest()
    )


def with_parameters(*pairs: tuple[str, str]) -> dict[str, Any]:
    return dipole(parameters=[{"name": n, "expression": e} for n, e in pairs])


BAD: dict[str, tuple[dict[str, Any], str, tuple[Any, ...]]] = {
    "unknown name": (
        dipole(parts=[wire("rod", [0, 0, 0], [0, 0, "L"])]),
        "“L” is not defined",
        ("parts", 0, "end", 2),
    ),
    "cycle": (
        with_parameters(("a", "b"), ("b", "a")),
        "a → b → a",
        ("parameters", 1, "expression"),
    ),
    "wrong dimension": (
        dipole(parts=[wire("rod", [0, 0, 0], [0, 0, "3 s"])]),
        "a length is needed",
        ("parts", 0, "end", 2),
    ),
    "zero radius": (dipole(radius=0.0), "above zero", ("parts", 0, "radius")),
    "negative radius": (dipole(radius=-1e-3), "above zero", ("parts", 0, "radius")),
    "thicker than long": (dipole(0.1, 0.06), "thicker", ("parts", 0, "radius")),
    "no length": (
        dipole(parts=[wire("rod", [0, 0, 0], [0, 0, 0])]),
        "no length",
        ("parts", 0, "end"),
    ),
    "touching": (
        dipole(
            radius=1e-3,
            parts=[
                wire("rod", [0, 0, -0.25], [0, 0, 0.25], 1e-3),
                wire("next", [1e-3, 0, -0.2], [1e-3, 0, 0.2], 1e-3),
            ],
        ),
        "touch without being joined",
        ("parts", 1),
    ),
    "touching itself": (
        {
            "parts": [
                {
                    "kind": "polyline",
                    "name": "rod",
                    "radius": "2 mm",
                    "points": [
                        ["0", "0", "0"],
                        ["0", "0", "0.3 m"],
                        ["1 mm", "0.1 m", "0.3 m"],
                        ["1 mm", "-0.1 m", "0.15 m"],
                    ],
                }
            ],
            "feeds": [{"number": 1, "part": "rod", "at": "0.2"}],
            "plan": plan(),
        },
        "touches itself",
        ("parts", 0),
    ),
    "feed on no wire": (
        dipole(feeds=[{"number": 1, "part": "mast"}]),
        "on no wire",
        ("feeds", 0, "part"),
    ),
    "two feeds at one place": (
        dipole(feeds=[{"number": 1, "part": "rod"}, {"number": 2, "part": "rod"}]),
        "at one place",
        ("feeds", 1, "at"),
    ),
    "same number twice": (
        dipole(feeds=[{"number": 1, "part": "rod"}, {"number": 1, "part": "rod", "at": "0.2"}]),
        "already taken",
        ("feeds", 1, "number"),
    ),
    "feed at an open end": (
        dipole(feeds=[{"number": 1, "part": "rod", "at": "1"}]),
        "open end",
        ("feeds", 0, "at"),
    ),
    "no feed": (dipole(feeds=[]), "nothing feeds", ("feeds",)),
    "nothing driven": (
        dipole(feeds=[{"number": 1, "part": "rod", "amplitude": "0"}]),
        "no feed is driven",
        ("feeds", 0, "amplitude"),
    ),
    "band reversed": (
        dipole(plan=plan("2 GHz", "1 GHz", 11)),
        "below its start",
        ("plans", 0, "f_stop"),
    ),
    "too many points": (
        dipole(plan=plan("1 GHz", "2 GHz", 10**9)),
        "whole number from 1 to",
        ("plans", 0, "points"),
    ),
    "unknown conductor": (
        dipole(parts=[wire("rod", [0, 0, 0], [0, 0, "1 m"], material="mithril")]),
        "no conductor",
        ("parts", 0, "material"),
    ),
    "below the ground": (
        dipole(surround={"kind": "ground"}),
        "below the ground plane",
        ("parts", 0),
    ),
    "negative impedance": (
        dipole(feeds=[{"number": 1, "part": "rod", "impedance": "-50 ohm"}]),
        "above zero",
        ("feeds", 0, "impedance"),
    ),
    "tight helix": (
        {
            "parts": [
                {
                    "kind": "helix",
                    "name": "h",
                    "bend": "10 mm",
                    "pitch": "1 mm",
                    "turns": "3",
                    "radius": "1 mm",
                }
            ],
            "feeds": [{"number": 1, "part": "h"}],
            "plan": plan(),
        },
        "turns touch",
        ("parts", 0, "pitch"),
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_explained_where_it_was_made(name: str) -> None:
    document, words, where = BAD[name]
    message, path = problem(document)
    assert words in message
    assert path == where


def test_more_memory_than_there_is(monkeypatch: pytest.MonkeyPatch) -> None:
    """It is judged where the run would be, not where the model is looked at."""
    monkeypatch.setattr(psutil, "virtual_memory", lambda: SimpleNamespace(available=50e6))
    found = examine(load_document(dipole()))
    assert found.sound and judged_for(found, None).sound and judged_for(found, 50e9).sound
    (refused,) = judged_for(found, 50e6).errors
    assert "GiB where it would run" in refused.message
    assert refused.path == ("plans", 0, "settings", "moments", "segments_per_wavelength")
    with pytest.raises(ModelError, match="of memory"):
        execute(Job(load_document(dipole())))


def test_too_many_segments_are_refused_before_meshing() -> None:
    assert "segments" in problem(dipole(1e9, 1e-3))[0]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ("{", "not JSON"),
        ("[]", "JSON object"),
        ({"plan": plan(), "version": VERSION + 1}, "newer"),
        ({"plan": plan(), "wings": 2}, "wings"),
        ({}, "plan"),
        ({"plan": plan(), "parts": [{"kind": "wing"}]}, "parts.0"),
        ("[" * 100_000, "not JSON"),
    ],
)
def test_malformed_documents(data: Any, words: str) -> None:
    with pytest.raises(ModelError) as caught:
        load_document(data)
    assert words in str(caught.value)


def test_ends_and_crossings_join_by_themselves() -> None:
    document = dipole(
        parts=[
            wire("rod", [0, 0, -0.25], [0, 0, 0.25]),
            wire("arm", [0, 0, 0.25], [0.1, 0, 0.25]),
            wire("cross", [-0.1, 0, 0.11], [0.1, 0, 0.11]),
            wire("tee", [0, 0.1, -0.13], [0, 0, -0.13]),
        ]
    )
    mesh = examined(document).discretisation.mesh
    joined = {frozenset(j.parts) for j in mesh.joints}
    assert joined == {
        frozenset({"rod", "arm"}),
        frozenset({"rod", "cross"}),
        frozenset({"rod", "tee"}),
    }
    assert sorted(mesh.degree())[-2:] == [3, 4]


def test_an_end_on_a_circle_joins_anywhere() -> None:
    angle = 1.2345
    x, y = 0.1 * np.cos(angle), 0.1 * np.sin(angle)
    document = {
        "parts": [
            {"kind": "arc", "name": "loop", "bend": "0.1 m", "radius": "0.5 mm"},
            wire("lead", [float(x), float(y), 0], [float(2 * x), float(2 * y), 0], 5e-4),
        ],
        "feeds": [{"number": 1, "part": "loop", "at": "0.5"}],
        "plan": plan(),
    }
    assert [j.parts for j in examined(document).discretisation.mesh.joints] == [("loop", "lead")]


def test_near_misses_are_found_and_mended() -> None:
    document = dipole(
        parts=[
            wire("rod", [0, 0, -0.25], [0, 0, 0.25], 1e-3),
            wire("arm", [3e-3, 0, 0.25], [0.1, 0, 0.25], 1e-3),
        ]
    )
    found = [p for p in examined(document).problems if p.code == "near-miss"]
    assert found
    assert found[0].level == "look"
    repair = next(p for p in found if p.repair and p.path == ("parts", 1)).repair[0]
    document["parts"][1]["start"] = repair["value"]
    mended = examined(document)
    assert not [p for p in mended.problems if p.code == "near-miss"]
    assert mended.discretisation.mesh.joints


def test_copies_move_turn_and_mirror() -> None:
    base = wire("rod", [0.1, 0, 0], [0.1, 0, 0.1])
    copies = [
        {
            "kind": "copy",
            "name": "row",
            "source": "rod",
            "operation": "move",
            "by": ["0.1 m", "0", "0"],
            "count": "3",
        },
        {"kind": "copy", "name": "turned", "source": "rod", "operation": "turn", "angle": "90 deg"},
        {
            "kind": "copy",
            "name": "image",
            "source": "rod",
            "operation": "mirror",
            "axis": ["1", "0", "0"],
        },
    ]
    geometry = examined(dipole(parts=[base, *copies])).geometry
    start = {p.name: p.path.at(np.array([0.0]))[0] for p in geometry.parts}
    assert start["row.3"] == pytest.approx([0.4, 0, 0])
    assert start["turned"] == pytest.approx([0, 0.1, 0], abs=1e-15)
    assert start["image"] == pytest.approx([-0.1, 0, 0])


def test_frames_nest() -> None:
    document = dipole(
        frames=[
            {"name": "a", "origin": ["1 m", "0", "0"], "turn": ["0", "0", "90 deg"]},
            {"name": "b", "origin": ["1 m", "0", "0"], "within": "a"},
        ],
        parts=[wire("rod", [1.0, 0, 0], [1.0, 0, "0.5 m"], frame="b")],
    )
    point = examined(document).geometry.parts[0].path.at(np.array([0.0]))[0]
    assert point == pytest.approx([1, 2, 0])


def test_segments_obey_the_limits() -> None:
    mesh = examined(dipole(0.5, 2e-3, 40)).discretisation.mesh
    assert mesh.length.max() <= 1 / 40 + 1e-12
    assert (mesh.length >= STRAIGHT_OVER_RADIUS * mesh.radius).all()
    # shorter than thick only where the current bends
    assert mesh.length[len(mesh.length) // 4] >= 1.99 * mesh.radius[0]
    ratio = mesh.length[1:] / mesh.length[:-1]
    assert np.maximum(ratio, 1 / ratio).max() < 2.5
    assert 0.5 in mesh.span
