"""Solving the variants of a study by the queue: as runs, which any worker takes up."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar

from django.db import Error as DatabaseError
from django.db import close_old_connections, transaction
from django.db.models import Case, Count, Q, QuerySet, When
from django.utils import timezone

from heron.errors import Stopped
from heron.jobs import Variant
from heron.model import Document
from heron.quantities import resolve_parameters
from heron.quantities.units import si_symbol
from heron.studies.contract import Made, Point, Trial
from heron.studies.digests import Digests
from heron.studies.values import outcomes_of, value_of
from heron.studies.variables import variant_of
from server.projects.files import provider
from server.projects.models import Project
from server.runs.models import ACTIVE, KeptCurves, ResultChunk, Run, Status, Wish
from server.runs.quantities import of_run
from server.runs.tasks import BEHIND_RUNS, solve_variants
from server.studies.models import Study, StudyVariant

LOOK_S = (0.03, 0.3)  # between looks at what is solved: at first, and when it takes long
READ_S = 1.0
JOBS = 32  # that take variants of one study: more workers than that share them all the same
ATTEMPTS = 30  # at the database, a second apart
AT_ONCE = 500  # rows written in one statement
BESIDE = 1_000_000  # the place of the first variant beside a study's own
T = TypeVar("T")


def patiently(ask: Callable[[], T]) -> T:
    """What the database answers; while it is away, as in a restart, it is asked again."""
    for attempt in range(ATTEMPTS):
        try:
            return ask()
        except DatabaseError:
            if attempt == ATTEMPTS - 1:
                raise
            close_old_connections()
            time.sleep(1)
    raise AssertionError


class Superseded(Exception):
    """Another conducts the study now, or it is deleted."""


def conducted(study: Study) -> QuerySet[Study]:
    """The study as long as nobody has taken it up since."""
    return Study.objects.filter(id=study.id, attempts=study.attempts)


@dataclass
class Queued:
    """A solver of variants: those that are known are taken from where they were solved, in this
    project or, copied, in another; the others become runs of the study.
    """

    study: Study
    made: Made
    document: Document
    told: Callable[[Sequence[Trial]], None]
    plan: str = ""
    _trials: list[Trial] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.digests = Digests(self.document, provider(self.study.project))
        self.plan = self.study.step.get("plan") or self.document.plans[0].name

    def __call__(self, points: Sequence[Point]) -> list[Trial]:
        first = len(self._trials)
        rows = patiently(lambda: self.rows(points, first))
        self._wait(rows)
        own = patiently(lambda: self.trials(rows))
        self._trials += own
        self.told(self._trials)
        return own

    def variant(self, point: Point) -> Variant:
        """The variant of a point."""
        return variant_of(self.made.variables, point, self.plan)

    @transaction.atomic
    def rows(self, points: Sequence[Point], first: int) -> list[StudyVariant]:
        """A row for each point, with its run; rows of other points, as of an earlier version that
        went another way, are dropped.

        :raises Superseded: the study has another conductor.
        """
        if conducted(self.study).select_for_update().first() is None:
            raise Superseded
        own = self.study.variants.filter(place__gte=first, place__lt=first + len(points))
        rows = {v.place: v for v in own if v.point == list(points[v.place - first])}
        own.exclude(place__in=rows).delete()
        new = [k for k in range(len(points)) if first + k not in rows]
        if not new:
            return [rows[first + k] for k in range(len(points))]
        given = {k: self.digests(self.variant(points[k])) for k in new}
        own_runs = self.study.runs.filter(given__in=given.values()).defer("live", "trust")
        runs = {run.given: run for run in own_runs}
        before = self._known(set(given.values()) - set(runs))
        runs |= before
        missing: dict[str, Point] = {}
        for k, digest in given.items():
            if digest not in runs:
                missing.setdefault(digest, points[k])
        runs |= self._queued(missing)
        made = [
            StudyVariant(
                study=self.study,
                place=first + k,
                point=list(points[k]),
                run=runs[given[k]],
                known=given[k] in before,
            )
            for k in new
        ]
        StudyVariant.objects.bulk_create(made, AT_ONCE)
        rows |= {v.place: v for v in made}
        return [rows[first + k] for k in range(len(points))]

    def _known(self, digests: set[str]) -> dict[str, Run]:
        """Runs that have solved the same, by digest; those of other projects are copied."""
        found: dict[str, Run] = {}
        elsewhere: dict[str, Run] = {}
        solved = Run.objects.filter(status=Status.FINISHED, given__in=digests)
        own = Q(changes__held=self.digests.layout)
        if self.made.alike:
            solved = solved.filter(own)
        # of several the last: those that are held to the same layout
        for run in solved.order_by(Case(When(own, then=1), default=0)).defer("live", "trust"):
            here = run.project_id == self.study.project_id
            (found if here else elsewhere)[run.given] = run
        for digest, run in elsewhere.items():
            if digest not in found:
                found[digest] = self._copied(run)
        return found

    def _copied(self, run: Run) -> Run:
        """A run of another project as one of this study."""
        chunks = list(run.chunks.all())
        own = Run.objects.get(id=run.id)
        own.pk, own._state.adding = None, True
        own.project, own.number = self.study.project, self._numbers(1)
        own.revision, own.study, own.author = self.study.revision, self.study, self.study.author
        own.note, own.baseline = "", False
        own.save()
        ResultChunk.objects.bulk_create(
            ResultChunk(run=own, sequence=c.sequence, data=c.data) for c in chunks
        )
        for curves in KeptCurves.objects.filter(run=run):
            KeptCurves.objects.create(run=own, data=curves.data)
        return own

    def _numbers(self, count: int) -> int:
        """The first of so many new numbers of runs."""
        project = Project.objects.select_for_update().get(id=self.study.project_id)
        project.last_run += count
        project.save(update_fields=["last_run"])
        return project.last_run - count + 1

    def _queued(self, points: dict[str, Point]) -> dict[str, Run]:
        """New runs of points by their digests, with jobs that take them."""
        if not points:
            return {}
        number = self._numbers(len(points))
        made = {}
        for k, (digest, point) in enumerate(points.items()):
            variant = self.variant(point)
            values, _ = resolve_parameters(self.document.parameters, variant.overrides)
            changes = {
                "without": sorted(variant.without),
                "present": sorted(variant.present),
                "materials": dict(variant.materials),
                "held": self.digests.layout,
            }
            made[digest] = Run(
                project=self.study.project,
                number=number + k,
                revision=self.study.revision,
                overrides=dict(variant.overrides),
                plan=variant.plan or "",
                changes={name: c for name, c in changes.items() if c},
                values={
                    n: {"value": q.value, "unit": si_symbol(q.dimension)} for n, q in values.items()
                },
                author=self.study.author,
                study=self.study,
                given=digest,
                forecast=self.study.forecast,
            )
        Run.objects.bulk_create(made.values(), AT_ONCE)
        defer_variants(self.study.id, len(points))
        return made

    def _wait(self, rows: Sequence[StudyVariant]) -> None:
        """Until all have ended.

        :raises Stopped: somebody asked for it.
        :raises Superseded: the study has another conductor.
        """
        read, look = 0.0, LOOK_S[0]
        waiting = {v.run_id for v in rows}
        while True:
            left = patiently(lambda: self._left(waiting))
            if len(rows) > 1 and time.monotonic() - read > READ_S:
                ended = patiently(lambda: self.trials(rows, ended=True))
                self.told([*self._trials, *ended])
                read = time.monotonic()
            if left == 0:
                break
            time.sleep(look)
            look = min(LOOK_S[1], 1.1 * look)
        if patiently(self._wish) == Wish.STOP:
            raise Stopped("stopped")

    def _left(self, waiting: set[int | None]) -> int:
        """How many have not ended. Asked to stop, it stops them."""
        active = Run.objects.filter(study=self.study, status__in=ACTIVE)
        if self._wish() == Wish.STOP:
            stop_variants(self.study.id)
        if len(waiting) < AT_ONCE:
            active = active.filter(id__in=waiting)
        return active.count()

    def _wish(self) -> str:
        wish = conducted(self.study).values_list("wish", flat=True).first()
        if wish is None:
            raise Superseded
        return wish

    def trials(self, rows: Sequence[StudyVariant], ended: bool = False) -> list[Trial]:
        """Trials of variants that have ended; of many of which some have ``ended``, those before
        the first that has not.
        """
        runs = {
            r.id: r
            for r in Run.objects.filter(id__in=[v.run_id for v in rows]).only(
                "id", "status", "reason", "outcomes", "started", "finished"
            )
        }
        out = []
        for row in rows:
            run = runs.get(row.run_id or 0)
            if ended and run is not None and run.status in ACTIVE:
                break
            out.append(self._trial(row, run))
        return out

    def _trial(self, row: StudyVariant, run: Run | None) -> Trial:
        point = tuple(row.point)
        if run is None:
            return Trial(point, failure="its run was deleted")
        if run.status != Status.FINISHED:
            return Trial(point, failure=run.reason or f"it was {run.status}")
        missing = [t for t in self.made.outcomes if t not in run.outcomes]
        if missing:  # solved for another study
            run.outcomes = run.outcomes | outcomes_of(of_run(run.id), missing)
            Run.objects.filter(id=run.id).update(outcomes=run.outcomes)
        return trial_of(point, run, self.made.outcomes, row.known)


def trial_of(point: Point, run: Run, texts: Sequence[str], known: bool) -> Trial:
    """What a solved variant says of some outcomes."""
    seconds = 0.0
    if run.started is not None and run.finished is not None:
        seconds = (run.finished - run.started).total_seconds()
    own: dict[str, Any] = {t: run.outcomes[t] for t in texts if t in run.outcomes}
    failure = next((v["reason"] for v in own.values() if "reason" in v), "")
    if failure:
        return Trial(point, failure=failure, seconds=seconds, known=known, unread=True)
    return Trial(point, {t: value_of(v) for t, v in own.items()}, "", seconds, known)


def defer_variants(study_id: int, count: int) -> None:
    """Jobs that take so many queued variants of a study."""
    for _ in range(min(count, JOBS)):
        solve_variants.configure(priority=BEHIND_RUNS).defer(study_id=study_id)


def stop_variants(study_id: int) -> None:
    """Ends variants that wait, and asks those that are being solved to stop."""
    own = Run.objects.filter(study_id=study_id)
    own.filter(status=Status.QUEUED).update(
        status=Status.STOPPED, finished=timezone.now(), reason="stopped before it began"
    )
    own.filter(status__in=ACTIVE).update(wish=Wish.STOP)


def counts_of(studies: Sequence[Study]) -> dict[int, dict[str, int]]:
    """How many variants of studies there are, and have ended in which way, by the studies' keys."""
    found = (
        StudyVariant.objects.filter(study__in=studies, beside=False)
        .values("study_id", "run__status")
        .annotate(count=Count("id"))
    )
    out: dict[int, dict[str, int]] = {s.id: {} for s in studies}
    for line in found:
        out[line["study_id"]][line["run__status"] or Status.FAILED] = line["count"]
    return out
