"""Documents as older versions wrote them mean what they meant then."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from heron.errors import ModelError
from heron.model import VERSION, Document, evaluate_document, load_document
from heron.model.upgrades import UPGRADES, upgraded, written_version
from heron.steps import all_kinds
from heron.steps.settings.moments import MomentsSettings
from heron.steps.settings.transient import TransientSettings

# every example and one step of each kind as version 1 wrote them, and as it read them back
STORED = [
    json.loads(line)
    for line in (Path(__file__).parent / "documents/version-1.jsonl").read_text().splitlines()
]
SCHEMAS = {"moments": MomentsSettings, "transient": TransientSettings}


def as_version_1(document: Document) -> dict[str, Any]:
    """A document of today with its fields where version 1 had them."""
    out = document.model_dump(mode="json") | {"version": 1}
    (plan,) = out.pop("plans")
    settings = plan.pop("settings")
    for engine, schema in SCHEMAS.items():
        plan |= schema(**settings.get(engine, {})).model_dump(mode="json")
    del plan["name"]
    return out | {"plan": plan}


@pytest.mark.parametrize("stored", STORED, ids=lambda s: s["name"])
def test_a_document_of_version_1_means_what_it_meant(stored: dict[str, Any]) -> None:
    now = as_version_1(load_document(stored["written"]))
    then = stored["read"]
    assert now == then


def test_the_stored_documents_have_every_kind_that_version_1_had() -> None:
    one = next(s["read"] for s in STORED if s["name"] == "one of each")
    there = {(chapter, s.get("kind")) for chapter, steps in one.items() for s in _list(steps)}
    known = {
        (k.chapter, k.name)
        for k in all_kinds()
        if k.chapter not in ("parameters", "frames", "surround", "plans") and k.menu
    }
    assert known <= there


def _list(steps: Any) -> list[dict[str, Any]]:
    return [s for s in steps if isinstance(s, dict)] if isinstance(steps, list) else []


def test_every_version_has_an_upgrade_to_the_next() -> None:
    assert sorted(UPGRADES) == list(range(1, VERSION))
    today = load_document(STORED[0]["written"]).model_dump(mode="json")
    assert upgraded(today) == today and written_version({"plans": []}) == VERSION


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
