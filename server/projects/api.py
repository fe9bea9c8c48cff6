"""Projects, revisions, members, and the examination of a document."""

from __future__ import annotations

from datetime import datetime
from typing import Any, cast

from django.http import HttpRequest, HttpResponse
from ninja import Field, File, Router, Schema, UploadedFile

from heron.engines import ENGINES
from heron.errors import QuantityError
from heron.materials import LIBRARY, MEDIA
from heron.model import load_document
from heron.phrases import examples
from heron.quantities import evaluate, resolve_parameters
from heron.quantities.units import si_symbol
from heron.steps import CHAPTER
from heron.steps.description import language
from heron.steps.parameters.parameter import Parameter
from server.accounts.people import person, person_number
from server.answers import Answer
from server.errors import not_found
from server.looking.pool import ask, text_of
from server.packets import sent
from server.projects import actions, files, library
from server.projects.models import Project, Role, Upload
from server.projects.permissions import get_project, role_of
from server.projects.shapes import ExaminationAnswer, FileReport
from server.runs import machines

router = Router()


class ProjectCard(Schema):
    id: int
    name: str
    role: str
    updated: datetime
    revision: int
    headline: str
    running: int
    fraction: float


class Line(Schema):
    points: list[tuple[float, float, float]]


class ProjectState(Schema):
    id: int
    name: str
    role: str
    revision: int
    document: dict[str, Any]
    can_undo: bool
    can_redo: bool


class RevisionLine(Schema):
    number: int
    author: str
    created: datetime
    digest: str


class NewProject(Schema):
    example: str | None = None
    document: dict[str, Any] | None = None


class NewRevision(Schema):
    parent: int
    document: dict[str, Any]


class Examine(Schema):
    """``project``: whose files import steps mean; ``plan``: by which the model would be solved, the
    first unless given; ``have``: keys of meshes the stage holds already.
    """

    document: dict[str, Any]
    project: int | None = None
    plan: str | None = Field(default=None, max_length=60)
    have: list[str] = Field(default=[], max_length=5000)


class ViewAsked(Schema):
    """What is ``asked`` of a view of a document as its engine lays it out."""

    document: dict[str, Any]
    project: int | None = None
    asked: dict[str, Any] = {}


class Expression(Schema):
    """An expression being typed; ``unit`` is the SI unit its value must have, empty for any."""

    parameters: list[dict[str, Any]]
    expression: str = Field(max_length=1000)
    like: str | None = None


class ExpressionValue(Schema):
    value: float | None
    unit: str
    error: str


class Phrase(Schema):
    document: dict[str, Any]
    text: str = Field(max_length=4000)


class TypedStep(Schema):
    """A new step of a chapter, or with a ``number`` (from 0) that step as it then is."""

    chapter: str
    step: dict[str, Any]
    number: int | None


class StepAsked(Schema):
    """Step ``number`` (from 0) of a chapter of a document."""

    document: dict[str, Any]
    chapter: str = Field(max_length=40)
    number: int = Field(default=0, ge=0)


class FileLine(Schema):
    name: str
    size: int
    state: str
    message: str
    report: FileReport


class MemberLine(Schema):
    username: str
    role: Role


class MaterialLine(Schema):
    name: str
    group: str
    source: str
    conductor: bool


class MaterialAsked(Schema):
    document: dict[str, Any]
    name: str = Field(max_length=60)
    f_start: float = Field(gt=0, lt=1e17)
    f_stop: float = Field(gt=0, lt=1e17)


class MaterialFit(Schema):
    """Debye poles fitted to a table, over the same frequencies; ``error`` is the largest one
    relative to |ε| at the table's rows.
    """

    epsilon_real: list[float]
    epsilon_imag: list[float]
    error: float
    poles: int


class MaterialCurve(Schema):
    """Against ``frequency_hz``; the relative ε and μ with positive imaginary parts for losses."""

    source: str
    frequency_hz: list[float]
    epsilon_real: list[float]
    epsilon_imag: list[float]
    mu_real: list[float]
    mu_imag: list[float]
    conductivity: list[float]
    skin_depth_m: list[float | None]
    fit: MaterialFit | None = None


class NewRole(Schema):
    role: Role


class CompletionLine(Schema):
    """A text that goes on from what is typed, and what the step is."""

    text: str
    meaning: str


class StartLine(Schema):
    """A skeleton to begin a model from; ``drawing`` is SVG."""

    name: str
    title: str
    hint: str
    drawing: str
    document: dict[str, Any]


class ExampleLine(Schema):
    name: str
    title: str
    notes: str


def _state(request: HttpRequest, project: Project) -> ProjectState:
    head = project.latest
    return ProjectState(
        id=project.id,
        name=project.name,
        role=role_of(request, project),
        revision=head.number,
        document=head.whole,
        can_undo=head.parent_id is not None,
        can_redo=head.children.exists(),
    )


