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
    assert found.engine == "moments" and found.sound, [p.message for p in found.errors]
    with pytest.raises(HeronError, match="no body “lid”"):
        step_from("feed between strip and lid at (0, 0, 0)", document, KNOWN)


def test_preflight_offers_a_feed_at_the_end_of_a_strip() -> None:
    found = examine(load_document(BOARD))
    (problem,) = [p for p in found.problems if p.code == "no-feed"]
    assert "“strip” ends over “ground” at (0, −25, 1.6) mm" in problem.message + problem.why
    (repair,) = problem.repair
    assert repair["value"]["across"] == ["4 mm", "0", "0"]
    data = load_document(BOARD).model_dump(mode="json")
    data["feeds"] = [repair["value"]]
    assert examine(load_document(data)).sound


def fed_strip(feed: dict[str, Any], **surround: Any) -> Any:
    """A strip 20 mm wide and 40 mm long, 2 mm over a ground, shorted at its far end."""
    sheet = {"kind": "rectangle", "material": "perfect conductor"}
    ends = {"start": ["0", "0", "0"], "end": ["0", "0", "2 mm"]}
    document = load_document(
        {
            "parts": [
                {
                    **sheet,
                    "name": "strip",
                    "corner": ["-10 mm", "0", "2 mm"],
                    "size": ["20 mm", "40 mm"],
                    "axis": "z",
                },
                {
                    **sheet,
                    "name": "short",
                    "corner": ["-10 mm", "40 mm", "0"],
                    "size": ["20 mm", "2 mm"],
                    "axis": "y",
                },
            ],
            "feeds": [{"kind": "between", "number": 1, **ends, **feed}],
            "surround": {"kind": "ground", "height": "0", "margin": "40 mm", **surround},
            "plans": [
                {
                    "engine": "transient",
                    "f_start": "0.3 GHz",
                    "f_stop": "0.9 GHz",
                    "points": "3",
                    "rounds": "1",
                }
            ],
        }
    )
    found = examine(document)
    assert found.sound, [p.message for p in found.errors]
    out = solve_in_rounds(found)
    s = out["s"].values[:, 0, 0]
    return out["frequency"].values, (50 * (1 + s) / (1 - s)).imag


def test_a_feed_spread_over_an_edge_drives_the_line_without_a_wire_s_reactance() -> None:
    """A shorted line has Z0 tan(kl) (Pozar, Microwave Engineering, section 2.3); Z0 in air by
    Hammerstad and Jensen (IEEE MTT-S, 1980), as remembered.
    """
    over = {"across": ["20 mm", "0", "0"]}
    frequency, whole = fed_strip(over)
    u = 10.0
    f = 6 + (2 * np.pi - 6) * np.exp(-((30.666 / u) ** 0.7528))
    z0 = 59.958 * np.log(f / u + np.sqrt(1 + (2 / u) ** 2))

    def longer(x: Any) -> Any:
        return (np.arctan(x / z0) * 299792458 / (2 * np.pi * frequency) - 0.04) * 1e3

    half = fed_strip(over, mirror=["PMC", "none", "none"])[1]
    wire = fed_strip({"radius": "0.2 mm"})[1]
    print(f"the line seems longer by {longer(whole)} mm; half of it by {longer(half)} mm")
    print(f"with a wire of 0.2 mm in the middle by {longer(wire)} mm")
    # its ends may count as the height of the strip over the ground, 2 mm (common practice)
    assert (np.abs(longer(whole)) < 2).all()
    assert np.abs(half / whole - 1).max() < 1e-4
    assert (longer(wire) > 6).all()


def test_a_gap_of_a_width_says_where_it_cannot_be() -> None:
    feed = {"kind": "between", "number": 1, "start": ["0", "0", "-2 mm"], "end": ["0", "0", "2 mm"]}
    for across, engine, said in (
        (["0", "0", "3 mm"], "transient", "spread along another"),
        (["1 mm", "1 mm", "0"], "transient", "spread along another"),
        (["3 mm", "0", "0"], "moments", "no gaps that are spread"),
    ):
        plan = {**PLAN, "engine": engine}
        feeds = [feed | {"across": across}]
        found = examine(load_document({"parts": ARMS, "feeds": feeds, "plans": [plan]}))
        assert any(said in p.message for p in found.errors), found.errors


def test_a_gap_of_a_width_is_typed() -> None:
    document = load_document(BOARD)
    text = "feed from (0, -25 mm, 0) to (0, -25 mm, h), 50 ohm, spread over (4 mm, 0, 0)"
    read = step_from(text, document, KNOWN)
    assert read.step["across"] == ["4 mm", "0", "0"]
    assert step_from(printed("feeds", read.step), document, KNOWN).step == read.step
    text = "feed between strip and ground at (0, -25 mm, 0), spread over (4 mm, 0, 0)"
    assert step_from(text, document, KNOWN).step["across"] == ["4 mm", "0", "0"]
