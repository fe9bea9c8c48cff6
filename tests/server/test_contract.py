"""The interface's contract with the server: what is declared, and that answers keep to it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
from django.core.management import call_command

from heron.model import load_document
from server.api import api as declared
from server.config import ROOT
from server.projects.actions import create_project
from server.projects.library import examples
from server.projects.models import Project
from server.projects.shapes import ExaminationAnswer
from server.readouts.shapes import Cut, Decay, PhaseCentre, Polarisation, TimeDomain
from server.runs.models import Run
from server.runs.shapes import Differences, Sweep
from tests.models import dipole, plan
from tests.server.conftest import Api, solved


def operations() -> Iterator[tuple[str, str, dict[str, Any]]]:
    for path, methods in declared.get_openapi_schema()["paths"].items():
        for method, operation in methods.items():
            yield path, method, operation


def test_every_operation_has_a_name_of_its_own() -> None:
    names = [operation["operationId"] for _, _, operation in operations()]
    assert len(names) > 60 and len(set(names)) == len(names)


def test_numbers_of_results_are_declared() -> None:
    """What a run came to is no open dictionary: the front end's types are made of it."""
    kept = {"get_sweep", "get_cuts", "get_scattered", "get_polarisation", "get_phase_centre"}
    kept |= {"get_time_domain", "get_decay", "judge_specs", "grade_difference", "compare_runs"}
    kept |= {"examine_document", "get_run", "list_runs"}
    found = set()
    for _, _, operation in operations():
        if operation["operationId"] not in kept:
            continue
        found.add(operation["operationId"])
        answer = operation["responses"][200]["content"]["application/json"]["schema"]
        assert "$ref" in json.dumps(answer), operation["operationId"]
    assert found == kept


def test_what_is_committed_is_what_is_declared(tmp_path: Any) -> None:
    out = tmp_path / "openapi.json"
    call_command("export_openapi_schema", api="server.api.api", output=str(out), indent=1)
    assert json.loads(out.read_text()) == json.loads((ROOT / "docs" / "openapi.json").read_text())


@pytest.mark.parametrize(
    "name", ["mast-dipole", "ground-whip", "puck", "panel-cell", "skiff-mount"]
)
def test_an_examination_keeps_to_its_shape(api: Api, owner: Any, name: str) -> None:
    """Of wires, bodies, files, repeated cells; nothing is left out of what is declared."""
    project = create_project(owner, examples()[name], shipped=True)
    asked = {"document": project.head.whole, "project": project.id}
    found = api.ask("post", "/projects/examine", asked)
    assert found.status_code == 200, found.content[:500]
    again = ExaminationAnswer.model_validate(found.json())
    assert set(found.json()) == set(ExaminationAnswer.model_fields)
    assert again.engine in ("moments", "transient")


def test_a_spoiled_model_is_examined_in_the_same_shape(api: Api, project: Project) -> None:
    document = project.head.whole
    document["parts"][0]["radius"] = "nothing"
    document["feeds"][0]["part"] = "mast 9"
    line = {"start": ["0", "0", "0"], "end": ["0", "0", "1 m"], "count": "1/0"}
    document["captures"].append({"kind": "near_line", "name": "up", **line})
    found = api.ask("post", "/projects/examine", {"document": document, "project": project.id})
    assert found.status_code == 200
    read = ExaminationAnswer.model_validate(found.json())
    assert any(p.level == "error" for p in read.problems)


@pytest.fixture
def run(api: Api, owner: Any) -> Run:
    captures = [
        {"kind": "far_field", "name": "far"},
        {
            "kind": "near_line",
            "name": "up",
            "start": ["50 mm", "0", "0"],
            "end": ["50 mm", "0", "100 mm"],
            "count": "11",
        },
    ]
    made = dipole(0.48, 1e-3, plan=plan("30 MHz", "320 MHz", 30)) | {"captures": captures}
    project = create_project(owner, load_document(made))
    number = solved(api, project.id)
    return Run.objects.select_related("project").get(project=project, number=number)


def test_reads_of_a_run_keep_to_their_shapes(api: Api, run: Run) -> None:
    at = f"/projects/{run.project_id}/runs/{run.number}"
    sweep = api.ask("get", f"{at}/sweep").json()
    assert set(Sweep.model_validate(sweep).model_dump()) == set(sweep)
    assert len(sweep["far_field"]) == 30 and sweep["errors"]["basis"]
    for path, shape in (
        ("polarisation?frequency=3e8&theta=90", Polarisation),
        ("phase-centre?theta=90", PhaseCentre),
        ("time-domain", TimeDomain),
        ("decay/up?frequency=3e8", Decay),
    ):
        found = api.ask("get", f"{at}/{path}")
        assert found.status_code == 200, (path, found.content)
        assert set(found.json()) == set(shape.model_fields), path
    cuts = api.ask("get", f"/projects/{run.project_id}/cuts?runs={run.number}&frequency=3e8").json()
    assert [set(c) for c in cuts[0]] == [set(Cut.model_fields)] * 2


def test_two_runs_are_compared_in_shape(api: Api, run: Run) -> None:
    document = run.project.head.whole
    document["plans"][0]["points"] = "3"
    at = f"/projects/{run.project_id}"
    saved = api.ask("post", f"{at}/revisions", {"parent": 1, "document": document})
    assert saved.status_code == 200, saved.content
    other = solved(api, run.project_id)
    found = api.ask("get", f"{at}/differences?first={run.number}&second={other}").json()
    read = Differences.model_validate(found)
    assert [(s.field, s.first, s.second) for s in read.steps] == [("points", "30", "3")]
    assert {r.name for r in read.results} >= {"revision"}


def test_what_runs_tell_is_told_only_while_they_go_on(api: Api, run: Run) -> None:
    Run.objects.filter(id=run.id).update(live=[{"of": "an earlier version"}])
    found = api.ask("get", f"/projects/{run.project_id}/runs/{run.number}")
    assert found.status_code == 200 and found.json()["live"] == []
    news = {"kind": "time", "step": 4, "energy_db": -3.0, "port": 1, "s11_db": [-1.0]}
    Run.objects.filter(id=run.id).update(live=[news], status="running")
    told = api.ask("get", f"/projects/{run.project_id}/runs/{run.number}").json()["live"]
    assert told[0]["energy_db"] == -3.0 and told[0]["rounds"] == 1
