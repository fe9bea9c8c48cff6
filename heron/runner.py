"""One headless run: examine, solve, evaluate the captures, summarise.

The command line and the worker both call it.
"""

from __future__ import annotations

import resource
from dataclasses import dataclass
from time import perf_counter
from typing import Any

import numpy as np
import xarray as xr

from heron.checks import Examination
from heron.checks.advice import advise
from heron.engines import ENGINES, Progress, Signal, silent
from heron.errors import ModelError, Stopped
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import POINTS, capture_points
from heron.model import Evaluated
from heron.results import currents, near, patterns, ports, rounds, scattering, sphere
from heron.results.power import budget


@dataclass
class Run:
    """A dataset with its summary (JSON values)."""

    results: xr.Dataset
    summary: dict[str, Any]


def execute(examination: Examination, progress: Progress = silent) -> Run:
    """Solves an examined document, which must be sound."""
    started = perf_counter()
    results = solve_in_rounds(examination, progress)
    if not scattering.layered(results) and not scattering.repeated(results):
        results = sphere.record(results, pattern_indices(examination, results))
    return Run(results, summarise(examination, results, perf_counter() - started))


def solve_in_rounds(examination: Examination, progress: Progress = silent) -> xr.Dataset:
    """The results of the last round, with what the ones before say of their errors.

    A round that is too coarse for the model, such as an opening of two cells, is left out. Stopping
    keeps the last round that ended, and is refused before.
    """
    engine, model = ENGINES[examination.engine], examination.model
    sizes = engine.rounds(model.plan)
    costs = [engine.cost(size) for size in sizes]
    done: list[rounds.Round] = []
    places = near_places(model) if len(sizes) > 1 else {}  # one round has nothing to compare with
    kept: xr.Dataset | None = None
    for number, size in enumerate(sizes):
        part, started = _part_of(progress, number, costs), perf_counter()
        try:
            made = (
                examination.discretisation
                if size == 1
                else engine.discretise(model, examination.geometry, size)
            )
            results = engine.solve(model, made, part)
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
        done.append(rounds.read(results, size, places, perf_counter() - started))
        if results.attrs["stopped"]:
            break
    assert kept is not None
    return rounds.with_errors(kept, done)


def near_places(model: Evaluated) -> dict[str, Any]:
    """World points (n, 3) in m of every capture of fields at frequencies, by name."""
    frames = build_frames(model, [])
    return {
        c.name: capture_points(c, frame_matrix(frames, c.frame))
        for c in model.captures
        if c is not None and c.kind in POINTS
    }


def _part_of(progress: Progress, number: int, costs: list[float]) -> Progress:
    """The progress of one round among several, as that of the whole."""

    def say(stage: str, fraction: float, live: dict[str, Any]) -> Signal:
        which = {"round": number + 1, "rounds": len(costs)} if len(costs) > 1 and live else {}
        return progress(
            stage, (sum(costs[:number]) + costs[number] * fraction) / sum(costs), live | which
        )

    return say


def pattern_indices(examination: Examination, results: xr.Dataset) -> list[int]:
    """Sweep points at which the plan asks for fields: its pattern frequencies, or every point."""
    asked = examination.model.plan.pattern_frequencies
    if not asked:
        return list(range(results.sizes["frequency"]))
    return sorted({patterns.nearest_index(results, f) for f in asked})


def summarise(examination: Examination, results: xr.Dataset, wall: float) -> dict[str, Any]:
    """The figures of ``summary.json``: what all runs have, and those of ports and radiation, or of
    scattering.
    """
    kind = scattering.kind(results)
    own = (
        _radiation(examination, results)
        if kind == "driven"
        else _cells(results)
        if scattering.repeated(results)
        else _scattering(examination, results)
    )
    return {
        "engine": results.attrs["engine"],
        "engine_reason": examination.engine_reason,
        "unknowns": int(results.attrs["unknowns"]),
        "cells": int(results.attrs["cells"]) if "cells" in results.attrs else None,
        "solves": int(results.attrs["solves"]),
        "status": results.attrs["status"],
        "interpolation_error": float(results.attrs["interpolation_error"]),
        "error_estimate": rounds.errors_in(results),
        "advice": None
        if (found := advise(results, examination.model.plan, wall)) is None
        else vars(found),
        "wall_s": wall,
        "peak_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
        "frequency_hz": results["frequency"].values.tolist(),
        "warnings": [p.message for p in examination.problems if p.level == "look"],
        "captures": [c.name for c in examination.model.captures if c is not None],
        "absorbed_w": {name: power.tolist() for name, power in currents.absorbed(results).items()},
        "power_flux": {
            c.name: [
                _flux(examination.model, results, i, c)
                for i in pattern_indices(examination, results)
            ]
            for c in examination.model.captures
            if c is not None and c.kind == "power_flux"
        },
        **own,
    }


def _radiation(examination: Examination, results: xr.Dataset) -> dict[str, Any]:
    powers, z = budget(results), ports.impedances(results)
    far = [
        patterns.as_dict(patterns.figures(results, i, powers))
        for i in pattern_indices(examination, results)
    ]
    return {
        "input_impedance_ohm": {
            str(p): np.column_stack((z[:, i].real, z[:, i].imag)).tolist()
            for i, p in enumerate(results["port"].values)
        },
        "far_field": far,
        "power_balance_error": float(np.nanmax(np.abs(powers.balance_error))),
    }


