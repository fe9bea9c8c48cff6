"""A process that solves runs: ``python -m server.runs.child``, which reads what to solve.

It has its libraries and kernels loaded before the first comes, dies with its queue, and keeps
within a limit of memory.
"""

from __future__ import annotations

import os
import platform
import resource
import sys
import threading
import time
from dataclasses import asdict
from typing import Any

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

import numba  # noqa: E402
import numpy as np  # noqa: E402
import psutil  # noqa: E402
import scipy  # noqa: E402
from django.db import Error as DatabaseError  # noqa: E402
from django.db import close_old_connections, connections, transaction  # noqa: E402
from django.utils import timezone  # noqa: E402
from threadpoolctl import threadpool_limits  # noqa: E402

import heron  # noqa: E402
from heron.checks import trust_card  # noqa: E402
from heron.checks.trust import grade  # noqa: E402
from heron.engines import ENGINES, Event, Signal  # noqa: E402
from heron.errors import HeronError, Stopped  # noqa: E402
from heron.formats.packed import pack  # noqa: E402
from heron.jobs import Job, execute  # noqa: E402
from heron.model import load_document  # noqa: E402
from heron.results.formulas import kept  # noqa: E402
from heron.results.readout import headline  # noqa: E402
from heron.studies.values import outcomes_of  # noqa: E402
from server.processes import end_with_parent  # noqa: E402
from server.projects.files import provider  # noqa: E402
from server.runs import store  # noqa: E402
from server.runs.ending import end, fail, log  # noqa: E402
from server.runs.figures import figures_of  # noqa: E402
from server.runs.heart import beating  # noqa: E402
from server.runs.models import ACTIVE, KeptCurves, Run, Status, Wish  # noqa: E402
from server.runs.warm import DONE  # noqa: E402

HEARTBEAT_S = 2.0
WRITE_S = 0.25  # between progress writes
LIVE_POINTS = 200  # solved points kept for the live plot
MEMORY_SHARE = 0.9  # of the machine's memory, as address space on top of what libraries map
OWN_THREADS = 2  # this one, and the one that looks after the parent
VARIANTS_S = 20.0  # that variants of one study are solved before others have their turn
ATTEMPTS = 30  # at the database, a second apart
MOST_KEPT_KB = 1_500_000  # of memory taken, beyond which the next run has a new process
MAPPED_BYTES = 6e9  # address space that numerical libraries map without using it


def main() -> int:
    """Solves what comes in, a "run 3" or variants of a "study 2" in a line each, as long as all is
    well and little memory was taken.
    """
    end_with_parent()
    limit = int(MEMORY_SHARE * psutil.virtual_memory().total + MAPPED_BYTES)
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    warm_up()
    close_old_connections()
    for line in sys.stdin:
        kind, number = line.split()
        SERVED[kind](int(number))
        connections.close_all()
        if threading.active_count() > OWN_THREADS:
            return 0  # work that was left behind goes on in a thread
        if psutil.Process().memory_info().rss / 1024 > MOST_KEPT_KB:
            return 0  # the next run shall not start with what this one took
        print(DONE, flush=True)
    return 0


def warm_up() -> None:
    """Loads what every solve needs: engines, their kernels, and the machine's measured speed."""
    wire = {"kind": "wire", "name": "rod", "start": [0, 0, "-1 m"], "end": [0, 0, "1 m"]}
    document = {
        "parts": [wire | {"radius": "1 mm"}],
        "feeds": [{"kind": "gap", "number": 1, "part": "rod"}],
        "plans": [{"f_start": "70 MHz", "f_stop": "75 MHz", "points": "3"}],
    }
    pack(execute(Job(load_document(document))).run.results)
    for engine in ENGINES.values():
        engine.views  # noqa: B018 - loads the engine


def _serve_run(run_id: int) -> None:
    """Solves one run, with all that the machine has."""
    run = _claimed(id=run_id)
    if run is not None:  # else stopped, deleted or taken meanwhile
        _serve(run, os.cpu_count() or 1)


