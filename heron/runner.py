"""One headless run: examine, solve, evaluate the captures, summarise.

The command line and the worker both call it.
"""

from __future__ import annotations

from dataclasses import dataclass
from time import perf_counter
from typing import Any

import numpy as np
import xarray as xr

from heron.checks import Examination
from heron.checks.advice import advise
from heron.engines import ENGINES, NO_INPUTS, Event, Inputs, Progress, Signal, silent
from heron.engines.patience import finished
from heron.errors import ModelError, Stopped
from heron.fields import bounded
from heron.geometry.places import at_frequencies
from heron.results import cross_sections, currents, near, patterns, rounds, sphere
from heron.results.capabilities import leading, provided
from heron.results.errors import errors_in
from heron.results.origin import Captured, captures_of, places, with_origin
from heron.usage import forget_peak, peak_mb


@dataclass
class Run:
    """A dataset with its summary (JSON values)."""

    results: xr.Dataset
    summary: dict[str, Any]


def solve(examination: Examination, progress: Progress = silent, inputs: Inputs = NO_INPUTS) -> Run:
    """Solves an examined document, which must be sound; ``inputs`` are sources of fields from
    other runs, by the names by which the document speaks of them.
    """
    started = perf_counter()
    forget_peak()
    results = solve_in_rounds(examination, progress, inputs)

    def evaluated() -> Run:
        own = with_origin(results, examination.model)
        if bounded(own):
            own = sphere.record(own, pattern_indices(examination, own))
        return Run(own, summarise(examination, own, perf_counter() - started))

    if results.attrs["stopped"]:  # what is kept is worked out to its end
        return evaluated()
    return finished(evaluated, progress, "fields", 0.99)


def solve_in_rounds(
    examination: Examination, progress: Progress = silent, inputs: Inputs = NO_INPUTS
) -> xr.Dataset:
    """The results of the last round, with what the ones before say of their errors.

    A round that is too coarse for the model, such as an opening of two cells, is left out. Stopping
    keeps the last round that ended, and is refused before.
    """
    engine, model = ENGINES[examination.engine], examination.model
    sizes = engine.rounds(model.plan)
    order = engine.cost_order(examination.discretisation)
    costs = [size**-order for size in sizes]
    done: list[rounds.Round] = []
    captured = places(model) if len(sizes) > 1 else {}  # one round has nothing to compare with
    kept: xr.Dataset | None = None
    for number, size in enumerate(sizes):
        part, started = _part_of(progress, number, costs), perf_counter()
        try:
            made = examination.discretisation if size == 1 else examination.discretised(size)
            results = engine.solve(model, made, part, inputs).assign_attrs(
                held=int(made.held), cost_order=order
            )
        except ModelError:
            if size == 1:
                raise
            continue
        except Stopped as stopped:
            if kept is None:
                raise
            return rounds.with_errors(
                kept.assign_attrs(
                    stopped=1, status=f"{stopped.message}; kept round {number} of {len(sizes)}"
                ),
                done,
            )
        if results.attrs["stopped"] and kept is not None:
            return rounds.with_errors(
                kept.assign_attrs(
                    stopped=1,
                    status=f"stopped in round {number + 1}; kept round {number} of {len(sizes)}",
                ),
                done,
            )
        kept = results
        done.append(rounds.read(results, size, captured, perf_counter() - started))
        if results.attrs["stopped"]:
            break
    assert kept is not None
    return rounds.with_errors(kept, done)


def _part_of(progress: Progress, number: int, costs: list[float]) -> Progress:
    """The progress of one round among several, as that of the whole."""

    begun, share = sum(costs[:number]) / sum(costs), costs[number] / sum(costs)

    def say(event: Event, /) -> Signal:
        return progress(event.of_round(number + 1, len(costs), begun, share))

    return say


def pattern_indices(examination: Examination, results: xr.Dataset) -> list[int]:
    """Sweep points at which the plan asks for fields: its pattern frequencies, or every point."""
    asked = examination.model.plan.pattern_frequencies
    if not asked:
        return list(range(results.sizes["frequency"]))
    return sorted({patterns.nearest_index(results, f) for f in asked})


def summarise(examination: Examination, results: xr.Dataset, wall: float) -> dict[str, Any]:
    """The figures of ``summary.json``: what all runs have, and those of what the run provides."""
    model, indices = examination.model, pattern_indices(examination, results)
    advice = advise(results, model.plan, wall)
    flux = {
        c.name: [_flux(results, i, c) for i in indices]
        for c in captures_of(results)
        if c.kind == "power_flux"
    }
    out = {
        "engine": results.attrs["engine"],
        "engine_reason": examination.engine_reason,
        "unknowns": int(results.attrs["unknowns"]),
        "cells": int(results.attrs["cells"]) if "cells" in results.attrs else None,
        "solves": int(results.attrs["solves"]),
        "status": results.attrs["status"],
        "held": bool(results.attrs.get("held", 0)),
        "interpolation_error": float(results.attrs["interpolation_error"]),
        "error_estimate": errors_in(results),
        "advice": None if advice is None else vars(advice),
        "wall_s": wall,
        "peak_mb": peak_mb(),
        "frequency_hz": results["frequency"].values.tolist(),
        "warnings": [p.message for p in examination.problems if p.level == "look"],
        "captures": [c.name for c in model.captures if c is not None],
        "absorbed_w": {n: power.tolist() for n, power in currents.absorbed(results).items()},
        "power_flux": flux,
    }
    for capability in provided(results):
        out |= capability.summary(results, model, indices)
    return out


