"""A worker: ``python -m server.worker``.

This process looks for runs that a dead worker left, in transactions of its own, and keeps the
processes of its queues going, of runs, uploaded files, studies and their variants; after a restart
of the database all go on.
Asked to end, it gives back what it was solving.
"""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import subprocess
import sys
import time

import django
import psutil

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

from django.db import Error as DatabaseError  # noqa: E402
from django.db import close_old_connections, connections  # noqa: E402

from server.config import ROOT  # noqa: E402
from server.runs import machines  # noqa: E402
from server.runs.actions import give_back, take_up_orphans  # noqa: E402
from server.studies.actions import take_up_studies  # noqa: E402

LOOK_S = 3.0
QUEUES = ("runs", "files", "studies", "variants")
LAST_S = 5.0  # for solves to end with their queue
PR_SET_PDEATHSIG = 1
log = logging.getLogger(__name__)


def die_with_parent() -> None:
    """Run in a new child: a worker killed outright leaves nothing solving."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def main() -> None:
    queues: dict[str, subprocess.Popen[bytes]] = {}
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    try:
        while True:
            for name in QUEUES:
                if name not in queues or queues[name].poll() is not None:
                    queues[name] = _started(name)
            try:
                machines.report()
                take_up_orphans()
                take_up_studies()
            except DatabaseError as error:
                log.warning("the database is away: %s", error)
            close_old_connections()
            time.sleep(LOOK_S)
    except KeyboardInterrupt:
        pass  # Ctrl+C in a terminal is the ordinary way out
    finally:
        for queue in queues.values():
            _end(queue)


def _started(name: str) -> subprocess.Popen[bytes]:
    # In a session of its own: Ctrl+C is for this process, and a solve that it reached would have
    # failed.
    return subprocess.Popen(
        [sys.executable, "-m", "server.queue", name],
        cwd=ROOT,
        preexec_fn=die_with_parent,  # noqa: PLW1509 - this process has no threads
        start_new_session=True,
    )


def _end(queue: subprocess.Popen[bytes]) -> None:
    """Ends the queue and what it solves, and gives that back.

    If the database is away, the next worker finds it by its silence.
    """
    children = psutil.Process(queue.pid).children(recursive=True) if queue.poll() is None else []
    queue.kill()
    queue.wait()
    psutil.wait_procs(children, LAST_S)
    connections.close_all()  # the signal may have come amid a query
    try:
        give_back([c.pid for c in children])
    except DatabaseError as error:
        log.warning("what was being solved could not be given back: %s", error)


if __name__ == "__main__":
    main()
