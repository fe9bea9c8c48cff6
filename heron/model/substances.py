"""The materials of a document: the library's, shadowed by the project's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from heron.errors import HeronError
from heron.materials import LIBRARY, MEDIA, Conductor, Medium
from heron.model.evaluation import Evaluated
from heron.steps import kind_of
from heron.steps.contract import MaterialKind


def conductors_of(model: Evaluated) -> tuple[dict[str, Conductor], list[HeronError]]:
    """Conductors by name, and what is wrong with the project's own."""
    return _of(model, LIBRARY, "conductor")


def media_of(model: Evaluated) -> tuple[dict[str, Medium], list[HeronError]]:
    """Media by name, and what is wrong with the project's own."""
    return _of(model, MEDIA, "medium")


def _of(
    model: Evaluated, library: Mapping[str, Any], wanted: str
) -> tuple[dict[str, Any], list[HeronError]]:
    """The library's substances of a sort, shadowed by the project's own."""
    known = dict(library)
    errors: list[HeronError] = []
    for i, step in enumerate(model.materials):
        if step is None:
            continue
        known.pop(step.name, None)
        kind = kind_of("materials", step.kind)
        if not isinstance(kind, MaterialKind) or kind.makes != wanted:
            continue
        try:
            known[step.name] = kind.substance(step)
        except HeronError as error:
            errors.append(error.within("materials", i))
    return known, errors


def conducting(model: Evaluated, name: str) -> bool:
    """Whether a material is a conductor rather than a medium."""
    return name in conductors_of(model)[0]
