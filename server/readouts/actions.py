"""Changes to readouts, each in one transaction."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.http import HttpRequest

from heron.errors import HeronError
from server.accounts.people import person, person_number
from server.errors import Problem, not_found
from server.looking.pool import ask
from server.projects.models import Role
from server.projects.permissions import get_project
from server.readouts.models import Page, ReferenceCurve, Template

MOST_REFERENCES, MOST_TEMPLATES = 100, 50


@transaction.atomic
def save_page(request: HttpRequest, project_id: int, version: int, content: dict[str, Any]) -> Page:
    """Replaces the page that was read as ``version``.

    :raises Problem: 409 when somebody saved in between, with their page; nothing is overwritten.
    """
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    page, _ = Page.objects.get_or_create(project=project)
    if page.version != version:
        raise Problem(
            409,
            "somebody else changed this readout meanwhile; it was read again",
            version=page.version,
            content=page.content,
        )
    page.version, page.content = version + 1, content
    page.save()
    return page


@transaction.atomic
def save_template(request: HttpRequest, name: str, cards: list[dict[str, Any]]) -> Template:
    if Template.objects.filter(owner=person(request)).exclude(name=name).count() >= MOST_TEMPLATES:
        raise Problem(409, f"you have {MOST_TEMPLATES} templates already; delete one first")
    return Template.objects.update_or_create(
        owner=person(request), name=name, defaults={"cards": cards}
    )[0]


def delete_template(request: HttpRequest, name: str) -> None:
    if not Template.objects.filter(owner=person(request), name=name).delete()[0]:
        raise not_found("template of that name")


def read_curves(
    request: HttpRequest,
    text: str,
    filename: str,
    x_unit: str | None,
    columns: list[dict[str, str]] | None,
) -> dict[str, Any]:
    """How a text is read as curves, as :func:`server.looking.tasks.read_curves` has it.

    :raises HeronError: it cannot be read at all.
    """
    who = person_number(request)
    found: dict[str, Any] = ask(who, who, "read_curves", text, filename, x_unit, columns)
    return found


def add_reference(
    request: HttpRequest,
    project_id: int,
    name: str,
    filename: str,
    text: str,
    x_unit: str | None,
    columns: list[dict[str, str]] | None,
) -> ReferenceCurve:
    """Keeps a curve as its reader understands it.

    :raises HeronError: it cannot be read so.
    """
    get_project(request, project_id, Role.EDITOR)
    read = read_curves(request, text, filename, x_unit, columns)
    if read["error"]:
        raise HeronError(read["error"])
    own = [{k: c[k] for k in ("heading", "quantity", "form")} for c in read["columns"]]
    return _kept(request, project_id, name, filename, text, read["x_unit"], own)


@transaction.atomic
def _kept(
    request: HttpRequest,
    project_id: int,
    name: str,
    filename: str,
    text: str,
    x_unit: str,
    columns: list[dict[str, str]],
) -> ReferenceCurve:
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    if project.references.count() >= MOST_REFERENCES:
        raise Problem(
            409, f"the project has {MOST_REFERENCES} reference curves already; delete one first"
        )
    last = project.references.order_by("-number").values_list("number", flat=True).first() or 0
    return ReferenceCurve.objects.create(
        project=project,
        number=last + 1,
        name=name,
        filename=filename,
        text=text,
        author=person(request),
        x_unit=x_unit,
        columns=columns,
    )


def rename_reference(
    request: HttpRequest, project_id: int, number: int, name: str
) -> ReferenceCurve:
    found = get_reference(request, project_id, number, Role.EDITOR)
    found.name = name
    found.save(update_fields=["name"])
    return found


def delete_reference(request: HttpRequest, project_id: int, number: int) -> None:
    get_reference(request, project_id, number, Role.EDITOR).delete()


def get_reference(
    request: HttpRequest, project_id: int, number: int, least: Role = Role.READER
) -> ReferenceCurve:
    found = get_project(request, project_id, least).references.filter(number=number).first()
    if found is None:
        raise not_found("reference curve of that number")
    return found
