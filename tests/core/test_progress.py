"""What engines say while they run."""

from __future__ import annotations

import json

import pytest
from pydantic import ValidationError

from heron.engines.progress import Event, FrequencySolved, Signal, TimeSteps, silent

POINT = FrequencySolved(frequency_hz=868e6, s11=(0.1, -0.2), solved=3)
STEPS = TimeSteps(step=400, energy_db=-12.4, port=1, f_hz=(1e9, 2e9), s11_db=[-3.0, -9.5])


def test_news_become_json_that_tells_their_kind() -> None:
    point, steps = (json.loads(news.model_dump_json()) for news in (POINT, STEPS))
    assert point == {
        "kind": "frequency",
        "frequency_hz": 868e6,
        "s11": [0.1, -0.2],
        "solved": 3,
        "round": 1,
        "rounds": 1,
    }
    assert steps["kind"] == "time" and steps["s11_db"] == [-3.0, -9.5]
    assert FrequencySolved.model_validate(point) == POINT
    assert TimeSteps.model_validate(steps) == STEPS
    with pytest.raises(ValidationError):
        TimeSteps.model_validate(point)


def test_a_sweep_adds_points_and_a_run_in_time_replaces_its_state() -> None:
    assert FrequencySolved.adds and not TimeSteps.adds
    assert (POINT.words, STEPS.words) == ("868 MHz", "-12 dB left")


def test_news_cannot_be_changed_by_who_hears_them() -> None:
    with pytest.raises(ValidationError, match="frozen"):
        POINT.solved = 4


@pytest.mark.parametrize(
    ("number", "begun", "share", "fraction"),
    [(1, 0.0, 0.2, 0.1), (2, 0.2, 0.8, 0.6), (3, 0.5, 0.5, 0.75)],
)
def test_a_round_is_a_part_of_the_whole(
    number: int, begun: float, share: float, fraction: float
) -> None:
    event = Event("solving", 0.5, POINT).of_round(number, 3, begun, share)
    assert event.fraction == pytest.approx(fraction) and event.stage == "solving"
    assert event.news is not None and (event.news.round, event.news.rounds) == (number, 3)
    assert (POINT.round, POINT.rounds) == (1, 1)
    assert Event("fields", 1.0).of_round(number, 3, begun, share).news is None


def test_a_silent_progress_never_stops() -> None:
    assert silent(Event("solving", 0.1, STEPS)) is Signal.CONTINUE
