"""Errors as problem documents (RFC 9457), with the path of every offending field."""

from __future__ import annotations

from typing import Any

import pydantic
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, ValidationError

from heron.errors import HeronError


class Problem(Exception):
    """A refusal with an HTTP status, a sentence, and more fields for the body."""

    def __init__(self, status: int, title: str, **more: Any) -> None:
        super().__init__(title)
        self.status, self.title, self.more = status, title, more


def problem(status: int, title: str, **more: Any) -> HttpResponse:
    """A refusal as RFC 9457 has it."""
    return JsonResponse(
        {"type": "about:blank", "status": status, "title": title, **more},
        status=status,
        content_type="application/problem+json",
    )


def not_found(what: str = "that") -> Problem:
    """The same answer for what does not exist and what is not theirs to see."""
    return Problem(404, f"there is no {what} here, or it is not shared with you")


def told(error: Exception) -> tuple[Any, ...]:
    """A refusal as plain values, for another process."""
    if isinstance(error, Problem):
        return ("problem", error.status, error.title, error.more)
    if isinstance(error, HeronError):
        return ("model", type(error), error.message, error.path)
    return ("problem", 422, "the request is nested too deeply", {})


def revived(values: tuple[Any, ...]) -> Exception:
    """The refusal that another process told."""
    if values[0] == "problem":
        _, status, title, more = values
        return Problem(status, title, **more)
    _, kind, message, path = values
    refusal: HeronError = kind(message, path)
    return refusal


def install(api: NinjaAPI) -> None:
    """One table from exceptions to answers."""

    @api.exception_handler(Problem)
    def _(request: HttpRequest, error: Problem) -> HttpResponse:
        answer = problem(error.status, error.title, **error.more)
        if "retry_after" in error.more:
            answer["Retry-After"] = str(error.more["retry_after"])
        return answer

    @api.exception_handler(AuthenticationError)
    def _(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "sign in first")

    @api.exception_handler(HeronError)
    def _(request: HttpRequest, error: HeronError) -> HttpResponse:
        return problem(
            422, str(error), errors=[{"path": list(error.path), "message": error.message}]
        )

    @api.exception_handler(RecursionError)
    def _(request: HttpRequest, error: RecursionError) -> HttpResponse:
        return problem(422, "the request is nested too deeply")

    @api.exception_handler(pydantic.ValidationError)
    def _(request: HttpRequest, error: pydantic.ValidationError) -> HttpResponse:
        faults = [{"path": list(e["loc"]), "message": e["msg"]} for e in error.errors()]
        return problem(422, str(faults[0]["message"]), errors=faults)

    @api.exception_handler(ValidationError)
    def _(request: HttpRequest, error: ValidationError) -> HttpResponse:
        faults = [{"path": list(e["loc"]), "message": e["msg"]} for e in error.errors]
        return problem(
            422, str(faults[0]["message"]) if faults else "the request is not valid", errors=faults
        )
