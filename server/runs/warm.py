"""A child that has its libraries and kernels loaded before there is a run for it.

Runs are solved in processes of their own, so that their memory and their death are their own; to
start one takes seconds, which a short solve need not wait for. The queue keeps one waiting.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
from contextlib import suppress
from dataclasses import dataclass
from typing import IO, cast

from server.config import ROOT

CHILD = "server.runs.child"
DONE = "done"


@dataclass
class Child:
    """A process that reads numbers of runs and says when each is done; ``errors`` is a file of what
    else it had to say.
    """

    process: subprocess.Popen[str]
    errors: IO[str]

    @property
    def waits(self) -> bool:
        """Whether it is there."""
        return self.process.poll() is None

    def solve(self, run_id: int) -> bool:
        """Whether it solved the run and waits again."""
        with suppress(BrokenPipeError):  # it has ended, as its code and last words tell
            feed = cast(IO[str], self.process.stdin)
            feed.write(f"{run_id}\n")
            feed.flush()
        return any(line.strip() == DONE for line in cast(IO[str], self.process.stdout))

    def last_words(self) -> str:
        """The last line that it wrote."""
        self.errors.seek(0)
        return (self.errors.read().strip().splitlines() or ["no message"])[-1]


_lock = threading.Lock()
_spare: Child | None = None


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
    """Starts a child that waits for a run, unless one does already."""
    global _spare  # noqa: PLW0603 - one for each queue
    with _lock:
        if _spare is None or not _spare.waits:
            _spare = _start()


def solve(run_id: int) -> tuple[int, str]:
    """Has a run solved by the child that waits, and sees that one waits again.

    Returns 0, or the code with which the child ended, negative for a signal, and the last line that
    it wrote.
    """
    global _spare  # noqa: PLW0603 - one for each queue
    with _lock:
        child, _spare = _spare, None
    if child is None or not child.waits:
        child = _start()
    if child.solve(run_id):
        with _lock:
            _spare = child
        return 0, ""
    code = child.process.wait()
    words = child.last_words()
    child.errors.close()
    keep_one()
    return code, words
