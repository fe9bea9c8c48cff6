"""What a run came to: quantities against frequency, fields, currents, signals, and files."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router

from heron.checks import trust
from heron.results import confidence, currents, near, readout, signals
from heron.results.capabilities.far_field import pattern_csv
from heron.results.origin import capture_of, captures_of
from server.errors import Problem, not_found
from server.packets import packet
from server.runs import store
from server.runs.fields import averaged, capture_field, without
from server.runs.opened import opened
from server.runs.shapes import Sweep

router = Router()


@router.get("/{int:project_id}/runs/{int:number}/sweep", response=Sweep, operation_id="get_sweep")
def get_sweep(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """Everything against frequency, with badges."""
    run = opened(request, project_id, number)
    estimate, row = trust.estimate(run.results), run.run
    errors = {**vars(estimate), "minimum_db": estimate.at_level(row.headline["level_db"])}
    return {
        **readout.sweep(run.results),
        "errors": errors,
        "far_field": row.summary.get("far_field", []),
        "power_flux": row.summary.get("power_flux", {}),
        "captures": [{"name": c.name, "kind": c.kind} for c in captures_of(run.results)],
    }


@router.get("/{int:project_id}/runs/{int:number}/current", operation_id="get_current")
def get_current(
    request: HttpRequest, project_id: int, number: int, frequency: float
) -> HttpResponse:
    """Driven current at the ends of every segment, A peak: real and imaginary, with places and
    parts, and the share by which it may be off, where that is known.
    """
    run = opened(request, project_id, number)
    results, index = run.results, run.index(frequency)
    if "current" not in results:
        raise not_found("current along wires in this run")
    current = np.einsum("p,psi->si", results["drive"].values, results["current"].values[index])
    at = run.frequency(index)
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
    run = opened(request, project_id, number)
    f = capture_field(run.results, name, frequency, raw)
    if width is not None and (raw or minus is not None):
        raise Problem(
            422,
            "an average over frequencies is of whole powers: not of the pulse's field, and not less"
            " another run's",
        )
    if minus is not None:
        other = opened(request, project_id, minus)
        f = without(f, capture_field(other.results, name, frequency, raw), minus)
    try:
        value, phasor = (
            (averaged(run, f, quantity, width), None)
            if width
            else near.quantity(f.e, f.h, quantity, run.incident)
        )
    except ValueError as error:
        raise Problem(422, str(error)) from error
    header: dict[str, Any] = {"frequency_hz": f.frequency, "kind": f.kind, "counts": f.counts}
    if f.kind == "power_flux":
        header["power_w"] = near.flux(f.points, (f.counts[0], f.counts[1]), f.e, f.h)
    off = (
        None
        if minus is not None or width
        else confidence.of_capture(run.results, name, f.points, f.frequency)
    )
    return packet(
        header,
        points=f.points,
        value=value,
        **({} if phasor is None else {"re": phasor.real, "im": phasor.imag}),
        **_known(error=off),
    )


@router.get(
    "/{int:project_id}/runs/{int:number}/surface/{name}", operation_id="get_surface_current"
)
def get_surface_current(
    request: HttpRequest, project_id: int, number: int, name: str, frequency: float
) -> HttpResponse:
    """Current per width, A/m peak, on rectangles of a grid or on triangles, by their corners, and
    the share by which it may be off, where that is known.
    """
    run = opened(request, project_id, number)
    try:
        found = currents.surface_current(run.results, name, frequency)
    except LookupError as error:
        raise not_found("surface current of that name") from error
    return packet(
        {"frequency_hz": found.frequency_hz, "under": found.under},
        corners=found.corners,
        re=found.k.real,
        im=found.k.imag,
        **_known(error=confidence.of_surface(run.results, name, frequency)),
    )


@router.get("/{int:project_id}/runs/{int:number}/signals/{name}", operation_id="get_signals")
def get_signals(request: HttpRequest, project_id: int, number: int, name: str) -> HttpResponse:
    """E, V/m, and with one point H, A/m, against time in ns, while the first port is driven by the
    pulse.
    """
    run = opened(request, project_id, number)
    try:
        found = signals.signals(run.results, name)
    except LookupError as error:
        raise not_found("signals of that name") from error
    capture = capture_of(run.results, name)
    counts = capture.counts or [1]
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


def _own_file(
    request: HttpRequest, project_id: int, number: int, of: str, *needed: str
) -> HttpResponse:
    """The file whose name ends in ``of``, by the first of the capabilities ``needed``."""
    run = opened(request, project_id, number)
    files = run.needs(*needed).files(run.results, run.run.summary)
    name = next(name for name in files if re.search(of, name))
    kind = "text/csv" if name.endswith(".csv") else "text/plain"
    return _download(files[name], run.file_name(name), kind)


@router.get(
    "/{int:project_id}/runs/{int:number}/export/scattering.csv",
    operation_id="export_scattering_csv",
)
def export_scattering_csv(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    return _own_file(request, project_id, number, "csv$", "scattering", "cells")


@router.get("/{int:project_id}/runs/{int:number}/export/modes.csv", operation_id="export_modes_csv")
def export_modes_csv(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    return _own_file(request, project_id, number, "csv$", "characteristic modes")


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
    run = opened(request, project_id, number, "far field")
    text = pattern_csv(run.results, [run.index(frequency)], 5, 5)
    return _download(text, run.file_name("pattern.csv"), "text/csv")


@router.get("/{int:project_id}/runs/{int:number}/export/run.nc", operation_id="export_netcdf")
def export_netcdf(request: HttpRequest, project_id: int, number: int) -> HttpResponse:
    run = opened(request, project_id, number)
    return _download(store.as_netcdf(run.run.id), f"run-{number}.nc", "application/x-netcdf")
