"""Runs and reference curves as sources of named quantities."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from django.http import HttpRequest

from heron.errors import HeronError
from heron.formats import curves
from heron.results import specs
from heron.results.formulas import Given, Quantities
from server.looking.pool import ask
from server.projects.permissions import get_project
from server.readouts.actions import get_reference
from server.readouts.models import ReferenceCurve
from server.runs.actions import results_of
from server.runs.models import Run
from server.runs.quantities import of_run


def of_reference(found: ReferenceCurve) -> Given:
    """Those of a reference curve.

    :raises HeronError: it is over angle.
    """
    r = parsed(found)
    if r.axis != "frequency":
        raise HeronError(f"“{found.name}” is a curve over angle")
    return Given(r.x, r.named, r.phased)


def parsed(found: ReferenceCurve) -> curves.Reference:
    """A reference curve as its columns; its text does not change, so they are kept."""
    return _parsed(found.id, found.project_id)


@lru_cache(maxsize=64)
def _parsed(reference: int, project: int) -> curves.Reference:
    # a long text takes long to read
    read: curves.Reference = ask(-reference, project, "reference_of", reference)
    return read


def source(request: HttpRequest, project_id: int, name: str) -> Quantities | Given:
    """ "run 3" or "reference 2" of a project.

    :raises HeronError: another name.
    """
    kind, _, number = name.partition(" ")
    if kind not in ("run", "reference") or not number.isdecimal():
        raise HeronError(f"a source of curves is “run 3” or “reference 2”, not “{name}”")
    if kind == "run":
        return of_run(results_of(request, project_id, int(number)).id)
    return of_reference(get_reference(request, project_id, int(number)))


@lru_cache(maxsize=20_000)
def verdict(run_id: int, text: str) -> specs.Verdict:
    """Whether a run keeps a spec line; ``text`` must be readable."""
    return specs.judge(specs.read(text), of_run(run_id))


def verdicts(request: HttpRequest, project_id: int, texts: list[str]) -> list[dict[str, Any]]:
    """Each line as understood, or what is wrong with it, and how every run with results keeps
    it.
    """
    runs = [
        r
        for r in get_project(request, project_id).runs.filter(study=None).defer("live", "forecast")
        if r.has_results
    ]
    return [_line(text, runs) for text in texts]


def _line(text: str, runs: list[Run]) -> dict[str, Any]:
    try:
        spec = specs.read(text)
    except HeronError as error:
        return {"text": text, "error": error.message, "spec": None, "verdicts": {}}
    shown = {
        "formula": spec.formula,
        "above": spec.above,
        "limit": spec.limit,
        "unit": spec.unit,
        "level": spec.level,
        "low_hz": spec.low,
        "high_hz": spec.high,
    }
    found = {r.number: verdict(r.id, text) for r in runs}
    return {
        "text": text,
        "error": "",
        "spec": shown,
        "verdicts": {
            str(n): {
                "passed": v.passed,
                "worst": v.worst,
                "frequency_hz": v.frequency,
                "margin": v.margin,
                "reason": v.reason,
            }
            for n, v in found.items()
        },
    }
