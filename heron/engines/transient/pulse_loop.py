"""One pulse through a structure: begin, advance from sample to sample, finish."""

from __future__ import annotations

from time import perf_counter
from typing import Any, NamedTuple

import numpy as np

from heron.engines.progress import Event, Progress, Signal, TimeSteps
from heron.engines.transient import sums
from heron.engines.transient.distant import Gathered
from heron.engines.transient.incidence import Incidence
from heron.engines.transient.kernels.tables import DARK
from heron.engines.transient.recorder import PulseRun, Recorder
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats
from heron.engines.transient.sums import Complexes
from heron.errors import ModelError, Stopped
from heron.excitation.pulse import Pulse, longest_run
from heron.quantities import engineering
from heron.steps.captures.snapshots import FRAMES

REPORT_S = 0.3  # between reports
PIECE = 2e7  # cell steps between questions whether to go on: a fraction of a second
LOOK = 200  # steps between looks at the energy
# of the largest energy seen while the source was on: beyond, the scheme has become unstable
GROWTH = 1e3
LIVE_POINTS = 61


class Source(NamedTuple):
    """What drives the ``number``-th of several ``runs``: the gap of a port, or with ``wave`` that
    of an illumination (``illuminates``) or of a mode of a line or guide feed.
    """

    number: int
    runs: int
    pulse: Pulse
    wave: Incidence | None = None
    illuminates: bool = False


