"""Feeds between two points bring their wire with them: the same as with a wire that is drawn."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.checks import examine
from heron.errors import HeronError
from heron.materials import LIBRARY, MEDIA
from heron.model import load_document
from heron.phrases import printed, step_from
from heron.runner import solve_in_rounds
from tests import models

KNOWN = [*LIBRARY, *MEDIA]
ARMS = [
    models.wire("upper", [0, 0, 0.002], [0, 0, 0.08], 0.001),
    models.wire("lower", [0, 0, -0.002], [0, 0, -0.08], 0.001),
]
PLAN = {"f_start": "800 MHz", "f_stop": "900 MHz", "points": "3"}


def solved(**chapters: Any) -> Any:
    document = load_document({"parts": ARMS, "plans": [PLAN]} | chapters)
    found = examine(document)
    assert found.sound, [p.message for p in found.errors]
    return found, solve_in_rounds(found)


def test_it_is_a_gap_on_a_wire_between_its_ends() -> None:
    ends = {"start": ["0", "0", "-2 mm"], "end": ["0", "0", "2 mm"], "radius": "1 mm"}
    own, implied = solved(feeds=[{"kind": "between", "number": 1, **ends}])
    drawn = [*ARMS, {"kind": "wire", "name": "bridge", **ends}]
    _, with_wire = solved(parts=drawn, feeds=[{"kind": "gap", "number": 1, "part": "bridge"}])
    assert np.abs(implied["s"].values - with_wire["s"].values).max() < 1e-12
    assert own.model.document.parts[2].name == "feed 1"


def test_the_radius_is_a_tenth_of_the_length_unless_given() -> None:
    feed = {"kind": "between", "number": 1, "start": ["0", "0", "-2 mm"], "end": ["0", "0", "2 mm"]}
    found = examine(load_document({"parts": ARMS, "feeds": [feed], "plans": [PLAN]}))
    assert found.geometry.parts[-1].radius == pytest.approx(0.4e-3)


def test_what_is_wrong_with_its_wire_is_said_at_the_feed() -> None:
    feed = {"kind": "between", "number": 1, "start": ["0", "0", "x"], "end": ["0", "0", "2 mm"]}
    found = examine(load_document({"parts": ARMS, "feeds": [feed], "plans": [PLAN]}))
    assert ("feeds", 0, "start", 2) in {p.path for p in found.errors}
    thick = feed | {"start": ["0", "0", "0"], "radius": "5 mm"}
    found = examine(load_document({"parts": ARMS, "feeds": [thick], "plans": [PLAN]}))
    assert any(p.path == ("feeds", 0, "radius") and "thicker" in p.message for p in found.errors), (
        found.errors
    )


BOARD = {
    "parameters": [{"name": "h", "expression": "1.6 mm"}],
    "parts": [
        {
            "kind": "rectangle",
            "name": "ground",
            "corner": ["-30 mm", "-30 mm", "0"],
            "size": ["60 mm", "60 mm"],
            "axis": "z",
            "material": "copper",
        },
        {
            "kind": "rectangle",
            "name": "strip",
            "corner": ["-2 mm", "-25 mm", "h"],
            "size": ["4 mm", "50 mm"],
            "axis": "z",
            "material": "copper",
        },
    ],
    "plans": [{"f_start": "1 GHz", "f_stop": "2 GHz"}],
}


def test_it_is_typed_between_two_parts() -> None:
    document = load_document(BOARD)
    read = step_from("feed between strip and ground at (0, -25 mm, 0)", document, KNOWN)
    assert read.chapter == "feeds"
    assert read.step["start"] == ["0", "-25 mm", "0"]
    assert read.step["end"] == ["0", "-25 mm", "1.6 mm"]
    again = step_from(printed("feeds", read.step), document, KNOWN)
    assert again.step["end"] == read.step["end"]
    fed = load_document(BOARD | {"feeds": [read.step]})
    found = examine(fed)
    assert found.engine == "transient" and found.sound, [p.message for p in found.errors]
    with pytest.raises(HeronError, match="no body “lid”"):
        step_from("feed between strip and lid at (0, 0, 0)", document, KNOWN)


def test_preflight_offers_a_feed_at_the_end_of_a_strip() -> None:
    found = examine(load_document(BOARD))
    (problem,) = [p for p in found.problems if p.code == "no-feed"]
    assert "“strip” ends over “ground” at (0, −25, 1.6) mm" in problem.message + problem.why
    (repair,) = problem.repair
    data = load_document(BOARD).model_dump(mode="json")
    data["feeds"] = [repair["value"]]
    assert examine(load_document(data)).sound
