"""Assembles the API from the applications' routers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import NinjaAPI
from ninja.renderers import JSONRenderer
from ninja.security import django_auth

from server import errors
from server.accounts.api import router as accounts
from server.projects.api import router as projects
from server.readouts.api import router as readouts
from server.readouts.evaluation import router as evaluation
from server.runs.api import router as runs
from server.runs.results import router as results
from server.studies.api import router as studies


class StrictRenderer(JSONRenderer):
    """Refuses NaN and infinities, which are not JSON."""

    json_dumps_params = {"allow_nan": False, "ensure_ascii": False}

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> Any:
        return super().render(request, data, response_status=response_status)


api = NinjaAPI(
    title="Odd Heron", version="1", auth=django_auth, renderer=StrictRenderer(), docs_url=None
)
errors.install(api)
api.add_router("/session", accounts, tags=["session"])
api.add_router("/projects", projects, tags=["projects"])
api.add_router("/projects", runs, tags=["runs"])
api.add_router("/projects", results, tags=["runs"])
api.add_router("/projects", readouts, tags=["readouts"])
api.add_router("/projects", evaluation, tags=["evaluation"])
api.add_router("/projects", studies, tags=["studies"])
