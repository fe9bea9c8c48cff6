"""Saying that one is alive, beside whatever one computes."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.db import Error as DatabaseError
from django.db import close_old_connections, connections


@contextmanager
def beating(beat: Callable[[], object], every: float) -> Iterator[None]:
    """Calls ``beat`` in a thread of its own after each so many seconds, until what is inside ends.
    While the database is away it is tried again at the next beat.
    """
    ended = threading.Event()

    def go_on() -> None:
        while not ended.wait(every):
            try:
                beat()
            except DatabaseError:
                close_old_connections()
        connections.close_all()

    thread = threading.Thread(target=go_on, daemon=True)
    thread.start()
    try:
        yield
    finally:
        ended.set()
        thread.join()
