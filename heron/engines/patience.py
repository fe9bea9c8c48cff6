"""Long calls into compiled code that can still be paused, watched and left."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TypeVar

from heron.engines.progress import Event, Progress, Signal
from heron.errors import Stopped

T = TypeVar("T")
LOOK_S = 0.4  # between questions whether to go on


def attended(work: Callable[[], T], ask: Callable[[], Signal]) -> T | None:
    """The result of ``work``, or ``None`` once ``ask`` says stop.

    The work runs in a thread of its own and cannot be interrupted: after a stop it is left
    behind, and what it returns is dropped. It must hold no lock and change nothing shared.
    """
    done: list[T] = []
    failed: list[BaseException] = []

    def run() -> None:
        try:
            done.append(work())
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    while True:
        thread.join(LOOK_S)
        if failed:
            raise failed[0]
        if done:
            return done[0]
        if ask() is Signal.STOP:
            return None


def finished(work: Callable[[], T], progress: Progress, stage: str, fraction: float) -> T:
    """The result of work that keeps nothing when it is left.

    :raises Stopped: once ``progress`` says stop.
    """
    done = attended(lambda: [work()], lambda: progress(Event(stage, fraction)))
    if done is None:
        raise Stopped(f"stopped in its stage “{stage}”, before there was anything to keep")
    return done[0]
