"""Response headers that every page carries."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

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
