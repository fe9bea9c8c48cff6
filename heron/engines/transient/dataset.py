"""What pulses have recorded, as a dataset: everything for unit incident waves, so that any drive
follows by sums.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from heron.engines.transient import huygens
from heron.engines.transient.distant import Distant
from heron.engines.transient.launch import Gate
from heron.engines.transient.pointlike import PointFeed
from heron.engines.transient.recorder import PulseRun, Recorder, Trace
from heron.engines.transient.structure import Floats, Structure
from heron.engines.transient.sums import Complexes
from heron.excitation.pulse import Pulse
from heron.fields.planes import copies
from heron.fields.surface import power_form
from heron.model import Evaluated


class Terminal(NamedTuple):
    """A port: the gap of a feed, or one ``mode`` (from 1; 0 for a gap) of a line or guide feed;
    ``impedance`` in Ω, its ``point`` (3,) in m.
    """

    number: int
    impedance: float
    amplitude: float
    phase: float
    point: Floats
    mode: int


def terminals(model: Evaluated, s: Structure, gates: Sequence[Gate | PointFeed]) -> list[Terminal]:
    """Ports in the order of their runs: gaps first."""
    out = []
    for i, gap in zip(s.ports, s.gaps, strict=True):
        feed = model.feeds[i]
        out.append(Terminal(feed.number, feed.impedance, feed.amplitude, feed.phase, gap.point, 0))
    for gate in gates:
        feed = model.feeds[gate.feed]
        for mode, ohms in enumerate(gate.impedance):
            out.append(
                Terminal(
                    feed.number + mode,
                    ohms,
                    0.0 if mode else feed.amplitude,
                    feed.phase,
                    np.array(feed.centre),
                    gate.numbered(mode),
                )
            )
    return out


def _waves(
    runs: list[PulseRun], recorder: Recorder, z0: Floats, frequency: Floats
) -> tuple[Complexes, Complexes, Complexes]:
    """Scattering matrix (f, P, P); how to mix runs into unit incident waves (f, runs, P), 1/(√W s);
    voltages at gaps and loads under those (f, gaps + loads, P).

    Both come from the voltages and currents there were at gaps, b = (V − z0 I)/2√z0 and a = (V + z0
    I)/2√z0 (Pozar, ch. 4), and from the waves found at line and guide feeds, so that it does not
    matter what the sources were in discrete time, or what comes back from the end of a case. A
    gap's port has the V of its gap and of what stands in series between them.
    """
    # (f, places, runs)
    volts, amperes = (
        np.stack(found, axis=2)
        for found in zip(*(run.spectra(frequency) for run in runs), strict=True)
    )
    at_ports = volts[:, : len(z0)] + recorder.networks.series(frequency)[:, :, None] * amperes
    root = np.sqrt(z0)[:, None]
    out, into = ((at_ports + sign * root**2 * amperes) / (2 * root) for sign in (-1, 1))
    if recorder.gates:
        found = [run.waves(frequency) for run in runs]
        a, b = (
            np.stack(
                [
                    np.concatenate(
                        [
                            waves[which][:, : g.driven]
                            for g, waves in zip(recorder.gates, own, strict=True)
                        ],
                        axis=1,
                    )
                    for own in found
                ],
                axis=2,
            )
            for which in (0, 1)
        )
        into, out = np.concatenate((into, a), axis=1), np.concatenate((out, b), axis=1)
    mix = np.linalg.inv(into)
    return out @ mix, mix, volts @ mix


def dataset(
    s: Structure,
    ports_of: list[Terminal],
    z0: Floats,
    frequency: Floats,
    recorder: Recorder,
    runs: list[PulseRun],
    plan: Any,
    wishes: tuple[float, float],
) -> xr.Dataset:
    """``z0`` are the impedances of gaps, Ω; ``wishes`` cells per wavelength, and the distance of
    the open walls in longest wavelengths.
    """
    ports, gap_ports, count = len(ports_of), len(z0), len(frequency)
    scattering, mix, gaps = _waves(runs, recorder, z0, frequency)
    e, h = (
        np.einsum(
            "frn,frq->fqn",
            np.stack([getattr(run, name) for run in runs], axis=1),
            mix,
            optimize=True,
        )
        for name in ("e", "h")
    )
    gaps_only, root = slice(0, gap_ports), np.sqrt(z0)[:, None]
    gap_voltage: Complexes = root * (np.eye(ports) + scattering)[:, gaps_only]
    gap_current: Complexes = (np.eye(ports) - scattering)[:, gaps_only] / root
    rows = recorder.surface_rows
    surface = [
        huygens.currents(recorder.faces, e[:, q, :rows], h[:, q, :rows]) for q in range(ports)
    ]
    points = surface[0][0]
    j, m = (np.stack([found[k] for found in surface], axis=1) for k in (1, 2))
    radiated = np.array(
        [power_form(points, j[f], m[f], float(hz), s.planes) for f, hz in enumerate(frequency)]
    )
    lost = recorder.lost(e)

    def form(chosen: Any) -> Complexes:
        own = lost[:, :, chosen]
        return np.asarray(0.5 * copies(s.planes) * np.einsum("fpn,fqn->fpq", own.conj(), own))

    impedance = (
        np.array([load.element.impedance(frequency) for load in s.loads])
        .reshape(len(s.loads), count)
        .T
    )
    resistance = impedance.real * np.array([load.gap.copies for load in s.loads])
    # A for unit incident wave
    through = np.swapaxes(gaps[:, gap_ports:] / impedance[:, :, None], 1, 2)
    through_gap = gap_current - recorder.networks.shunt(frequency)[:, :, None] * gap_voltage
    load_loss = recorder.networks.loss(frequency, through_gap, gap_voltage) + 0.5 * np.einsum(
        "fpn,fn,fqn->fpq", through.conj(), resistance, through
    )
    power = {"units": "W", "long_name": "Hermitian form over incident waves a: power = aᴴ M a"}
    drive = np.array([np.sqrt(2) * f.amplitude * np.exp(1j * f.phase) for f in ports_of])
    numbers = [f.number for f in ports_of]
    axes = ("frequency", "port_in", "patch", "axis")
    amount = {
        "units": "A·m",
        "long_name": "equivalent electric current times area for unit incident wave",
    }
    out = xr.Dataset(
        {
            "s": (
                ("frequency", "port", "port_in"),
                scattering,
                {"units": "1", "long_name": "scattering matrix"},
            ),
            "z0": (("port",), np.array([f.impedance for f in ports_of]), {"units": "ohm"}),
            "mode": (
                ("port",),
                np.array([f.mode for f in ports_of]),
                {"long_name": "mode of a line or guide feed, 0 for a gap"},
            ),
            "drive": (
                ("port",),
                drive,
                {"units": "W^0.5", "long_name": "peak incident wave; |a|²/2 is available power"},
            ),
            "solved": (
                ("frequency",),
                np.ones(count, dtype=bool),
                {"long_name": "solved rather than interpolated"},
            ),
            "radiated_form": (("frequency", "port", "port_in"), radiated, power),
            "conductor_loss_form": (("frequency", "port", "port_in"), form(recorder.metal), power),
            "dielectric_loss_form": (
                ("frequency", "port", "port_in"),
                form(~recorder.metal),
                power,
            ),
            "load_loss_form": (("frequency", "port", "port_in"), load_loss, power),
            "surface_point": (("patch", "axis"), points, {"units": "m"}),
            "surface_j": (axes, j.astype(np.complex64), amount),
            "surface_m": (
                axes,
                m.astype(np.complex64),
                {
                    "units": "V·m",
                    "long_name": "equivalent magnetic current times area for unit incident wave",
                },
            ),
            "feed_point": (("port", "axis"), np.array([f.point for f in ports_of]), {"units": "m"}),
        },
        coords={
            "frequency": ("frequency", frequency, {"units": "Hz"}),
            "port": numbers,
            "port_in": numbers,
            "axis": ["x", "y", "z"],
        },
        attrs={
            "engine": "transient",
            "radiator": "surface",
            "provides": json.dumps(["ports", "power", "far field"]),
            "convention": "exp(+jωt), peak phasors, SI units",
            "unknowns": 6 * s.cells,
            "solves": len(runs),
            "cells": s.cells,
            "cells_per_wavelength": wishes[0],
            "wall_distance": wishes[1],
            "steps": sum(r.steps for r in runs),
            "time_step": s.step,
            "interpolation_error": 0.0,
            "energy_left": max(r.left for r in runs),
            "status": (
                runs[0].reason
                if len(runs) == 1
                else "; ".join(f"port {n}: {r.reason}" for n, r in zip(numbers, runs, strict=True))
            ),
            "stopped": int(any(r.stopped for r in runs)),
            "ground": "none" if s.ground is None else repr(s.ground),
            "planes": json.dumps(s.planes),
            "walls": np.concatenate(s.inner).tolist(),
        },
    )
    others = _others(recorder, runs, gap_ports, frequency)
    if others.size:
        note = {
            "units": "1",
            "long_name": (
                "field of modes beyond those asked for, over theirs, at the plane of a line or"
                " guide feed that is driven"
            ),
        }
        out["other_modes"] = (("frequency", "opening"), others, note)
    out = with_records(
        out, s, recorder, runs, e, h, lambda f: _waves(runs, recorder, z0, f)[1], plan
    )
    order = np.argsort(numbers)
    return out.isel({dim: order for dim in ("port", "port_in", "port_conj") if dim in out.dims})


def _others(recorder: Recorder, runs: list[PulseRun], first: int, frequency: Floats) -> Floats:
    """(f, openings): of each the first mode's own run; none where no modes are watched."""
    out = []
    for n, gate in enumerate(recorder.gates):
        out.append(gate.others(frequency, *runs[first].waves(frequency)[n]))
        first += gate.driven
    return np.array([found for found in out if found is not None]).T


