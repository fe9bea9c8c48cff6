"""Whatever is sent to the API, it answers: never an error of its own.

Requests are drawn from the published schema (schemathesis over hypothesis), by a person who is
signed in and has a project with a solved run.
"""

from __future__ import annotations

import json
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import GenerationMode

from server.config import ROOT
from server.projects.models import Project
from tests.server.conftest import Api, solved

SCHEMA = schemathesis.openapi.from_dict(json.loads((ROOT / "docs/openapi.json").read_text()))
# by these the one who asks would no longer be who they are
LEFT_OUT = {"sign_out", "delete_project", "leave_project"}
OPERATIONS = [
    found
    for result in SCHEMA.get_all_operations()
    if (found := result.ok()).definition.raw.get("operationId") not in LEFT_OUT
]
EXAMPLES = 6


@pytest.fixture
def run(api: Api, project: Project) -> int:
    return solved(api, project.id, points="5")


@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda o: o.definition.raw["operationId"])
def test_no_probe_breaks_the_server(operation: Any, api: Api, project: Project, run: int) -> None:
    own = {"project_id": str(project.id), "number": str(run)}
    api.raise_request_exception = False

    @given(operation.as_strategy(generation_mode=GenerationMode.POSITIVE))
    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=(Phase.explicit, Phase.generate),
        suppress_health_check=list(HealthCheck),
    )
    def probe(case: Any) -> None:
        parts = {k: own.get(k, str(v)) for k, v in (case.path_parameters or {}).items()}
        path = operation.path
        for name, value in parts.items():
            path = path.replace("{" + name + "}", value.replace("/", "").replace("?", "") or "x")
        extra: dict[str, Any] = {"query_params": case.query or None}
        if case.media_type == "application/json" and case.method.upper() != "GET":
            extra |= {"data": json.dumps(case.body), "content_type": "application/json"}
        elif case.method.upper() not in ("GET", "DELETE"):
            extra["data"] = {}
        answer = getattr(api, case.method.lower())(path, **extra)
        assert answer.status_code < 500, (path, extra, answer.content[:300])

    probe()
    assert api.ask("get", f"/projects/{project.id}").status_code == 200, "still signed in"
