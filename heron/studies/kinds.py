"""Kinds of studies: what makes a study of a step, by the name of the step's kind.

Each kind is a file of this package with a function ``made``, and a step of the same name in
:mod:`heron.steps.studies`.
"""

from __future__ import annotations

import re
from importlib import import_module
from typing import Any

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.problems import Problem
from heron.steps import kinds
from heron.studies.contract import Made, Maker, at
from heron.studies.outcomes import outcome, unknown

READ = ("outcomes", "goals", "specs")  # fields of steps whose texts are read off runs
_WEIGHT = re.compile(r";\s*weight\s.*$")
_makers: dict[str, Maker] = {}


def register(name: str, maker: Maker) -> None:
    """Adds what makes studies of a kind of step that is not of this package."""
    _makers[name] = maker


def made(step: Any, document: Document) -> Made:
    """The study that a step describes.

    :raises ModelError: what is wrong with it, with a path that begins at the step.
    """
    maker: Any = _makers.get(step.kind) or import_module(f"heron.studies.{step.kind}")
    known = [own.name for own in (*document.parameters, *document.frames)]
    for field in READ:
        for k, text in enumerate(getattr(step, field, [])):
            with at(field, k):
                name = unknown(outcome(_WEIGHT.sub("", text)), known)
                if name:
                    raise HeronError(f"“{name}” is neither a quantity of a run nor a parameter")
    with at("plan"):
        document.plan_number(step.plan or None)
    found: Made = maker.made(step, document)
    if not found.outcomes:
        raise ModelError(
            "nothing is read off the variants; name an outcome, such as s11", ("outcomes",)
        )
    return found


def named(document: Document, name: str) -> Any:
    """The step of a study by its name.

    :raises ModelError: there is none.
    """
    own = next((s for s in document.studies if s.name == name), None)
    if own is None:
        known = ", ".join(f"“{s.name}”" for s in document.studies) or "none"
        raise ModelError(f"there is no study “{name}” in the model; there is {known}", ("studies",))
    return own


def problems(document: Document) -> list[Problem]:
    """What is wrong with the studies of a document; its runs are not hindered by it."""
    out = []
    names = [s.name for s in document.studies]
    for k, step in enumerate(document.studies):
        if step.name in names[:k]:
            out.append(
                Problem(
                    "error",
                    "study_name",
                    f"another study is called “{step.name}”; name them differently",
                    path=("studies", k, "name"),
                )
            )
            continue
        try:
            made(step, document)
        except HeronError as error:
            path = ("studies", k, *error.path)
            out.append(Problem("error", "study", error.message, path=path))
    return out


def step_of(kind: str, **fields: Any) -> Any:
    """A study's step from its fields, which are expressions and texts, ``kind`` among them or not.

    :raises pydantic.ValidationError: a field is wrong.
    """
    return kinds("studies")[kind].schema(**fields)
