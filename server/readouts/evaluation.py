"""What a run is evaluated to at a frequency or in a direction: cuts, patterns, polarisation, phase
centre, reflection against time; and files of it.
"""

from __future__ import annotations

import io
import re
import zipfile
from typing import Annotated, Any, Literal

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema

from heron.errors import HeronError
from heron.formats import vtk
from heron.formats.pattern_mesh import pattern_gltf
from heron.results import cross_sections, near, patterns, phase, ports, signals
from heron.results.capabilities import in_space, provided
from heron.results.power import budget
from heron.results.quantity import finite
from server.accounts.people import person_number
from server.errors import Problem, not_found
from server.looking.pool import ask
from server.packets import packet
from server.projects.permissions import get_project
from server.readouts.shapes import Cut, Decay, PhaseCentre, Polarisation, ScatteredCut, TimeDomain
from server.runs import store
from server.runs.fields import capture_field
from server.runs.opened import Opened, opened
from server.runs.quantities import of_run

router = Router()

Angle = Annotated[float, Query(ge=-360, le=360)]
PATTERN_FLOOR_DB = 30.0
MOST_RUNS, SPECTRUM_POINTS = 100, 240


class Shown(Schema):
    """Which pattern: the kind of gain, the component (for cuts several with commas between), the
    direction of co-polarisation in degrees from x.
    """

    quantity: str = "realized_gain"
    component: str = "total"
    reference: float = 0.0


def _numbers(runs: str) -> list[int]:
    numbers = runs.split(",")
    if not all(n.strip().isdecimal() for n in numbers) or len(numbers) > MOST_RUNS:
        raise HeronError(f"give up to {MOST_RUNS} numbers of runs with commas between")
    return list(dict.fromkeys(int(n) for n in numbers))


@router.get("/{int:project_id}/cuts", response=list[list[Cut]], operation_id="get_cuts")
def get_cuts(
    request: HttpRequest,
    project_id: int,
    runs: str,
    frequency: float,
    shown: Query[Shown],
    planes: str = "phi=0,phi=90",
) -> list[list[dict[str, Any]]]:
    """Cuts of several runs, numbers with commas between: each run's components in order, each with
    its planes.
    """
    wanted = [opened(request, project_id, n, "far field").results for n in _numbers(runs)]
    return [
        _cuts(results, frequency, shown, component, planes)
        for results in wanted
        for component in shown.component.split(",")[:3]
    ]


def _cuts(
    results: Any, frequency: float, shown: Shown, component: str, planes: str
) -> list[dict[str, Any]]:
    """Cuts in dBi with the figures of their lobes; axial ratio in dB, negative where
    left-handed.
    """
    index, powers = patterns.nearest_index(results, frequency), budget(results)
    try:
        found = [
            patterns.cut(
                results,
                index,
                p.strip(),
                powers,
                1.0,
                shown.quantity,
                component,
                np.radians(shown.reference),
            )
            for p in planes.split(",")[:6]
        ]
    except ValueError as error:
        raise Problem(422, str(error)) from error
    return [
        {
            "plane": c.plane,
            "angle_deg": c.angle.tolist(),
            "level_dbi": c.level.round(4).tolist(),
            "axial_ratio_db": finite(c.axial_ratio.round(3)),
            **vars(c.lobes),
        }
        for c in found
    ]


@router.get("/{int:project_id}/runs/{int:number}/pattern", operation_id="get_pattern")
def get_pattern(
    request: HttpRequest,
    project_id: int,
    number: int,
    frequency: float,
    shown: Query[Shown],
    step: Annotated[float, Query(ge=0.5, le=30)] = 5,
) -> HttpResponse:
    """One component in dBi on a grid, rows θ 0…180, columns φ 0…360."""
    run = opened(request, project_id, number)
    index = run.index(frequency)
    theta, phi = patterns.grid(step, step)
    level = _levels(run, index, theta, phi, shown)
    header = {
        "frequency_hz": run.frequency(index),
        "peak_dbi": float(level.max()),
    }
    return packet(header, level_dbi=level, theta_deg=theta, phi_deg=phi)