def _scattering(examination: Examination, results: xr.Dataset) -> dict[str, Any]:
    """Radar cross-sections back to the source over the band, and in every cut; cross-sections of
    power. Each illumination alone.
    """
    frequency = results["frequency"].values
    rows, sections = [], []
    for n, name in enumerate(scattering.illuminations(results)):
        theta, phi = np.degrees(scattering.back(results, n))
        rows += [
            {
                "illumination": name,
                "frequency_hz": float(f),
                "theta_deg": float(theta),
                "phi_deg": float(phi),
                "rcs_m2": float(sigma),
                "monostatic": True,
            }
            for f, sigma in zip(frequency, scattering.monostatic(results, n), strict=True)
        ]
        for capture in examination.model.captures:
            if capture is not None and capture.kind == "scattered_cut":
                for i in cut_indices(examination.model, results, capture):
                    angle, sigma = scattering.around(
                        results,
                        i,
                        float(np.degrees(capture.phi)),
                        float(np.degrees(capture.step)),
                        n,
                    )
                    rows += [
                        {
                            "illumination": name,
                            "frequency_hz": float(frequency[i]),
                            "theta_deg": float(a if a <= 180 else 360 - a),
                            "phi_deg": float(
                                (np.degrees(capture.phi) + (0 if a <= 180 else 180)) % 360
                            ),
                            "rcs_m2": float(s),
                            "monostatic": False,
                            "cut": capture.name,
                        }
                        for a, s in zip(angle[:-1], sigma[:-1], strict=True)
                    ]
        found = scattering.cross_sections(results, n)
        kinds = [
            "scattered",
            "absorbed",
            "extinction",
            *(["scattered_below"] if scattering.layered(results) else []),
        ]
        areas, numbers = scattering.received(results, n), [str(p) for p in results["port"].values]
        sections += [
            {
                "illumination": name,
                "frequency_hz": float(f),
                **{f"{k}_m2": float(getattr(found, k)[i]) for k in kinds},
                **(
                    {"received_m2": dict(zip(numbers, areas[i].tolist(), strict=True))}
                    if numbers
                    else {}
                ),
            }
            for i, f in enumerate(frequency)
        ]
    return {"scattering": rows, "cross_sections": sections, **_floor(results)}


def _floor(results: xr.Dataset) -> dict[str, float]:
    return (
        {"noise_floor_db": float(scattering.leakage(results).max())}
        if scattering.kind(results) == "empty"
        else {}
    )


def _cells(results: xr.Dataset) -> dict[str, Any]:
    """Of a model that is repeated: what each illumination alone is sent back, let through and
    absorbed.
    """
    rows = []
    for n, name in enumerate(scattering.illuminations(results)):
        found = scattering.shares(results, n)
        for i, f in enumerate(results["frequency"].values):
            straight = {
                f"{what}_{part}": float(getattr(getattr(found, what)[i], part))
                for what in ("reflection", "transmission")
                for part in ("real", "imag")
            }
            powers = {
                what: float(getattr(found, what)[i])
                for what in ("reflectance", "transmittance", "absorptance")
            }
            rows.append({"illumination": name, "frequency_hz": float(f), **powers, **straight})
    return {"cells_lit": rows, **_floor(results)}


def cut_indices(model: Evaluated, results: xr.Dataset, capture: Any) -> list[int]:
    """Sweep points of a cut: those it asks for, those of the plan's patterns, else the last of the
    band.
    """
    asked = capture.frequencies or model.plan.pattern_frequencies or [model.plan.f_stop]
    return sorted({patterns.nearest_index(results, f) for f in asked})


def power_through(model: Evaluated, results: xr.Dataset, index: int, capture: Any) -> float:
    """W through the rectangle of a capture, under the drive."""
    points = capture_points(capture, frame_matrix(build_frames(model, []), capture.frame))
    return near.flux(
        points,
        (int(capture.counts[0]), int(capture.counts[1])),
        *near.near_field(results, index, points),
    )


def _flux(model: Evaluated, results: xr.Dataset, index: int, capture: Any) -> dict[str, float]:
    power, offered = power_through(model, results, index, capture), source_power(results, index)
    share = {"share_of_source": power / offered} if np.isfinite(offered) else {}
    return {"frequency_hz": float(results["frequency"].values[index]), "power_w": power, **share}


def source_power(results: xr.Dataset, index: int) -> float:
    """W that the sources offer under the drive: what feeds have available, or all of the beams;
    infinite where a plane wave is among them.
    """
    drive = np.abs(results["drive"].values) ** 2
    if not scattering.lit(results):
        return float(drive.sum() / 2)
    return float(
        sum(level * scattering.beam_power(results, n)[index] for n, level in enumerate(drive))
    )


def with_fields(examination: Examination, results: xr.Dataset) -> xr.Dataset:
    """The dataset with every capture's fields at the pattern frequencies, for a self-contained
    file.
    """
    out = results.copy()
    indices = pattern_indices(examination, results)
    out = out.assign_coords(
        field_frequency=("field_frequency", results["frequency"].values[indices], {"units": "Hz"})
    )
    frames, frequency_of = build_frames(examination.model, []), results["frequency"].values
    for capture in examination.model.captures:
        if capture.kind == "scattered_cut":
            cuts = [
                [
                    scattering.around(
                        results, i, np.degrees(capture.phi), np.degrees(capture.step), n
                    )
                    for n in range(results.sizes["port_in"])
                ]
                for i in cut_indices(examination.model, results, capture)
            ]
            own = (f"{capture.name}_frequency", "port_in", f"{capture.name}_angle")
            out[f"{capture.name}_rcs"] = (
                own,
                np.array([[sigma for _, sigma in lights] for lights in cuts]),
                {"units": "m²"},
            )
            out = out.assign_coords(
                {
                    own[0]: frequency_of[cut_indices(examination.model, results, capture)],
                    own[2]: cuts[0][0][0],
                }
            )
            continue
        if capture.kind != "far_field" and capture.kind not in POINTS:
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
        points = capture_points(capture, frame_matrix(frames, capture.frame))
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
