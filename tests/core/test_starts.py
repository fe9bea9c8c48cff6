"""The skeletons that a blank project begins from: sound, without a word from preflight, and as
their first parameter says. What they come to is in the guide, whose test solves them.
"""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree

import pytest

from heron.checks import examine
from heron.model import Document, evaluate_document, load_document
from heron.results.ports import magnitude_db, minimum
from heron.runner import solve_in_rounds

FOLDER = Path(__file__).parents[2] / "examples/starts"
FILES = sorted(FOLDER.glob("*.json"))
MOST_CELLS = 4_000_000  # or unknowns: minutes


def document_of(path: Path) -> Document:
    return load_document(json.loads(path.read_text())["document"])


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_a_start_can_be_solved_as_it_stands(path: Path) -> None:
    own = json.loads(path.read_text())
    assert own["title"] and own["hint"] and own["document"]["name"]
    assert ElementTree.parse(path.with_suffix(".svg")).getroot().tag.endswith("svg")
    found = examine(document_of(path))
    assert found.sound and found.problems == []
    # seconds are those of this machine as busy as it is now
    assert found.forecast is not None and found.forecast.size < MOST_CELLS


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_a_start_scales_with_its_first_parameter(path: Path) -> None:
    document = document_of(path)
    first = document.parameters[0]
    once = evaluate_document(document)
    twice = evaluate_document(document, {first.name: f"2 * ({first.expression})"})
    assert not once.errors and not twice.errors
    assert once.plan is not None and twice.plan is not None
    ratio = twice.plan.f_stop / once.plan.f_stop
    assert ratio == pytest.approx(2 if first.name == "f0" else 0.5)


def test_the_wire_resonates_near_its_frequency() -> None:
    """A thin half-wave dipole resonates at 0.47 to 0.48 λ (Balanis, Antenna Theory, 4.6)."""
    results = solve_in_rounds(examine(document_of(FOLDER / "1-wire.json")))
    f, db = minimum(results["frequency"].values, magnitude_db(results["s"].values[:, 0, 0]))
    print(f"wire: |S11| {db:.1f} dB at {f / 868e6 - 1:+.2%} of f0")
    assert abs(f / 868e6 - 1) < 0.02 and db < -12
