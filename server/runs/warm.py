"""A child that has its libraries and kernels loaded before there is a run for it.

Runs are solved in processes of their own, so that their memory and their death are their own; to
start one takes seconds, which a short solve need not wait for. The queue keeps one waiting.
"""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
import threading
from contextlib import suppress
from dataclasses import dataclass
from typing import IO, NamedTuple, cast

from server.config import ROOT

CHILD = "server.runs.child"
DONE = "done"


@dataclass
class Child:
    """A process that reads what to solve and says when each is done; ``errors`` is a file of what
    else it had to say.
    """

    process: subprocess.Popen[str]
    errors: IO[str]

    @property
    def waits(self) -> bool:
        """Whether it is there."""
        return self.process.poll() is None

    def solve(self, what: str) -> bool:
        """Whether it solved what it was told to and waits again."""
        with suppress(BrokenPipeError):  # it has ended, as its code and last words tell
            feed = cast(IO[str], self.process.stdin)
            feed.write(f"{what}\n")
            feed.flush()
        return any(line.strip() == DONE for line in cast(IO[str], self.process.stdout))

    def last_words(self) -> str:
        """The last line that it wrote."""
        self.errors.seek(0)
        return (self.errors.read().strip().splitlines() or ["no message"])[-1]


_lock = threading.Lock()
_spare: list[Child] = []


class Ended(NamedTuple):
    """How a child came to its end: 0 if it waits again, or the code it ended with, negative for a
    signal; its process, and the last line that it wrote.
    """

    code: int
    process: int
    words: str

    @property
    def why(self) -> str:
        """What to tell of it."""
        if self.code > 0:
            return f"the solve ended unexpectedly: {self.words}"
        return (
            f"the solve was ended by {signal.Signals(-self.code).name}; if that was memory, use"
            " fewer segments"
        )


def _start() -> Child:
    errors = tempfile.TemporaryFile("w+")  # noqa: SIM115 - lives as long as the child
    process = subprocess.Popen(
        [sys.executable, "-m", CHILD],
        cwd=ROOT,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=errors,
        text=True,
    )
    return Child(process, errors)


def keep_one() -> None:
    """Starts a child that waits for work, unless one does already."""
    with _lock:
        _spare[:] = [child for child in _spare if child.waits] or [_start()]


def solve(what: str) -> Ended:
    """Has a child that waits solve a "run 3" or variants of a "study 2"; it waits again then."""
    with _lock:
        waiting = [child for child in _spare if child.waits]
        child = waiting.pop() if waiting else _start()
        _spare[:] = waiting
    process = child.process.pid
    if child.solve(what):
        with _lock:
            _spare.append(child)
        return Ended(0, process, "")
    code = child.process.wait()
    words = child.last_words()
    child.errors.close()
    return Ended(code, process, words)