def _levels(run: Opened, index: int, theta: Any, phi: Any, shown: Shown) -> Any:
    """What a run shows in space, in dB."""
    capability = run.needs(*in_space())
    try:
        return capability.pattern(run.results, index, theta, phi, shown)
    except ValueError as error:
        raise Problem(422, str(error)) from error


@router.get(
    "/{int:project_id}/runs/{int:number}/scattered",
    response=list[ScatteredCut],
    operation_id="get_scattered",
)
def get_scattered(
    request: HttpRequest,
    project_id: int,
    number: int,
    frequency: float,
    phi: str = "0,90",
    illumination: int = 0,
) -> list[dict[str, Any]]:
    """Radar cross-section all round in planes through the z axis, at angles in degrees with commas
    between: dBsm against the angle from +z.
    """
    results = opened(request, project_id, number, "scattering").results
    if not 0 <= illumination < results.sizes["port_in"]:
        raise not_found("illumination of that number in this run")
    planes = [p.strip() for p in phi.split(",")][:6]
    if not all(re.fullmatch(r"-?\d+(\.\d+)?", p) for p in planes):
        raise Problem(422, "planes are angles in degrees with commas between, such as 0,90")
    index = patterns.nearest_index(results, frequency)
    found = [
        (p, *cross_sections.around(results, index, float(p), 1.0, illumination)) for p in planes
    ]
    return [
        {
            "phi_deg": float(p),
            "angle_deg": angle.tolist(),
            "level_dbsm": cross_sections.dbsm(sigma).round(4).tolist(),
        }
        for p, angle, sigma in found
    ]


@router.get(
    "/{int:project_id}/runs/{int:number}/polarisation",
    response=Polarisation,
    operation_id="get_polarisation",
)
def get_polarisation(
    request: HttpRequest,
    project_id: int,
    number: int,
    frequency: float,
    theta: Angle = 0,
    phi: Angle = 0,
) -> dict[str, Any]:
    """The ellipse in a direction: axial ratio in dB, tilt in degrees from θ̂ towards φ̂, sense, and
    realized gain of its circular and linear components.
    """
    results = opened(request, project_id, number, "far field").results
    index = patterns.nearest_index(results, frequency)
    return {
        **vars(patterns.polarisation(results, index, theta, phi)),
        "frequency_hz": float(results["frequency"].values[index]),
    }


@router.get(
    "/{int:project_id}/runs/{int:number}/phase-centre",
    response=PhaseCentre,
    operation_id="get_phase_centre",
)
def get_phase_centre(
    request: HttpRequest,
    project_id: int,
    number: int,
    theta: Angle = 0,
    phi: Angle = 0,
    cone: Annotated[float, Query(ge=2, le=89)] = 30,
) -> dict[str, Any]:
    """Against frequency, over a cone of ``cone`` degrees about a direction: the centre in m, and
    what is left of the phase in degrees.
    """
    run = opened(request, project_id, number, "far field")
    results = run.results
    indices = [i for i, _ in of_run(run.run.id).far]
    found = phase.phase_centres(
        results, indices, np.radians(theta), np.radians(phi), np.radians(cone)
    )
    rows = [
        {
            "frequency_hz": float(results["frequency"].values[i]),
            "place_m": c.place.tolist(),
            "rms_deg": float(np.degrees(c.rms)),
            "largest_deg": float(np.degrees(c.largest)),
        }
        for i, c in zip(indices, found, strict=True)
    ]
    return {"rows": rows}


@router.get(
    "/{int:project_id}/runs/{int:number}/time-domain",
    response=TimeDomain,
    operation_id="get_time_domain",
)
def get_time_domain(
    request: HttpRequest, project_id: int, number: int, port: int | None = None
) -> dict[str, Any]:
    """Reflection of a step at a port against time, and the impedance it means."""
    results = opened(request, project_id, number, "ports").results
    known = [int(p) for p in results["port"].values]
    if port is not None and port not in known:
        raise Problem(422, f"this run has no port {port}")
    at = 0 if port is None else known.index(port)
    z0 = float(results["z0"].values[at])
    found = ports.time_domain(results["frequency"].values, results["s"].values[:, at, at], z0)
    return {
        "time_s": found.time.tolist(),
        "reflection": found.reflection.tolist(),
        "impedance_ohm": found.impedance.tolist(),
        "resolution_s": found.resolution,
        "z0_ohm": z0,
    }