def power_through(results: xr.Dataset, index: int, capture: Captured) -> float:
    """W through the rectangle of a capture, under the drive."""
    assert capture.points is not None
    counts = capture.counts[0], capture.counts[1]
    return near.flux(capture.points, counts, *near.near_field(results, index, capture.points))


def _flux(results: xr.Dataset, index: int, capture: Captured) -> dict[str, float]:
    power, offered = power_through(results, index, capture), source_power(results, index)
    share = {"share_of_source": power / offered} if np.isfinite(offered) else {}
    return {"frequency_hz": float(results["frequency"].values[index]), "power_w": power, **share}


def source_power(results: xr.Dataset, index: int) -> float:
    """W that the sources offer under the drive: what feeds have available, or all of the beams;
    infinite where a plane wave is among them.
    """
    offered = (c.offered(results, index) for c in provided(results))
    return next((power for power in offered if power is not None), float("inf"))


def shown_indices(examination: Examination, results: xr.Dataset, every: bool = False) -> list[int]:
    """Sweep points whose fields are written to files: those the plan asks for, else that of the
    headline, such as the best match; ``every`` point on request.
    """
    if every:
        return list(range(results.sizes["frequency"]))
    if examination.model.plan.pattern_frequencies:
        return pattern_indices(examination, results)
    found = (c.headline(results) for c in leading(results))
    best = next((h.at for h in found if h is not None), float(results["frequency"].values[0]))
    return [patterns.nearest_index(results, best)]


def with_fields(examination: Examination, results: xr.Dataset, indices: list[int]) -> xr.Dataset:
    """The dataset with every capture's fields at sweep points, for a self-contained file."""
    out = results.copy()
    out = out.assign_coords(
        field_frequency=("field_frequency", results["frequency"].values[indices], {"units": "Hz"})
    )
    frequency_of, captured = results["frequency"].values, places(examination.model)
    for capture in examination.model.captures:
        if capture.kind == "scattered_cut":
            cuts = [
                [
                    cross_sections.around(
                        results, i, np.degrees(capture.phi), np.degrees(capture.step), n
                    )
                    for n in range(results.sizes["port_in"])
                ]
                for i in patterns.cut_indices(examination.model, results, capture)
            ]
            own = (f"{capture.name}_frequency", "port_in", f"{capture.name}_angle")
            out[f"{capture.name}_rcs"] = (
                own,
                np.array([[sigma for _, sigma in lights] for lights in cuts]),
                {"units": "m²"},
            )
            out = out.assign_coords(
                {
                    own[0]: frequency_of[patterns.cut_indices(examination.model, results, capture)],
                    own[2]: cuts[0][0][0],
                }
            )
            continue
        if capture.kind != "far_field" and not at_frequencies(capture):
            continue  # recorded while the run went on, and in the dataset already
        if capture.kind == "far_field":
            theta, phi = patterns.grid(np.degrees(capture.theta_step), np.degrees(capture.phi_step))
            t, p = np.repeat(theta, len(phi)), np.tile(phi, len(theta))
            field = np.array([patterns.far_field(results, i, t, p) for i in indices])
            dims = (
                "field_frequency",
                f"{capture.name}_theta",
                f"{capture.name}_phi",
                "polarisation",
            )
            out[f"{capture.name}_e"] = (
                dims,
                field.reshape(len(indices), len(theta), len(phi), 2).astype(np.complex64),
                {"units": "V", "long_name": "r E under the drive, peak"},
            )
            out = out.assign_coords(
                {dims[1]: theta, dims[2]: phi, "polarisation": ["theta", "phi"]}
            )
            continue
        points = captured[capture.name]
        fields = [near.near_field(results, i, points, capture.name) for i in indices]
        near_dims = ("field_frequency", f"{capture.name}_point", "axis")
        out[f"{capture.name}_points"] = (near_dims[1:], points, {"units": "m"})
        out[f"{capture.name}_e"] = (
            near_dims,
            np.array([e for e, _ in fields]).astype(np.complex64),
            {"units": "V/m"},
        )
        out[f"{capture.name}_h"] = (
            near_dims,
            np.array([h for _, h in fields]).astype(np.complex64),
            {"units": "A/m"},
        )
    return out
