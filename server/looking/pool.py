"""Warm processes that look at models for the web server.

Each takes one question at a time, keeps what it built, and is ended and replaced when a question
takes more time or memory than it may. What is asked of one project goes to the same process, which
has it built already.
"""

from __future__ import annotations

import json
import os
import pickle
import select
import struct
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, Any, cast

from django.conf import settings

from server.config import ROOT
from server.errors import Problem, revived

CHILD = "server.looking.child"
ANSWER_S = 60.0  # that a question may take
WAIT_S = 10.0  # that a question waits for those before it
EACH = 8  # questions of one person at a time; a browser has six
LENGTH = struct.Struct("<Q")


def text_of(document: dict[str, Any]) -> str:
    """A document as the text that names it: equal ones are looked at once."""
    return json.dumps(document, sort_keys=True)


class _Process:
    """One process, and whose turn it is."""

    def __init__(self) -> None:
        self.turn = threading.Lock()
        self.process: subprocess.Popen[bytes] | None = None

    def ask(self, task: str, arguments: tuple[Any, ...]) -> Any:
        """:raises Problem: 429 while others wait, 503 when it takes too much."""
        if not self.turn.acquire(timeout=WAIT_S):
            raise Problem(429, "the server is busy; try again in a moment", retry_after=3)
        try:
            return self._asked(task, arguments)
        finally:
            self.turn.release()

    def _asked(self, task: str, arguments: tuple[Any, ...]) -> Any:
        data = pickle.dumps((task, arguments))
        until = time.monotonic() + ANSWER_S
        fresh = False
        # one that ends may have had its memory full of what it kept: a fresh one tries once more
        while not fresh:
            fresh = self.process is None or self.process.poll() is not None
            if fresh or self.process is None:
                self.process = self._started()
            try:
                feed = cast(IO[bytes], self.process.stdin)
                feed.write(LENGTH.pack(len(data)) + data)
                feed.flush()
                answer = _read(self.process, until)
            except (OSError, EOFError):
                self._end()
                continue
            if answer is not None:
                return pickle.loads(answer)
            self._end()
            break  # it took too long
        raise Problem(
            503,
            "the model takes more time or memory to look at than this server gives; make it"
            " smaller or coarser",
            retry_after=10,
        )

    def _end(self) -> None:
        if self.process is not None:
            self.process.kill()
            self.process.wait()
        self.process = None

    def _started(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [sys.executable, "-m", CHILD], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )


def _read(process: subprocess.Popen[bytes], until: float) -> bytes | None:
    """An answer; ``None`` when there is none by then."""
    out = cast(IO[bytes], process.stdout).fileno()

    def some(count: int) -> bytes | None:
        data = bytearray()
        while len(data) < count:
            if not select.select([out], [], [], max(0.0, until - time.monotonic()))[0]:
                return None
            part = os.read(out, min(count - len(data), 1 << 20))
            if not part:
                raise EOFError
            data += part
        return bytes(data)

    head = some(LENGTH.size)
    return None if head is None else some(LENGTH.unpack(head)[0])


_processes = [_Process() for _ in range(max(2, min(4, os.cpu_count() or 2)))]
_asking: Counter[int] = Counter()
_count = threading.Lock()


@contextmanager
def _one_of(person: int) -> Iterator[None]:
    """:raises Problem: 429 when a person asks for too much at a time."""
    with _count:
        if _asking[person] >= EACH:
            raise Problem(
                429, "too many questions at a time; wait for their answers", retry_after=2
            )
        _asking[person] += 1
    try:
        yield
    finally:
        with _count:
            _asking[person] -= 1


def ask(person: int, about: int, task: str, *arguments: Any) -> Any:
    """What a task of :mod:`server.looking.tasks` answers, for a person's question about a project.

    :raises Problem: the task refused, or it is too much at a time.
    """
    if settings.LOOK_INLINE:
        from server.looking import tasks

        return tasks.TASKS[task](*arguments)
    with _one_of(person):
        kind, answer = _processes[about % len(_processes)].ask(task, arguments)
    if kind == "refused":
        raise revived(answer)
    if kind == "broken":
        raise RuntimeError(answer)
    return answer


def warm() -> None:
    """Starts the processes before anybody asks."""
    for one in _processes:
        with one.turn:
            if one.process is None:
                one.process = one._started()
