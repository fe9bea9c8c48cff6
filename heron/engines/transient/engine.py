"""The transient engine behind the common contract: pulses, ports, records, dataset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from time import perf_counter
from typing import Any

import numpy as np
import xarray as xr

from heron.discretise.held import Laid
from heron.engines.contract import (
    NO_INPUTS,
    Change,
    Forecast,
    Inputs,
    Stage,
    Verdict,
    View,
    band,
    no_inputs,
)
from heron.engines.lumped import networks
from heron.engines.patience import finished
from heron.engines.progress import Event, Progress, silent
from heron.engines.transient.beams import beam_rays, incident_beam
from heron.engines.transient.checks import problems
from heron.engines.transient.contents import fill, without_parts
from heron.engines.transient.dataset import dataset, terminals
from heron.engines.transient.illuminated_dataset import scattered
from heron.engines.transient.launch import Gate, gate
from heron.engines.transient.layout import refusals, structure
from heron.engines.transient.openings import Aperture
from heron.engines.transient.pointlike import PointFeed, point_feed
from heron.engines.transient.pulse_loop import Source, run_pulse
from heron.engines.transient.recorder import Recorder
from heron.engines.transient.room import wall_distance
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import LAYERS, Floats, Structure
from heron.engines.transient.trust import trust
from heron.engines.transient.views import VIEWS, stage
from heron.errors import ModelError, Stopped
from heron.excitation.pulse import longest_run, pulse_of
from heron.excitation.waves import light_of
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.quantities.constants import C0
from heron.results.capabilities import TrustItem
from heron.steps.settings.transient import DEEPEST_DB, MOST_CELLS, MOST_PER_DETAIL

RING_S = 60.0  # periods of the band's centre a run may ring in the forecast
BYTES_CELL = 110.0  # fields, row numbers, building of the coefficients
FINER = float(np.sqrt(2))  # a cell over that of the next round
COST_ORDER = 4.0  # cells by their number, steps by their size
FEWEST = 6.0  # cells per wavelength of a round
# of the measured rate: media, small grids and what is recorded on the way make steps slower
FASTEST, SLOWEST = 0.7, 3.0
# s at most per cell to be filled, and per patch of the surface, frequency and port
PREPARING, FIELDS = 2e-5, 2e-6
RATE_CELLS, RATE_TRIES = 80, 12  # a side, and stretches of a few steps


@dataclass
class TransientDiscretisation:
    """The grid, its contents, and the geometry they come from."""

    structure: Structure
    geometry: Geometry

    @property
    def errors(self) -> list[Any]:
        """What the grid could not take in."""
        return self.structure.errors

    @property
    def held(self) -> bool:
        """Whether its lines are those of another variant."""
        return all(axis.held for axis in self.structure.laid)


DEEPER_DB = 15.0  # that a run goes on for when it still rang
# cells: finer grids get their contents only when they are solved, so that looking at a model stays
# quick
FILLED_AT_ONCE = 2_000_000


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

    def layout(self, model: Evaluated, geometry: Geometry, size: float = 1.0) -> list[Laid]:
        return structure(model, geometry, size).laid

    def discretise(
        self, model: Evaluated, geometry: Geometry, size: float = 1.0, like: Sequence[Laid] = ()
    ) -> TransientDiscretisation:
        made = structure(model, geometry, size, like)
        if made.cells <= FILLED_AT_ONCE:
            fill(made, model, geometry)
        return TransientDiscretisation(made, geometry)

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
        each = sum(size**-COST_ORDER for size in sizes) * runs * s.cells / machine_rate()
        more = f"; {len(sizes)} rounds, this the last" if len(sizes) > 1 else ""
        return Forecast(
            self.name,
            s.cells,
            "cells",
            "cells_per_wavelength",
            runs * len(sizes),
            (
                Stage("preparing", 1.0, 0.0, PREPARING * s.cells + 5.0, BYTES_CELL * s.cells),
                Stage(
                    "solving",
                    each * steps,
                    FASTEST * each * pulse.duration / s.step,
                    SLOWEST * each * longest_run(plan, pulse) / s.step,
                    memory,
                ),
                Stage("fields", 1.0, 0.0, FIELDS * points * patches * runs + 5.0, memory),
            ),
            f"{s.cells:,} cells, about {steps:,.0f} steps of {s.step * 1e12:.3g} ps for each"
            f" {'wave' if model.illuminations else 'port'}{more}",
        )

    def cost_order(self, discretisation: Any) -> float:
        return COST_ORDER

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
        self,
        model: Evaluated,
        discretisation: TransientDiscretisation,
        progress: Progress = silent,
        inputs: Inputs = NO_INPUTS,
    ) -> xr.Dataset:
        """Port parameters, Huygens currents and losses at every point of the band, one pulse for
        each port or illumination.

        Stopping keeps what has been recorded so far when every port has been driven, and is refused
        before.
        """
        no_inputs(self.name, inputs)
        s, plan = discretisation.structure, model.plan
        progress(Event("preparing", 0.0))
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
        lights = []
        for number in range(count):
            light = None
            if waves:
                light = incident_beam(bare, waves[number], rays[number], pulses[number])
            elif number >= len(feeds):
                own, mode = modes[number - len(feeds)]
                light = own.launch(stepper, mode, float(plan.f_start))
            lights.append(light)
            source = Source(number, count, pulses[number], light, bool(waves))
            runs.append(run_pulse(stepper, recorder, plan, source, progress))
            if runs[-1].stopped and number + 1 < count:
                raise Stopped(
                    "stopped before every illumination was solved"
                    if waves
                    else (
                        "stopped before every port was driven; there is no scattering matrix to"
                        " keep"
                    )
                )
        progress(Event("fields", 0.97))

        def fields() -> xr.Dataset:
            if waves:
                delays = [light.delay for light in lights if light is not None]
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
