"""Response headers that every page carries, and requests that none is to read."""

from __future__ import annotations

import re
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from server.errors import problem

# Styles may be inline: the 3-D view and overlays position elements through style attributes.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:"
    " blob:; font-src 'self' data:; connect-src 'self' blob: data:; worker-src 'self' blob:;"
    " object-src 'none'; base-uri 'none'; frame-ancestors 'none'"
)


class ContentSecurityPolicy:
    """No outside origin may be loaded or contacted."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response


class NoNul:
    """Refuses requests with a NUL in a text, which PostgreSQL does not keep."""

    _IN_JSON = re.compile(rb"(?<!\\)(?:\\\\)*\\u0000|\x00")

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        json = request.content_type == "application/json"
        if (
            "\0" in request.path_info
            or "%00" in request.META.get("QUERY_STRING", "")
            or (json and self._IN_JSON.search(request.body))
        ):
            return problem(422, "a text has a NUL character in it; take it out")
        return self.get_response(request)
