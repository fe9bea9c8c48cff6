"""Results are read by what was kept when their run ended."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import pytest

from heron.formats import netcdf
from server.projects.models import Project
from server.runs import store
from server.runs.models import Run
from server.runs.quantities import of_run
from tests.server.conftest import Api, solved


@pytest.fixture
def run(api: Api, project: Project) -> Run:
    number = solved(api, project.id, points="5")
    return Run.objects.select_related("revision").get(project=project, number=number)


def test_reads_of_results_may_be_kept_by_their_digest(api: Api, run: Run) -> None:
    """In the address of a read stands what it was read of; then a browser need not ask again."""
    at = f"/api/projects/{run.project_id}/runs/{run.number}"
    digest = api.get(at).json()["digest"]
    assert len(digest) == 16 and run.digest.startswith(digest)
    for path in ("sweep", "polarisation?frequency=3e8", "pattern?frequency=3e8"):
        more = "&" if "?" in path else "?"
        assert "immutable" in api.get(f"{at}/{path}{more}results={digest}")["Cache-Control"]
        other = api.get(f"{at}/{path}{more}results={digest[::-1]}")
        assert other.status_code == 200 and other["Cache-Control"] == "no-store"
        assert "immutable" not in api.get(f"{at}/{path}").get("Cache-Control", "")
    two = f"{at}/../../cuts?runs={run.number}&frequency=3e8&results={digest}"
    assert "immutable" in api.get(two.replace(f"/runs/{run.number}/../..", ""))["Cache-Control"]


def test_results_are_read_without_their_model(
    api: Api, run: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Everything that a read needs was kept when the run ended."""
    store.load.cache_clear()
    of_run.cache_clear()

    def evaluated(*_: Any, **__: Any) -> Any:
        raise AssertionError("a read evaluates the document")

    for module in [m for name, m in sys.modules.items() if name.startswith(("heron", "server"))]:
        if hasattr(module, "evaluate_document"):
            monkeypatch.setattr(module, "evaluate_document", evaluated)
    at = f"/api/projects/{run.project_id}"
    found = api.get(f"{at}/runs/{run.number}/sweep").json()
    assert [c["name"] for c in found["captures"]] == [
        c["name"] for c in run.revision.document["captures"]
    ]
    asked = {"sources": [f"run {run.number}"], "formulas": ["db20(s11)"]}
    curves = api.ask("post", f"/projects/{run.project_id}/curves", asked)
    assert curves.status_code == 200


def test_a_run_of_an_earlier_version_is_read_with_its_model(
    api: Api, run: Run, tmp_path: Path
) -> None:
    """Its dataset does not say what it was solved from."""
    at = f"/api/projects/{run.project_id}/runs/{run.number}/sweep"
    before = api.get(at).json()["captures"]
    results = store.load(run.id)
    older = results.drop_vars([n for n in results if str(n).startswith("capture_")])
    older.attrs = {k: v for k, v in older.attrs.items() if k not in ("captures", "values")}
    netcdf.write(older.load(), tmp_path / "run.nc")  # as earlier versions kept it
    store.save(run, (tmp_path / "run.nc").read_bytes())
    store.load.cache_clear()
    assert api.get(at).json()["captures"] == before
