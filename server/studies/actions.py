"""Changes to studies: start, pause, stop, go on, delete, solve beside them, and taking up what a
dead worker left.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from heron.errors import HeronError
from heron.model import load_document
from heron.studies.kinds import made, named, step_of
from heron.studies.variables import with_variant
from server.accounts.people import person, person_number
from server.errors import Problem, not_found
from server.looking.pool import ask, text_of
from server.projects.actions import save_revision
from server.projects.models import Role
from server.projects.permissions import get_project
from server.runs import machines
from server.runs.models import Run, Status, Wish
from server.studies.models import Study, StudyVariant
from server.studies.solving import BESIDE, Queued, defer_variants, stop_variants
from server.studies.tasks import conduct_study

SILENT = timedelta(seconds=12)  # whoever conducts a study says so every second
LOST = timedelta(seconds=20)  # after which a queued one whose job was lost has a new one
ATTEMPTS = 5


def preflight(request: HttpRequest, project_id: int, name: str) -> dict[str, Any]:
    """What is known before a study of the project's model begins: how many variants at most, and
    the forecast of one.

    :raises Problem: 422 when its step or the model is not sound.
    """
    project = get_project(request, project_id)
    document = project.latest.document
    found: dict[str, Any] = ask(
        person_number(request),
        project_id,
        "study_preflight",
        text_of(document),
        project_id,
        name,
        machines.most_memory(),
    )
    if found["errors"]:
        first = found["errors"][0]["message"]
        raise Problem(422, f"the study cannot start: {first}", problems=found["errors"])
    return found


def start_study(request: HttpRequest, project_id: int, name: str, after_s: int = 0) -> Study:
    """Queues a study of the project's model by its name, to begin in ``after_s`` seconds."""
    get_project(request, project_id, Role.EDITOR)
    found = preflight(request, project_id, name)
    with transaction.atomic():
        project = get_project(request, project_id, Role.EDITOR, lock=True)
        step = named(load_document(project.latest.document), name)
        project.last_study += 1
        project.save(update_fields=["last_study"])
        study = Study.objects.create(
            project=project,
            number=project.last_study,
            revision=project.latest,
            step=step.model_dump(mode="json"),
            outcomes=found["outcomes"],
            author=person(request),
            most=found["most"],
            forecast=found["forecast"],
        )
        conduct_study.configure(schedule_in={"seconds": after_s}).defer(study_id=study.id)
    return study


def get_study(
    request: HttpRequest, project_id: int, number: int, least: Role = Role.READER
) -> Study:
    """A study of a project that is shared with whoever asks.

    :raises Problem: 404 when there is none.
    """
    project = get_project(request, project_id, least)
    study = project.studies.select_related("revision", "project").filter(number=number).first()
    if study is None:
        raise not_found("study of that number")
    return study


@transaction.atomic
def wish(request: HttpRequest, project_id: int, number: int, wanted: Wish) -> Study:
    """Asks a study to pause, go on or stop; one that was stopped or failed goes on with what it
    has not solved.
    """
    found = get_study(request, project_id, number, Role.EDITOR)
    study = Study.objects.select_for_update().get(id=found.id)
    if not study.active:
        if wanted != Wish.NONE or study.status == Status.FINISHED:
            raise Problem(409, f"study {study.number} has already {study.status}")
        return _again(study)
    study.wish = wanted
    if wanted == Wish.PAUSE:
        study.status = Status.PAUSED if study.status == Status.RUNNING else study.status
    elif study.status == Status.PAUSED:
        study.status = Status.RUNNING
    if wanted == Wish.STOP:
        stop_variants(study.id)
        if study.status == Status.QUEUED:
            study.status, study.finished = Status.STOPPED, timezone.now()
            study.reason, study.wish = "stopped before it began", Wish.NONE
    study.save()
    if wanted == Wish.NONE:
        defer_variants(study.id, study.runs.filter(status=Status.QUEUED).count())
    return study


def _again(study: Study) -> Study:
    """Queues an ended study once more; variants that were stopped are forgotten."""
    study.runs.filter(status=Status.STOPPED).delete()
    own = study.variants.filter(beside=False)
    lost = own.filter(run=None).order_by("place").first()
    if lost is not None:
        own.filter(place__gte=lost.place).delete()
    study.status, study.reason, study.finished, study.wish = Status.QUEUED, "", None, Wish.NONE
    study.save()
    conduct_study.defer(study_id=study.id)
    return study


