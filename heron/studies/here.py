"""Solving variants on this machine: in processes that stay warm, keeping what is solved."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from time import perf_counter
from types import TracebackType
from typing import Any

import psutil

from heron.errors import HeronError
from heron.geometry.build import beside
from heron.jobs import Job, Variant, execute
from heron.model import load_document
from heron.studies.contract import Point, Trial, Value
from heron.studies.digests import Digests
from heron.studies.outcomes import Outcome, outcome
from heron.studies.values import plain, value_of
from heron.studies.variables import Choice, Variable, variant_of

Told = Callable[[Trial, int], None]


@dataclass
class Here(AbstractContextManager["Here"]):
    """A solver of variants of a model's ``file`` in ``workers`` processes. What is solved is kept
    in the folder ``kept``, by a digest of all that its results depend on, and not
    solved again; where variants have to be ``alike``, only what is held to the same layout is taken
    from there. ``told`` hears of every trial, and how many are done.
    """

    file: Path
    variables: Sequence[Variable | Choice]
    outcomes: Sequence[Outcome]
    plan: str | None = None
    engine: str | None = None
    workers: int = 0
    kept: Path | None = None
    alike: bool = False
    told: Told = field(default=lambda trial, done: None)
    _pool: ProcessPoolExecutor | None = None
    _done: int = 0

    def __post_init__(self) -> None:
        self.workers = self.workers or psutil.cpu_count(logical=False) or 1
        files = beside(self.file)
        self._digests = Digests(load_document(self.file.read_bytes()), files, self.engine)

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._end()

    def _end(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._pool = None

    def __call__(self, points: Sequence[Point]) -> list[Trial]:
        found: dict[int, Trial] = {}
        for k, point in enumerate(points):
            known = self._known(point)
            if known is not None:
                found[k] = self._tell(known)
        while len(found) < len(points):
            self._solve([k for k in range(len(points)) if k not in found], points, found)
        return [found[k] for k in range(len(points))]

    def _solve(self, wanted: list[int], points: Sequence[Point], found: dict[int, Trial]) -> None:
        """Solves those that are wanted. A process that ends takes with it what was running: the
        first of those is a failure, the others are solved by a new one.
        """
        pool = self._running()
        texts = [o.text for o in self.outcomes]
        waiting = {
            pool.submit(_solved, self._variant(points[k]), self.engine, texts): k for k in wanted
        }
        for future in as_completed(waiting):
            k = waiting[future]
            try:
                outcomes, failure, unread, seconds = future.result()
            except BrokenProcessPool:
                self._end()
                first = min(n for n in wanted if n not in found)
                reason = "the process that solved it ended"
                found[first] = self._tell(Trial(points[first], failure=reason))
                return
            trial = Trial(points[k], outcomes, failure, seconds, unread=unread)
            self._keep(trial)
            found[k] = self._tell(trial)

    def _running(self) -> ProcessPoolExecutor:
        if self._pool is None:
            threads = max(1, (os.cpu_count() or 1) // self.workers)
            self._pool = ProcessPoolExecutor(
                self.workers, get_context("spawn"), _begin, (self.file, threads)
            )
        return self._pool

    def _variant(self, point: Point) -> Variant:
        return variant_of(self.variables, point, self.plan)

    def _tell(self, trial: Trial) -> Trial:
        self._done += 1
        self.told(trial, self._done)
        return trial

    def _place(self, point: Point) -> Path | None:
        if self.kept is None:
            return None
        return self.kept / f"{self._digests(self._variant(point))[:24]}.json"

    def _known(self, point: Point) -> Trial | None:
        place = self._place(point)
        if place is None or not place.exists():
            return None
        try:
            kept = json.loads(place.read_text())
        except ValueError:
            return None  # written in part only
        outcomes = {name: value_of(v) for name, v in kept["outcomes"].items()}
        if self.alike and kept.get("layout") != self._digests.layout:
            return None
        if any(o.text not in outcomes for o in self.outcomes):
            return None
        return Trial(
            point, {o.text: outcomes[o.text] for o in self.outcomes}, "", kept["seconds"], True
        )

    def _keep(self, trial: Trial) -> None:
        place = self._place(trial.point)
        if place is None or trial.failure:
            return
        place.parent.mkdir(parents=True, exist_ok=True)
        outcomes = {name: plain(v) for name, v in trial.outcomes.items()}
        fresh = place.with_suffix(".new")
        own = {"outcomes": outcomes, "seconds": trial.seconds, "layout": self._digests.layout}
        fresh.write_text(json.dumps(own))
        fresh.replace(place)


_own: dict[str, Any] = {}


def _begin(file: Path, threads: int) -> None:
    """Makes a process ready: the model, and its share of the cores."""
    import numba
    from threadpoolctl import threadpool_limits

    numba.set_num_threads(min(threads, numba.config.NUMBA_NUM_THREADS))
    _own["limit"] = threadpool_limits(threads)
    _own["document"], _own["files"] = load_document(file.read_bytes()), beside(file)


def _solved(
    variant: Variant, engine: str | None, texts: Sequence[str]
) -> tuple[dict[str, Value], str, bool, float]:
    """Outcomes of one variant, or why it has none and whether it was solved, and the seconds."""
    begun, done = perf_counter(), None
    try:
        job = Job(_own["document"], variant, _own["files"], engine)
        done = execute(job)
        quantities = done.quantities
        outcomes = {text: outcome(text)(quantities) for text in texts}
    except HeronError as error:
        return {}, str(error), done is not None, perf_counter() - begun
    return outcomes, "", False, perf_counter() - begun
