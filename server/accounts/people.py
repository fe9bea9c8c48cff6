"""Who asks."""

from __future__ import annotations

from typing import cast

from django.http import HttpRequest

from server.accounts.models import User


def person(request: HttpRequest) -> User:
    """Who is signed in: every operation but signing in has somebody."""
    return cast(User, request.user)


def person_number(request: HttpRequest) -> int:
    """Their number."""
    return int(person(request).pk or 0)