def _serve_study(study_id: int) -> None:
    """Solves queued variants of a study for some seconds, on a share of the cores."""
    until = time.monotonic() + VARIANTS_S
    while time.monotonic() < until:
        run = _claimed(study_id=study_id, study__wish=Wish.NONE)
        if run is None:
            return
        mates = Run.objects.filter(study_id=study_id, status__in=ACTIVE).count()
        cores = os.cpu_count() or 1
        _serve(run, max(1, cores // max(1, min(cores, mates))))


SERVED = {"run": _serve_run, "study": _serve_study}


def _claimed(**which: Any) -> Run | None:
    """Takes the first queued run of some. While the database is away, as in a restart, it is asked
    again.
    """
    for attempt in range(ATTEMPTS):
        try:
            return _claim(**which)
        except DatabaseError:
            if attempt == ATTEMPTS - 1:
                raise
            close_old_connections()
            time.sleep(1)
    return None


def _serve(claimed: Run, threads: int) -> None:
    """Solves one run, whatever comes of it."""
    run_id = claimed.id
    numba.set_num_threads(min(threads, numba.config.NUMBA_NUM_THREADS))
    own = Run.objects.filter(id=run_id)
    try:
        beats = beating(lambda: own.update(heartbeat=timezone.now()), HEARTBEAT_S)
        with beats, threadpool_limits(threads):
            _solve(claimed)
    except Stopped as stopped:
        end(run_id, Status.STOPPED, stopped.message)
    except HeronError as error:
        fail(run_id, str(error))
    except MemoryError:
        fail(
            run_id,
            "there was not enough memory; use fewer segments per wavelength or a smaller model",
        )


@transaction.atomic
def _claim(**which: Any) -> Run | None:
    queued = Run.objects.filter(status=Status.QUEUED, **which).order_by("number")
    # of many, what another has just taken is passed over
    first = queued.select_for_update(of=("self",), skip_locked="id" not in which).first()
    if first is None:
        return None
    run = Run.objects.select_related("revision", "project", "study").get(id=first.id)
    now = timezone.now()
    run.status, run.stage, run.started, run.heartbeat = Status.RUNNING, "preparing", now, now
    run.attempts += 1
    run.made_by = {
        "odd_heron": heron.__version__,
        "numpy": np.__version__,
        "scipy": scipy.__version__,
        "numba": numba.__version__,
        "machine": platform.node(),
        "processor": platform.machine(),
        "cores": os.cpu_count(),
        "process": os.getpid(),
    }
    run.save()
    log(run.id, f"started on {platform.node()}")
    return run


Read = tuple[dict[str, Any], bytes]  # outcomes of a study's variant, and its curves


class _Reporter:
    """Writes progress at intervals and passes on what was asked of the run; outlives a restart of
    the database.
    """

    def __init__(self, run_id: int) -> None:
        self.run_id, self.last, self.stage = run_id, 0.0, ""
        self.live: list[dict[str, Any]] = []

    def __call__(self, event: Event, /) -> Signal:
        if event.news is not None:
            before = self.live if event.news.adds else []
            self.live = [*before, event.news.model_dump(mode="json")][-LIVE_POINTS:]
        now = time.monotonic()
        if event.stage == self.stage and now - self.last < WRITE_S:
            return Signal.CONTINUE
        self.last, self.stage = now, event.stage
        try:
            Run.objects.filter(id=self.run_id).update(
                stage=event.stage, fraction=event.fraction, live=self.live
            )
            return self._obey()
        except DatabaseError:
            close_old_connections()
            return Signal.CONTINUE

    def _obey(self) -> Signal:
        paused = False
        while True:
            wish = Run.objects.filter(id=self.run_id).values_list("wish", flat=True).first()
            if wish == Wish.PAUSE:
                if not paused:
                    Run.objects.filter(id=self.run_id).update(status=Status.PAUSED)
                    log(self.run_id, "paused")
                paused = True
                time.sleep(WRITE_S)
                continue
            if paused:
                Run.objects.filter(id=self.run_id).update(status=Status.RUNNING)
                log(self.run_id, "going on")
            # A run deleted meanwhile has no row: stop as well.
            return Signal.STOP if wish in (Wish.STOP, None) else Signal.CONTINUE


def _solve(run: Run) -> None:
    document = load_document(run.revision.document)
    job = Job(document, run.variant, provider(run.project), run.asked_engine or None)
    solved = execute(job, _Reporter(run.id))
    done = solved.run
    read: Read = {}, b""
    if run.study is not None:
        quantities = solved.quantities
        read = outcomes_of(quantities, run.study.outcomes), kept(quantities)
    data = pack(done.results)
    card = trust_card(done.results)
    stopped = bool(done.results.attrs["stopped"])
    for attempt in range(ATTEMPTS):  # the database may be restarting just now
        try:
            _finish(run.id, done.summary, data, card, stopped, headline(done.results), read)
            return
        except DatabaseError:
            if attempt == ATTEMPTS - 1:
                raise
            close_old_connections()
            time.sleep(1)


@transaction.atomic
def _finish(
    run_id: int,
    summary: dict[str, Any],
    data: bytes,
    card: list[Any],
    stopped: bool,
    head: dict[str, Any],
    read: Read,
) -> None:
    run = Run.objects.select_for_update().filter(id=run_id).first()
    if run is None:
        return
    store.save(run, data)
    run.digest = store.digest_of(data)
    run.summary, run.headline = summary, head
    run.outcomes, curves = read
    if curves:
        KeptCurves.objects.update_or_create(run=run, defaults={"data": curves})
    run.figures = figures_of(summary, head)
    run.trust, run.grade = [asdict(i) for i in card], grade(card)
    run.status = Status.STOPPED if stopped else Status.FINISHED
    run.reason = summary["status"]
    run.stage, run.fraction, run.finished, run.wish = "done", 1.0, timezone.now(), Wish.NONE
    run.save()
    log(
        run_id,
        f"{run.status}: {summary['status']} in {summary['wall_s']:.1f} s,"
        f" {summary['peak_mb']:.0f} MB",
    )


if __name__ == "__main__":
    sys.exit(main())
