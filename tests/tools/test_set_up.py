"""What the script does step by step: stamps, processes that are looked after, checks."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from server.config import ROOT
from tests.waiting import PATIENCE
from tools import base, serving, testing


@pytest.fixture
def root(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A checkout of its own."""
    (tmp_path / "var").mkdir()
    monkeypatch.setattr(base, "ROOT", tmp_path)
    return tmp_path


def until(there: Callable[[], bool]) -> None:
    end = time.monotonic() + PATIENCE
    while not there():
        assert time.monotonic() < end
        time.sleep(0.02)


def test_a_step_is_done_again_only_when_its_inputs_have_changed(root: Path) -> None:
    source = root / "lock.txt"
    source.write_text("one")
    stamp = base.Stamp("packages", source)
    assert not stamp.fresh
    stamp.set()
    assert base.Stamp("packages", source).fresh
    assert not base.Stamp("others", source).fresh
    source.write_text("two")
    assert not base.Stamp("packages", source).fresh


def test_a_digest_is_of_names_and_contents_but_not_of_what_is_built(root: Path) -> None:
    folder = root / "web"
    (folder / "src").mkdir(parents=True)
    (folder / "src" / "a.ts").write_text("x")
    before = base.digest(folder)
    (folder / "node_modules").mkdir()
    (folder / "node_modules" / "b.js").write_text("y")
    (folder / "dist").mkdir()
    (folder / "dist" / "c.js").write_text("z")
    assert base.digest(folder) == before
    (folder / "src" / "a.ts").rename(folder / "src" / "b.ts")
    assert base.digest(folder) != before


def test_a_command_sees_its_environment_and_returns_what_it_said() -> None:
    said = base.run(
        sys.executable,
        "-c",
        "import os; print(os.environ['TIDE'], os.environ.get('HOME') is not None)",
        what="asking",
        env={"TIDE": "low"},
    )
    assert said.split() == ["low", str("HOME" in os.environ)]


def test_a_process_that_ends_is_started_again(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    script = "import os, sys; print(os.environ['NUMBER'], flush=True); sys.exit(3)"
    command = [sys.executable, "-c", script]
    one = serving.Supervised(command, tmp_path / "log", {**os.environ, "NUMBER": "868"})
    first = one.process
    until(lambda: first.poll() is not None)
    one.look_after()
    assert one.process is not first
    until(lambda: one.process.poll() is not None)
    assert (tmp_path / "log").read_text().split() == ["868", "868"], "its log goes on"
    assert "ended by itself (3); starting it again" in capsys.readouterr().out


def test_a_process_that_keeps_ending_is_given_up_with_its_log(tmp_path: Path) -> None:
    command = [sys.executable, "-c", "raise SystemExit(1)"]
    one = serving.Supervised(command, tmp_path / "log", dict(os.environ))
    with pytest.raises(base.Failure, match=f"its log is {tmp_path / 'log'}"):
        for _ in range(serving.MOST_DEATHS + 1):
            until(lambda: one.process.poll() is not None)
            one.look_after()
    assert len(one.deaths) == serving.MOST_DEATHS + 1


def test_one_that_runs_is_left_alone(tmp_path: Path) -> None:
    command = [sys.executable, "-c", "import time; time.sleep(600)"]
    one = serving.Supervised(command, tmp_path / "log", dict(os.environ))
    try:
        first = one.process
        one.look_after()
        assert one.process is first and not one.deaths
    finally:
        one.process.kill()
        one.process.wait()


def test_a_server_that_dies_at_once_is_not_waited_for(tmp_path: Path) -> None:
    command = [sys.executable, "-c", "raise SystemExit(1)"]
    one = serving.Supervised(command, tmp_path / "log", dict(os.environ))
    one.process.wait()
    with pytest.raises(base.Failure, match="the server did not start"):
        serving.wait_for("http://127.0.0.1:9/", [one.process], tmp_path)


def test_a_check_that_fails_says_so_and_the_others_go_on() -> None:
    good = testing.failure_of("fine", [sys.executable, "-c", ""], ROOT, {})
    bad = testing.failure_of("form", [sys.executable, "-c", "print('line 3'); exit(1)"], ROOT, {})
    assert good == ""
    assert bad.startswith("form failed (exit code 1)") and "line 3" in bad


def test_no_lane_of_tests_is_run_twice_or_forgotten() -> None:
    """What runs beside the others exists, and holds tests."""
    for lane in testing.LANES:
        assert list((ROOT / lane).glob("test_*.py")), lane
    assert len(set(testing.LANES)) == len(testing.LANES)
