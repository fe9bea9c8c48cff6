"""Lists stay narrow, however much there is."""

from __future__ import annotations

import time
from typing import Any

from django.utils import timezone

from server.accounts.models import User
from server.projects.models import Member, Project, Revision, Role
from server.runs.models import Run, Status
from tests.server.conftest import Api

PROJECTS, RUNS = 200, 50


def filled(owner: User, count: int) -> Project:
    """Projects with runs as they are after work of months; the last one."""
    projects = Project.objects.bulk_create(
        Project(name=f"Survey {n}", updated=timezone.now()) for n in range(count)
    )
    Member.objects.bulk_create(Member(project=p, user=owner, role=Role.OWNER) for p in projects)
    revisions = Revision.objects.bulk_create(
        Revision(project=p, number=1, document={"name": p.name}, digest="", author=owner)
        for p in projects
    )
    for p, revision in zip(projects, revisions, strict=True):
        p.head = revision
    Project.objects.bulk_update(projects, ["head"])
    far = [
        {"frequency_hz": f * 1e6, "total_efficiency": 0.9, "realized_gain_dbi": 2.1}
        for f in range(25)
    ]
    Run.objects.bulk_create(
        Run(
            project=p,
            number=n + 1,
            revision=revision,
            status=Status.FINISHED if n < RUNS - 1 else Status.QUEUED,
            summary={"far_field": far},
            headline={"text": f"−{n} dB", "level_db": -n, "frequency_hz": 1e6, "spark": [0.0] * 60}
            if n < RUNS - 1
            else {},
        )
        for p, revision in zip(projects, revisions, strict=True)
        for n in range(RUNS)
    )
    return projects[-1]


def test_two_hundred_projects_are_one_query_and_less_than_100_kb(
    api: Api, owner: User, django_assert_max_num_queries: Any
) -> None:
    filled(owner, PROJECTS)
    with django_assert_max_num_queries(4):
        answer = api.ask("get", "/projects")
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        api.ask("get", "/projects")
        times.append(time.perf_counter() - begun)
    print(f"200 projects with 50 runs each: {1e3 * min(times):.0f} ms, {len(answer.content)} bytes")
    lines = answer.json()
    assert len(lines) == PROJECTS and len(answer.content) < 100_000
    assert {(p["headline"], p["running"], p["role"]) for p in lines} == {("−48 dB", 1, "owner")}


def test_runs_come_in_pages_the_latest_first(
    api: Api, owner: User, django_assert_max_num_queries: Any
) -> None:
    project = filled(owner, 1)
    with django_assert_max_num_queries(6):
        first = api.ask("get", f"/projects/{project.id}/runs?limit=20").json()
    assert [r["number"] for r in first] == list(range(50, 30, -1))
    rest = api.ask("get", f"/projects/{project.id}/runs?before=31&limit=500").json()
    assert [r["number"] for r in rest] == list(range(30, 0, -1))
    assert api.ask("get", f"/projects/{project.id}/runs?limit=501").status_code == 422