@transaction.atomic
def delete_study(request: HttpRequest, project_id: int, number: int) -> None:
    """With its variants; those that other studies have as well are theirs then.

    :raises Problem: 409 while it is active.
    """
    study = get_study(request, project_id, number, Role.EDITOR)
    if study.active:
        raise Problem(409, f"study {study.number} is {study.status}; stop it first")
    for row in StudyVariant.objects.filter(run__study=study).exclude(study=study):
        study.runs.filter(id=row.run_id or 0).update(study=row.study_id)
    study.delete()


def use_variant(request: HttpRequest, project_id: int, number: int, place: int) -> None:
    """Writes the values of a variant to the sheet, as a revision."""
    study = get_study(request, project_id, number, Role.EDITOR)
    row = study.variants.filter(place=place).first()
    if row is None:
        raise not_found("variant of that number")
    project = get_project(request, project_id, Role.EDITOR)
    found = made(step_of(**study.step), load_document(study.revision.document))
    head = load_document(project.latest.document)
    used = with_variant(head, found.variables, tuple(row.point))
    save_revision(request, project_id, project.latest.number, used.model_dump(mode="json"))


@transaction.atomic
def solve_beside(
    request: HttpRequest, project_id: int, number: int, point: list[float]
) -> StudyVariant:
    """Solves one more variant of an ended study, at values of its variables, SI.

    :raises Problem: 409 while it is active, 422 for values beyond limits.
    """
    found = get_study(request, project_id, number, Role.EDITOR)
    study = Study.objects.select_for_update().get(id=found.id)
    if study.active:
        raise Problem(409, f"study {study.number} is {study.status}; wait for it, or stop it first")
    document = load_document(found.revision.document)
    own = made(step_of(**study.step), document)
    if len(point) != len(own.variables):
        raise HeronError(f"the study varies {len(own.variables)} values, not {len(point)}")
    for variable, value in zip(own.variables, point, strict=True):
        variable.check(value)
    last = study.variants.filter(beside=True).order_by("-place").first()
    solver = Queued(found, own, document, lambda trials: None)
    (row,) = solver.rows([tuple(point)], BESIDE if last is None else last.place + 1)
    row.beside = True
    row.save(update_fields=["beside"])
    return row


def take_up_studies() -> int:
    """Studies whose conductor has fallen silent or whose job was lost, queued once more; and jobs
    for variants that wait while none is being solved. Returns how many.
    """
    now = timezone.now()
    silent = Study.objects.filter(
        status__in=(Status.RUNNING, Status.PAUSED), heartbeat__lt=now - SILENT
    )
    lost = Study.objects.filter(status=Status.QUEUED, created__lt=now - LOST)
    lost = lost.exclude(id__in=_with_jobs("conduct_study"))
    left = [*silent.values_list("id", flat=True), *lost.values_list("id", flat=True)]
    for study_id in left:
        _take_up(study_id)
    queued = Run.objects.filter(status=Status.QUEUED, study__wish=Wish.NONE).exclude(study=None)
    waiting = set(queued.order_by().values_list("study_id", flat=True).distinct())
    solving = Run.objects.filter(status=Status.RUNNING, study__in=waiting)
    waiting -= set(solving.values_list("study_id", flat=True))
    waiting -= _with_jobs("solve_variants")
    for study_id in waiting:
        defer_variants(study_id, 1)
    return len(left) + len(waiting)


def _with_jobs(task: str) -> set[int]:
    """Studies that a job waits for."""
    from procrastinate.contrib.django.models import ProcrastinateJob

    jobs = ProcrastinateJob.objects.filter(status="todo", task_name=task)
    return {args["study_id"] for args in jobs.values_list("args", flat=True)}


@transaction.atomic
def _take_up(study_id: int) -> None:
    study = Study.objects.select_for_update(skip_locked=True).filter(id=study_id).first()
    if study is None or not study.active:
        return
    if study.attempts >= ATTEMPTS:
        stop_variants(study.id)
        study.status, study.finished = Status.FAILED, timezone.now()
        study.reason = f"what conducted it died {study.attempts} times"
    else:
        study.status = Status.QUEUED
        conduct_study.defer(study_id=study.id)
    study.save()
