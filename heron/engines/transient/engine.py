"""The transient engine behind the common contract: pulses, ports, records, dataset."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from time import perf_counter
from typing import Any

import numpy as np
import xarray as xr

from heron.engines.contract import Change, Forecast, Progress, Signal, Verdict, View, band, silent
from heron.engines.lumped import networks
from heron.engines.patience import finished
from heron.engines.transient import records
from heron.engines.transient.apertures import Aperture
from heron.engines.transient.beams import beam_rays, let_in
from heron.engines.transient.checks import problems
from heron.engines.transient.dataset import dataset, terminals
from heron.engines.transient.distant import Gathered
from heron.engines.transient.incidence import Incidence
from heron.engines.transient.launch import Gate, gate
from heron.engines.transient.pointlike import PointFeed, point_feed
from heron.engines.transient.recorder import PulseRun, Recorder
from heron.engines.transient.records import Complexes
from heron.engines.transient.scattering import scattered
from heron.engines.transient.stepper import DARK, Stepper
from heron.engines.transient.structure import (
    LAYERS,
    Floats,
    Structure,
    fill,
    refusals,
    structure,
    wall_distance,
    without_parts,
)
from heron.engines.transient.trust import trust
from heron.engines.transient.views import VIEWS, stage
from heron.errors import ModelError, Stopped
from heron.excitation.pulse import Pulse, pulse_of
from heron.excitation.waves import light_of
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.results.capabilities import TrustItem
from heron.steps.captures.snapshots import FRAMES
from heron.steps.settings.transient import DEEPEST_DB, MOST_CELLS, MOST_PER_DETAIL

REPORT_S = 0.3  # between reports
RING_S = 60.0  # periods of the band's centre a run may ring in the forecast
PIECE = 2e7  # cell steps between questions whether to go on: a fraction of a second
LOOK = 200  # steps between looks at the energy
# of the largest energy seen while the source was on: beyond, the scheme has become unstable
GROWTH = 1e3
BYTES_CELL = 110.0  # fields, row numbers, building of the coefficients
LIVE_POINTS = 61
FINER = float(np.sqrt(2))  # a cell over that of the next round
FEWEST = 6.0  # cells per wavelength of a round
RATE_CELLS, RATE_TRIES = 80, 12  # a side, and stretches of a few steps


@dataclass
class TransientDiscretisation:
    """The grid, its contents, and the geometry they come from."""

    structure: Structure
    geometry: Geometry

    @property
    def errors(self) -> list[Any]:
        return self.structure.errors


DEEPER_DB = 15.0  # that a run goes on for when it still rang


class TransientEngine:
    """Solids, sheets, and straight wires along the axes, in open space, above a perfect ground
    plane, or between reflecting walls.
    """

    name = "transient"
    views: Mapping[str, View] = VIEWS

    def stage(self, model: Evaluated, discretisation: Any) -> dict[str, Any]:
        return {"grid": stage(model, discretisation)}

    def suits(self, model: Evaluated, geometry: Geometry) -> Verdict:
        reason = "there are solids or sheets, which the transient engine models on a grid"
        return Verdict(1.0, reason, refusals(model, geometry))

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        return problems(model, geometry, discretisation)

    def discretise(
        self, model: Evaluated, geometry: Geometry, size: float = 1.0
    ) -> TransientDiscretisation:
        return TransientDiscretisation(structure(model, geometry, size), geometry)

    def rounds(self, plan: Any) -> list[float]:
        sizes = [FINER**n for n in reversed(range(int(plan.rounds)))]
        own = plan.settings.transient.cells_per_wavelength
        return [size for size in sizes if size == 1 or own / size >= FEWEST]

    def forecast(self, model: Evaluated, discretisation: TransientDiscretisation) -> Forecast:
        s, plan = discretisation.structure, model.plan
        pulse = pulse_of(plan)
        steps = (pulse.duration + RING_S / pulse.centre) / s.step
        runs = max(
            1,
            sum(
                int(getattr(x, "modes", 1))
                for x in model.illuminations or model.feeds
                if x is not None
            ),
        )
        points, sizes = int(plan.points), self.rounds(plan)
        patches = 12 * sum(
            a * b
            for a, b in (
                (s.shape[0], s.shape[1]),
                (s.shape[1], s.shape[2]),
                (s.shape[0], s.shape[2]),
            )
        )
        memory = BYTES_CELL * s.cells + 8.0 * points * patches + 2.5e8
        seconds = (
            sum(map(self.cost, self.rounds(plan))) * runs * steps * s.cells / machine_rate() + 2
        )
        more = f"; {len(sizes)} rounds, this the last" if len(sizes) > 1 else ""
        return Forecast(
            self.name,
            s.cells,
            "cells",
            "cells_per_wavelength",
            memory,
            seconds,
            runs * len(sizes),
            f"{s.cells:,} cells, about {steps:,.0f} steps of {s.step * 1e12:.3g} ps for each"
            f" {'wave' if model.illuminations else 'port'}{more}",
        )

    def cost(self, size: float) -> float:
        """Cells by their number, steps by their size."""
        return float(size**-4)

    def finer(self, plan: Any, factor: float) -> list[Change]:
        own = plan.settings.transient
        asked = (
            ("cells_per_wavelength", float(np.ceil(own.cells_per_wavelength * factor)), MOST_CELLS),
            (
                "cells_per_detail",
                float(np.ceil(10 * own.cells_per_detail * factor) / 10),
                MOST_PER_DETAIL,
            ),
        )
        return [
            Change(name, min(value, most), name.replace("_", " "))
            for name, value, most in asked
            if getattr(own, name) < most
        ]

    def longer(self, plan: Any) -> tuple[list[Change], float]:
        now = plan.settings.transient.decay
        if now >= DEEPEST_DB:
            return [], 1.0
        deeper = min(now + DEEPER_DB, DEEPEST_DB)
        return [Change("decay", deeper, "dB of decay")], deeper / now

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        return trust(results)

    def solve(
        self, model: Evaluated, discretisation: TransientDiscretisation, progress: Progress = silent
    ) -> xr.Dataset:
        """Port parameters, Huygens currents and losses at every point of the band, one pulse for
        each port or illumination.

        Stopping keeps what has been recorded so far when every port has been driven, and is refused
        before.
        """
        s, plan = discretisation.structure, model.plan
        progress("preparing", 0.0, {})
        fill(s, model, discretisation.geometry)
        if s.errors:
            raise s.errors[0]
        feeds = [model.feeds[i] for i in s.ports]
        z0 = np.array([f.impedance for f in feeds])
        frequency = band(plan)
        stepper = Stepper(s, z0, networks(feeds))
        gates: list[Gate | PointFeed] = [
            _gate(stepper, aperture, model) for aperture in s.apertures
        ]
        gates += [
            point_feed(stepper, i, feed, pulse_of(plan, feed))
            for i, feed in enumerate(model.feeds)
            if feed.kind == "dipole"
        ]
        recorder = Recorder(model, stepper, frequency, gates)
        runs = []
        waves = [light_of(light, bool(model.surround.layers)) for light in model.illuminations]
        # Of what is repeated the parts may stand anywhere between the sides through which a wave
        # comes.
        bare = (
            Stepper(without_parts(s, model, discretisation.geometry), np.zeros(0), dt=stepper.dt)
            if waves and s.repeats
            else stepper
        )
        sources = model.illuminations or [
            *feeds,
            *(model.feeds[own.feed] for own in gates for _ in range(own.driven)),
        ]
        pulses = [pulse_of(plan, source) for source in sources]
        rays = [
            beam_rays(bare, wave, own, float(plan.f_start))
            for wave, own in zip(waves, pulses, strict=bool(waves))
        ]
        modes = [(own, mode) for own in gates for mode in range(own.driven)]
        count = len(waves) or len(feeds) + len(modes)
        lit = []
        for number in range(count):
            light = None
            if waves:
                light = let_in(bare, waves[number], rays[number], pulses[number])
            elif number >= len(feeds):
                own, mode = modes[number - len(feeds)]
                light = own.launch(stepper, mode, float(plan.f_start))
            lit.append(light)
            runs.append(
                _pulse_run(
                    stepper,
                    recorder,
                    number,
                    z0,
                    plan,
                    pulses[number],
                    progress,
                    (number, count),
                    light,
                    bool(waves),
                )
            )
            if runs[-1].stopped and number + 1 < count:
                raise Stopped(
                    "stopped before every illumination was solved"
                    if waves
                    else (
                        "stopped before every port was driven; there is no scattering matrix to"
                        " keep"
                    )
                )
        progress("fields", 0.97, {})

        def fields() -> xr.Dataset:
            if waves:
                delays = [light.delay for light in lit if light is not None]
                ends = terminals(model, s, gates)
                return scattered(s, model, ends, z0, frequency, recorder, runs, waves, rays, delays)
            own = plan.settings.transient
            layout = float(own.cells_per_wavelength), wall_distance(model) * plan.f_start / C0
            ends = terminals(model, s, gates)
            return dataset(s, ends, z0, frequency, recorder, runs, plan, layout)

        # what is kept of a run that was stopped already is worked out to its end
        kept = any(run.stopped for run in runs)
        out = fields() if kept else finished(fields, progress, "fields", 0.97)
        if waves:
            return out
        fed = {feed.part for feed in feeds}
        thickest = max(
            (part.radius for part in discretisation.geometry.parts if part.name in fed), default=0.0
        )
        return out.assign_attrs(fed_radius=float(thickest * plan.f_stop / C0))


def _gate(stepper: Stepper, aperture: Aperture, model: Evaluated) -> Gate:
    try:
        return gate(
            stepper,
            aperture,
            model.feeds[aperture.number],
            model.plan,
            pulse_of(model.plan, model.feeds[aperture.number]),
        )
    except ModelError as error:
        raise error.within("feeds", aperture.number) from None


def _pulse_run(
    stepper: Stepper,
    recorder: Recorder,
    port: int,
    z0: Floats,
    plan: Any,
    pulse: Pulse,
    progress: Progress,
    which: tuple[int, int],
    light: Incidence | None = None,
    lit: bool = False,
) -> PulseRun:
    """Drives one port, or lets a wave in, of an illumination (``lit``) or of a line or guide feed,
    until the energy has fallen, the time is up or someone stops it; ``which`` is this run's number,
    and of how many.
    """
    dt = stepper.dt
    stepper.reset()
    stepper.light = DARK if light is None else light.entries
    every = recorder.every
    piece = max(1, int(PIECE / stepper.structure.cells))
    look = every * -(-LOOK // every)
    # a wave has left the box after it has reached its far corner
    source_end = int((pulse.duration + (0.0 if light is None else light.passes)) / dt)
    most = source_end + int(
        np.ceil(plan.settings.transient.longest * max(pulse.duration, 1 / pulse.centre) / dt)
    )
    te, th = (
        records.Transform(m, recorder.frequency) for m in (recorder.e_matrix, recorder.h_matrix)
    )
    sheets = [records.Transform(sheet.matrix, sheet.frequency) for sheet in recorder.sheets]
    apart = [
        [records.Transform(m, recorder.frequency, own.window.level) for m in (own.e, own.h)]
        for own in (near.apart for near in recorder.near)
        if own
    ]
    strides = [max(1, round(t.interval / (every * dt))) for t in recorder.traces]
    looks = [(records.Series(of_e), records.Series(of_h)) for of_e, of_h in recorder.gate_sums]
    kept = [
        (
            records.Series(t.e, stride, FRAMES if t.interval else None),
            t.h is not None and records.Series(t.h),
        )
        for t, stride in zip(recorder.traces, strides, strict=True)
    ]
    distant = [Gathered(d) for d in recorder.distant]
    volts: list[Floats] = []
    amperes: list[Floats] = []
    gaps = len(z0) + len(stepper.structure.loads)
    largest, left, share, n = 0.0, 1.0, 0.0, 0
    said, reason, stopped = perf_counter(), "", False

    def report(live: dict[str, Any]) -> bool:
        nonlocal said
        said = perf_counter()
        return progress("solving", 0.95 * (which[0] + share) / which[1], live) is Signal.STOP

    def waves_at_gates(frequency: Floats) -> list[tuple[Complexes, Complexes]]:
        def spectrum(series: records.Series) -> Complexes:
            times, values = series.total()
            return np.asarray(
                np.exp(-2j * np.pi * np.outer(frequency, times)) @ values * (every * dt)
            )

        first, own = len(z0), []
        for found, (of_e, of_h) in zip(recorder.gates, looks, strict=True):
            own.append(
                found.waves(
                    frequency, spectrum(of_e), spectrum(of_h), first <= port < first + found.driven
                )
            )
            first += found.driven
        return own

    while not reason:
        waves, out, flow = (
            np.zeros((every, len(z0))),
            np.empty((every, gaps)),
            np.empty((every, len(z0))),
        )
        if light is None:
            waves[:, port] = 2 * np.sqrt(z0[port]) * pulse((n + 0.5 + np.arange(every)) * dt)
        for at in range(0, every, piece):
            stepper.advance(waves[at : at + piece], out[at : at + piece], flow[at : at + piece])
            if piece < every and perf_counter() - said > REPORT_S and report({}):
                stopped = True  # the samples of this stretch are not whole and are dropped
                break
        if not stopped:
            volts.append(out)
            amperes.append(flow)
            n += every
            sums = te.take(stepper.flat_e, n * dt), th.take(stepper.flat_h, (n - 0.5) * dt)
            for gathered in distant:
                gathered.take(*sums)
            for own in apart:
                own[0].take(stepper.flat_e, n * dt)
            for transform in (*sheets, *(own[1] for own in apart)):
                transform.take(stepper.flat_h, (n - 0.5) * dt)
            for of_e, of_h in (*looks, *kept):
                of_e.take(stepper.flat_e, n * dt)
                if of_h:
                    of_h.take(stepper.flat_h, (n - 0.5) * dt)
        due = perf_counter() - said > REPORT_S
        # and not when a report is due: where a run ends must not depend on how busy the machine is
        if n % look == 0:
            stored = stepper.stored()
            if not np.isfinite(stored) or (n > 2 * source_end and stored > GROWTH * largest):
                raise ModelError(_unstable(stepper))
            largest = max(largest, stored)
            # what rings on longest is of the lowest frequencies
            left = stored / (largest * pulse.lowest_share) if largest > 0 else 1.0
        level = 10 * np.log10(max(left, 1e-30))
        share = max(
            share,
            0.3 * min(1.0, n / max(source_end, 1))
            + 0.7 * (min(1.0, -level / plan.settings.transient.decay) if n > source_end else 0),
        )
        if due and not stopped:
            curve = {}
            if n > source_end and not lit:  # before, the pulse is not whole
                f = np.linspace(plan.f_start, plan.f_stop, LIVE_POINTS)
                gamma = (
                    _live(volts, dt, every, port, z0, stepper, pulse, f)
                    if light is None
                    else _live_at_gate(waves_at_gates(f), recorder, port - len(z0))
                )
                curve = {
                    "f_hz": [float(f[0]), float(f[-1])],
                    "s11_db": np.round(20 * np.log10(np.maximum(np.abs(gamma), 1e-6)), 2).tolist(),
                }
            stopped = report({"step": n, "energy_db": float(level), "port": which[0] + 1, **curve})
        if n > source_end and level < -plan.settings.transient.decay:
            reason = f"ended at −{plan.settings.transient.decay:g} dB of the energy"
        elif stopped:
            reason = f"stopped with {level:.0f} dB of the energy left"
        elif n >= most:
            reason = f"ended at its longest time, with {level:.0f} dB of the energy left"
    if not volts:
        raise Stopped("stopped before the first sample was taken")
    at_gaps, from_ports = np.vstack(volts), np.vstack(amperes)

    def spectra(frequency: Floats) -> tuple[Complexes, Complexes]:
        steps = np.exp(-2j * np.pi * np.outer(frequency, np.arange(len(at_gaps)) * dt)) * dt
        turn = np.exp(-2j * np.pi * frequency * dt)[:, None]
        # at whole and at half steps
        return np.asarray(turn * (steps @ at_gaps)), np.asarray(
            np.sqrt(turn) * (steps @ from_ports)
        )

    traces = [
        *((*of_e.total(), of_h.total()[1] if of_h else None) for of_e, of_h in kept),
        *(gathered.total() for gathered in distant),
    ]
    e, h, *surfaces = (t.total() * (every * dt) for t in (te, th, *sheets))
    windows = [(of_e.total() * (every * dt), of_h.total() * (every * dt)) for of_e, of_h in apart]
    return PulseRun(
        pulse, spectra, waves_at_gates, e, h, surfaces, windows, traces, left, n, stopped, reason
    )


def _live(
    volts: list[Floats],
    dt: float,
    every: int,
    port: int,
    z0: Floats,
    stepper: Stepper,
    pulse: Pulse,
    f: Floats,
) -> Complexes:
    """S11 (f,) of a gap as far as it is known."""
    v = np.array([block[-1, port] for block in volts])
    t = (np.arange(len(v)) + 1) * every * dt
    kernel = np.exp(-2j * np.pi * np.outer(f, t))
    wave, between = kernel @ pulse(t), stepper.networks.series(f)[:, port]
    # From Vs = 2√z0 a behind z0 and what is in series, Z: b = (√z0 V + (Z − z0) a)/(z0 + Z).
    return np.asarray(
        (
            np.sqrt(z0[port]) * (kernel @ v) / np.where(np.abs(wave) > 0, wave, 1)
            + between
            - z0[port]
        )
        / (z0[port] + between)
    )


def _live_at_gate(
    waves: list[tuple[Complexes, Complexes]], recorder: Recorder, number: int
) -> Complexes:
    """S11 (f,) of the ``number``-th mode of all gates, as far as it is known."""
    a, b = (
        np.concatenate(
            [
                pair[which][:, : gate.driven]
                for gate, pair in zip(recorder.gates, waves, strict=True)
            ],
            axis=1,
        )[:, number]
        for which in (0, 1)
    )
    return np.asarray(b / np.where(np.abs(a) > 0, a, 1))


def _unstable(stepper: Stepper) -> str:
    s = stepper.structure
    values = np.abs(stepper.e)
    bad = np.argwhere(~np.isfinite(values))
    where = bad[0] if len(bad) else np.array(np.unravel_index(int(values.argmax()), values.shape))
    at = ", ".join(
        engineering(float(s.lines[k][min(int(where[k + 1]), s.shape[k])]), "m") for k in range(3)
    )
    return (
        f"the fields grow without bound near ({at}); look there for a very thin wire in small"
        " cells, or a medium that makes power"
    )


@lru_cache(maxsize=1)
def machine_rate() -> float:
    """Cells per second of this machine with absorbing layers, measured once per process: the best
    of several short stretches, as others work here too.
    """
    n = RATE_CELLS
    line: Floats = np.asarray(np.arange(n + 1) * 1e-3, dtype=np.float64)
    nodes = (3, n + 1, n + 1, n + 1)
    s = Structure(
        line,
        line,
        line,
        np.full((3, 2), LAYERS),
        np.ones((n, n, n)),
        np.zeros((n, n, n)),
        np.ones((n, n, n)),
        np.zeros(nodes, dtype=bool),
        np.full(nodes, np.inf, dtype=np.float32),
        np.ones(nodes, dtype=np.float32),
        np.ones(nodes, dtype=np.float32),
        {},
        {},
    )
    stepper = Stepper(s, np.zeros(0))
    none = np.zeros((4, 0))
    stepper.advance(none, none)
    best = np.inf
    for _ in range(RATE_TRIES):
        started = perf_counter()
        stepper.advance(none, none)
        best = min(best, perf_counter() - started)
    return float(len(none) * s.cells / best)
