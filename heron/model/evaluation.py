"""Expressions to SI floats, for a whole document at once, collecting every fault with its path."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import SimpleNamespace
from typing import Annotated, Any, get_args, get_origin

from heron.errors import HeronError, QuantityError
from heron.model.document import Document
from heron.model.implied import Path, with_implied
from heron.quantities import Quantity, Values, evaluate, names_in, resolve_parameters
from heron.quantities.units import Dimension
from heron.steps.contract import CHAPTERS
from heron.steps.fields import ByName, Of, OfT, Step


@dataclass
class Evaluated:
    """A document with all expressions as SI floats.

    ``parts`` and the other chapters hold namespaces with the fields of the schema; a step that
    cannot be evaluated is ``None`` in its place and explained in ``errors``. ``empty`` asks for a
    solve of the same space without its parts. Parts that feeds imply are behind those of the sheet;
    ``origins`` has the paths of those feeds by the numbers of their parts.
    """

    document: Document
    values: Values
    errors: list[HeronError] = field(default_factory=list)
    frames: list[Any] = field(default_factory=list)
    parts: list[Any] = field(default_factory=list)
    materials: list[Any] = field(default_factory=list)
    feeds: list[Any] = field(default_factory=list)
    loads: list[Any] = field(default_factory=list)
    illuminations: list[Any] = field(default_factory=list)
    refinements: list[Any] = field(default_factory=list)
    captures: list[Any] = field(default_factory=list)
    plans: list[Any] = field(default_factory=list)
    surround: Any = None
    plan_number: int = 0
    empty: bool = False
    origins: dict[int, Path] = field(default_factory=dict)

    @property
    def plan(self) -> Any:
        """The plan that is solved by, ``None`` if it cannot be evaluated."""
        return self.plans[self.plan_number] if self.plans else None


def evaluate_document(
    document: Document, overrides: Mapping[str, str] | None = None, plan: str | None = None
) -> Evaluated:
    """All values of a document; ``overrides`` replaces parameter expressions by name, ``plan``
    names the one to solve by.

    :raises ModelError: there is no plan of that name.
    """
    values, parameter_errors = resolve_parameters(document.parameters, overrides)
    document, origins = with_implied(document)
    result = Evaluated(document, values, list(parameter_errors), origins=origins)
    result.plan_number = document.plan_number(plan)
    for chapter in CHAPTERS:
        if chapter.key in ("parameters", "studies"):
            continue
        steps = getattr(document, chapter.key)
        found: Any = (
            [_step(s, values, (chapter.key, i), result.errors) for i, s in enumerate(steps)]
            if chapter.many
            else _step(steps, values, (chapter.key,), result.errors)
        )
        setattr(result, chapter.key, found)
    return result


def evaluated_step(step: Step, values: Values) -> Any:
    """One step with its expressions as SI floats; paths of errors begin at the step.

    :raises HeronError: the first that cannot be evaluated.
    """
    errors: list[HeronError] = []
    found = _fields(step, values, (), errors)
    if errors:
        raise errors[0]
    return found


def _step(step: Step, values: Values, path: tuple[str | int, ...], errors: list[HeronError]) -> Any:
    found: list[HeronError] = []
    out = _fields(step, values, path, found)
    errors.extend(found)
    return None if found else out


def _fields(
    step: Step, values: Values, path: tuple[str | int, ...], errors: list[HeronError]
) -> SimpleNamespace:
    out = {}
    for name, info in type(step).model_fields.items():
        annotation = (
            Annotated[info.annotation, *info.metadata] if info.metadata else info.annotation
        )
        out[name] = _value(annotation, getattr(step, name), values, (*path, name), errors)
    return SimpleNamespace(**out)


def _value(
    annotation: Any, raw: Any, values: Values, path: tuple[str | int, ...], errors: list[HeronError]
) -> Any:
    """The SI value of one field; lists and tuples member by member, plain fields unchanged."""
    if raw is None:
        return None
    dimension = next(
        (m.dimension for m in getattr(annotation, "__metadata__", ()) if isinstance(m, Of)), None
    )
    if dimension is not None:
        try:
            return evaluate(raw, values, dimension).value
        except QuantityError as error:
            errors.append(QuantityError(error.message, path))
            return None
    by_name = next(
        (m for m in getattr(annotation, "__metadata__", ()) if isinstance(m, ByName)), None
    )
    if by_name is not None:
        return SimpleNamespace(
            **{
                name: _fields(raw.get(name) or schema(), values, (*path, name), errors)
                for name, schema in by_name.schemas().items()
            }
        )
    curve = next(
        (m.dimension for m in getattr(annotation, "__metadata__", ()) if isinstance(m, OfT)), None
    )
    if curve is not None:
        return Curve(raw, values, curve)
    while get_origin(annotation) is Annotated:
        annotation = get_args(annotation)[0]
    members = get_args(annotation)
    if type(None) in members:
        return _value(next(m for m in members if m is not type(None)), raw, values, path, errors)
    if isinstance(raw, tuple) and members:
        return tuple(
            _value(a, v, values, (*path, i), errors)
            for i, (a, v) in enumerate(zip(members, raw, strict=True))
        )
    if isinstance(raw, list) and members:
        return [_value(members[0], v, values, (*path, i), errors) for i, v in enumerate(raw)]
    if isinstance(raw, Step):
        return _fields(raw, values, path, errors)
    return raw


class Curve:
    """A formula as a function of the plain number ``t``; its ``repr`` holds all that its values
    depend on.

    Calling it raises :class:`QuantityError` without a path: whoever calls knows the place.
    """

    def __init__(self, raw: str, values: Values, dimension: Dimension) -> None:
        self.raw, self.values, self.dimension = raw, values, dimension

    def __call__(self, t: float) -> float:
        return evaluate(self.raw, {**self.values, "t": Quantity(t)}, self.dimension).value

    def __repr__(self) -> str:
        used = sorted((n, self.values[n].value) for n in names_in(self.raw) if n in self.values)
        return f"{self.raw} with {used}"
