"""Studies of a project: start, watch, stop, read, export."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Field, Query, Router, Schema

from heron.model import load_document
from heron.phrases import printed
from heron.studies.kinds import made, step_of
from server.accounts.people import person_number
from server.answers import Answer
from server.looking.pool import ask
from server.packets import sent
from server.projects.permissions import get_project
from server.runs.models import Run, Status, Wish
from server.runs.opened import short
from server.studies import actions, exports
from server.studies.models import Study
from server.studies.solving import counts_of

router = Router()
Text = Annotated[str, Query(max_length=1000)]


class NewStudy(Schema):
    name: str = Field(max_length=60)


class StudyForecast(Schema):
    """Variants at most, and seconds for one and for all, where they are known."""

    most: int
    each_s: float | None
    seconds: float | None


class StudyLine(Schema):
    number: int
    name: str
    kind: str
    sentence: str
    status: str
    reason: str
    wish: str
    revision: int
    most: int
    counts: dict[str, int]
    created: datetime
    started: datetime | None
    finished: datetime | None
    each_s: float | None
    left_s: float | None


class VariableLine(Schema):
    """``options`` are those of a choice, whose values are their places."""

    name: str
    unit: str
    nominal: float
    options: list[str]


class VariantLine(Schema):
    """Values are SI; ``outcomes`` the numbers among the study's outcomes."""

    place: int
    point: list[float]
    run: int | None
    status: str
    reason: str
    seconds: float | None
    known: bool
    beside: bool
    digest: str
    outcomes: dict[str, float | None]


class StudyDetail(StudyLine):
    step: dict[str, Any]
    variables: list[VariableLine]
    outcomes: list[str]
    units: dict[str, str]
    variants: list[VariantLine]
    found: dict[str, Any]


class VariantNumbers(Schema):
    text: str
    unit: str
    places: list[int]
    values: list[float | None]
    error: str


class Point(Schema):
    point: list[float] = Field(max_length=20)


class Place(Schema):
    place: int


def _line(study: Study, counts: dict[str, int]) -> dict[str, Any]:
    ended = sum(n for s, n in counts.items() if s in (Status.FINISHED, Status.FAILED))
    each, left = study.forecast.get("seconds"), None
    if study.active and study.started is not None and ended:
        begun = study.started
        spent = (study.heartbeat or begun) - begun
        left = spent.total_seconds() / ended * max(0, study.most - ended)
    elif study.active and each is not None:
        left = each * study.most
    return {
        **{
            k: getattr(study, k)
            for k in (
                "number",
                "status",
                "reason",
                "wish",
                "most",
                "created",
                "started",
                "finished",
            )
        },
        "name": study.step["name"],
        "kind": study.step["kind"],
        "sentence": printed("studies", {**study.step, "comment": ""}),
        "revision": study.revision.number,
        "counts": counts,
        "each_s": each,
        "left_s": left,
    }


def detail(study: Study) -> dict[str, Any]:
    """A study with its variants."""
    found = made(step_of(**study.step), load_document(study.revision.document))
    rows = study.variants.select_related("run").only(
        "study",
        "place",
        "point",
        "known",
        "beside",
        "run__number",
        "run__status",
        "run__reason",
        "run__started",
        "run__finished",
        "run__digest",
        "run__outcomes",
    )
    units: dict[str, str] = {}
    variants = []
    for row in rows:
        run = row.run
        numbers: dict[str, float | None] = {}
        for text in study.outcomes:
            own = (run.outcomes if run else {}).get(text, {})
            if "value" in own:
                numbers[text] = own["value"]
                units[text] = own["unit"]
        variants.append(
            {
                "place": row.place,
                "point": row.point,
                "run": run.number if run else None,
                "status": run.status if run else Status.FAILED,
                "reason": run.reason if run else "its run was deleted",
                "seconds": _seconds(run),
                "known": row.known,
                "beside": row.beside,
                "digest": short(run.digest) if run else "",
                "outcomes": numbers,
            }
        )
    return {
        **_line(study, counts_of([study])[study.id]),
        "step": study.step,
        "variables": [
            {
                "name": v.name,
                "unit": v.unit,
                "nominal": v.nominal,
                "options": list(getattr(v, "options", ())),
            }
            for v in found.variables
        ],
        "outcomes": study.outcomes,
        "units": units,
        "variants": variants,
        "found": study.found,
    }


def _seconds(run: Run | None) -> float | None:
    if run is None or run.started is None or run.finished is None:
        return None
    return (run.finished - run.started).total_seconds()


@router.get("/{int:project_id}/studies", response=list[StudyLine], operation_id="list_studies")
def list_studies(request: HttpRequest, project_id: int) -> list[dict[str, Any]]:
    """The latest first."""
    project = get_project(request, project_id)
    own = list(project.studies.select_related("revision").defer("found").order_by("-number"))
    counts = counts_of(own)
    return [_line(s, counts[s.id]) for s in own]


