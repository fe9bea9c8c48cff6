"""The schema of a project's model.

Its chapters hold the kinds of steps that are registered in :mod:`heron.steps`. Every size is an
expression; angles are radians or "30 deg".
"""

from __future__ import annotations

import hashlib
import json
from typing import Annotated, Any, Literal, cast

from pydantic import Field, GetCoreSchemaHandler, ValidationError
from pydantic_core import CoreSchema, core_schema

from heron.errors import ModelError
from heron.model.upgrades import upgraded, written_version
from heron.steps import CHAPTER, changed, kinds
from heron.steps.fields import Step
from heron.steps.plans.plan import Plan
from heron.steps.surround.surround import Surround

VERSION: Literal[3] = 3


class _AnyOf:
    """A step of any kind of a chapter, told apart by its ``kind``."""

    def __init__(self, chapter: str) -> None:
        self.chapter = chapter

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        own = kinds(self.chapter)
        choices = {name: handler.generate_schema(kind.schema) for name, kind in own.items()}
        if len(choices) == 1:
            return next(iter(choices.values()))
        default = CHAPTER[self.chapter].default

        def kind(value: Any) -> Any:
            if isinstance(value, dict):
                return value.get("kind", default) or None
            return getattr(value, "kind", default) or None

        return core_schema.tagged_union_schema(choices, kind)


def _most(chapter: str) -> Any:
    return Field(max_length=CHAPTER[chapter].most)


class Document(Step):
    """One project's model."""

    version: Literal[3] = VERSION
    name: Annotated[str, Field(max_length=120)] = "Untitled"
    notes: Annotated[str, Field(max_length=20000)] = ""
    parameters: Annotated[list[Annotated[Any, _AnyOf("parameters")]], _most("parameters")] = []
    frames: Annotated[list[Annotated[Any, _AnyOf("frames")]], _most("frames")] = []
    parts: Annotated[list[Annotated[Any, _AnyOf("parts")]], _most("parts")] = []
    materials: Annotated[list[Annotated[Any, _AnyOf("materials")]], _most("materials")] = []
    feeds: Annotated[list[Annotated[Any, _AnyOf("feeds")]], _most("feeds")] = []
    loads: Annotated[list[Annotated[Any, _AnyOf("loads")]], _most("loads")] = []
    illuminations: Annotated[
        list[Annotated[Any, _AnyOf("illuminations")]], _most("illuminations")
    ] = []
    surround: Surround = Surround()
    refinements: Annotated[list[Annotated[Any, _AnyOf("refinements")]], _most("refinements")] = []
    captures: Annotated[list[Annotated[Any, _AnyOf("captures")]], _most("captures")] = []
    plans: Annotated[
        list[Annotated[Any, _AnyOf("plans")]],
        Field(min_length=1, max_length=CHAPTER["plans"].most),
    ]
    studies: Annotated[list[Annotated[Any, _AnyOf("studies")]], _most("studies")] = []

    @property
    def plan(self) -> Plan:
        """The plan that is meant where none is named."""
        return cast(Plan, self.plans[0])

    def plan_number(self, name: str | None) -> int:
        """Where the plan of a name stands; the first where none is named.

        :raises ModelError: there is none of that name.
        """
        if name is None:
            return 0
        names = [p.name for p in self.plans]
        if name not in names:
            raise ModelError(f"there is no plan “{name}”; there are {', '.join(names)}", ("plans",))
        return names.index(name)

    def digest(self) -> str:
        """SHA-256 of the canonical JSON without what equals its default: equal documents have equal
        digests, and a field that is added to the schema changes none.
        """
        text = json.dumps(
            self.model_dump(mode="json", exclude_defaults=True, exclude={"version"}),
            sort_keys=True,
            separators=(",", ":"),
            ensure_ascii=False,
        )
        return hashlib.sha256(text.encode()).hexdigest()


def _rebuild() -> None:
    Document.model_rebuild(force=True)


changed.append(_rebuild)


def load_document(data: Any) -> Document:
    """A validated document from JSON text or parsed JSON.

    :raises ModelError: naming the first place that is wrong and how many more there are.
    """
    if isinstance(data, (str, bytes)):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise ModelError(f"this is not JSON: {error}") from error
    if not isinstance(data, dict):
        raise ModelError("a model is a JSON object with parameters, parts, feeds and plans")
    version = written_version(data)
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise ModelError(
            f"the model was written by a newer Odd Heron (format {version}; this one reads up to"
            f" {VERSION}); update first",
            ("version",),
        )
    try:
        return Document.model_validate(upgraded(data))
    except ValidationError as error:
        faults = error.errors(include_url=False, include_input=False)
        raise document_errors(faults)[0] from None


def document_errors(faults: list[Any]) -> list[ModelError]:
    """pydantic's faults as located errors in our words, without the tags of unions in their
    paths.
    """
    out = []
    for fault in faults:
        path = tuple(fault["loc"])
        if len(path) > 2 and path[0] in CHAPTER and path[2] in kinds(str(path[0])):
            path = (*path[:2], *path[3:])
        name = f"“{path[-1]}”" if path else "the model"
        words = {
            "extra_forbidden": (
                f"there is no field {name} here; remove it or look for a slip of the pen"
            ),
            "missing": f"{name} is missing",
        }
        out.append(ModelError(words.get(fault["type"], str(fault["msg"])), path))
    return out
