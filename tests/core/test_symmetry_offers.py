"""Symmetry planes that a model has and does not claim are offered, with the kind that is right."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from heron.checks import Examination, examine
from heron.model import load_document

STARTS = Path(__file__).parents[2] / "examples/starts"


def looked(name: str, **chapters: Any) -> tuple[dict[str, Any], Examination]:
    document = json.loads((STARTS / f"{name}.json").read_text())["document"] | chapters
    document["plans"][0]["engine"] = "transient"
    document["plans"][0]["settings"] = {"transient": {"cells_per_wavelength": "15"}}
    return document, examine(load_document(document))


@pytest.mark.parametrize(
    ("name", "chapters", "offered"),
    [
        ("2-patch", {"surround": {}}, {"x": "PMC"}),
        ("2-patch", {}, {}),
        ("1-wire", {}, {"x": "PMC", "y": "PMC", "z": "PEC"}),
        ("4-body", {}, {}),  # illuminated models have no symmetry planes
        ("3-horn", {"surround": {}}, {}),  # what its mode asks for is not known before it is solved
        (
            "1-wire",
            {"loads": [{"name": "r", "part": "dipole", "at": "0.2", "resistance": "9 ohm"}]},
            {},
        ),
    ],
)
def test_planes_are_offered_as_the_sources_ask(
    name: str, chapters: dict[str, Any], offered: dict[str, str]
) -> None:
    document, found = looked(name, **chapters)
    assert found.engine == "transient" and found.problems == []
    assert {p.message[0]: p.repair[0]["value"] for p in found.offers} == offered
    if not offered:
        return
    mirror = ["none", "none", "none"]
    for offer in found.offers:
        mirror["xyz".index(offer.message[0])] = offer.repair[0]["value"]
    document["surround"] = document.get("surround", {}) | {"mirror": mirror}
    halved = examine(load_document(document))
    assert halved.sound, [p.message for p in halved.errors]
    assert found.forecast is not None and halved.forecast is not None
    share = halved.forecast.size / found.forecast.size
    assert share < 0.5 ** len(offered) * 1.25


def test_a_model_that_is_not_its_own_image_is_offered_nothing() -> None:
    document, found = looked("1-wire")
    assert len(found.offers) == 3
    document["parts"][0] |= {
        "start": ["1 mm", "0", "-length / 2"],
        "end": ["1 mm", "0", "length"],
    }
    left = examine(load_document(document)).offers
    assert [p.message[0] for p in left] == ["y"]
