"""Signing in and out."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.utils import timezone
from ninja import Field, Router, Schema, Status
from ninja.utils import check_csrf

from server.accounts.models import FailedSignIn
from server.errors import Problem

router = Router()

ATTEMPTS, WINDOW = 8, timedelta(minutes=10)


class SignIn(Schema):
    username: str = Field(max_length=150)
    password: str = Field(max_length=200)


class Session(Schema):
    username: str
    initials: str
    csrf: str


def _session(request: HttpRequest) -> Session:
    name = request.user.get_username()
    words = [w for w in (request.user.get_full_name() or name).replace("-", " ").split() if w]
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
    keys = [f"user:{data.username.lower()[:150]}", f"address:{request.META.get('REMOTE_ADDR', '')}"]
    since = timezone.now() - WINDOW
    FailedSignIn.objects.filter(at__lt=since).delete()
    if any(
        FailedSignIn.objects.filter(key=k, at__gte=since).count()
        >= ATTEMPTS * (1 + 4 * k.startswith("address"))
        for k in keys
    ):
        raise Problem(429, "too many wrong passwords; wait ten minutes")
    user = authenticate(request, username=data.username, password=data.password)
    if user is None:
        FailedSignIn.objects.bulk_create(FailedSignIn(key=k) for k in keys)
        raise Problem(401, "the name or the password is wrong")
    FailedSignIn.objects.filter(key=keys[0]).delete()
    login(request, user)
    return _session(request)


@router.delete("", response={204: None}, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Status:
    logout(request)
    return Status(204, None)
