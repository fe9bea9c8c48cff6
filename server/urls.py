"""The API below /api/, and the single page for every other address."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from server.api import api


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    index = settings.WEB_DIST / "index.html"
    if not index.exists():
        return HttpResponse(
            "The interface is not built: run ./odd-heron start",
            status=503,
            content_type="text/plain",
        )
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})


urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|assets/).*$", page)]