@router.get("", response=list[ProjectCard], operation_id="list_projects")
def list_projects(request: HttpRequest) -> list[dict[str, Any]]:
    return library.cards(request)


@router.get(
    "/{int:project_id}/outline/{int:revision}",
    response=list[Line],
    operation_id="get_outline",
)
def get_outline(
    request: HttpRequest, project_id: int, revision: int, response: HttpResponse
) -> list[dict[str, Any]]:
    """Lines of a small drawing of a revision, which never changes."""
    project = get_project(request, project_id)
    found = project.revisions.filter(number=revision).values_list("id", flat=True).first()
    if found is None:
        raise not_found("revision of that number")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return cast(list[dict[str, Any]], asked(request, project_id, "outline_of", found))


@router.post("", response={201: ProjectState}, operation_id="create_project")
def create_project(request: HttpRequest, data: NewProject) -> Answer:
    document = (
        load_document(data.document) if data.document is not None else library.example(data.example)
    )
    made = actions.create_project(person(request), document, shipped=data.document is None)
    return Answer(201, _state(request, made))


@router.get("/examples", response=list[ExampleLine], operation_id="list_examples")
def list_examples(request: HttpRequest) -> list[ExampleLine]:
    return [ExampleLine(name=n, title=d.name, notes=d.notes) for n, d in library.examples().items()]


@router.get("/starts", response=list[StartLine], operation_id="list_starts")
def list_starts(request: HttpRequest) -> list[library.Start]:
    """Working skeletons of parts, feed, captures and plan, one for each sort of problem."""
    return library.starts()


@router.post(
    "/{int:project_id}/examples/{name}", response=ProjectState, operation_id="copy_example"
)
def copy_example(request: HttpRequest, project_id: int, name: str) -> ProjectState:
    """Puts an example, with the files it imports, in the place of the project's model."""
    return _state(request, actions.copy_example(request, project_id, library.example(name)))


@router.post("/examine", response=ExaminationAnswer, operation_id="examine_document")
def examine_document(request: HttpRequest, data: Examine) -> dict[str, Any]:
    about = _shared(request, data.project)
    return cast(
        dict[str, Any],
        asked(
            request,
            about,
            "look_over",
            text_of(data.document),
            about,
            data.plan,
            data.have,
            machines.most_memory(),
        ),
    )


@router.post("/views/{name}", operation_id="look_at")
def look_at(request: HttpRequest, name: str, data: ViewAsked) -> HttpResponse:
    """What an engine shows of a model before a run, such as a slice through its grid."""
    about = _shared(request, data.project)
    body = asked(request, about, "look_at", text_of(data.document), about, name, data.asked)
    return sent(body)


def _shared(request: HttpRequest, project: int | None) -> int | None:
    """A project that is shared with whoever asks, if one is named."""
    return None if project is None else get_project(request, project).id


def asked(request: HttpRequest, about: int | None, task: str, *arguments: Any) -> Any:
    """What the processes that look at models answer to whoever asks."""
    person = person_number(request)
    return ask(person, person if about is None else about, task, *arguments)


@router.post("/evaluate", response=ExpressionValue, operation_id="evaluate_expression")
def evaluate_expression(request: HttpRequest, data: Expression) -> ExpressionValue:
    """The value of an expression among parameters; a fault is part of the answer, not an error."""
    values, _ = resolve_parameters([Parameter.model_validate(p) for p in data.parameters])
    try:
        like = None if data.like is None else evaluate(data.like, values).dimension
        q = evaluate(data.expression, values, like)
    except QuantityError as error:
        return ExpressionValue(value=None, unit="", error=error.message)
    return ExpressionValue(value=q.value, unit=si_symbol(q.dimension), error="")


@router.get("/{int:project_id}", response=ProjectState, operation_id="get_project")
def get_one(request: HttpRequest, project_id: int) -> ProjectState:
    return _state(request, get_project(request, project_id))


@router.delete("/{int:project_id}", response={204: None}, operation_id="delete_project")
def delete_project(request: HttpRequest, project_id: int) -> Answer:
    actions.delete_project(request, project_id)
    return Answer(204, None)


@router.get(
    "/{int:project_id}/revisions", response=list[RevisionLine], operation_id="list_revisions"
)
def list_revisions(request: HttpRequest, project_id: int) -> list[RevisionLine]:
    revisions = get_project(request, project_id).revisions.select_related("author")
    return [
        RevisionLine(
            number=r.number,
            author=r.author.get_username() if r.author else "",
            created=r.created,
            digest=r.digest,
        )
        for r in revisions
    ]


@router.post("/{int:project_id}/revisions", response=ProjectState, operation_id="save_revision")
def save_revision(request: HttpRequest, project_id: int, data: NewRevision) -> ProjectState:
    return _state(request, actions.save_revision(request, project_id, data.parent, data.document))


@router.post("/{int:project_id}/undo", response=ProjectState, operation_id="undo")
def undo(request: HttpRequest, project_id: int) -> ProjectState:
    return _state(request, actions.step_history(request, project_id, "undo"))


