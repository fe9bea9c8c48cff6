"""Runs of a project: start, watch, stop, read, export."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from heron.engines import News
from heron.model import load_document
from heron.model.differences import differences
from server.answers import Answer
from server.projects.permissions import get_project
from server.runs import actions, second
from server.runs.figures import figures_of
from server.runs.models import Run, Wish
from server.runs.opened import short
from server.runs.shapes import Differences, Second

router = Router()


class NewRun(Schema):
    revision: int | None = None
    overrides: dict[str, str] = {}
    empty: bool = False
    plan: str | None = Field(default=None, max_length=60)
    engine: str | None = Field(default=None, max_length=40)


class ValueLine(Schema):
    value: float
    unit: str


class RunLine(Schema):
    number: int
    revision: int
    status: str
    stage: str
    fraction: float
    wish: str
    reason: str
    values: dict[str, ValueLine]
    overrides: dict[str, str]
    headline: dict[str, Any]
    grade: str
    created: datetime
    started: datetime | None
    finished: datetime | None
    has_results: bool
    digest: str
    unknowns: int | None
    cells: int | None
    solves: int | None
    wall_s: float | None
    note: str
    baseline: bool
    empty: bool
    plan: str
    engine: str
    asked_engine: str
    efficiency: float | None
    gain_dbi: float | None
    gain_error_db: float | None


class RunDetail(RunLine):
    live: list[News]
    events: list[dict[str, Any]]
    trust: list[dict[str, Any]]
    made_by: dict[str, Any]
    forecast: dict[str, Any]
    warnings: list[str]
    advice: dict[str, Any] | None
    document: dict[str, Any]


class Annotation(Schema):
    note: str | None = Field(default=None, max_length=2000)
    baseline: bool | None = None


RESULT_LINES = {
    "status": "state",
    "revision": "revision",
    "engine": "engine",
    "unknowns": "unknowns",
    "cells": "cells",
    "solves": "solves",
    "wall_s": "time, s",
    "grade": "trust",
    "efficiency": "total efficiency",
    "gain_dbi": "realized gain, dBi",
}


NO_FIGURES = figures_of({}, {})
MOST_LISTED = 500


def _line(run: Run) -> dict[str, Any]:
    return {
        **{
            k: getattr(run, k)
            for k in (
                "number",
                "status",
                "stage",
                "fraction",
                "wish",
                "reason",
                "values",
                "overrides",
                "headline",
                "grade",
                "note",
                "baseline",
                "empty",
                "plan",
                "created",
                "started",
                "finished",
                "has_results",
            )
        },
        "revision": run.revision.number,
        "digest": short(run.digest),
        **NO_FIGURES,
        **run.figures,
        "engine": run.engine,
        "asked_engine": run.asked_engine,
    }


def _detail(run: Run) -> dict[str, Any]:
    return {
        **_line(run),
        **{k: getattr(run, k) for k in ("trust", "made_by", "forecast")},
        "live": run.live if run.active else [],
        "events": [{"at": e.at.isoformat(), "message": e.message} for e in run.events.all()],
        "warnings": run.summary.get("warnings", []),
        "advice": run.summary.get("advice"),
        "document": run.revision.whole,
    }


@router.get("/{int:project_id}/runs", response=list[RunLine], operation_id="list_runs")
def list_runs(
    request: HttpRequest,
    project_id: int,
    before: int | None = None,
    limit: Annotated[int, Query(ge=1, le=MOST_LISTED)] = MOST_LISTED,
) -> list[dict[str, Any]]:
    """The latest runs first, without variants of studies; those ``before`` a number are asked for
    in the same way.
    """
    project = get_project(request, project_id)
    runs = (
        project.runs.filter(study=None)
        .select_related("revision")
        .defer("summary", "live", "trust", "made_by", "outcomes", "revision__document")
    )
    if before is not None:
        runs = runs.filter(number__lt=before)
    return [_line(r) for r in runs.order_by("-number")[:limit]]


@router.post("/{int:project_id}/runs", response={201: RunDetail}, operation_id="start_run")
def start_run(request: HttpRequest, project_id: int, data: NewRun) -> Answer:
    return Answer(
        201,
        _detail(
            actions.start_run(
                request,
                project_id,
                data.revision,
                data.overrides,
                empty=data.empty,
                plan=data.plan,
                engine=data.engine,
            )
        ),
    )


@router.post(
    "/{int:project_id}/runs/{int:number}/finer",
    response={201: RunDetail},
    operation_id="solve_finer",
)
def solve_finer(request: HttpRequest, project_id: int, number: int) -> Answer:
    """Once more with a plan that should bring the errors within those of grade A, which the model
    then has.
    """
    return Answer(201, _detail(actions.solve_finer(request, project_id, number)))


@router.get(
    "/{int:project_id}/runs/{int:number}/second", response=Second, operation_id="get_second_engine"
)
def get_second_engine(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """How far a run and the newest of the same model by another engine are apart."""
    return second.compared(request, project_id, number)


@router.post(
    "/{int:project_id}/runs/{int:number}/second",
    response={201: RunDetail},
    operation_id="solve_by_second_engine",
)
def solve_by_second_engine(request: HttpRequest, project_id: int, number: int) -> Answer:
    """The same model with the same values once more, by an engine that has not solved it."""
    return Answer(201, _detail(second.solve(request, project_id, number)))


@router.get("/{int:project_id}/runs/{int:number}", response=RunDetail, operation_id="get_run")
def get_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.get_run(request, project_id, number))


@router.delete(
    "/{int:project_id}/runs/{int:number}", response={204: None}, operation_id="delete_run"
)
def delete_run(request: HttpRequest, project_id: int, number: int) -> Answer:
    actions.delete_run(request, project_id, number)
    return Answer(204, None)


@router.patch(
    "/{int:project_id}/runs/{int:number}", response=RunDetail, operation_id="annotate_run"
)
def annotate_run(
    request: HttpRequest, project_id: int, number: int, data: Annotation
) -> dict[str, Any]:
    return _detail(actions.annotate(request, project_id, number, data.note, data.baseline))


@router.get("/{int:project_id}/differences", response=Differences, operation_id="compare_runs")
def compare_runs(request: HttpRequest, project_id: int, first: int, second: int) -> dict[str, Any]:
    """What differs between two runs: values of parameters, steps, plan, and what they came to."""
    pair = [actions.get_run(request, project_id, n) for n in (first, second)]
    steps = differences(*(load_document(r.revision.document) for r in pair))
    values = [r.values for r in pair]
    names = [
        n for n in dict.fromkeys([*values[0], *values[1]]) if values[0].get(n) != values[1].get(n)
    ]
    lines = [_line(r) for r in pair]
    return {
        "values": [
            {"name": n, "first": values[0].get(n), "second": values[1].get(n)} for n in names
        ],
        "steps": [asdict(d) for d in steps],
        "results": (
            [
                {"name": label, "first": lines[0][key], "second": lines[1][key]}
                for key, label in RESULT_LINES.items()
                if lines[0][key] != lines[1][key]
            ]
            + [
                {
                    "name": "headline",
                    "first": lines[0]["headline"].get("text"),
                    "second": lines[1]["headline"].get("text"),
                }
            ]
        ),
    }


@router.post(
    "/{int:project_id}/runs/{int:number}/stop", response=RunDetail, operation_id="stop_run"
)
def stop_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.STOP))


@router.post(
    "/{int:project_id}/runs/{int:number}/pause", response=RunDetail, operation_id="pause_run"
)
def pause_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.PAUSE))


@router.post(
    "/{int:project_id}/runs/{int:number}/continue", response=RunDetail, operation_id="continue_run"
)
def continue_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.NONE))
