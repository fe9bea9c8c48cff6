"""Changes to runs: start, pause, stop, delete, and taking up what a dead worker left."""

from __future__ import annotations

import platform
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone

from server.accounts.people import person, person_number
from server.errors import Problem, not_found
from server.looking.pool import ask, text_of
from server.projects.actions import save_revision
from server.projects.models import Revision, Role
from server.projects.permissions import get_project
from server.runs import machines
from server.runs.ending import end, fail
from server.runs.models import Run, RunEvent, Status, Wish
from server.runs.tasks import BEHIND_RUNS, solve_run, solve_variants

SILENT = timedelta(seconds=12)  # a live child writes its heartbeat every two seconds
UNCLAIMED = timedelta(seconds=20)  # a child claims its run as soon as it has started
ATTEMPTS = 2
REFUSED = "the run cannot start: "


def start_run(
    request: HttpRequest,
    project_id: int,
    revision: int | None,
    overrides: dict[str, str],
    priority: int = 0,
    empty: bool = False,
    plan: str | None = None,
    engine: str | None = None,
) -> Run:
    """Queues a solve of a revision (the head by default) by one of its plans (the first by
    default), ``empty`` without its parts, by another ``engine`` than the plan's, before runs of
    lower priority.

    Refused, with reasons, when preflight finds an error.
    """
    project = get_project(request, project_id, Role.EDITOR)
    chosen: Revision | None = project.latest
    if revision is not None:
        chosen = project.revisions.filter(number=revision).first()
    if chosen is None:
        raise not_found("revision of that number")
    document = text_of(chosen.document)
    # before the project is locked, as it may take a while
    found = ask(
        person_number(request),
        project_id,
        "preflight",
        document,
        project_id,
        overrides,
        empty,
        plan,
        machines.most_memory(),
        engine,
    )
    if found["errors"]:
        first = found["errors"][0]["message"]
        raise Problem(422, REFUSED + first, problems=found["errors"])
    changes = {"engine": engine} if engine else {}
    return _queued(request, project_id, chosen, overrides, priority, empty, changes, found)


@transaction.atomic
def _queued(
    request: HttpRequest,
    project_id: int,
    chosen: Revision,
    overrides: dict[str, str],
    priority: int,
    empty: bool,
    changes: dict[str, Any],
    found: dict[str, Any],
) -> Run:
    """A run of a revision that preflight ``found`` sound, in the queue."""
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    project.last_run += 1
    project.save(update_fields=["last_run"])
    run = Run.objects.create(
        project=project,
        number=project.last_run,
        revision=chosen,
        overrides=overrides,
        empty=empty,
        plan=found["plan"],
        author=person(request),
        changes=changes,
        of_model=found["of_model"],
        values=found["values"],
        forecast=found["forecast"],
    )
    enqueue(run, "queued", priority)
    return run


def solve_finer(request: HttpRequest, project_id: int, number: int) -> Run:
    """Saves the model with a plan as a run's advice has it, and queues its solve with that run's
    values of parameters.

    :raises Problem: 409 when the run has no advice, as its errors are small or it did not end.
    """
    project = get_project(request, project_id, Role.EDITOR)
    run = get_run(request, project_id, number)
    advice = run.summary.get("advice")
    if not advice:
        raise Problem(
            409,
            f"run {number} has no advice: its errors are within those of grade A, or it did"
            " not end",
        )
    document = project.latest.whole
    names = [p["name"] for p in document["plans"]]
    plan = document["plans"][names.index(run.plan) if run.plan in names else 0]
    for path, value in advice["plan"].items():
        *within, field = path.split(".")
        step = plan
        for name in within:
            step = step.setdefault(name, {})
        step[field] = f"{value:g}"
    save_revision(request, project_id, project.latest.number, document)
    again = run.asked_engine or None
    return start_run(request, project_id, None, run.overrides, plan=plan["name"], engine=again)


def enqueue(run: Run, message: str, priority: int = 0) -> None:
    """Defers the job in the transaction that changes the run."""
    RunEvent.objects.create(run=run, message=message)
    if run.study_id is not None:
        solve_variants.configure(priority=BEHIND_RUNS).defer(study_id=run.study_id)
        return
    solve_run.configure(priority=priority).defer(run_id=run.id)


def get_run(request: HttpRequest, project_id: int, number: int, least: Role = Role.READER) -> Run:
    """A run of a project that is shared with whoever asks.

    :raises Problem: 404 when there is none.
    """
    project = get_project(request, project_id, least)
    run = project.runs.select_related("revision").filter(number=number).first()
    if run is None:
        raise not_found("run of that number")
    return run


def results_of(request: HttpRequest, project_id: int, number: int) -> Run:
    """A run that has results.

    :raises Problem: 404 or, without results, 409 with its state.
    """
    run = get_run(request, project_id, number)
    if not run.has_results:
        raise Problem(
            409,
            f"run {run.number} has no results: it is {run.status}"
            + (f" ({run.reason})" if run.reason else ""),
        )
    return run