class PulseLoop:
    """Drives a structure by one source until the energy has fallen, the time is up or someone stops
    it; then ``reason`` says so.
    """

    def __init__(
        self, stepper: Stepper, recorder: Recorder, plan: Any, source: Source, progress: Progress
    ) -> None:
        """Begins, with all fields at zero."""
        self.stepper, self.recorder, self.source, self.progress = (
            stepper,
            recorder,
            source,
            progress,
        )
        self.plan, self.deepest = plan, float(plan.settings.transient.decay)
        dt, every = stepper.dt, recorder.every
        stepper.reset()
        wave, pulse = source.wave, source.pulse
        stepper.light = DARK if wave is None else wave.light
        self.ports = len(stepper.resistances)
        self.piece = max(1, int(PIECE / stepper.structure.cells))
        self.look = every * -(-LOOK // every)
        # a wave has left the box after it has reached its far corner
        self.source_end = int((pulse.duration + (0.0 if wave is None else wave.passes)) / dt)
        rest = max(longest_run(plan, pulse) - pulse.duration, 0.0)
        self.most = self.source_end + int(np.ceil(rest / dt))
        self._record()
        self.volts: list[Floats] = []
        self.amperes: list[Floats] = []
        self.largest, self.left, self.share, self.step = 0.0, 1.0, 0.0, 0
        self.said, self.reason, self.stopped = perf_counter(), "", False

    def _record(self) -> None:
        """What is kept of the fields."""
        recorder, frequency = self.recorder, self.recorder.frequency
        self.sums = [sums.Transform(m, frequency) for m in (recorder.e_matrix, recorder.h_matrix)]
        self.sheets = [sums.Transform(s.matrix, s.frequency) for s in recorder.sheets]
        self.windows = [
            [sums.Transform(m, frequency, own.window.level) for m in (own.e, own.h)]
            for own in (near.apart for near in recorder.near)
            if own
        ]
        self.gates = [(sums.Series(of_e), sums.Series(of_h)) for of_e, of_h in recorder.gate_sums]
        sample = recorder.every * self.stepper.dt
        self.traces = [
            (
                sums.Series(
                    t.e, max(1, round(t.interval / sample)), FRAMES if t.interval else None
                ),
                t.h is not None and sums.Series(t.h),
            )
            for t in recorder.traces
        ]
        self.distant = [Gathered(d) for d in recorder.distant]

    def advance(self) -> None:
        """Goes on to the next sample; :attr:`reason` says whether that was the last.

        :raises ModelError: the fields grow without bound.
        """
        whole = self._steps()
        if whole:
            self._take()
        due = perf_counter() - self.said > REPORT_S
        # and not when a report is due: where a run ends must not depend on how busy the machine is
        if self.step % self.look == 0:
            self._weigh()
        level = 10 * float(np.log10(max(self.left, 1e-30)))
        after = self.step > self.source_end
        fallen = min(1.0, -level / self.deepest) if after else 0.0
        driven = min(1.0, self.step / max(self.source_end, 1))
        self.share = max(self.share, 0.3 * driven + 0.7 * fallen)
        if due and not self.stopped:
            self.stopped = self._report(self._news(level))
        if after and level < -self.deepest:
            self.reason = f"ended at −{self.deepest:g} dB of the energy"
        elif self.stopped:
            self.reason = f"stopped with {level:.0f} dB of the energy left"
        elif self.step >= self.most:
            self.reason = f"ended at its longest time, with {level:.0f} dB of the energy left"

    def _steps(self) -> bool:
        """The steps to the next sample; whether all were done, else none of them counts."""
        stepper, source, every = self.stepper, self.source, self.recorder.every
        z0 = stepper.resistances
        waves = np.zeros((every, self.ports))
        volts = np.empty((every, self.ports + len(stepper.structure.loads)))
        amperes = np.empty((every, self.ports))
        if source.wave is None:
            times = (self.step + 0.5 + np.arange(every)) * stepper.dt
            waves[:, source.number] = 2 * np.sqrt(z0[source.number]) * source.pulse(times)
        for at in range(0, every, self.piece):
            own = slice(at, at + self.piece)
            stepper.advance(waves[own], volts[own], amperes[own])
            waited = self.piece < every and perf_counter() - self.said > REPORT_S
            if waited and self._report(None):
                self.stopped = True
                return False
        self.volts.append(volts)
        self.amperes.append(amperes)
        self.step += every
        return True

    def _take(self) -> None:
        """A sample of everything that is recorded: E at whole steps, H at half ones."""
        stepper = self.stepper
        whole, half = self.step * stepper.dt, (self.step - 0.5) * stepper.dt
        of_e, of_h = self.sums
        sums = of_e.add_sample(stepper.flat_e, whole), of_h.add_sample(stepper.flat_h, half)
        for gathered in self.distant:
            gathered.add_sample(*sums)
        for window_e, window_h in self.windows:
            window_e.add_sample(stepper.flat_e, whole)
            window_h.add_sample(stepper.flat_h, half)
        for sheet in self.sheets:
            sheet.add_sample(stepper.flat_h, half)
        for series_e, series_h in (*self.gates, *self.traces):
            series_e.add_sample(stepper.flat_e, whole)
            if series_h:
                series_h.add_sample(stepper.flat_h, half)

    def _weigh(self) -> None:
        """The energy that is left.

        :raises ModelError: it grows without bound.
        """
        stored = self.stepper.stored()
        late = self.step > 2 * self.source_end
        if not np.isfinite(stored) or (late and stored > GROWTH * self.largest):
            raise ModelError(_unstable(self.stepper))
        self.largest = max(self.largest, stored)
        if self.largest > 0:
            # what rings on longest is of the lowest frequencies
            self.left = stored / (self.largest * self.source.pulse.lowest_share)

    def _report(self, news: TimeSteps | None) -> bool:
        """Whether someone wants it to stop."""
        self.said = perf_counter()
        done = 0.95 * (self.source.number + self.share) / self.source.runs
        return self.progress(Event("solving", done, news)) is Signal.STOP

    def _news(self, level: float) -> TimeSteps:
        news = TimeSteps(step=self.step, energy_db=level, port=self.source.number + 1)
        if self.step <= self.source_end or self.source.illuminates:
            return news  # the pulse is not whole yet
        f = np.linspace(self.plan.f_start, self.plan.f_stop, LIVE_POINTS)
        gamma = self._reflection(f) if self.source.wave is None else self._reflection_of_mode(f)
        levels = np.round(20 * np.log10(np.maximum(np.abs(gamma), 1e-6)), 2).tolist()
        return news.model_copy(update={"f_hz": (float(f[0]), float(f[-1])), "s11_db": levels})

    def _reflection(self, f: Floats) -> Complexes:
        """S11 (f,) of a gap as far as it is known."""
        stepper, port = self.stepper, self.source.number
        z0 = stepper.resistances[port]
        v = np.array([block[-1, port] for block in self.volts])
        t = (np.arange(len(v)) + 1) * self.recorder.every * stepper.dt
        kernel = np.exp(-2j * np.pi * np.outer(f, t))
        wave, between = kernel @ self.source.pulse(t), stepper.networks.series(f)[:, port]
        # From Vs = 2√z0 a behind z0 and what is in series, Z: b = (√z0 V + (Z − z0) a)/(z0 + Z).
        over_wave = np.sqrt(z0) * (kernel @ v) / np.where(np.abs(wave) > 0, wave, 1)
        return np.asarray((over_wave + between - z0) / (z0 + between))

    def _reflection_of_mode(self, f: Floats) -> Complexes:
        """S11 (f,) of a mode of a gate, as far as it is known."""
        number, waves = self.source.number - self.ports, self._waves_at_gates(f)
        a, b = (
            np.concatenate(
                [
                    pair[which][:, : gate.driven]
                    for gate, pair in zip(self.recorder.gates, waves, strict=True)
                ],
                axis=1,
            )[:, number]
            for which in (0, 1)
        )
        return np.asarray(b / np.where(np.abs(a) > 0, a, 1))

    def _waves_at_gates(self, frequency: Floats) -> list[tuple[Complexes, Complexes]]:
        sample = self.recorder.every * self.stepper.dt

        def spectrum(series: sums.Series) -> Complexes:
            times, values = series.total()
            return np.asarray(np.exp(-2j * np.pi * np.outer(frequency, times)) @ values * sample)

        first, out = self.ports, []
        for gate, (of_e, of_h) in zip(self.recorder.gates, self.gates, strict=True):
            drives = first <= self.source.number < first + gate.driven
            out.append(gate.waves(frequency, spectrum(of_e), spectrum(of_h), drives))
            first += gate.driven
        return out

    def finish(self) -> PulseRun:
        """What came of it.

        :raises Stopped: it was stopped before the first sample.
        """
        if not self.volts:
            raise Stopped("stopped before the first sample was taken")
        dt = self.stepper.dt
        sample = self.recorder.every * dt
        at_gaps, from_ports = np.vstack(self.volts), np.vstack(self.amperes)

        def spectra(frequency: Floats) -> tuple[Complexes, Complexes]:
            steps = np.exp(-2j * np.pi * np.outer(frequency, np.arange(len(at_gaps)) * dt)) * dt
            turn = np.exp(-2j * np.pi * frequency * dt)[:, None]
            # at whole and at half steps
            return np.asarray(turn * (steps @ at_gaps)), np.asarray(
                np.sqrt(turn) * (steps @ from_ports)
            )

        traces = [
            *((*of_e.total(), of_h.total()[1] if of_h else None) for of_e, of_h in self.traces),
            *(gathered.total() for gathered in self.distant),
        ]
        e, h, *surfaces = (t.total() * sample for t in (*self.sums, *self.sheets))
        return PulseRun(
            self.source.pulse,
            spectra,
            self._waves_at_gates,
            e,
            h,
            surfaces,
            [(of_e.total() * sample, of_h.total() * sample) for of_e, of_h in self.windows],
            traces,
            self.left,
            self.step,
            self.stopped,
            self.reason,
        )


def run_pulse(
    stepper: Stepper, recorder: Recorder, plan: Any, source: Source, progress: Progress
) -> PulseRun:
    """A pulse to its end."""
    loop = PulseLoop(stepper, recorder, plan, source, progress)
    while not loop.reason:
        loop.advance()
    return loop.finish()


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