def with_records(
    out: xr.Dataset,
    s: Structure,
    recorder: Recorder,
    runs: list[PulseRun],
    e: Complexes,
    h: Complexes,
    mix: Callable[[Floats], Complexes],
    plan: Any,
) -> xr.Dataset:
    """The dataset with near fields, currents, losses of parts and signals, from sums (f, q, rows)
    for unit drives q; ``mix`` gives (f, runs, q) at other frequencies.
    """
    count, drives = e.shape[:2]
    windows = 0
    for k, near in enumerate(recorder.near):
        n = len(near.points)
        dims = ("frequency", "port_in", f"near {k} point", "axis")
        out[f"near {k}_at"] = (dims[2:], near.points, {"units": "m"})
        own_e, own_h = e, h
        if near.apart is not None:
            own_e, own_h = (
                np.einsum(
                    "frn,frq->fqn",
                    np.stack([run.apart[windows][which] for run in runs], axis=1),
                    mix(recorder.frequency),
                    optimize=True,
                )
                for which in (0, 1)
            )
            windows += 1
        for name, values, first, sign, unit_name in (
            ("e", own_e, near.first_e, near.sign_e, "V/m"),
            ("h", own_h, near.first_h, near.sign_h, "A/m"),
        ):
            out[f"near {k}_{name}"] = (
                dims,
                (values[:, :, first : first + 3 * n].reshape(count, drives, n, 3) * sign).astype(
                    np.complex64
                ),
                {"units": unit_name},
            )
    out = out.assign(
        _wire_currents(s, h[:, :, recorder.wire_first :])
        | _part_losses(s, recorder, recorder.lost(e))
    )
    for k, sheet in enumerate(recorder.sheets):
        own, face = f"surface {k} frequency", f"surface {k} face"
        values = np.einsum(
            "frn,frq->fqn",
            np.stack([run.surfaces[k] for run in runs], axis=1),
            mix(sheet.frequency),
            optimize=True,
        )
        note = {
            "units": "A/m",
            "long_name": "current per width, along the two axes that follow the normal in turn",
        }
        out[f"surface {k}_k"] = (
            (own, "port_in", face, "side"),
            values.reshape(len(sheet.frequency), drives, -1, 2).astype(np.complex64),
            note,
        )
        for name, corners in (("low", sheet.faces.low), ("high", sheet.faces.high)):
            out[f"surface {k}_{name}"] = ((face, "axis"), corners, {"units": "m"})
        out[f"surface {k}_normal"] = ((face,), sheet.faces.axis.astype(np.int8))
        out = out.assign_coords({own: (own, sheet.frequency, {"units": "Hz"})})
    traces: list[Trace | Distant] = [*recorder.traces, *recorder.distant]
    for k, trace in enumerate(traces):
        out = out.assign(
            _trace(k, trace, [run.pulse for run in runs], [run.traces[k] for run in runs])
        )
    spectrum = np.array([run.pulse.spectrum(recorder.frequency) for run in runs]).T
    out["pulse_spectrum"] = (
        ("frequency", "port_in"),
        spectrum,
        {"units": "1/Hz", "long_name": "of the pulse with which each port or wave is sent in"},
    )
    return out.assign_attrs(
        part_names=list(s.wires),
        recorded=[f"near {k}" for k, near in enumerate(recorder.near) if not near.own],
        own_captures=[near.name for near in recorder.near if near.own],
        own_records=[f"near {k}" for k, near in enumerate(recorder.near) if near.own],
        surfaces=[sheet.name for sheet in recorder.sheets],
        traces=[t.capture.name for t in traces],
    )


