"""What illuminated runs have recorded, as a dataset: everything for each illumination alone at 1
V/m, so that any combination follows by sums.
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import xarray as xr

from heron.engines.transient import huygens
from heron.engines.transient.dataset import Terminal, with_records
from heron.engines.transient.recorder import PulseRun, Recorder
from heron.engines.transient.room import interfaces_of, wall_distance
from heron.engines.transient.structure import Floats, Structure
from heron.engines.transient.sums import Complexes
from heron.excitation.waves import PlaneWave
from heron.fields import layered
from heron.fields.rays import Rays, kept_rays
from heron.fields.surface import lattice_of, power_form
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.model.surroundings import layers_of
from heron.quantities.constants import C0, ETA0

POWER = {"units": "W", "long_name": "for 1 V/m of one illumination alone"}


def scattered(
    s: Structure,
    model: Evaluated,
    ports_of: list[Terminal],
    z0: Floats,
    frequency: Floats,
    recorder: Recorder,
    runs: list[PulseRun],
    waves: list[PlaneWave],
    rays: list[Rays],
    delays: list[float],
) -> xr.Dataset:
    """One run for each wave, made up of ``rays``.

    ``s`` (frequency, port, port_in) holds what leaves the ports, √W for 1 V/m; fields are total
    inside the box.
    """
    plan, late = model.plan, np.array(delays)

    def per_volt(f: Floats) -> Complexes:
        """What sums of each run (f, runs) are to be multiplied by: over the spectrum of the pulse
        that reaches the origin late.
        """
        return np.asarray(
            np.exp(2j * np.pi * np.outer(f, late))
            / np.array([run.pulse.spectrum(f) for run in runs]).T
        )

    mix = per_volt(frequency)
    e, h = (
        mix[:, :, None] * np.stack([getattr(run, name) for run in runs], axis=1)
        for name in ("e", "h")
    )
    count, lights = len(frequency), len(waves)
    ports = len(z0)
    received = np.zeros((count, len(ports_of), lights), dtype=complex)
    for q, run in enumerate(runs):
        volts, amperes = run.spectra(frequency)
        at_ports = volts[:, :ports] + recorder.networks.series(frequency) * amperes
        received[:, :ports, q] = mix[:, q, None] * (at_ports - z0 * amperes) / (2 * np.sqrt(z0))
        if recorder.gates:
            out_of = np.concatenate(
                [
                    b[:, : gate.driven]
                    for gate, (_, b) in zip(recorder.gates, run.waves(frequency), strict=True)
                ],
                axis=1,
            )
            received[:, ports:, q] = mix[:, q, None] * out_of
    outside = np.stack(
        [huygens.largest_along(recorder.faces, e[:, q]) for q in range(lights)], axis=1
    )
    names = [light.name for light in model.illuminations]
    drive = np.array([light.amplitude * np.exp(1j * light.phase) for light in model.illuminations])
    out = xr.Dataset(
        {
            "s": (
                ("frequency", "port", "port_in"),
                received,
                {"units": "W^0.5 m/V", "long_name": "wave that leaves a port for 1 V/m"},
            ),
            "z0": (("port",), np.array([p.impedance for p in ports_of]), {"units": "ohm"}),
            "drive": (
                ("port_in",),
                drive,
                {"units": "V/m", "long_name": "peak field at the origin"},
            ),
            "travels": (("port_in", "axis"), np.array([w.travels for w in waves])),
            "electric": (("port_in", "axis"), np.array([w.electric for w in waves])),
            "solved": (("frequency",), np.ones(count, dtype=bool)),
            "outside_field": (
                ("frequency", "port_in"),
                outside,
                {
                    "units": "V/m",
                    "long_name": "largest scattered field along the surface, for 1 V/m",
                },
            ),
        },
        coords={
            "frequency": ("frequency", frequency, {"units": "Hz"}),
            "port": [p.number for p in ports_of],
            "port_in": names,
            "axis": ["x", "y", "z"],
        },
        attrs={
            "engine": "transient",
            "radiator": "none" if s.repeats else "surface in layers" if s.interfaces else "surface",
            "provides": json.dumps(
                [*(["noise floor"] if model.empty else []), "cells" if s.repeats else "scattering"]
            ),
            "metal": int(s.metal.any()),
            "convention": "exp(+jωt), peak phasors, SI units",
            "unknowns": 6 * s.cells,
            "solves": len(runs),
            "cells": s.cells,
            "cells_per_wavelength": float(plan.settings.transient.cells_per_wavelength),
            "wall_distance": wall_distance(model) * plan.f_start / C0,
            "steps": sum(r.steps for r in runs),
            "time_step": s.step,
            "interpolation_error": 0.0,
            "energy_left": max(r.left for r in runs),
            "status": runs[0].reason
            if len(runs) == 1
            else "; ".join(f"“{n}”: {r.reason}" for n, r in zip(names, runs, strict=True)),
            "stopped": int(any(r.stopped for r in runs)),
            "ground": "none",
            "planes": json.dumps(s.planes),
            "walls": np.concatenate(s.inner).tolist(),
        },
    )
    for number, own in enumerate(rays):
        if own.waist:
            out = out.assign(kept_rays(own, number))
    if s.interfaces:
        out = out.assign(_layers(model, frequency))
    if not s.repeats:
        out = out.assign(
            {
                f"grid_{axis}": (
                    f"line_{axis}",
                    line,
                    {"units": "m", "long_name": "lines of the grid"},
                )
                for axis, line in zip("xyz", s.lines, strict=True)
            }
        )
        across = float(
            np.mean([np.diff(s.lines[k][s.box[0][k] : s.box[1][k] + 1]).mean() for k in (0, 1)])
        )
        out = out.assign_attrs(cell_across=across)
    absorbed = [
        -huygens.power_out(recorder.inwards, e[:, q], h[:, q]) / _level(s, out, q)
        for q in range(lights)
    ]
    out["absorbed_power"] = (("frequency", "port_in"), np.stack(absorbed, axis=1), POWER)
    out = out.assign(
        _repeated(s, out, model.surround.references, recorder, e, h)
        if s.repeats
        else _far(s, out, recorder, e, h)
    )
    return with_records(
        out, s, recorder, runs, e, h, lambda f: per_volt(f)[:, :, None] * np.eye(lights), plan
    )


def _level(s: Structure, out: xr.Dataset, light: int) -> Floats:
    """Of the power (f,) of a wave in the grid by the scheme's own Poynting theorem, over that of
    its amplitude: E and H lie half a cell apart.
    """
    way = out["travels"].values[light]
    # where it comes in
    cells = np.array(
        [
            np.diff(line)[low if along > 0 else high - 1]
            for line, low, high, along in zip(s.lines, *s.box, way, strict=True)
        ]
    )
    index = np.array(
        [layered.stack_of(out, f).outer(bool(way[2] > 0))[0] for f in range(out.sizes["frequency"])]
    )
    half = np.pi / C0 * (out["frequency"].values * index)[:, None] * cells * way
    return np.asarray((np.cos(half) * way**2).sum(axis=1))


def _far(
    s: Structure, out: xr.Dataset, recorder: Recorder, e: Complexes, h: Complexes
) -> dict[str, Any]:
    """Currents on the surface that the far field is taken from, and the power they send out."""
    rows, lights = recorder.surface_rows, e.shape[1]
    surface = [
        huygens.currents(recorder.faces, e[:, q, :rows], h[:, q, :rows]) for q in range(lights)
    ]
    points = surface[0][0]
    j, m = (np.stack([found[k] for found in surface], axis=1) for k in (1, 2))
    if s.interfaces:
        sides = np.array(
            [
                layered.power_forms(layered.stack_of(out, f), points, j[f], m[f])
                for f in range(len(e))
            ]
        )
    else:
        sides = np.array(
            [
                [power_form(points, j[f], m[f], float(hz), s.planes, lattice_of(out))]
                for f, hz in enumerate(out["frequency"].values)
            ]
        )
    by_side = np.real(np.einsum("fsqq->sfq", sides))
    below = (
        {"scattered_below": (("frequency", "port_in"), by_side[1], POWER)} if s.interfaces else {}
    )
    axes = ("frequency", "port_in", "patch", "axis")
    return {
        "scattered_power": (("frequency", "port_in"), by_side.sum(axis=0), POWER),
        **below,
        "surface_point": (("patch", "axis"), points, {"units": "m"}),
        "surface_j": (
            axes,
            j.astype(np.complex64),
            {"units": "A·m", "long_name": "equivalent electric current times area for 1 V/m"},
        ),
        "surface_m": (axes, m.astype(np.complex64), {"units": "V·m"}),
    }


def _repeated(
    s: Structure,
    out: xr.Dataset,
    references: tuple[float, float],
    recorder: Recorder,
    e: Complexes,
    h: Complexes,
) -> dict[str, Any]:
    """What a model that is repeated without end reflects and transmits: the wave that goes
    straight, as its E where it leaves over that of the wave let in where it enters, at the lower
    and the upper of the ``references``, m; and all power, of waves in other directions too, over
    that of the wave; of what is scattered and of what layers alone would do together.
    """
    count, lights = e.shape[:2]
    fields, shares = np.zeros((2, count, lights, 3), dtype=complex), np.zeros((2, count, lights))
    (d,) = set(range(3)) - set(s.repeats)
    a, b = (d + 1) % 3, (d + 2) % 3
    area = float(recorder.faces[0].area.sum())
    taken = np.zeros((count, lights))
    line, dt = s.lines[d], s.step

    def late(frequency: float, index: float, face: huygens.Face) -> float:
        """Phase from the plane of reference to a face, in rad: that of the grid's waves from the
        line on, or the boundary of their medium, where those let in are in phase with physical
        ones, so that what the grid adds to theirs is taken off.
        """
        begins = (
            line[s.middle_line(d)]
            if not s.interfaces
            else s.interfaces[0]
            if face.sign > 0
            else s.interfaces[-1]
        )
        low, high = sorted(
            int(np.abs(line - place).argmin()) for place in (begins, face.points[0, d])
        )
        steps = np.diff(line[low : high + 1]) * index * np.sin(np.pi * frequency * dt) / (C0 * dt)
        return float(
            2 * np.arcsin(np.minimum(steps, 1.0)).sum()
            + 2 * np.pi * frequency / C0 * index * face.sign * begins
        )

    for q in range(lights):
        travels, electric = out["travels"].values[q], out["electric"].values[q]
        for f in range(count):
            stack = layered.stack_of(out, f)
            incident_power = stack.outer(bool(travels[2] > 0))[1] * area / (2 * ETA0)
            alone = {
                bool(way[0, d] * travels[d] > 0): field[0]
                for way, field in map(layered.vectors, stack.leaving(travels[None], electric[None]))
            }
            enters = (
                references[int(travels[d] < 0)] * travels[d] * stack.outer(bool(travels[2] > 0))[0]
            )
            taken[f, q] = out["absorbed_power"].values[f, q] / incident_power
            for face in recorder.faces:
                index, admittance = stack.outer(d == 2 and face.sign < 0)
                if not index:
                    continue  # nothing comes through a medium without end that takes power
                onward = face.sign * travels[d] > 0
                n = len(face.points)
                own = np.zeros(3, dtype=complex)
                own[[a, b]] = [
                    e[f, q, row : row + n].sum() / area for row in (face.first, face.first + n)
                ]
                whole = alone.get(onward, np.zeros(3)) + own * np.exp(
                    1j * late(stack.frequency, index, face)
                )
                power = huygens.outflow([face], e[f : f + 1, q], h[f : f + 1, q])[0]
                power += (
                    area
                    * admittance
                    / (2 * ETA0)
                    * ((np.abs(whole) ** 2).sum() - (np.abs(own) ** 2).sum())
                )
                leaves = references[int(face.sign > 0)] * face.sign * index
                whole = whole * np.exp(-2j * np.pi * stack.frequency / C0 * (leaves - enters))
                fields[int(onward), f, q], shares[int(onward), f, q] = whole, power / incident_power
    axes = ("frequency", "port_in")
    return {
        "returned": (
            (*axes, "axis"),
            fields[0],
            {"units": "1", "long_name": "E of the wave that is sent straight back"},
        ),
        "passed": (
            (*axes, "axis"),
            fields[1],
            {"units": "1", "long_name": "E of the wave that goes straight on"},
        ),
        "returned_share": (
            axes,
            shares[0],
            {"units": "1", "long_name": "share of the power reflected, all waves"},
        ),
        "passed_share": (
            axes,
            shares[1],
            {"units": "1", "long_name": "share of the power transmitted, all waves"},
        ),
        "taken_share": (axes, taken, {"units": "1", "long_name": "of the power, what is absorbed"}),
    }


def _layers(model: Evaluated, frequency: Floats) -> dict[str, Any]:
    """Media of layers from above downwards, with vacuum above, and below where they end, and the
    heights that part them.
    """
    library, layers = media_of(model)[0], layers_of(model)
    media = [library[name] for name, _, _ in layers]
    ones = np.ones((len(frequency), 1), dtype=complex)
    below = [ones] if np.isfinite(layers[-1][1]) else []
    epsilon, mu = (
        np.hstack([ones, *(getattr(m, law)(frequency)[:, None] for m in media), *below])
        for law in ("epsilon", "mu")
    )
    heights = np.array(interfaces_of(model))
    return {
        "layer_epsilon": (("frequency", "medium"), epsilon),
        "layer_mu": (("frequency", "medium"), mu),
        "layer_height": (("interface",), heights, {"units": "m"}),
    }
