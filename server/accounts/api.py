"""Signing in and out."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.utils import check_csrf

from server.accounts.people import person
from server.answers import Answer
from server.errors import Problem

router = Router()


def address_of(request: HttpRequest) -> str:
    """Where a request comes from; behind a proxy the web server has taken that proxy's word."""
    return str(request.META.get("REMOTE_ADDR", ""))


class SignIn(Schema):
    username: str = Field(max_length=150)
    password: str = Field(max_length=200)


class Session(Schema):
    username: str
    initials: str
    csrf: str


def _session(request: HttpRequest) -> Session:
    name = person(request).get_username()
    words = [w for w in (person(request).get_full_name() or name).replace("-", " ").split() if w]
    return Session(
        username=name, initials="".join(w[0] for w in words[:2]).upper(), csrf=get_token(request)
    )


@router.get("", response=Session, operation_id="get_session")
def get_session(request: HttpRequest) -> Session:
    return _session(request)


@router.post("", response=Session, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, data: SignIn) -> Session:
    if check_csrf(request):
        raise Problem(403, "the page is out of date; reload it and sign in again")
    user = authenticate(request, username=data.username, password=data.password)
    if user is None and getattr(request, "axes_locked_out", False):
        raise Problem(429, "too many wrong passwords for this name from here; wait ten minutes")
    if user is None:
        raise Problem(401, "the name or the password is wrong")
    login(request, user)
    return _session(request)


@router.delete("", response={204: None}, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Answer:
    logout(request)
    return Answer(204, None)
