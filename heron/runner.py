"""One headless run: examine, solve, evaluate the captures, summarise. The command line and the worker both call it."""

from __future__ import annotations

import resource
from dataclasses import dataclass
from time import perf_counter
from typing import Any

import numpy as np
import xarray as xr

from heron.checks import Examination
from heron.engines import ENGINES, Progress, silent
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import POINTS, capture_points
from heron.model import Evaluated
from heron.results import currents, near, patterns, ports, sphere
from heron.results.power import budget


@dataclass
class Run:
    """A dataset with its summary (JSON values)."""

    results: xr.Dataset
    summary: dict[str, Any]


def execute(examination: Examination, progress: Progress = silent) -> Run:
    """Solves an examined document, which must be sound."""
    started = perf_counter()
    engine = ENGINES[examination.engine]
    results = engine.solve(examination.model, examination.discretisation, progress)
    results = sphere.record(results, pattern_indices(examination, results))
    return Run(results, summarise(examination, results, perf_counter() - started))


def pattern_indices(examination: Examination, results: xr.Dataset) -> list[int]:
    """Sweep points at which the plan asks for fields: its pattern frequencies, or every point."""
    asked = examination.model.plan.pattern_frequencies
    if not asked:
        return list(range(results.sizes["frequency"]))
    return sorted({patterns.nearest_index(results, f) for f in asked})


def summarise(examination: Examination, results: xr.Dataset, wall: float) -> dict[str, Any]:
    """The figures of ``summary.json``."""
    powers = budget(results)
    z = ports.impedances(results)
    captures = [c for c in examination.model.captures if c is not None]
    far = [patterns.as_dict(patterns.figures(results, i, powers)) for i in pattern_indices(examination, results)]
    return {
        "engine": results.attrs["engine"],
        "engine_reason": examination.engine_reason,
        "unknowns": int(results.attrs["unknowns"]),
        "solves": int(results.attrs["solves"]),
        "status": results.attrs["status"],
        "interpolation_error": float(results.attrs["interpolation_error"]),
        "wall_s": wall,
        "peak_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
        "frequency_hz": results["frequency"].values.tolist(),
        "input_impedance_ohm": {str(p): np.column_stack((z[:, i].real, z[:, i].imag)).tolist() for i, p in enumerate(results["port"].values)},
        "far_field": far,
        "power_balance_error": float(np.nanmax(np.abs(powers.balance_error))),
        "warnings": [p.message for p in examination.problems if p.level == "look"],
        "captures": [c.name for c in captures],
        "absorbed_w": {name: power.tolist() for name, power in currents.absorbed(results).items()},
        "power_flux": {c.name: [{"frequency_hz": float(results["frequency"].values[i]), "power_w": power_through(examination.model, results, i, c)}
                                for i in pattern_indices(examination, results)] for c in captures if c.kind == "power_flux"},
    }


def power_through(model: Evaluated, results: xr.Dataset, index: int, capture: Any) -> float:
    """W through the rectangle of a capture, under the drive."""
    points = capture_points(capture, frame_matrix(build_frames(model, []), capture.frame))
    return near.flux(points, (int(capture.counts[0]), int(capture.counts[1])), *near.near_field(results, index, points))


def with_fields(examination: Examination, results: xr.Dataset) -> xr.Dataset:
    """The dataset with every capture's fields at the pattern frequencies, for a self-contained file."""
    out = results.copy()
    indices = pattern_indices(examination, results)
    out = out.assign_coords(field_frequency=("field_frequency", results["frequency"].values[indices], {"units": "Hz"}))
    frames = build_frames(examination.model, [])
    for capture in examination.model.captures:
        if capture.kind != "far_field" and capture.kind not in POINTS:
            continue  # recorded while the run went on, and in the dataset already
        if capture.kind == "far_field":
            theta, phi = patterns.grid(np.degrees(capture.theta_step), np.degrees(capture.phi_step))
            t, p = np.repeat(theta, len(phi)), np.tile(phi, len(theta))
            field = np.array([patterns.far_field(results, i, t, p) for i in indices])
            dims = ("field_frequency", f"{capture.name}_theta", f"{capture.name}_phi", "polarisation")
            out[f"{capture.name}_e"] = (dims, field.reshape(len(indices), len(theta), len(phi), 2).astype(np.complex64),
                                        {"units": "V", "long_name": "r E under the drive, peak"})
            out = out.assign_coords({dims[1]: theta, dims[2]: phi, "polarisation": ["theta", "phi"]})
            continue
        points = capture_points(capture, frame_matrix(frames, capture.frame))
        fields = [near.near_field(results, i, points) for i in indices]
        near_dims = ("field_frequency", f"{capture.name}_point", "axis")
        out[f"{capture.name}_points"] = (near_dims[1:], points, {"units": "m"})
        out[f"{capture.name}_e"] = (near_dims, np.array([e for e, _ in fields]).astype(np.complex64), {"units": "V/m"})
        out[f"{capture.name}_h"] = (near_dims, np.array([h for _, h in fields]).astype(np.complex64), {"units": "A/m"})
    return out
