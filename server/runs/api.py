"""Runs of a project: start, watch, stop, read, export."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from ninja import Status as Answer

from heron.formats import tables
from heron.formats.touchstone import touchstone
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import POINTS, TIME_POINTS, capture_points
from heron.model import Evaluated, evaluate_document, load_document
from heron.results import currents, near, patterns, readout, signals
from heron.results.power import budget
from server.errors import Problem, not_found
from server.packets import packet
from server.runs import actions, store
from server.runs.models import Run, Wish

router = Router()


class NewRun(Schema):
    revision: int | None = None
    overrides: dict[str, str] = {}


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
    headline: dict[str, Any]
    grade: str
    created: datetime
    started: datetime | None
    finished: datetime | None
    has_results: bool
    unknowns: int | None
    solves: int | None
    wall_s: float | None


class RunDetail(RunLine):
    live: list[dict[str, Any]]
    events: list[dict[str, Any]]
    trust: list[dict[str, Any]]
    made_by: dict[str, Any]
    forecast: dict[str, Any]
    warnings: list[str]
    document: dict[str, Any]


def _line(run: Run) -> dict[str, Any]:
    return {
        **{k: getattr(run, k) for k in ("number", "status", "stage", "fraction", "wish", "reason", "values", "headline", "grade",
                                        "created", "started", "finished", "has_results")},
        "revision": run.revision.number,
        **{k: run.summary.get(k) for k in ("unknowns", "solves", "wall_s")},
    }


def _detail(run: Run) -> dict[str, Any]:
    return {
        **_line(run),
        **{k: getattr(run, k) for k in ("live", "trust", "made_by", "forecast")},
        "events": [{"at": e.at.isoformat(), "message": e.message} for e in run.events.all()],
        "warnings": run.summary.get("warnings", []),
        "document": run.revision.whole,
    }


@router.get("/{int:project_id}/runs", response=list[RunLine], operation_id="list_runs")
def list_runs(request: HttpRequest, project_id: int) -> list[dict[str, Any]]:
    project = actions.get_project(request, project_id)
    return [_line(r) for r in project.runs.select_related("revision").order_by("-number")]


@router.post("/{int:project_id}/runs", response={201: RunDetail}, operation_id="start_run")
def start_run(request: HttpRequest, project_id: int, data: NewRun) -> Answer:
    return Answer(201, _detail(actions.start_run(request, project_id, data.revision, data.overrides)))


@router.get("/{int:project_id}/runs/{int:number}", response=RunDetail, operation_id="get_run")
def get_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.get_run(request, project_id, number))


@router.delete("/{int:project_id}/runs/{int:number}", response={204: None}, operation_id="delete_run")
def delete_run(request: HttpRequest, project_id: int, number: int) -> Answer:
    actions.delete_run(request, project_id, number)
    return Answer(204, None)


@router.post("/{int:project_id}/runs/{int:number}/stop", response=RunDetail, operation_id="stop_run")
def stop_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.STOP))


@router.post("/{int:project_id}/runs/{int:number}/pause", response=RunDetail, operation_id="pause_run")
def pause_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.PAUSE))


@router.post("/{int:project_id}/runs/{int:number}/continue", response=RunDetail, operation_id="continue_run")
def continue_run(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return _detail(actions.wish(request, project_id, number, Wish.NONE))


def _results(request: HttpRequest, project_id: int, number: int) -> tuple[Run, Any]:
    run = actions.get_run(request, project_id, number)
    if not run.has_results:
        raise Problem(409, f"run {run.number} has no results: it is {run.status}" + (f" ({run.reason})" if run.reason else ""))
    return run, store.load(run.id)


@router.get("/{int:project_id}/runs/{int:number}/sweep", response=dict[str, Any], operation_id="get_sweep")
def get_sweep(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """Everything against frequency, with badges."""
    run, results = _results(request, project_id, number)
    return {**readout.sweep(results), "far_field": run.summary["far_field"], "power_flux": run.summary.get("power_flux", {}), "captures": _captures(_model(run))}


def _model(run: Run) -> Evaluated:
    return evaluate_document(load_document(run.revision.document), run.overrides)


def _captures(model: Evaluated) -> list[dict[str, Any]]:
    return [{"name": c.name, "kind": c.kind} for c in model.captures if c is not None and c.kind in (*POINTS, *TIME_POINTS, "surface_current")]


@router.get("/{int:project_id}/runs/{int:number}/cuts", response=list[dict[str, Any]], operation_id="get_cuts")
def get_cuts(request: HttpRequest, project_id: int, number: int, frequency: float, planes: str = "phi=0,phi=90") -> list[dict[str, Any]]:
    _, results = _results(request, project_id, number)
    index, powers = patterns.nearest_index(results, frequency), budget(results)
    try:
        cuts = [patterns.cut(results, index, p.strip(), powers) for p in planes.split(",")[:4]]
    except ValueError as error:
        raise Problem(422, str(error)) from error
    return [{"plane": c.plane, "angle_deg": c.angle.tolist(), "realized_gain_dbi": c.realized_gain_dbi.tolist(),
             "beamwidth_deg": c.beamwidth_deg, "front_to_back_db": c.front_to_back_db, "side_lobe_db": c.side_lobe_db} for c in cuts]


@router.get("/{int:project_id}/runs/{int:number}/pattern", operation_id="get_pattern")
def get_pattern(request: HttpRequest, project_id: int, number: int, frequency: float) -> HttpResponse:
    """Realized gain in dBi on a 5° grid, rows θ 0…180, columns φ 0…360."""
    _, results = _results(request, project_id, number)
    index, powers = patterns.nearest_index(results, frequency), budget(results)
    theta, phi = patterns.grid(5, 5)
    u = patterns.intensity(patterns.far_field(results, index, np.repeat(theta, len(phi)), np.tile(phi, len(theta))))
    gain = patterns.decibel(4 * np.pi * u / powers.available[index]).reshape(len(theta), len(phi))
    header = {"frequency_hz": float(results["frequency"].values[index]), "peak_dbi": float(gain.max())}
    return packet(header, realized_gain_dbi=gain, theta_deg=theta, phi_deg=phi)


@router.get("/{int:project_id}/runs/{int:number}/current", operation_id="get_current")
def get_current(request: HttpRequest, project_id: int, number: int, frequency: float) -> HttpResponse:
    """Driven current at the ends of every segment, A peak: real and imaginary, with places and parts."""
    _, results = _results(request, project_id, number)
    index = patterns.nearest_index(results, frequency)
    if "current" not in results:
        raise not_found("current along wires in this run")
    current = np.einsum("p,psi->si", results["drive"].values, results["current"].values[index])
    header = {"frequency_hz": float(results["frequency"].values[index]), "parts": np.ravel(results.attrs["part_names"]).tolist()}
    return packet(header, start=results["segment_start"].values, end=results["segment_end"].values, re=current.real, im=current.imag,
                  part=results["segment_part"].values, span=results["segment_span"].values)


@router.get("/{int:project_id}/runs/{int:number}/near/{name}", operation_id="get_near_field")
def near_field_at(request: HttpRequest, project_id: int, number: int, name: str, frequency: float) -> HttpResponse:
    """RMS |E| and |H| of a capture, and the complex components at its points."""
    run, results = _results(request, project_id, number)
    model = _model(run)
    capture = next((c for c in model.captures if c is not None and c.name == name and c.kind in POINTS), None)
    if capture is None:
        raise not_found("near-field capture of that name")
    points = capture_points(capture, frame_matrix(build_frames(model, []), capture.frame))
    index = patterns.nearest_index(results, frequency)
    e, h = near.near_field(results, index, points)
    shape = [int(c) for c in capture.counts] if hasattr(capture, "counts") else [len(points)]
    header: dict[str, Any] = {"frequency_hz": float(results["frequency"].values[index]), "kind": capture.kind, "counts": shape}
    if capture.kind == "power_flux":
        header["power_w"] = near.flux(points, (shape[0], shape[1]), e, h)
    return packet(header, points=points, e=near.rms_magnitude(e), h=near.rms_magnitude(h), e_re=e.real, e_im=e.imag, h_re=h.real, h_im=h.imag)


@router.get("/{int:project_id}/runs/{int:number}/surface/{name}", operation_id="get_surface_current")
def get_surface_current(request: HttpRequest, project_id: int, number: int, name: str, frequency: float) -> HttpResponse:
    """Current per width, A/m peak, on rectangles of the grid that are metal."""
    _, results = _results(request, project_id, number)
    try:
        found = currents.surface_current(results, name, frequency)
    except LookupError as error:
        raise not_found("surface current of that name") from error
    return packet({"frequency_hz": found.frequency_hz}, low=found.low, high=found.high, normal=found.normal, re=found.k.real, im=found.k.imag)


@router.get("/{int:project_id}/runs/{int:number}/signals/{name}", operation_id="get_signals")
def get_signals(request: HttpRequest, project_id: int, number: int, name: str) -> HttpResponse:
    """E, V/m, and with one point H, A/m, against time in ns, while the first port is driven by the pulse."""
    run, results = _results(request, project_id, number)
    try:
        found = signals.signals(results, name)
    except LookupError as error:
        raise not_found("signals of that name") from error
    capture = next(c for c in _model(run).captures if c is not None and c.name == name)
    counts = [int(c) for c in getattr(capture, "counts", [1])]
    header = {"kind": capture.kind, "counts": counts, "complete": len(found.points) == int(np.prod(counts))}
    arrays = {"time_ns": 1e9 * found.time, "pulse": found.pulse, "points": found.points, "e": found.e}
    return packet(header, **arrays, **({} if found.h is None else {"h": found.h}))


def _download(content: str | bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/{int:project_id}/runs/{int:number}/export/touchstone", operation_id="export_touchstone")
def export_touchstone(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    run, results = _results(request, project_id, number)
    return _download(touchstone(results), f"run-{run.number}.s{results.sizes['port']}p", "text/plain")


@router.get("/{int:project_id}/runs/{int:number}/export/ports.csv", operation_id="export_ports_csv")
def export_ports_csv(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    run, results = _results(request, project_id, number)
    return _download(tables.ports_csv(results), f"run-{run.number}-ports.csv", "text/csv")


@router.get("/{int:project_id}/runs/{int:number}/export/pattern.csv", operation_id="export_pattern_csv")
def export_pattern_csv(request: HttpRequest, project_id: int, number: int, frequency: float) -> HttpResponse:
    run, results = _results(request, project_id, number)
    rows = tables.pattern_rows(results, patterns.nearest_index(results, frequency), 5, 5)
    return _download(tables.table(tables.PATTERN_COLUMNS, rows), f"run-{run.number}-pattern.csv", "text/csv")


@router.get("/{int:project_id}/runs/{int:number}/export/run.nc", operation_id="export_netcdf")
def export_netcdf(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    run, _ = _results(request, project_id, number)
    return _download(store.content(run.id), f"run-{run.number}.nc", "application/x-netcdf")
