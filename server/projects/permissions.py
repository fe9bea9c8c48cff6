"""Who may do what. Every query for a project goes through here."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpRequest

from server.accounts.people import person
from server.errors import Problem, not_found
from server.projects.models import Member, Project, Role

RANK = {Role.READER: 0, Role.EDITOR: 1, Role.OWNER: 2}


def visible(request: HttpRequest) -> QuerySet[Project]:
    """The projects this user is a member of."""
    return Project.objects.filter(memberships__user=person(request))


def role_of(request: HttpRequest, project: Project) -> Role:
    """That of whoever asks."""
    return Role(Member.objects.get(project=project, user=person(request)).role)


def get_project(
    request: HttpRequest, project_id: int, least: Role = Role.READER, lock: bool = False
) -> Project:
    """The project, if the user may see it and has at least this role.

    :raises Problem: 404 for strangers, 403 for members with too small a role.
    """
    # With a lock the head is read after it: joined, it would be that of before a wait, and none at
    # all if another request has moved it meanwhile.
    query = (
        visible(request).select_for_update(of=("self",))
        if lock
        else visible(request).select_related("head")
    )
    project = query.filter(id=project_id).first()
    if project is None:
        raise not_found("project")
    role = role_of(request, project)
    if RANK[role] < RANK[least]:
        raise Problem(
            403, f"this needs the role {least.value}; you are {role.value} of this project"
        )
    return project
