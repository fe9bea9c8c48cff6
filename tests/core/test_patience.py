"""Long solves are watched, paused and left."""

from __future__ import annotations

import threading

import pytest

from heron import runner
from heron.checks import examine
from heron.engines import ENGINES, Event, Signal
from heron.engines.patience import attended
from heron.errors import Stopped
from heron.model import load_document
from tests.models import dipole, examined, plan
from tests.waiting import PATIENCE


def test_the_result_and_the_error_of_the_work_arrive() -> None:
    assert attended(lambda: 6 * 7, lambda: Signal.CONTINUE) == 42
    with pytest.raises(ZeroDivisionError):
        attended(lambda: 1 / 0, lambda: Signal.CONTINUE)


def test_work_is_left_behind_on_stop() -> None:
    release = threading.Event()
    asked: list[bool] = []

    def ask() -> Signal:
        asked.append(True)
        return Signal.STOP if len(asked) == 2 else Signal.CONTINUE

    assert attended(lambda: release.wait(PATIENCE), ask) is None
    assert len(asked) == 2
    release.set()


def test_a_large_single_solve_stops_before_it_ends() -> None:
    """About 3,000 unknowns take seconds for one frequency, whose work is still going on when the
    stop is obeyed.
    """
    examination = examined(dipole(30.0, 1e-4, 100))
    assert examination.forecast is not None
    others = set(threading.enumerate())
    asked: list[str] = []

    def progress(event: Event, /) -> Signal:
        if event.stage == "solving":
            asked.append(event.stage)
            return Signal.STOP
        return Signal.CONTINUE

    with pytest.raises(Stopped, match="before the first frequency"):
        ENGINES["moments"].solve(examination.model, examination.discretisation, progress)
    assert len(asked) == 1
    left = set(threading.enumerate()) - others
    assert left
    for thread in left:  # not into the end of the process
        thread.join()


def test_a_stop_in_mid_sweep_keeps_what_is_solved() -> None:
    examination = examine(
        load_document(dipole(0.48, 1e-3, plan=plan("200 MHz", "400 MHz", 41, sampling="every")))
    )
    seen: list[int] = []

    def progress(event: Event, /) -> Signal:
        if event.news:
            seen.append(event.news.solved)
        return Signal.STOP if len(seen) == 7 else Signal.CONTINUE

    results = ENGINES["moments"].solve(examination.model, examination.discretisation, progress)
    assert results.sizes["frequency"] == 7
    assert results.attrs["stopped"] == 1
    assert "stopped after 7" in results.attrs["status"]


def test_a_stop_in_the_stage_after_the_solve_is_obeyed_too(monkeypatch: pytest.MonkeyPatch) -> None:
    """Fields and figures of a large model take minutes; a stop asked for there ends the run."""
    release = threading.Event()
    monkeypatch.setattr(runner, "summarise", lambda *_: release.wait(PATIENCE) and {})
    stages: list[str] = []

    def progress(event: Event, /) -> Signal:
        stages.append(event.stage)
        return Signal.STOP if event.stage == "fields" and event.fraction > 0.98 else Signal.CONTINUE

    examination = examined(dipole() | {"plan": plan("280 MHz", "320 MHz", 3, rounds="1")})
    with pytest.raises(Stopped, match="stopped in its stage “fields”"):
        runner.solve(examination, progress)
    assert "solving" in stages
    release.set()


def test_a_stop_in_the_fields_of_wires_is_obeyed() -> None:
    examination = examined(dipole() | {"plan": plan("280 MHz", "320 MHz", 30)})

    def progress(event: Event, /) -> Signal:
        return Signal.STOP if event.stage == "fields" and event.fraction > 0.9 else Signal.CONTINUE

    with pytest.raises(Stopped, match="while fields were worked out"):
        ENGINES["moments"].solve(examination.model, examination.discretisation, progress)