def _wire_currents(s: Structure, current: Complexes) -> dict[str, Any]:
    """Currents (f, P, edges) of the wires as those of segments; at their ends, the mean of
    neighbours.
    """
    ends, start, stop, part, span = [], [], [], [], []
    first = 0
    for number, edges in enumerate(s.wires.values()):
        own = current[:, :, first : first + len(edges)]
        first += len(edges)
        inner = 0.5 * (own[:, :, 1:] + own[:, :, :-1])
        ends.append(
            np.stack(
                (
                    np.concatenate((own[:, :, :1], inner), axis=2),
                    np.concatenate((inner, own[:, :, -1:]), axis=2),
                ),
                axis=-1,
            )
        )
        middle = np.array([e[5] for e in edges])
        between = 0.5 * (middle[1:] + middle[:-1])
        outer = (
            (2 * middle[0] - between[0], 2 * middle[-1] - between[-1])
            if len(edges) > 1
            else (0.0, 1.0)
        )
        places = np.clip(np.concatenate(([outer[0]], between, [outer[1]])), 0, 1)
        for n, (c, i, j, k, sign, _) in enumerate(edges):
            a = np.array([s.x[i], s.y[j], s.z[k]])
            b = a.copy()
            b[c] = s.lines[c][(i, j, k)[c] + 1]
            start.append(a if sign > 0 else b)
            stop.append(b if sign > 0 else a)
            part.append(number)
            span.append(places[n : n + 2])
    if not part:
        return {}
    note = {"units": "A", "long_name": "current along wires for unit incident wave"}
    return {
        "current": (
            ("frequency", "port_in", "segment", "end"),
            np.concatenate(ends, axis=2).astype(np.complex64),
            note,
        ),
        "segment_start": (("segment", "axis"), np.array(start), {"units": "m"}),
        "segment_end": (("segment", "axis"), np.array(stop), {"units": "m"}),
        "segment_part": (("segment",), np.array(part)),
        "segment_span": (("segment", "end"), np.array(span)),
    }


