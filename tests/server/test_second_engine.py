"""A run is checked by another engine, and the two are compared."""

from __future__ import annotations

from typing import Any

import pytest

from heron.model import load_document
from server.projects.actions import create_project
from server.projects.library import example
from server.projects.models import Project
from server.runs.models import Run, Status
from server.studies.models import Study
from tests.models import stick
from tests.server.conftest import Api, solved

pytestmark = pytest.mark.django_db


@pytest.fixture
def wire(owner: Any) -> Project:
    return create_project(owner, load_document(stick()))


def test_two_engines_check_each_other(api: Api, wire: Project) -> None:
    from server.runs.child import _solve

    number = solved(api, wire.id)
    base = f"/projects/{wire.id}/runs"
    assert api.ask("get", f"{base}/{number}/second").json() == {
        "run": None,
        "engine": "",
        "active": False,
        "items": [],
        "fault": "",
    }
    answer = api.ask("post", f"{base}/{number}/second")
    assert answer.status_code == 201, answer.json()
    other = answer.json()["number"]
    assert answer.json()["engine"] == "transient"
    waiting = api.ask("get", f"{base}/{number}/second").json()
    assert (waiting["run"], waiting["active"], waiting["items"]) == (other, True, [])

    run = Run.objects.select_related("revision", "project").get(project=wire, number=other)
    assert run.revision.number == 1, "the model is left as it is"
    run.status = Status.RUNNING
    run.save()
    _solve(run)
    there, back = (api.ask("get", f"{base}/{n}/second").json() for n in (number, other))
    assert (there["run"], there["engine"]) == (other, "transient")
    assert (back["run"], back["engine"]) == (number, "moments")
    assert [i["name"] for i in there["items"]] == [
        "S, shift aside",
        "The minimum's frequency",
        "The gain",
    ]
    shift, other_shift = (float(r["items"][1]["value"].split(" %")[0]) for r in (there, back))
    assert shift == pytest.approx(other_shift, rel=0.1), "each is relative to its own"
    assert 0 < shift < 8, "ten cells a wavelength and a wire are some per cent apart"

    # finer it is solved by the engine that was asked for, whatever the plan names
    assert run.asked_engine == "transient"
    advice = {"plan": {"settings.transient.cells_per_wavelength": 12.0}, "words": "", "seconds": 1}
    Run.objects.filter(id=run.id).update(summary={"advice": advice})
    finer = api.ask("post", f"{base}/{other}/finer").json()
    assert (finer["engine"], finer["asked_engine"], finer["revision"]) == ("transient",) * 2 + (2,)
    asked = {"revision": 1, "plan": finer["plan"], "engine": finer["asked_engine"]}
    assert api.ask("post", base, asked).json()["engine"] == "transient"
    unknown = api.ask("post", base, {"engine": "tidal"})
    assert unknown.status_code == 422 and "tidal" in unknown.json()["title"]


def test_a_model_with_other_values_is_another(api: Api, project: Project) -> None:
    """Runs by hand check each other as well, if model, values and band are the same."""
    first = solved(api, project.id)
    changed = solved(api, project.id, length="150 mm")
    runs = Run.objects.filter(project=project)
    runs.filter(number=changed).update(figures={"engine": "transient"})
    seconds = f"/projects/{project.id}/runs/{first}/second"
    assert api.ask("get", seconds).json()["run"] is None
    again = solved(api, project.id)
    runs.filter(number=again).update(figures={"engine": "transient"})
    found = api.ask("get", seconds).json()
    assert found["run"] == again and found["items"][0]["value"].startswith("0,")


def test_an_engine_that_cannot_says_why(api: Api, owner: Any) -> None:
    """A patch on a laminate: wires and metal alone are what the moments engine takes."""
    patch = create_project(owner, example("roof-patch"))
    run = Run.objects.create(
        project=patch, number=1, revision=patch.head, figures={"engine": "transient"}
    )
    answer = api.ask("post", f"/projects/{patch.id}/runs/1/second")
    assert answer.status_code == 422
    assert "no other engine can solve this model (moments: " in answer.json()["title"]
    assert patch.runs.count() == 1

    study = Study.objects.create(project=patch, number=1, revision=patch.head, step={})
    Run.objects.filter(id=run.id).update(study=study)
    answer = api.ask("post", f"/projects/{patch.id}/runs/1/second")
    assert answer.status_code == 409 and "variant of a study" in answer.json()["title"]
