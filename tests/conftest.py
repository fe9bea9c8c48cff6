"""Shared by all suites: a skipped test must say why, or the run fails."""

from __future__ import annotations

from typing import Any

import numba
import pytest
from hypothesis import settings

REASONLESS = {"", "unconditional skip"}
_silent_skips: list[str] = []


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    if (
        report.skipped
        and isinstance(report.longrepr, (tuple, list))
        and report.longrepr[2].removeprefix("Skipped: ").strip() in REASONLESS
    ):
        _silent_skips.append(report.nodeid)


def pytest_sessionfinish(session: pytest.Session, exitstatus: int) -> None:
    if _silent_skips:
        print("skipped without a stated reason:", *_silent_skips, sep="\n  ")
        session.exitstatus = 1


def pytest_configure(config: Any) -> None:
    settings.register_profile("house", deadline=None)  # none may fail as the machine is busy
    settings.load_profile("house")
    # two suites run side by side, and threads of both on two cores wait for each other longer than
    # they work
    numba.set_num_threads(1)
    config.addinivalue_line("markers", "browser: drives the real interface in Chromium")
