"""Documents as older versions wrote them mean what they meant then."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from heron.errors import ModelError
from heron.excitation.pulse import longest_run, pulse_of
from heron.model import VERSION, Document, evaluate_document, load_document
from heron.model.upgrades import UPGRADES, upgraded, written_version
from heron.steps import all_kinds
from heron.steps.settings.moments import MomentsSettings
from heron.steps.settings.transient import TransientSettings

# every example and one step of each kind as older versions wrote them, and as they read them back
STORED, STORED_2 = (
    [
        json.loads(line)
        for line in (Path(__file__).parent / f"documents/version-{n}.jsonl")
        .read_text()
        .splitlines()
    ]
    for n in (1, 2)
)
# kinds that came with version 3
YOUNGER = {("feeds", "between"), ("captures", "characteristic_modes")}
# what version 3 calls otherwise, by the field that says it
FORMER_WORDS = {
    ("walls", "PEC"): "electric",
    ("walls", "PMC"): "magnetic",
    ("mirror", "PEC"): "electric",
    ("mirror", "PMC"): "magnetic",
    ("reading", "nearest grid point"): "as they lie",
    ("material", "perfect conductor"): "perfect",
}
SCHEMAS = {"moments": MomentsSettings, "transient": TransientSettings}


def as_version_2(document: Document) -> dict[str, Any]:
    """A document of today in the words of version 2."""

    def said(value: Any, field: str = "") -> Any:
        if isinstance(value, dict):
            return {k: said(v, str(k)) for k, v in value.items()}
        if isinstance(value, list):
            return [said(v, field) for v in value]
        return FORMER_WORDS.get((field, value), value) if isinstance(value, str) else value

    out = said(document.model_dump(mode="json", exclude={"studies"})) | {"version": 2}
    for plan in out["plans"]:
        for own in plan["settings"].values():
            if "longest" in own:
                own["longest"] = in_lengths(own["longest"])
    return without_comments(out)


def without_comments(value: Any) -> Any:
    """Fields without the empty comments that all steps may have now."""
    if isinstance(value, dict):
        return {k: without_comments(v) for k, v in value.items() if (k, v) != ("comment", "")}
    return [without_comments(v) for v in value] if isinstance(value, list) else value


def in_lengths(longest: str | None) -> str:
    """How many lengths of the pulse a run goes on after it, as version 2 said it."""
    return "60" if longest is None else str(int(longest.split(" * ")[0]) - 1)


def as_version_1(document: Document) -> dict[str, Any]:
    """A document of today with its fields where version 1 had them."""
    out = as_version_2(document) | {"version": 1}
    (plan,) = out.pop("plans")
    settings = plan.pop("settings")
    for engine, schema in SCHEMAS.items():
        plan |= schema().model_dump(mode="json") | settings.get(engine, {})
    plan["longest"] = plan["longest"] or "60"
    del plan["name"]
    return out | {"plan": plan}


@pytest.mark.parametrize("stored", STORED, ids=lambda s: s["name"])
def test_a_document_of_version_1_means_what_it_meant(stored: dict[str, Any]) -> None:
    now = as_version_1(load_document(stored["written"]))
    then = without_comments(stored["read"])
    assert without_comments(now) == then


@pytest.mark.parametrize("stored", STORED_2, ids=lambda s: s["name"])
def test_a_document_of_version_2_means_what_it_meant(stored: dict[str, Any]) -> None:
    now, then = as_version_2(load_document(stored["written"])), without_comments(stored["read"])
    assert now == then


def test_a_longest_run_in_lengths_of_the_pulse_is_a_time() -> None:
    plan = {"f_start": "1 GHz", "f_stop": "f0", "settings": {"transient": {"longest": "30"}}}
    data = {"version": 2, "parameters": [{"name": "f0", "expression": "2 GHz"}], "plans": [plan]}
    model = evaluate_document(load_document(data))
    assert not model.errors and model.plan is not None
    pulse = pulse_of(model.plan)
    there = longest_run(model.plan, pulse)
    assert there == pytest.approx(31 * pulse.duration, rel=1e-3)
    unsaid = {**data, "plans": [{**plan, "settings": {}}]}
    model = evaluate_document(load_document(unsaid))
    assert longest_run(model.plan, pulse) == pytest.approx(61 * pulse.duration, rel=1e-6)


def test_the_stored_documents_have_every_kind_that_version_1_had() -> None:
    one = next(s["read"] for s in STORED if s["name"] == "one of each")
    there = {(chapter, s.get("kind")) for chapter, steps in one.items() for s in _list(steps)}
    known = {
        (k.chapter, k.name)
        for k in all_kinds()
        if k.chapter not in ("parameters", "frames", "surround", "plans", "studies") and k.menu
    }
    assert known - YOUNGER <= there


def _list(steps: Any) -> list[dict[str, Any]]:
    return [s for s in steps if isinstance(s, dict)] if isinstance(steps, list) else []


def test_every_version_has_an_upgrade_to_the_next() -> None:
    assert sorted(UPGRADES) == list(range(1, VERSION))
    today = load_document(STORED[0]["written"]).model_dump(mode="json")
    assert upgraded(today) == today and written_version({"plans": []}) == 2


def test_a_digest_leaves_out_what_is_a_default() -> None:
    data = {"plans": [{"f_start": "1 GHz", "f_stop": "2 GHz"}]}
    plain = load_document(data)
    said = {**data, "surround": {"kind": "open"}, "name": "Untitled", "version": VERSION}
    said["plans"] = [{**data["plans"][0], "points": "101", "rounds": "3"}]
    assert load_document(said).digest() == plain.digest()
    said["plans"][0]["points"] = "102"
    assert load_document(said).digest() != plain.digest()


def test_a_run_names_one_of_several_plans() -> None:
    band = {"f_start": "1 GHz", "f_stop": "2 GHz"}
    document = load_document({"plans": [band, band | {"name": "wide", "f_stop": "9 GHz"}]})
    assert evaluate_document(document).plan.f_stop == 2e9
    assert evaluate_document(document, plan="wide").plan.f_stop == 9e9
    with pytest.raises(ModelError, match="there is no plan “narrow”; there are plan, wide"):
        evaluate_document(document, plan="narrow")
    with pytest.raises(ModelError):
        load_document({"plans": []})


def test_settings_of_an_engine_that_there_is_not_are_refused() -> None:
    plan = {"f_start": "1 GHz", "f_stop": "2 GHz", "settings": {"peat": {}}}
    with pytest.raises(ModelError, match="“peat”") as found:
        load_document({"plans": [plan]})
    assert found.value.path == ("plans", 0, "settings", "peat")
