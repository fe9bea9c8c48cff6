"""The transient engine behind the common contract: pulses, ports, records, dataset."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from functools import lru_cache
from time import perf_counter
from types import SimpleNamespace
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from heron.engines.contract import Forecast, Progress, Refusal, Signal, band, silent
from heron.engines.transient import radiation, records
from heron.engines.transient.planes import Plane, copies, folded
from heron.engines.transient.records import Complexes
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import LAYERS, Floats, Structure, fill, refusals, structure, wall_distance
from heron.errors import ModelError, Stopped
from heron.geometry import Geometry
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import POINTS, capture_points
from heron.model import Evaluated
from heron.quantities.constants import C0

EDGE_LEVEL = 0.3      # of the pulse's spectrum at the ends of the band
LEAST_BAND = 0.4      # of its centre frequency: a narrower band is excited wider, which takes less time
START = 4.6           # widths before its middle the pulse begins, at e^(−START²)
SPECTRUM_END = 1e-4   # beyond this the pulse has nothing
OVERSAMPLED = 6       # samples per period of the highest frequency in the pulse, for the running transforms
REPORT_S = 0.3        # between reports
RING_S = 60.0         # periods of the band's centre a run may ring in the forecast
PIECE = 2e7           # cell steps between questions whether to go on: a fraction of a second
LOOK = 200            # steps between looks at the energy
GROWTH = 1e3          # of the largest energy seen while the source was on: beyond, the scheme has become unstable
BYTES_CELL = 110.0    # fields, row numbers, building of the coefficients
LIVE_POINTS = 61
FINER = float(np.sqrt(2))  # cells per wavelength of a pass over those of the one before
RATE_CELLS, RATE_TRIES = 80, 12  # a side, and stretches of a few steps


@dataclass
class TransientDiscretisation:
    """The grid, its contents, and the geometry they come from."""

    structure: Structure
    geometry: Geometry

    @property
    def errors(self) -> list[Any]:
        return self.structure.errors


@dataclass(frozen=True)
class Pulse:
    """A Gaussian times a sine: ``centre`` Hz, ``width`` s, delayed so that it starts from nothing."""

    centre: float
    width: float

    @property
    def duration(self) -> float:
        return 2 * START * self.width

    @property
    def highest(self) -> float:
        """Frequency in Hz beyond which the spectrum is below ``SPECTRUM_END``."""
        return float(self.centre + np.sqrt(-np.log(SPECTRUM_END)) / (np.pi * self.width))

    def __call__(self, t: Any) -> Floats:
        x = (t - START * self.width) / self.width
        return np.asarray(np.exp(-(x**2)) * np.sin(2 * np.pi * self.centre * (t - START * self.width)))


def pulse_for(low: float, high: float) -> Pulse:
    """The pulse whose spectrum falls to ``EDGE_LEVEL`` at the ends of the band, or of a wider one about its centre."""
    centre = 0.5 * (low + high)
    half = max(high - low, LEAST_BAND * centre) / 2
    return Pulse(centre, float(np.sqrt(-np.log(EDGE_LEVEL)) / (np.pi * half)))


class TransientEngine:
    """Solids, flat sheets and straight wires along the axes, in open space or above a perfect ground plane."""

    name = "transient"

    def refusal(self, model: Evaluated, geometry: Geometry) -> Refusal:
        return Refusal(refusals(model, geometry))

    def discretise(self, model: Evaluated, geometry: Geometry) -> TransientDiscretisation:
        return TransientDiscretisation(structure(model, geometry), geometry)

    def forecast(self, model: Evaluated, discretisation: TransientDiscretisation) -> Forecast:
        s, plan = discretisation.structure, model.plan
        pulse = pulse_for(plan.f_start, plan.f_stop)
        steps = (pulse.duration + RING_S / pulse.centre) / s.step
        runs = max(1, sum(f is not None for f in model.feeds))
        points, passes = int(plan.points), int(plan.passes)
        patches = 12 * sum(a * b for a, b in ((s.shape[0], s.shape[1]), (s.shape[1], s.shape[2]), (s.shape[0], s.shape[2])))
        last = FINER ** (3 * (passes - 1))
        memory, seconds = BYTES_CELL * s.cells * last + 8.0 * points * patches + 2.5e8, sum(_costs(passes)) * runs * steps * s.cells / machine_rate() + 2
        more = f"; up to {passes} passes, the last on {s.cells * last:,.0f} cells" if passes > 1 else ""
        return Forecast(self.name, s.cells, "cells", "cells_per_wavelength", memory, seconds, runs * passes,
                        f"{s.cells:,} cells, about {steps:,.0f} steps of {s.step * 1e12:.3g} ps for each port{more}")

    def solve(self, model: Evaluated, discretisation: TransientDiscretisation, progress: Progress = silent) -> xr.Dataset:
        """Port parameters, Huygens currents and losses at every point of the band, one pulse for each port.

        With several passes, the results of the last one, each on a grid √2 finer, until no S-parameter changes by more than the plan asks;
        ``pass_changes`` holds the changes. Stopping keeps the last pass that ended, or what has been recorded so far when every port
        has been driven, and is refused before.
        """
        passes = int(model.plan.passes)
        costs = _costs(passes)
        changes: list[float] = []
        results = None
        for number in range(passes):
            part = _part_of(progress, number, costs)
            if results is None:
                results = self._pass(model, discretisation, part)
                continue
            before = results
            try:
                results = self._pass(*_finer(model, discretisation, number), part)
            except (Stopped, ModelError) as error:
                ended = f"kept pass {number}: {error.message}"
                return before.assign_attrs(stopped=int(isinstance(error, Stopped)), status=ended, **_passes(changes))
            if results.attrs["stopped"]:
                return before.assign_attrs(stopped=1, status=f"stopped in pass {number + 1}; kept pass {number}", **_passes(changes))
            changes.append(float(np.abs(results["s"].values - before["s"].values).max()))
            if changes[-1] < model.plan.settled:
                break
        assert results is not None
        return results.assign_attrs(**_passes(changes))

    def _pass(self, model: Evaluated, discretisation: TransientDiscretisation, progress: Progress) -> xr.Dataset:
        s, plan = discretisation.structure, model.plan
        progress("preparing", 0.0, {})
        fill(s, model, discretisation.geometry)
        if s.errors:
            raise s.errors[0]
        feeds = [model.feeds[i] for i in s.ports]
        z0 = np.array([f.impedance for f in feeds])
        frequency = band(plan)
        stepper = Stepper(s, z0)
        recorder = _Recorder(model, stepper, frequency)
        runs = []
        for port in range(len(feeds)):
            runs.append(_pulse_run(stepper, recorder, port, z0, plan, progress, (port, len(feeds))))
            if runs[-1].stopped and port + 1 < len(feeds):
                raise Stopped("stopped before every port was driven; there is no scattering matrix to keep")
        progress("fields", 0.97, {})
        return _dataset(s, feeds, z0, frequency, recorder, runs, (float(plan.cells_per_wavelength), wall_distance(model) * plan.f_start / C0))

    def fields(self, results: xr.Dataset, index: int, incident: Complexes) -> radiation.Surface:
        """Recorded currents and fields under incident waves (P,) at frequency number ``index``."""
        def under(name: str) -> Complexes:
            return np.asarray(np.einsum("p,p...->...", incident, results[name].values[index]))

        planes = [Plane(*p) for p in json.loads(results.attrs.get("planes", "[]"))]
        if not planes and results.attrs["ground"] != "none":  # a run from before there were other planes
            planes = [Plane(2, 0, False, float(results.attrs["ground"]), False)]
        near = [(results[f"{n}_at"].values, under(f"{n}_e"), under(f"{n}_h")) for n in np.ravel(results.attrs.get("recorded", [])) if n]
        walls = np.asarray(results.attrs["walls"]).reshape(2, 3)
        return radiation.Surface(results["surface_point"].values, under("surface_j"), under("surface_m"), planes, (walls[0], walls[1]), near)


def _costs(passes: int) -> list[float]:
    """Times of passes over that of the first: cells by their number, steps by their size."""
    return [FINER ** (4 * n) for n in range(passes)]


def _part_of(progress: Progress, number: int, costs: list[float]) -> Progress:
    """The progress of one pass among several, as that of the whole."""
    def say(stage: str, fraction: float, live: dict[str, Any]) -> Signal:
        which = {"pass": number + 1, "passes": len(costs)} if len(costs) > 1 and live else {}
        return progress(stage, (sum(costs[:number]) + costs[number] * fraction) / sum(costs), live | which)

    return say


def _finer(model: Evaluated, discretisation: TransientDiscretisation, number: int) -> tuple[Evaluated, TransientDiscretisation]:
    """Model and grid of a later pass.

    :raises ModelError: that grid is too large.
    """
    plan = SimpleNamespace(**vars(model.plan) | {"cells_per_wavelength": model.plan.cells_per_wavelength * FINER**number})
    finer = replace(model, plan=plan)
    return finer, TransientDiscretisation(structure(finer, discretisation.geometry), discretisation.geometry)


def _passes(changes: list[float]) -> dict[str, Any]:
    """The largest changes of S-parameters from pass to pass, and the error left in the last by their geometric series.

    One change alone is taken as the first of a series of first order, which the scheme betters where edges do not spoil it.
    """
    if not changes:
        return {}
    ratio = changes[-2] / changes[-1] if len(changes) > 1 and changes[-1] > 0 else FINER
    return {"pass_changes": changes, "error_from_passes": changes[-1] / (ratio - 1) if ratio > 1 else float("nan")}


@dataclass
class _Run:
    """One pulse: transforms of the voltages of ports and loads (f, P + loads), of E and H sums (f, rows); ``left`` energy over its largest, ``steps`` done."""

    voltage: Complexes
    source: Complexes
    e: Any
    h: Any
    left: float
    steps: int
    stopped: bool
    reason: str


class Near(NamedTuple):
    """A capture: its ``points`` (n, 3), its first rows among the E and H sums, and what turns values on the grid into those at points beyond mirror planes."""

    points: Floats
    first_e: int
    first_h: int
    sign_e: Floats
    sign_h: Floats


class _Recorder:
    """The sums that all runs record, and what they mean."""

    def __init__(self, model: Evaluated, stepper: Stepper, frequency: Floats) -> None:
        s = stepper.structure
        self.frequency = frequency
        e, h = records.Rows(), records.Rows()
        low, high = ([int(w) + 2 if w else 0 for w in s.walls[:, side]] for side in (0, 1))
        high = [n - w for n, w in zip(s.shape, high, strict=True)]
        self.faces = records.huygens(s, low, high, e, h, C0 / model.plan.f_stop)
        self.surface_rows = e.count
        inside = np.zeros(s.metal.shape, dtype=bool)
        inside[:, low[0]:high[0] + 1, low[1]:high[1] + 1, low[2]:high[2] + 1] = True
        self.loss_at = np.flatnonzero((stepper.sigma > 0) & inside)
        weight = stepper.sigma.reshape(-1)[self.loss_at] * records.edge_volumes(s, self.loss_at)
        self.metal = s.metal.reshape(-1)[self.loss_at]
        e.add(np.arange(len(weight)), self.loss_at, np.sqrt(weight))
        self.loss_first = e.count
        e.count += len(weight)
        self.near: list[Near] = []
        frames = build_frames(model, [])
        for capture in model.captures:
            if capture is None or capture.kind not in POINTS:
                continue
            points = capture_points(capture, frame_matrix(frames, capture.frame))
            points = points[radiation.within(points, *s.inner)]
            if not len(points):
                continue
            on_grid, sign_e, sign_h = folded(points, s.planes)
            self.near.append(Near(points, e.count, h.count, sign_e, sign_h))
            records.interpolated(s, on_grid, e, False)
            records.interpolated(s, on_grid, h, True)
        self.e_matrix, self.h_matrix = e.matrix(stepper), h.matrix(stepper)


def _pulse_run(stepper: Stepper, recorder: _Recorder, port: int, z0: Floats, plan: Any, progress: Progress, which: tuple[int, int]) -> _Run:
    """Drives one port until the energy has fallen, the time is up or someone stops it; ``which`` is this run's number, and of how many."""
    pulse = pulse_for(plan.f_start, plan.f_stop)
    dt = stepper.dt
    stepper.reset()
    every = max(1, int(1 / (OVERSAMPLED * pulse.highest * dt)))
    piece = max(1, int(PIECE / stepper.structure.cells))
    look = every * -(-LOOK // every)
    source_end = int(pulse.duration / dt)
    most = int(np.ceil(plan.longest * max(pulse.duration, 1 / pulse.centre) / dt))
    te, th = (records.Transform(m, recorder.frequency) for m in (recorder.e_matrix, recorder.h_matrix))
    volts: list[Floats] = []
    gaps = len(z0) + len(stepper.structure.loads)
    largest, left, share, n = 0.0, 1.0, 0.0, 0
    said, reason, stopped = perf_counter(), "", False

    def report(live: dict[str, Any]) -> bool:
        nonlocal said
        said = perf_counter()
        return progress("solving", 0.95 * (which[0] + share) / which[1], live) is Signal.STOP

    while not reason:
        waves, out = np.zeros((every, len(z0))), np.empty((every, gaps))
        waves[:, port] = 2 * np.sqrt(z0[port]) * pulse((n + 0.5 + np.arange(every)) * dt)
        for at in range(0, every, piece):
            stepper.advance(waves[at:at + piece], out[at:at + piece])
            if piece < every and perf_counter() - said > REPORT_S and report({}):
                stopped = True  # the samples of this stretch are not whole and are dropped
                break
        if not stopped:
            volts.append(out)
            n += every
            te.take(stepper.flat_e, n * dt)
            th.take(stepper.flat_h, (n - 0.5) * dt)
        due = perf_counter() - said > REPORT_S
        if n % look == 0:  # and not when a report is due: where a run ends must not depend on how busy the machine is
            stored = stepper.stored()
            if not np.isfinite(stored) or (n > 2 * source_end and stored > GROWTH * largest):
                raise ModelError(_unstable(stepper))
            largest = max(largest, stored)
            left = stored / largest if largest > 0 else 1.0
        level = 10 * np.log10(max(left, 1e-30))
        share = max(share, 0.3 * min(1.0, n / max(source_end, 1)) + 0.7 * (min(1.0, -level / plan.decay) if n > source_end else 0))
        if due and not stopped:
            curve = _live(volts, dt, every, port, z0, pulse, plan) if n > source_end else {}  # before, the pulse is not whole
            stopped = report({"step": n, "energy_db": float(level), "port": which[0] + 1, **curve})
        if n > source_end and level < -plan.decay:
            reason = f"ended at −{plan.decay:g} dB of the energy"
        elif stopped:
            reason = f"stopped with {level:.0f} dB of the energy left"
        elif n >= most:
            reason = f"ended at its longest time, with {level:.0f} dB of the energy left"
    if not volts:
        raise Stopped("stopped before the first sample was taken")
    series = np.vstack(volts)
    mean = 0.5 * (series + np.vstack((np.zeros((1, gaps)), series[:-1])))  # at half steps, as the resistor sees it
    times = (np.arange(len(series)) + 0.5) * dt
    kernel: Any = np.exp(-2j * np.pi * np.outer(recorder.frequency, times)) * dt
    source: Complexes = kernel @ pulse(times)
    return _Run(kernel @ mean, source, te.total() * (every * dt), th.total() * (every * dt), left, n, stopped, reason)


def _live(volts: list[Floats], dt: float, every: int, port: int, z0: Floats, pulse: Pulse, plan: Any) -> dict[str, Any]:
    """|S11| as far as it is known, dB."""
    f = np.linspace(plan.f_start, plan.f_stop, LIVE_POINTS)
    v = np.array([block[-1, port] for block in volts])
    t = (np.arange(len(v)) + 1) * every * dt
    kernel = np.exp(-2j * np.pi * np.outer(f, t))
    wave = kernel @ pulse(t) * np.sqrt(z0[port])
    gamma = (kernel @ v) / np.where(np.abs(wave) > 0, wave, 1) - 1
    return {"f_hz": [float(f[0]), float(f[-1])], "s11_db": np.round(20 * np.log10(np.maximum(np.abs(gamma), 1e-6)), 2).tolist()}


def _unstable(stepper: Stepper) -> str:
    s = stepper.structure
    values = np.abs(stepper.e)
    bad = np.argwhere(~np.isfinite(values))
    where = bad[0] if len(bad) else np.array(np.unravel_index(int(values.argmax()), values.shape))
    at = [s.lines[k][min(int(where[k + 1]), s.shape[k])] * 1e3 for k in range(3)]
    return f"the fields grow without bound near ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) mm; look there for a very thin wire in small cells, or a medium that makes power"


def _dataset(s: Structure, feeds: list[Any], z0: Floats, frequency: Floats, recorder: _Recorder, runs: list[_Run], wishes: tuple[float, float]) -> xr.Dataset:
    """``wishes``: cells per wavelength, and the distance of the open walls in longest wavelengths."""
    ports, count = len(feeds), len(frequency)
    scattering = np.empty((count, ports, ports), dtype=complex)
    for q, run in enumerate(runs):
        wave = run.source  # transform of the incident wave a of this port
        scattering[:, :, q] = run.voltage[:, :ports] / np.sqrt(z0)[None, :] / wave[:, None]
        scattering[:, q, q] -= 1
    unit = [1 / run.source[:, None] for run in runs]
    e = np.stack([run.e * u for run, u in zip(runs, unit, strict=True)], axis=1)
    h = np.stack([run.h * u for run, u in zip(runs, unit, strict=True)], axis=1)
    rows = recorder.surface_rows
    surface = [records.currents(recorder.faces, e[:, q, :rows], h[:, q, :rows]) for q in range(ports)]
    points = surface[0][0]
    j, m = (np.stack([found[k] for found in surface], axis=1) for k in (1, 2))
    radiated = np.array([radiation.power_form(points, j[f], m[f], float(hz), s.planes) for f, hz in enumerate(frequency)])
    lost = e[:, :, recorder.loss_first:recorder.loss_first + len(recorder.loss_at)].astype(complex)

    def form(chosen: Any) -> Complexes:
        own = lost[:, :, chosen]
        return np.asarray(0.5 * copies(s.planes) * np.einsum("fpn,fqn->fpq", own.conj(), own))

    resistance = np.array([load.resistance * load.gap.copies for load in s.loads])
    impedance = np.array([load.impedance(frequency) for load in s.loads]).reshape(len(s.loads), count).T
    through = np.stack([run.voltage[:, ports:] * u / impedance for run, u in zip(runs, unit, strict=True)], axis=1)  # A for unit incident wave
    load_loss = 0.5 * np.einsum("fpn,n,fqn->fpq", through.conj(), resistance, through)
    power = {"units": "W", "long_name": "Hermitian form over incident waves a: power = aᴴ M a"}
    drive = np.array([np.sqrt(2) * f.amplitude * np.exp(1j * f.phase) for f in feeds])
    numbers = [f.number for f in feeds]
    axes = ("frequency", "port_in", "patch", "axis")
    amount = {"units": "A·m", "long_name": "equivalent electric current times area for unit incident wave"}
    out = xr.Dataset(
        {
            "s": (("frequency", "port", "port_in"), scattering, {"units": "1", "long_name": "scattering matrix"}),
            "z0": (("port",), z0, {"units": "ohm"}),
            "drive": (("port",), drive, {"units": "W^0.5", "long_name": "peak incident wave; |a|²/2 is available power"}),
            "solved": (("frequency",), np.ones(count, dtype=bool), {"long_name": "solved rather than interpolated"}),
            "radiated_form": (("frequency", "port", "port_in"), radiated, power),
            "conductor_loss_form": (("frequency", "port", "port_in"), form(recorder.metal), power),
            "dielectric_loss_form": (("frequency", "port", "port_in"), form(~recorder.metal), power),
            "load_loss_form": (("frequency", "port", "port_in"), load_loss, power),
            "surface_point": (("patch", "axis"), points, {"units": "m"}),
            "surface_j": (axes, j.astype(np.complex64), amount),
            "surface_m": (axes, m.astype(np.complex64), {"units": "V·m", "long_name": "equivalent magnetic current times area for unit incident wave"}),
            "feed_point": (("port", "axis"), np.array([g.point for g in s.gaps]), {"units": "m"}),
        },
        coords={"frequency": ("frequency", frequency, {"units": "Hz"}), "port": numbers, "port_in": numbers, "axis": ["x", "y", "z"]},
        attrs={
            "engine": "transient", "convention": "exp(+jωt), peak phasors, SI units", "unknowns": 6 * s.cells,
            "solves": len(runs), "cells": s.cells,
            "cells_per_wavelength": wishes[0], "wall_distance": wishes[1], "steps": sum(r.steps for r in runs), "time_step": s.step,
            "interpolation_error": 0.0, "energy_left": max(r.left for r in runs),
            "status": runs[0].reason if len(runs) == 1 else "; ".join(f"port {n}: {r.reason}" for n, r in zip(numbers, runs, strict=True)),
            "stopped": int(any(r.stopped for r in runs)), "ground": "none" if s.ground is None else repr(s.ground),
            "planes": json.dumps(s.planes),
            "walls": np.concatenate(s.inner).tolist(), "recorded": [f"near {k}" for k in range(len(recorder.near))],
        },
    )
    for k, near in enumerate(recorder.near):
        n = len(near.points)
        dims = ("frequency", "port_in", f"near {k} point", "axis")
        out[f"near {k}_at"] = (dims[2:], near.points, {"units": "m"})
        for name, values, first, sign, unit_name in (("e", e, near.first_e, near.sign_e, "V/m"), ("h", h, near.first_h, near.sign_h, "A/m")):
            out[f"near {k}_{name}"] = (dims, (values[:, :, first:first + 3 * n].reshape(count, ports, n, 3) * sign).astype(np.complex64), {"units": unit_name})
    return out


@lru_cache(maxsize=1)
def machine_rate() -> float:
    """Cells per second of this machine with absorbing layers, measured once per process: the best of several short stretches, as others work here too."""
    n = RATE_CELLS
    line: Floats = np.asarray(np.arange(n + 1) * 1e-3, dtype=np.float64)
    nodes = (3, n + 1, n + 1, n + 1)
    s = Structure(line, line, line, np.full((3, 2), LAYERS), np.ones((n, n, n)), np.zeros((n, n, n)), np.ones((n, n, n)),
                  np.zeros(nodes, dtype=bool), np.full(nodes, np.inf, dtype=np.float32), np.ones(nodes, dtype=np.float32), np.ones(nodes, dtype=np.float32), {}, {})
    stepper = Stepper(s, np.zeros(0))
    none = np.zeros((4, 0))
    stepper.advance(none, none)
    best = np.inf
    for _ in range(RATE_TRIES):
        started = perf_counter()
        stepper.advance(none, none)
        best = min(best, perf_counter() - started)
    return float(len(none) * s.cells / best)


