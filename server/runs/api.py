"""Runs of a project: start, watch, stop, read, export."""

from __future__ import annotations

import re
from dataclasses import asdict
from datetime import datetime
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Field, Query, Router, Schema
from ninja import Status as Answer

from heron.checks import trust
from heron.engines.progress import News
from heron.model import Evaluated, load_document
from heron.model.differences import differences
from heron.results import confidence, currents, near, patterns, readout, signals
from heron.results.capabilities.far_field import pattern_csv
from server.errors import Problem, not_found
from server.packets import packet
from server.runs import actions, store
from server.runs.fields import (
    averaged,
    capture_field,
    file_name,
    incident,
    model_of,
    needs,
    without,
)
from server.runs.figures import figures_of
from server.runs.models import Run, Wish

router = Router()


class NewRun(Schema):
    revision: int | None = None
    overrides: dict[str, str] = {}
    empty: bool = False
    plan: str | None = Field(default=None, max_length=60)


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
    unknowns: int | None
    cells: int | None
    solves: int | None
    wall_s: float | None
    note: str
    baseline: bool
    empty: bool
    plan: str
    engine: str
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


class Differences(Schema):
    """Values of parameters, fields of steps, and results, each in the first and the second run."""

    values: list[dict[str, Any]]
    steps: list[dict[str, Any]]
    results: list[dict[str, Any]]


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
        **NO_FIGURES,
        **run.figures,
        "engine": run.figures.get("engine") or run.forecast.get("engine", ""),
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
    limit: int = Query(MOST_LISTED, ge=1, le=MOST_LISTED),
) -> list[dict[str, Any]]:
    """The latest runs first; those ``before`` a number are asked for in the same way."""
    project = actions.get_project(request, project_id)
    runs = project.runs.select_related("revision").defer(
        "summary", "live", "trust", "made_by", "revision__document"
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


def _results(request: HttpRequest, project_id: int, number: int) -> tuple[Run, Any]:
    run = actions.results_of(request, project_id, number)
    return run, store.load(run.id)


@router.get(
    "/{int:project_id}/runs/{int:number}/sweep", response=dict[str, Any], operation_id="get_sweep"
)
def get_sweep(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """Everything against frequency, with badges."""
    run, results = _results(request, project_id, number)
    estimate = trust.estimate(results)
    errors = {**vars(estimate), "minimum_db": estimate.at_level(run.headline["level_db"])}
    return {
        **readout.sweep(results),
        "errors": errors,
        "far_field": run.summary.get("far_field", []),
        "power_flux": run.summary.get("power_flux", {}),
        "captures": _captures(model_of(run)),
    }


def _captures(model: Evaluated) -> list[dict[str, Any]]:
    return [{"name": c.name, "kind": c.kind} for c in model.captures if c is not None]


@router.get("/{int:project_id}/runs/{int:number}/current", operation_id="get_current")
def get_current(
    request: HttpRequest, project_id: int, number: int, frequency: float
) -> HttpResponse:
    """Driven current at the ends of every segment, A peak: real and imaginary, with places and
    parts, and the share by which it may be off, where that is known.
    """
    _, results = _results(request, project_id, number)
    index = patterns.nearest_index(results, frequency)
    if "current" not in results:
        raise not_found("current along wires in this run")
    current = np.einsum("p,psi->si", results["drive"].values, results["current"].values[index])
    at = float(results["frequency"].values[index])
    header = {"frequency_hz": at, "parts": np.ravel(results.attrs["part_names"]).tolist()}
    return packet(
        header,
        start=results["segment_start"].values,
        end=results["segment_end"].values,
        re=current.real,
        im=current.imag,
        part=results["segment_part"].values,
        span=results["segment_span"].values,
        **_known(error=confidence.of_wires(results, at)),
    )


def _known(**arrays: Any) -> dict[str, Any]:
    """Those that there are."""
    return {name: values for name, values in arrays.items() if values is not None}


@router.get("/{int:project_id}/runs/{int:number}/near/{name}", operation_id="get_near_field")
def near_field_at(
    request: HttpRequest,
    project_id: int,
    number: int,
    name: str,
    frequency: float,
    quantity: str = "e",
    minus: int | None = None,
    raw: bool = False,
    width: float | None = None,
) -> HttpResponse:
    """One quantity at the points of a capture: its steady value, and the phasors it is the size of,
    if it moves; of the field less that of run ``minus``; ``raw``, per Hz of the pulse that the run
    sent in; or averaged over a line ``width`` Hz wide, then without phasors. ``error``, where it is
    known: shares by which E and H may be off.
    """
    run, results = _results(request, project_id, number)
    f = capture_field(run, results, name, frequency, raw)
    if width is not None and (raw or minus is not None):
        raise Problem(
            422,
            "an average over frequencies is of whole powers: not of the pulse's field, and not less"
            " another run's",
        )
    if minus is not None:
        f = without(
            f, capture_field(*_results(request, project_id, minus), name, frequency, raw), minus
        )
    try:
        value, phasor = (
            (averaged(run, results, f, quantity, width), None)
            if width
            else near.quantity(f.e, f.h, quantity, incident(results))
        )
    except ValueError as error:
        raise Problem(422, str(error)) from error
    header: dict[str, Any] = {"frequency_hz": f.frequency, "kind": f.kind, "counts": f.counts}
    if f.kind == "power_flux":
        header["power_w"] = near.flux(f.points, (f.counts[0], f.counts[1]), f.e, f.h)
    error = (
        None
        if minus is not None or width
        else confidence.of_capture(results, name, f.points, f.frequency)
    )
    return packet(
        header,
        points=f.points,
        value=value,
        **({} if phasor is None else {"re": phasor.real, "im": phasor.imag}),
        **_known(error=error),
    )


@router.get(
    "/{int:project_id}/runs/{int:number}/surface/{name}", operation_id="get_surface_current"
)
def get_surface_current(
    request: HttpRequest, project_id: int, number: int, name: str, frequency: float
) -> HttpResponse:
    """Current per width, A/m peak, on rectangles of the grid that are metal, and the share by which
    it may be off, where that is known.
    """
    _, results = _results(request, project_id, number)
    try:
        found = currents.surface_current(results, name, frequency)
    except LookupError as error:
        raise not_found("surface current of that name") from error
    return packet(
        {"frequency_hz": found.frequency_hz},
        low=found.low,
        high=found.high,
        normal=found.normal,
        re=found.k.real,
        im=found.k.imag,
        **_known(error=confidence.of_surface(results, name, frequency)),
    )


@router.get("/{int:project_id}/runs/{int:number}/signals/{name}", operation_id="get_signals")
def get_signals(request: HttpRequest, project_id: int, number: int, name: str) -> HttpResponse:
    """E, V/m, and with one point H, A/m, against time in ns, while the first port is driven by the
    pulse.
    """
    run, results = _results(request, project_id, number)
    try:
        found = signals.signals(results, name)
    except LookupError as error:
        raise not_found("signals of that name") from error
    capture = next(c for c in model_of(run).captures if c is not None and c.name == name)
    counts = [int(c) for c in getattr(capture, "counts", [1])]
    header = {
        "kind": capture.kind,
        "counts": counts,
        "complete": len(found.points) == int(np.prod(counts)),
    }
    arrays = {
        "time_ns": 1e9 * found.time,
        "pulse": found.pulse,
        "points": found.points,
        "e": found.e,
    }
    return packet(header, **arrays, **({} if found.h is None else {"h": found.h}))


def _download(content: str | bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(
        content,
        content_type=kind,
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


def _own_file(request: HttpRequest, project_id: int, number: int, of: str, *needed: str) -> Any:
    """The file whose name ends in ``of``, by the first of the capabilities ``needed``."""
    run, results = _results(request, project_id, number)
    files = needs(run, results, *needed).files(results, run.summary)
    name = next(name for name in files if re.search(of, name))
    kind = "text/csv" if name.endswith(".csv") else "text/plain"
    return _download(files[name], file_name(run, name), kind)


@router.get(
    "/{int:project_id}/runs/{int:number}/export/scattering.csv",
    operation_id="export_scattering_csv",
)
def export_scattering_csv(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    return _own_file(request, project_id, number, "csv$", "scattering", "cells")


@router.get(
    "/{int:project_id}/runs/{int:number}/export/touchstone", operation_id="export_touchstone"
)
def export_touchstone(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    return _own_file(request, project_id, number, r"\.s\d+p$", "ports")


@router.get("/{int:project_id}/runs/{int:number}/export/ports.csv", operation_id="export_ports_csv")
def export_ports_csv(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    return _own_file(request, project_id, number, "csv$", "ports")


@router.get(
    "/{int:project_id}/runs/{int:number}/export/pattern.csv", operation_id="export_pattern_csv"
)
def export_pattern_csv(
    request: HttpRequest, project_id: int, number: int, frequency: float
) -> HttpResponse:
    run, results = _results(request, project_id, number)
    needs(run, results, "far field")
    text = pattern_csv(results, [patterns.nearest_index(results, frequency)], 5, 5)
    return _download(text, f"run-{run.number}-pattern.csv", "text/csv")


@router.get("/{int:project_id}/runs/{int:number}/export/run.nc", operation_id="export_netcdf")
def export_netcdf(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    run, _ = _results(request, project_id, number)
    return _download(store.content(run.id), f"run-{run.number}.nc", "application/x-netcdf")
