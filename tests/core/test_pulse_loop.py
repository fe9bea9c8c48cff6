"""A pulse through a small structure: begun, advanced from sample to sample, finished."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from heron.checks import examine
from heron.engines.contract import band
from heron.engines.lumped import networks
from heron.engines.progress import Event, Signal, TimeSteps, silent
from heron.engines.transient import pulse_loop
from heron.engines.transient.pulse_loop import PulseLoop, Source, run_pulse
from heron.engines.transient.recorder import Recorder
from heron.engines.transient.stepper import Stepper
from heron.errors import ModelError, Stopped
from heron.excitation.pulse import pulse_of
from heron.model import load_document
from server.config import ROOT
from tests.models import planned


class Bench:
    """A dipole on a coarse grid, with what its pulse needs."""

    def __init__(self, **plan: str) -> None:
        document = json.loads((ROOT / "examples" / "mast-dipole.json").read_text())
        document["captures"] = []
        settings = {"cells_per_wavelength": "10", "decay": "25", "points": "3"} | plan
        document = planned(document, engine="transient", rounds="1", **settings)
        found = examine(load_document(document), {"radius": "3 mm"})
        assert found.sound, [p.message for p in found.errors]
        self.model = found.model
        self.plan: Any = found.model.plan
        feeds = [found.model.feeds[i] for i in found.discretisation.structure.ports]
        z0 = np.array([f.impedance for f in feeds])
        self.stepper = Stepper(found.discretisation.structure, z0, networks(feeds))
        self.recorder = Recorder(found.model, self.stepper, band(self.plan))
        self.pulse = pulse_of(self.plan, feeds[0])

    def loop(self, progress: Any = silent) -> PulseLoop:
        source = Source(0, 1, self.pulse)
        return PulseLoop(self.stepper, self.recorder, self.plan, source, progress)


@pytest.fixture(scope="module")
def bench() -> Bench:
    return Bench()


def test_it_begins_at_rest_and_goes_on_by_whole_samples(bench: Bench) -> None:
    loop = bench.loop()
    assert not bench.stepper.e.any() and not bench.stepper.h.any()
    assert (loop.step, loop.reason) == (0, "")
    for number in (1, 2, 3):
        loop.advance()
        assert loop.step == bench.stepper.steps == number * bench.recorder.every
    assert bench.stepper.e.any() and 0 < loop.share < 0.3, "the pulse is still coming in"


def test_it_ends_when_the_energy_has_fallen(bench: Bench) -> None:
    done = run_pulse(bench.stepper, bench.recorder, bench.plan, Source(0, 1, bench.pulse), silent)
    assert done.reason == "ended at −25 dB of the energy" and not done.stopped
    assert done.left < 10**-2.5
    assert done.steps % bench.recorder.every == 0
    assert done.steps * bench.stepper.dt > bench.pulse.duration
    f = bench.recorder.frequency
    volts, amperes = done.spectra(f)
    assert volts.shape == (3, 1) and amperes.shape == (3, 1)
    assert np.abs(volts).min() > 0 and np.isfinite(done.e).all() and np.isfinite(done.h).all()


def test_a_second_pulse_is_as_the_first(bench: Bench) -> None:
    """Nothing of the one before is left in fields, layers or lumped elements."""
    source = Source(0, 1, bench.pulse)
    one, two = (
        run_pulse(bench.stepper, bench.recorder, bench.plan, source, silent) for _ in range(2)
    )
    assert one.steps == two.steps and np.array_equal(one.e, two.e) and np.array_equal(one.h, two.h)


def test_voltage_against_frequency_is_the_transform_of_what_was_sampled(bench: Bench) -> None:
    loop = bench.loop()
    while not loop.reason:
        loop.advance()
    done, dt = loop.finish(), bench.stepper.dt
    volts = np.vstack(loop.volts)[:, 0]
    f = bench.recorder.frequency[1]
    times = (np.arange(len(volts)) + 1) * dt
    plain = (volts * np.exp(-2j * np.pi * f * times)).sum() * dt
    assert done.spectra(np.array([f]))[0][0, 0] == pytest.approx(plain, rel=1e-9)


def test_a_stop_is_obeyed_with_what_there_is(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pulse_loop, "REPORT_S", 0.0)
    heard: list[Event] = []

    def stop(event: Event, /) -> Signal:
        heard.append(event)
        return Signal.STOP if len(heard) == 4 else Signal.CONTINUE

    loop = bench.loop(stop)
    while not loop.reason:
        loop.advance()
    done = loop.finish()
    assert done.stopped and done.reason.startswith("stopped with")
    assert done.steps == 4 * bench.recorder.every and len(loop.volts) == 4
    fractions = [event.fraction for event in heard]
    assert fractions == sorted(fractions) and fractions[-1] < 0.95
    assert all(isinstance(event.news, TimeSteps) for event in heard)


def test_a_stop_before_the_first_sample_leaves_nothing(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pulse_loop, "REPORT_S", 0.0)
    monkeypatch.setattr(pulse_loop, "PIECE", 1.0)  # asked between the steps of a sample
    loop = bench.loop(lambda event, /: Signal.STOP)
    loop.advance()
    assert loop.stopped and not loop.volts
    with pytest.raises(Stopped, match="before the first sample"):
        loop.finish()


def test_s11_is_told_once_the_pulse_is_whole(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pulse_loop, "REPORT_S", 0.0)
    news: list[TimeSteps] = []

    def hear(event: Event, /) -> Signal:
        assert isinstance(event.news, TimeSteps)
        news.append(event.news)
        return Signal.CONTINUE

    loop = bench.loop(hear)
    while not loop.reason:
        loop.advance()
    early = [n for n in news if n.step <= loop.source_end]
    late = [n for n in news if n.step > loop.source_end]
    assert early and not any(n.s11_db for n in early)
    assert late and all(len(n.s11_db) == pulse_loop.LIVE_POINTS for n in late)
    assert late[-1].f_hz == (bench.plan.f_start, bench.plan.f_stop)
    assert min(late[-1].s11_db) < -5 and max(late[-1].s11_db) < 1
    assert late[-1].energy_db == pytest.approx(10 * np.log10(loop.left))


def test_fields_that_grow_are_an_error_at_the_place_where_they_do(bench: Bench) -> None:
    loop = bench.loop()
    loop.advance()
    bench.stepper.e[2, 3, 4, 5] = np.nan
    with pytest.raises(ModelError, match="grow without bound near"):
        while not loop.reason:
            loop.advance()


def test_it_ends_at_its_longest_time() -> None:
    short = Bench(decay="100")
    short.plan.settings.transient.longest = 1e-12  # shorter than a plan may ask for
    loop = short.loop()
    while not loop.reason:
        loop.advance()
    assert "ended at its longest time" in loop.reason
    assert 0 <= loop.step - loop.most < short.recorder.every
