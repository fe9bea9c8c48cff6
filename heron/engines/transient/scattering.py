"""What lit runs have recorded, as a dataset: everything for each illumination alone at 1 V/m, so that any combination follows by sums."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import xarray as xr

from heron.engines.transient import layered, radiation, records
from heron.engines.transient.beams import Rays, kept_rays
from heron.engines.transient.dataset import with_records
from heron.engines.transient.incidence import PlaneWave
from heron.engines.transient.pulse import pulse_of
from heron.engines.transient.recorder import PulseRun, Recorder
from heron.engines.transient.records import Complexes
from heron.engines.transient.structure import Floats, Structure, interfaces_of, layers_of, wall_distance
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.quantities.constants import C0


def scattered(s: Structure, model: Evaluated, feeds: list[Any], z0: Floats, frequency: Floats, recorder: Recorder, runs: list[PulseRun],
              waves: list[PlaneWave], rays: list[Rays], delays: list[float]) -> xr.Dataset:
    """One run for each wave, made up of ``rays``. ``s`` (frequency, port, port_in) holds what leaves the ports, √W for 1 V/m; fields are total inside the box."""
    plan, pulse, late = model.plan, pulse_of(model.plan), np.array(delays)

    def per_volt(f: Floats) -> Complexes:
        """What sums of each run (f, runs) are to be multiplied by: over the spectrum of the pulse that reaches the origin late."""
        return np.asarray(np.exp(2j * np.pi * np.outer(f, late)) / pulse.spectrum(f)[:, None])

    mix = per_volt(frequency)
    e, h = (mix[:, :, None] * np.stack([getattr(run, name) for run in runs], axis=1) for name in ("e", "h"))
    count, lights = len(frequency), len(waves)
    rows, ports = recorder.surface_rows, len(feeds)
    surface = [records.currents(recorder.faces, e[:, q, :rows], h[:, q, :rows]) for q in range(lights)]
    points = surface[0][0]
    j, m = (np.stack([found[k] for found in surface], axis=1) for k in (1, 2))
    received = np.zeros((count, ports, lights), dtype=complex)
    for q, run in enumerate(runs):
        volts, amperes = run.spectra(frequency)
        at_ports = volts[:, :ports] + recorder.networks.series(frequency) * amperes
        received[:, :, q] = mix[:, q, None] * (at_ports - z0 * amperes) / (2 * np.sqrt(z0))
    media = _layers(model, frequency) if s.interfaces else {}
    if media:
        stacks = [layered.Stack(float(hz), media["layer_epsilon"][1][f], media["layer_mu"][1][f], media["layer_height"][1]) for f, hz in enumerate(frequency)]
        sides = np.array([layered.power_forms(stack, points, j[f], m[f]) for f, stack in enumerate(stacks)])
    else:
        sides = np.array([[radiation.power_form(points, j[f], m[f], float(hz), s.planes)] for f, hz in enumerate(frequency)])
    by_side = np.real(np.einsum("fsqq->sfq", sides))
    absorbed = np.stack([-records.outflow(recorder.inner_faces, e[:, q], h[:, q]) for q in range(lights)], axis=1)
    outside = np.stack([records.largest_along(recorder.faces, e[:, q]) for q in range(lights)], axis=1)
    names = [light.name for light in model.illuminations]
    drive = np.array([light.amplitude * np.exp(1j * light.phase) for light in model.illuminations])
    axes = ("frequency", "port_in", "patch", "axis")
    power = {"units": "W", "long_name": "for 1 V/m of one illumination alone"}
    amount = {"units": "A·m", "long_name": "equivalent electric current times area for 1 V/m"}
    out = xr.Dataset(
        {
            "s": (("frequency", "port", "port_in"), received, {"units": "W^0.5 m/V", "long_name": "wave that leaves a port for 1 V/m"}),
            "z0": (("port",), z0, {"units": "ohm"}),
            "drive": (("port_in",), drive, {"units": "V/m", "long_name": "peak field at the origin"}),
            "travels": (("port_in", "axis"), np.array([w.travels for w in waves])),
            "electric": (("port_in", "axis"), np.array([w.electric for w in waves])),
            "solved": (("frequency",), np.ones(count, dtype=bool)),
            "scattered_power": (("frequency", "port_in"), by_side.sum(axis=0), power),
            "absorbed_power": (("frequency", "port_in"), absorbed, power),
            "outside_field": (("frequency", "port_in"), outside, {"units": "V/m", "long_name": "largest scattered field along the surface, for 1 V/m"}),
            "surface_point": (("patch", "axis"), points, {"units": "m"}),
            "surface_j": (axes, j.astype(np.complex64), amount),
            "surface_m": (axes, m.astype(np.complex64), {"units": "V·m"}),
        },
        coords={"frequency": ("frequency", frequency, {"units": "Hz"}), "port": [f.number for f in feeds], "port_in": names, "axis": ["x", "y", "z"]},
        attrs={
            "engine": "transient", "lit": 1, "empty": int(model.empty), "layered": int(bool(model.surround.layers)),
            "convention": "exp(+jωt), peak phasors, SI units", "unknowns": 6 * s.cells, "solves": len(runs), "cells": s.cells,
            "cells_per_wavelength": float(plan.cells_per_wavelength), "wall_distance": wall_distance(model) * plan.f_start / C0,
            "steps": sum(r.steps for r in runs), "time_step": s.step, "interpolation_error": 0.0, "energy_left": max(r.left for r in runs),
            "status": runs[0].reason if len(runs) == 1 else "; ".join(f"“{n}”: {r.reason}" for n, r in zip(names, runs, strict=True)),
            "stopped": int(any(r.stopped for r in runs)), "ground": "none", "planes": json.dumps(s.planes),
            "walls": np.concatenate(s.inner).tolist(),
        },
    )
    for number, own in enumerate(rays):
        if own.waist:
            out = out.assign(kept_rays(own, number))
    if media:
        out = out.assign(media).assign(scattered_below=(("frequency", "port_in"), by_side[1], power))
    return with_records(out, s, recorder, runs, e, h, lambda f: per_volt(f)[:, :, None] * np.eye(lights), plan)


def _layers(model: Evaluated, frequency: Floats) -> dict[str, Any]:
    """Media of layers from above downwards, with vacuum above, and below where they end, and the heights that part them."""
    library, layers = media_of(model)[0], layers_of(model)
    media = [library[name] for name, _, _ in layers]
    ones = np.ones((len(frequency), 1), dtype=complex)
    below = [ones] if np.isfinite(layers[-1][1]) else []
    epsilon, mu = (np.hstack([ones, *(getattr(m, law)(frequency)[:, None] for m in media), *below]) for law in ("epsilon", "mu"))
    heights = np.array(interfaces_of(model))
    return {"layer_epsilon": (("frequency", "medium"), epsilon), "layer_mu": (("frequency", "medium"), mu), "layer_height": (("interface",), heights, {"units": "m"})}