def _part_losses(s: Structure, recorder: Recorder, lost: Complexes) -> dict[str, Any]:
    """Hermitian forms of the power that each part absorbs, of those that do."""
    names, forms = [], []
    for name, shares in zip(s.names, recorder.loss_shares, strict=True):
        if shares.nnz:
            own = lost[:, :, shares.indices]
            names.append(name)
            forms.append(
                0.5 * copies(s.planes) * np.einsum("fpn,n,fqn->fpq", own.conj(), shares.data, own)
            )
    if not names:
        return {}
    note = {
        "units": "W",
        "long_name": "power absorbed by a part, Hermitian form over incident waves",
    }
    return {
        "part_loss_form": xr.DataArray(
            np.array(forms),
            dims=("lossy_part", "frequency", "port_conj", "port_in"),
            coords={"lossy_part": names},
            attrs=note,
        )
    }


def _trace(
    k: int, trace: Trace | Distant, pulses: list[Pulse], found: list[tuple[Floats, Any, Any]]
) -> dict[str, Any]:
    """Signals of a capture for each port driven in turn by the pulse; zero after a run's end."""
    times = max((f[0] for f in found), key=len)
    n = len(trace.points)
    out: dict[str, Any] = {
        f"trace {k}_at": ((f"trace {k} point", "axis"), trace.points, {"units": "m"}),
        f"trace {k}_time": ((f"trace {k} sample",), times, {"units": "s"}),
        f"trace {k}_pulse": (
            ("port_in", f"trace {k} sample"),
            np.array([pulse(times) for pulse in pulses]),
            {"units": "W^0.5", "long_name": "incident wave with which each port is driven in turn"},
        ),
    }
    for name, which, sign, units in (("e", 1, trace.sign_e, "V/m"), ("h", 2, trace.sign_h, "A/m")):
        if found[0][which] is None:
            continue
        values = np.zeros((len(found), len(times), n, 3), dtype=np.float32)
        for q, run in enumerate(found):
            values[q, : len(run[which])] = run[which].reshape(-1, n, 3)
        out[f"trace {k}_{name}"] = (
            ("port_in", f"trace {k} sample", f"trace {k} point", "axis"),
            values * sign.astype(np.float32),
            {"units": units},
        )
    return out
