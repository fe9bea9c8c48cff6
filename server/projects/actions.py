"""Changes to projects, each in one transaction."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.http import HttpRequest

from heron.model import Document, load_document
from server.accounts.models import User
from server.accounts.people import person
from server.errors import Problem, not_found
from server.projects import files
from server.projects.models import Member, Project, Revision, Role
from server.projects.permissions import get_project


@transaction.atomic
def create_project(user: User, document: Document, shipped: bool = False) -> Project:
    """A project with its first revision; the user owns it.

    ``shipped`` documents bring the files beside the examples.
    """
    project = Project.objects.create(name=document.name)
    Member.objects.create(project=project, user=user, role=Role.OWNER)
    _append(project, document, user)
    if shipped:
        files.ship(project, document)
    return project


def _append(project: Project, document: Document, author: User) -> Revision:
    last = project.revisions.order_by("-number").values_list("number", flat=True).first() or 0
    revision = Revision.objects.create(
        project=project,
        number=last + 1,
        parent=project.head,
        author=author,
        document=document.model_dump(mode="json"),
        digest=document.digest(),
    )
    _move_head(project, revision)
    return revision


def _move_head(project: Project, revision: Revision) -> None:
    project.head = revision
    project.name = revision.document["name"]
    project.save()


@transaction.atomic
def save_revision(
    request: HttpRequest, project_id: int, parent: int, data: dict[str, Any]
) -> Project:
    """Appends a revision edited from number ``parent``.

    :raises Problem: 409 when somebody saved in between, with their document; nothing is
        overwritten.
    """
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    document = load_document(data)
    if project.latest.number != parent:
        author = project.latest.author.get_username() if project.latest.author else "somebody"
        raise Problem(
            409,
            f"{author} saved revision {project.latest.number} while you edited revision {parent}; "
            "take theirs, or save yours on top",
            head=project.latest.number,
            document=project.latest.whole,
            author=author,
        )
    if document.digest() != project.latest.digest:
        _append(project, document, person(request))
    return project


@transaction.atomic
def copy_example(request: HttpRequest, project_id: int, document: Document) -> Project:
    """A shipped example as the project's next revision, with the files that it imports."""
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    _append(project, document, person(request))
    files.ship(project, document)
    return project


@transaction.atomic
def step_history(request: HttpRequest, project_id: int, direction: str) -> Project:
    """Moves the head to its parent ("undo") or its newest child ("redo").

    Revisions are never deleted.
    """
    project = get_project(request, project_id, Role.EDITOR, lock=True)
    target = (
        project.latest.parent
        if direction == "undo"
        else project.latest.children.order_by("-number").first()
    )
    if target is None:
        raise Problem(409, f"there is nothing to {direction}")
    _move_head(project, target)
    return project


@transaction.atomic
def delete_project(request: HttpRequest, project_id: int) -> None:
    """With all that hangs on it.

    :raises Problem: 409 while one of its runs or studies has not ended.
    """
    project = get_project(request, project_id, Role.OWNER, lock=True)
    run = project.runs.filter(finished=None).first()
    if run is not None:
        raise Problem(409, f"run {run.number} is {run.status}; stop it first")
    study = project.studies.filter(finished=None).first()
    if study is not None:
        raise Problem(409, f"study {study.number} is {study.status}; stop it first")
    project.delete()


@transaction.atomic
def set_member(request: HttpRequest, project_id: int, username: str, role: Role) -> None:
    project = get_project(request, project_id, Role.OWNER, lock=True)
    user = User.objects.filter(username=username).first()
    if user is None:
        raise not_found("user of that name")
    if role != Role.OWNER:
        _keep_an_owner(project, user)
    Member.objects.update_or_create(project=project, user=user, defaults={"role": role})


@transaction.atomic
def remove_member(request: HttpRequest, project_id: int, username: str) -> None:
    """Owners may remove anybody, everybody may leave."""
    leaving = username == person(request).get_username()
    project = get_project(request, project_id, Role.READER if leaving else Role.OWNER, lock=True)
    member = project.memberships.filter(user__username=username).first()
    if member is None:
        raise not_found("member of that name")
    _keep_an_owner(project, member.user)
    member.delete()


def _keep_an_owner(project: Project, leaving: User) -> None:
    owners = project.memberships.filter(role=Role.OWNER)
    if owners.filter(user=leaving).exists() and owners.count() == 1:
        raise Problem(409, "a project keeps at least one owner; name another first")