@transaction.atomic
def annotate(
    request: HttpRequest, project_id: int, number: int, note: str | None, baseline: bool | None
) -> Run:
    """Sets the note of a run, or makes it the one baseline of its project."""
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    run = get_run(request, project_id, number, Role.EDITOR)
    if note is not None:
        run.note = note
    if baseline is not None:
        if baseline:
            project.runs.filter(baseline=True).update(baseline=False)
        run.baseline = baseline
    run.save(update_fields=["note", "baseline"])
    return run


@transaction.atomic
def wish(request: HttpRequest, project_id: int, number: int, wanted: Wish) -> Run:
    """Asks an active run to pause, go on or stop. A queued run stops at once."""
    run = Run.objects.select_for_update().get(
        id=get_run(request, project_id, number, Role.EDITOR).id
    )
    if not run.active:
        raise Problem(
            409,
            (
                f"run {run.number} has already {run.status}"
                if run.status != Status.FAILED
                else f"run {run.number} has failed"
            ),
        )
    if wanted == Wish.STOP and run.status == Status.QUEUED:
        run.status, run.finished, run.reason = (
            Status.STOPPED,
            timezone.now(),
            "stopped before it began",
        )
    run.wish = wanted
    run.save()
    RunEvent.objects.create(
        run=run,
        message={Wish.NONE: "continue asked", Wish.PAUSE: "pause asked", Wish.STOP: "stop asked"}[
            wanted
        ],
    )
    return run


@transaction.atomic
def delete_run(request: HttpRequest, project_id: int, number: int) -> None:
    """Its number is not given again. A worker that starts it meanwhile waits, and finds none.

    :raises Problem: 409 while it is active.
    """
    get_project(request, project_id, Role.EDITOR)
    run = Run.objects.select_for_update().filter(project=project_id, number=number).first()
    if run is None:
        raise not_found("run of that number")
    if run.active:
        raise Problem(409, f"run {run.number} is {run.status}; stop it first")
    run.delete()


def take_up_orphans() -> int:
    """Runs whose child has fallen silent: queued once more, then failed with the reason.

    Runs whose job was lost, as when the database restarts just as a worker asks for it: a new one.
    Returns how many.
    """
    silent = Run.objects.filter(
        status__in=(Status.RUNNING, Status.PAUSED), heartbeat__lt=timezone.now() - SILENT
    )
    count = 0
    for run_id in list(silent.values_list("id", flat=True)):
        with transaction.atomic():
            run = silent.select_for_update(skip_locked=True).filter(id=run_id).first()
            if run is None:
                continue
            count += 1
            if run.attempts >= ATTEMPTS:
                fail(
                    run.id,
                    f"its worker died {run.attempts} times; the solve may need more memory than"
                    " there is",
                )
            elif run.wish == Wish.STOP:
                fail(run.id, "its worker died while it was being stopped")
            else:
                _begin_again(run, "its worker died; queued again")
    return count + _take_up_lost()


@transaction.atomic
def give_back(processes: list[int]) -> None:
    """Runs that a worker was solving in processes of this machine when it was asked to end: queued
    again as if it had not begun, as nothing is wrong with them.
    """
    for run in Run.objects.select_for_update().filter(
        made_by__machine=platform.node(),
        made_by__process__in=processes,
        status__in=(Status.RUNNING, Status.PAUSED),
    ):
        if run.wish == Wish.STOP:
            end(run.id, Status.STOPPED, "stopped with its worker")
        else:
            run.attempts = max(0, run.attempts - 1)
            _begin_again(run, "its worker was ended; queued again")


def _begin_again(run: Run, message: str) -> None:
    run.status, run.stage, run.fraction, run.live = Status.QUEUED, "queued", 0, []
    run.save()
    enqueue(run, message)


@transaction.atomic
def _take_up_lost() -> int:
    """Queued runs that no job waits for or has just begun with.

    A second job for one whose child is only slow to start does no harm: the first to claim it has
    it.
    """
    from procrastinate.contrib.django.models import ProcrastinateEvent, ProcrastinateJob

    own = Run.objects.filter(status=Status.QUEUED, study=None)
    queued = own.select_for_update(skip_locked=True)
    begun = ProcrastinateEvent.objects.filter(
        type="started", at__gt=timezone.now() - UNCLAIMED
    ).values("job_id")
    jobs = ProcrastinateJob.objects.filter(Q(status="todo") | Q(status="doing", id__in=begun))
    waiting = {args.get("run_id") for args in jobs.values_list("args", flat=True)}
    lost = [
        run
        for run in queued
        if run.id not in waiting
        and not run.events.filter(at__gt=timezone.now() - UNCLAIMED).exists()
    ]
    for run in lost:
        enqueue(run, "its job was lost; queued again")
    return len(lost)
