"""A new kind of step is one file: this one has a part that goes through the document, its sentence,
the menu, typing, the geometry, preflight, a solve and the command line.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest

from heron.checks import examine
from heron.cli import main
from heron.errors import ModelError
from heron.materials import LIBRARY
from heron.model import load_document
from heron.phrases import completions, examples, printed, step_from
from heron.runner import solve
from heron.shapes.curves import Line
from heron.shapes.curves import Path as Curve
from heron.steps import forget, kinds, register
from heron.steps.contract import BodyKind, Entry, Shorthand, WireKind, exact
from heron.steps.description import language
from heron.steps.fields import Length, Point
from heron.steps.parts.common import BODY_END, ORIGIN, WIRE_END, BodyStep, WireStep
from tests.models import dipole, plan


class Post(BodyStep):
    """A square post on ``corner``."""

    kind: Literal["post"]
    corner: Point = ORIGIN
    side: Length
    height: Length = "1 m"


def shape(step: Any, unit: float) -> Any:
    exact.positive(step, "side", "height")
    x, y, z = step.corner
    s = step.side
    base = exact.flat([(x, y, z), (x + s, y, z), (x + s, y + s, z), (x, y + s, z)], unit)
    return exact.pulled(base, (0, 0, step.height), unit)


POST = BodyKind(
    "post",
    "parts",
    Post,
    "Post",
    "{name} at {corner}, side {side}[, height {height}]" + BODY_END,
    (Entry("Solids", "Square post", {"name": "post", "side": "50 mm"}),),
    (Shorthand("stake", "30 mm", ("side",)),),
    shape=shape,
)


class Span(WireStep):
    """A wire of ``length`` about the origin, along z."""

    kind: Literal["span"]
    length: Length


SPAN = WireKind(
    "span",
    "parts",
    Span,
    "Span",
    "{name} of {length}" + WIRE_END,
    (Entry("Wires", "Span", {"name": "span", "length": "1 m", "radius": "1 mm"}),),
    path=lambda step: Curve((Line((0, 0, -step.length / 2), (0, 0, step.length / 2)),)),
)


@pytest.fixture
def house() -> Iterator[None]:
    register(POST)
    register(SPAN)
    yield
    forget(POST)
    forget(SPAN)


def document(*parts: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"parts": list(parts), "plan": plan("100 MHz", "200 MHz", 5)} | more


NEW = {"kind": "post", "name": "gatepost", "side": "40 mm", "material": "copper"}


@pytest.mark.usefixtures("house")
def test_a_kind_is_of_documents_while_it_is_registered() -> None:
    assert load_document(document(NEW)).parts[0].height == "1 m"
    with pytest.raises(ModelError, match="there is no field “sied” here") as found:
        load_document(document({**NEW, "sied": "3"}))
    assert found.value.path == ("parts", 0, "sied")
    forget(POST)
    with pytest.raises(ModelError):
        load_document(document(NEW))


@pytest.mark.usefixtures("house")
def test_it_is_printed_typed_offered_and_in_the_menu() -> None:
    empty = load_document(document())
    text = printed("parts", NEW | {"height": "2 m"})
    assert text == "Post gatepost at (0, 0, 0), side 40 mm, height 2 m, of copper"
    assert step_from(text, empty, LIBRARY).step == NEW | {
        "corner": ["0", "0", "0"],
        "height": "2 m",
    }
    short = step_from("stake 30 mm, copper at (1 m, 0, 0)", empty, LIBRARY).step
    assert (short["side"], short["corner"], short["name"]) == ("30 mm", ["1 m", "0", "0"], "stake")
    assert "stake 30 mm" in examples()
    assert "stake 30 mm" in [c.text for c in completions("sta", empty, LIBRARY)]
    own = next(k for k in language()["kinds"] if k["name"] == "post")
    assert own["menu"][0]["label"] == "Square post" and own["makes"] == "body"
    assert own["defaults"]["height"] == "1 m"


@pytest.mark.usefixtures("house")
def test_it_stands_on_the_stage_and_is_checked() -> None:
    report = examine(load_document(document(NEW)))
    (body,) = report.geometry.bodies
    assert body.volume == pytest.approx(0.04**2)
    assert np.ptp(body.bounds, axis=0) == pytest.approx([0.04, 0.04, 1.0])
    bad = examine(load_document(document({**NEW, "side": "-1 mm"})))
    assert ("the side must be above zero, not -0.001 m", ("parts", 0, "side")) in [
        (p.message, p.path) for p in bad.problems
    ]


@pytest.mark.usefixtures("house")
def test_a_wire_of_the_kind_is_solved_as_one_drawn_by_hand(tmp_path: Path) -> None:
    span = {"kind": "span", "name": "rod", "length": "0.5 m", "radius": "1 mm"}
    feed = {"number": 1, "part": "rod", "at": "0.5"}
    model = document(span, feeds=[feed])
    plain = dipole() | {"plan": plan("100 MHz", "200 MHz", 5)}
    plain["parts"] = [
        {
            "kind": "wire",
            "name": "rod",
            "start": ["0", "0", "-0.25 m"],
            "end": ["0", "0", "0.25 m"],
            "radius": "1 mm",
        }
    ]
    plain["feeds"] = [feed]
    mine, theirs = (solve(examine(load_document(m))).results["s"].values for m in (model, plain))
    assert np.abs(mine - theirs).max() < 1e-9
    file = tmp_path / "span.json"
    file.write_text(json.dumps(model))
    assert main(["geometry", str(file), "--out", str(tmp_path / "out")]) == 0
    assert json.loads((tmp_path / "out/summary.json").read_text())["parts"][0]["name"] == "rod"


def test_nothing_of_it_stays_behind() -> None:
    assert not {"post", "span"} & set(kinds("parts"))