@router.post("/{int:project_id}/redo", response=ProjectState, operation_id="redo")
def redo(request: HttpRequest, project_id: int) -> ProjectState:
    return _state(request, actions.step_history(request, project_id, "redo"))


def _file(upload: Upload) -> FileLine:
    upload = files.current(upload)
    return FileLine(
        name=upload.name,
        size=upload.size,
        state=upload.state,
        message=upload.message,
        report=upload.report,
    )


@router.get("/{int:project_id}/files", response=list[FileLine], operation_id="list_files")
def list_files(request: HttpRequest, project_id: int) -> list[FileLine]:
    return [
        _file(u) for u in get_project(request, project_id).uploads.defer("original", "prepared")
    ]


@router.post("/{int:project_id}/files", response={202: FileLine}, operation_id="upload_file")
def upload_file(request: HttpRequest, project_id: int, file: File[UploadedFile]) -> Answer:
    """Keeps a STEP, STL or OBJ file and reads it in a child process; ask the list for how far it
    is.
    """
    get_project(request, project_id, Role.EDITOR)
    return Answer(202, _file(files.receive(request, project_id, file.name or "", file.read())))


@router.delete("/{int:project_id}/files/{name}", response={204: None}, operation_id="delete_file")
def delete_file(request: HttpRequest, project_id: int, name: str) -> Answer:
    files.delete(request, project_id, name)
    return Answer(204, None)


def _library(document: dict[str, Any]) -> list[str]:
    return [*LIBRARY, *MEDIA, *(str(m.get("name")) for m in document.get("materials", []))]


@router.get("/language", response=dict[str, Any], operation_id="get_language")
def get_language(request: HttpRequest) -> dict[str, Any]:
    """Chapters and kinds of steps: their sentences, menus and defaults, and typed examples."""
    engines = ["auto", *ENGINES]
    return {**language(), "examples": examples(), "references": {"engine": engines}}


@router.post("/phrase", response=TypedStep, operation_id="read_phrase")
def read_phrase(request: HttpRequest, data: Phrase) -> TypedStep:
    """A typed step as one of the document."""
    known = _library(data.document)
    read = asked(request, None, "read_phrase", text_of(data.document), data.text, known)
    return TypedStep(**read)


@router.post("/phrase/next", response=list[CompletionLine], operation_id="complete_phrase")
def complete_phrase(request: HttpRequest, data: Phrase) -> list[dict[str, str]]:
    """What a typed text may go on as, best first."""
    known = _library(data.document)
    document = text_of(data.document)
    return cast(
        list[dict[str, str]],
        asked(request, None, "complete_phrase", document, data.text, known),
    )


@router.post("/sentence", response=str, operation_id="print_step")
def print_step(request: HttpRequest, data: StepAsked) -> str:
    """A step of a document as the sentence that can be typed."""
    if data.chapter not in CHAPTER:
        raise not_found("chapter of that name")
    document = text_of(data.document)
    found = asked(request, None, "print_step", document, data.chapter, data.number)
    if found is None:
        raise not_found("step of that number")
    return str(found)


@router.get("/materials", response=list[MaterialLine], operation_id="list_materials")
def list_materials(request: HttpRequest) -> list[MaterialLine]:
    """The library, conductors first."""
    lines = [
        MaterialLine(name=c.name, group="conductors", source=c.source, conductor=True)
        for c in LIBRARY.values()
    ]
    return lines + [
        MaterialLine(name=m.name, group=m.group, source=m.source, conductor=False)
        for m in MEDIA.values()
    ]


@router.post("/material-curve", response=MaterialCurve, operation_id="material_curve")
def material_curve(request: HttpRequest, data: MaterialAsked) -> MaterialCurve:
    """ε, μ, σ and skin depth of a material of a document or the library, over a band."""
    document = text_of(data.document)
    return MaterialCurve(
        **asked(request, None, "material_curve", document, data.name, data.f_start, data.f_stop)
    )


@router.get("/{int:project_id}/members", response=list[MemberLine], operation_id="list_members")
def list_members(request: HttpRequest, project_id: int) -> list[MemberLine]:
    members = (
        get_project(request, project_id)
        .memberships.select_related("user")
        .order_by("user__username")
    )
    return [MemberLine(username=m.user.get_username(), role=Role(m.role)) for m in members]


@router.put("/{int:project_id}/members/{username}", response={204: None}, operation_id="set_member")
def set_member(request: HttpRequest, project_id: int, username: str, data: NewRole) -> Answer:
    actions.set_member(request, project_id, username, data.role)
    return Answer(204, None)


@router.delete(
    "/{int:project_id}/members/{username}", response={204: None}, operation_id="remove_member"
)
def remove_member(request: HttpRequest, project_id: int, username: str) -> Answer:
    actions.remove_member(request, project_id, username)
    return Answer(204, None)
