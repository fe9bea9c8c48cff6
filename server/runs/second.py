"""One model by two engines: the run that checks another, and how far they are apart."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest

from heron.checks.second import against
from heron.engines import ENGINES
from heron.errors import HeronError
from server.errors import Problem
from server.projects.models import Role
from server.runs import store
from server.runs.actions import REFUSED, get_run, results_of, start_run
from server.runs.models import Run


def solve(request: HttpRequest, project_id: int, number: int) -> Run:
    """Queues a run's model with its values by the first other engine that takes it.

    :raises Problem: 409 for a variant of a study; 422 with every engine's reason when none can.
    """
    run = get_run(request, project_id, number, Role.EDITOR)
    if run.study_id is not None:
        raise Problem(409, "a variant of a study is not checked alone: use its values and solve it")
    reasons = []
    for name in ENGINES:
        if name == run.engine:
            continue
        try:
            return start_run(
                request,
                project_id,
                run.revision.number,
                run.overrides,
                empty=run.empty,
                plan=run.plan or None,
                engine=name,
            )
        except Problem as problem:
            if problem.status != 422:
                raise
            reasons.append(f"{name}: {problem.title.removeprefix(REFUSED)}")
    raise Problem(422, f"no other engine can solve this model ({'; '.join(reasons)})")


def compared(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """How far a run with results is from the newest by another engine."""
    run = results_of(request, project_id, number)
    other = _other(run)
    out: dict[str, Any] = {"run": None, "engine": "", "active": False, "items": [], "fault": ""}
    if other is None:
        return out
    out |= {"run": other.number, "engine": other.engine, "active": other.active}
    if other.active:
        return out
    if not other.has_results:
        return out | {"fault": f"run {other.number} has no results: {other.reason}"}
    try:
        items = against(store.load(run.id), store.load(other.id))
    except HeronError as error:
        return out | {"fault": error.message}
    return out | {"items": [asdict(i) for i in items]}


def _other(run: Run) -> Run | None:
    """The newest run of a model by another engine, with results or before it has any."""
    if not run.of_model:
        return None
    same = Run.objects.filter(project=run.project_id, of_model=run.of_model, study=None)
    others = [r for r in same.defer("live", "trust").order_by("-number") if r.engine != run.engine]
    return next((r for r in others if r.has_results), next(iter(others), None))