@router.get(
    "/{int:project_id}/studies/forecast", response=StudyForecast, operation_id="forecast_study"
)
def forecast_study(request: HttpRequest, project_id: int, name: Text) -> dict[str, Any]:
    """Of a study of the project's model by its name, before it begins."""
    found = actions.preflight(request, project_id, name)
    each = found["forecast"].get("seconds")
    total = None if each is None else each * found["most"]
    return {"most": found["most"], "each_s": each, "seconds": total}


@router.post("/{int:project_id}/studies", response={201: StudyDetail}, operation_id="start_study")
def start_study(request: HttpRequest, project_id: int, data: NewStudy) -> Answer:
    return Answer(201, detail(actions.start_study(request, project_id, data.name)))


@router.get(
    "/{int:project_id}/studies/{int:number}", response=StudyDetail, operation_id="get_study"
)
def get_study(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return detail(actions.get_study(request, project_id, number))


@router.delete(
    "/{int:project_id}/studies/{int:number}", response={204: None}, operation_id="delete_study"
)
def delete_study(request: HttpRequest, project_id: int, number: int) -> Answer:
    actions.delete_study(request, project_id, number)
    return Answer(204, None)


@router.post(
    "/{int:project_id}/studies/{int:number}/pause",
    response=StudyDetail,
    operation_id="pause_study",
)
def pause_study(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return detail(actions.wish(request, project_id, number, Wish.PAUSE))


@router.post(
    "/{int:project_id}/studies/{int:number}/stop", response=StudyDetail, operation_id="stop_study"
)
def stop_study(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    return detail(actions.wish(request, project_id, number, Wish.STOP))


@router.post(
    "/{int:project_id}/studies/{int:number}/continue",
    response=StudyDetail,
    operation_id="continue_study",
)
def continue_study(request: HttpRequest, project_id: int, number: int) -> dict[str, Any]:
    """One that is paused; or one that was stopped or failed, with what it has not solved."""
    return detail(actions.wish(request, project_id, number, Wish.NONE))


@router.post(
    "/{int:project_id}/studies/{int:number}/use", response={204: None}, operation_id="use_variant"
)
def use_variant(request: HttpRequest, project_id: int, number: int, data: Place) -> Answer:
    """Writes the values of a variant to the sheet, as a revision."""
    actions.use_variant(request, project_id, number, data.place)
    return Answer(204, None)


@router.post(
    "/{int:project_id}/studies/{int:number}/beside",
    response={201: StudyDetail},
    operation_id="solve_beside_study",
)
def solve_beside(request: HttpRequest, project_id: int, number: int, data: Point) -> Answer:
    """Solves one more variant, whose values are SI, in the order of the study's variables."""
    actions.solve_beside(request, project_id, number, data.point)
    return Answer(201, detail(actions.get_study(request, project_id, number)))


@router.get("/{int:project_id}/studies/{int:number}/curves", operation_id="get_study_curves")
def get_curves(request: HttpRequest, project_id: int, number: int, formula: Text) -> HttpResponse:
    """A formula of all solved variants against frequency, binary."""
    return _asked(request, project_id, number, "study_curves", formula)


@router.get("/{int:project_id}/studies/{int:number}/dials", operation_id="get_study_dials")
def get_dials(
    request: HttpRequest, project_id: int, number: int, channels: Text, frequency: float = 0.0
) -> HttpResponse:
    """Surrogates of the variants, binary: ``s11``, ``gain`` and, at a frequency in Hz, ``phi0`` and
    ``phi90``, with commas between.
    """
    return _asked(request, project_id, number, "study_dials", channels.split(","), frequency)


def _asked(
    request: HttpRequest, project_id: int, number: int, task: str, *more: Any
) -> HttpResponse:
    study = actions.get_study(request, project_id, number)
    return sent(ask(person_number(request), project_id, task, study.id, *more))


@router.get(
    "/{int:project_id}/studies/{int:number}/outcome",
    response=VariantNumbers,
    operation_id="get_study_outcome",
)
def get_outcome(request: HttpRequest, project_id: int, number: int, text: Text) -> Any:
    """A number of every solved variant, such as "smallest db20(s11)" or a spec line's margin."""
    study = actions.get_study(request, project_id, number)
    return ask(person_number(request), project_id, "study_outcome", study.id, text)


@router.get("/{int:project_id}/studies/{int:number}/export/{str:name}", operation_id="export_study")
def export_study(request: HttpRequest, project_id: int, number: int, name: str) -> HttpResponse:
    """``study.json``, ``study.csv``, ``study.nc``, or ``touchstone.zip`` of all variants."""
    study = actions.get_study(request, project_id, number)
    body, media = exports.file_of(study, name)
    answer = HttpResponse(body, content_type=media)
    answer["Content-Disposition"] = f'attachment; filename="study-{study.number}-{name}"'
    return answer
