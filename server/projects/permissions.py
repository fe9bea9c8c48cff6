"""Who may do what. Every query for a project goes through here."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpRequest

from server.errors import Problem, not_found
from server.projects.models import Member, Project, Role

RANK = {Role.READER: 0, Role.EDITOR: 1, Role.OWNER: 2}


def visible(request: HttpRequest) -> QuerySet[Project]:
    """The projects this user is a member of."""
    return Project.objects.filter(memberships__user=request.user)


def role_of(request: HttpRequest, project: Project) -> Role:
    return Role(Member.objects.get(project=project, user=request.user).role)


def get_project(request: HttpRequest, project_id: int, least: Role = Role.READER, lock: bool = False) -> Project:
    """The project, if the user may see it and has at least this role.

    :raises Problem: 404 for strangers, 403 for members with too small a role.
    """
    query = visible(request).select_related("head")
    if lock:
        query = query.select_for_update(of=("self",))
    project = query.filter(id=project_id).first()
    if project is None:
        raise not_found("project")
    role = role_of(request, project)
    if RANK[role] < RANK[least]:
        raise Problem(403, f"this needs the role {least.value}; you are {role.value} of this project")
    return project