@router.get(
    "/{int:project_id}/runs/{int:number}/decay/{name}",
    response=Decay,
    operation_id="get_decay",
)
def get_decay(
    request: HttpRequest, project_id: int, number: int, name: str, frequency: float
) -> dict[str, Any]:
    """The fit of a line capture's field: 1/e length, phase constant, wavelength along it."""
    found = capture_field(opened(request, project_id, number).results, name, frequency)
    fit = near.decay(np.linalg.norm(found.points - found.points[0], axis=1), found.e)
    return {
        "length_m": fit.length if np.isfinite(fit.length) else None,
        "beta_rad_per_m": fit.beta,
        "rest_db": fit.rest_db,
    }


@router.get("/{int:project_id}/runs/{int:number}/spectrum/{name}", operation_id="get_spectrum")
def get_spectrum(
    request: HttpRequest, project_id: int, number: int, name: str, field: Literal["e", "h"] = "e"
) -> HttpResponse:
    """Spectra of the components of a signal at a point, dB below the largest, up to half beyond the
    band; frequencies in Hz.
    """
    results = opened(request, project_id, number).results
    try:
        found = signals.signals(results, name)
    except LookupError as error:
        raise not_found("signals of that name") from error
    values = found.e if field == "e" else found.h
    if values is None:
        raise not_found("magnetic field in these signals")
    f = (
        1.5
        * float(results["frequency"].values.max())
        * np.arange(1, SPECTRUM_POINTS + 1)
        / SPECTRUM_POINTS
    )
    return packet({}, frequency=f, level=signals.spectrum(found.time, values[:, 0], f))


def _file(content: str | bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(
        content,
        content_type=kind,
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@router.get("/{int:project_id}/runs/{int:number}/export/near/{name}.vtk", operation_id="export_vtk")
def export_vtk(
    request: HttpRequest, project_id: int, number: int, name: str, frequency: float
) -> HttpResponse:
    found = capture_field(opened(request, project_id, number).results, name, frequency)
    # a box has its last index fastest
    n = found.counts[::-1] if found.kind == "near_box" else found.counts
    a, b, c = [*n, 1, 1][:3]
    text = vtk.structured(
        f"run {number}, {name}, {found.frequency:.9g} Hz, peak phasors",
        found.points,
        (a, b, c),
        {"E": found.e, "H": found.h},
    )
    return _file(text, f"run-{number}-{name.replace(' ', '-')}.vtk", "text/plain")


@router.get(
    "/{int:project_id}/runs/{int:number}/export/pattern.glb", operation_id="export_pattern_glb"
)
def export_pattern_glb(
    request: HttpRequest, project_id: int, number: int, frequency: float, shown: Query[Shown]
) -> HttpResponse:
    """The pattern round the structure that radiates it."""
    run = opened(request, project_id, number)
    theta, phi = patterns.grid(3, 3)
    level = _levels(run, run.index(frequency), theta, phi, shown)
    structure = ask(person_number(request), project_id, "structure_of", run.run.id)
    return _file(
        pattern_gltf(np.radians(theta), np.radians(phi), level, PATTERN_FLOOR_DB, structure),
        run.file_name("pattern.glb"),
        "model/gltf-binary",
    )


@router.get("/{int:project_id}/export", operation_id="export_runs")
def export_runs(request: HttpRequest, project_id: int, runs: str) -> HttpResponse:
    """A zip of runs, numbers with commas between: Touchstone, port quantities as CSV, and the whole
    dataset as NetCDF of each.
    """
    project = get_project(request, project_id)
    numbers = _numbers(runs)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for n in numbers:
            run = opened(request, project_id, n)
            for capability in provided(run.results):
                for name, text in capability.files(run.results, run.run.summary).items():
                    archive.writestr(run.file_name(name), text)
            archive.writestr(zipfile.ZipInfo(f"run-{n}.nc"), store.as_netcdf(run.run.id))
    return _file(out.getvalue(), f"project-{project.id}-runs.zip", "application/zip")
