"""Named parameters: evaluated in the order of their dependence, cycles refused with their path."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import chain
from typing import Protocol

from heron.errors import QuantityError
from heron.quantities.expressions import CONSTANTS, Quantity, evaluate, names_in
from heron.quantities.units import describe, unit

Values = dict[str, Quantity]


class ParameterLike(Protocol):
    """What a parameter must offer: a name, an expression and an optional display unit."""

    @property
    def name(self) -> str: ...
    @property
    def expression(self) -> str: ...
    @property
    def unit(self) -> str: ...


def resolve_parameters(
    parameters: Sequence[ParameterLike], overrides: Mapping[str, str] | None = None
) -> tuple[Values, list[QuantityError]]:
    """Values of all parameters that can be evaluated, and an error for each that cannot.

    :param overrides: expressions that replace those of the document (``--set name=expression``).
    :returns: SI quantities by name; errors with the path ``("parameters", index)``.
    """
    overrides = overrides or {}
    errors: list[QuantityError] = []
    index: dict[str, int] = {}
    text: dict[str, str] = {}
    for i, p in enumerate(parameters):
        if p.name in index:
            errors.append(QuantityError(f"“{p.name}” is defined twice", ("parameters", i, "name")))
            continue
        if p.name in CONSTANTS:
            errors.append(
                QuantityError(
                    f"“{p.name}” is a constant of nature; choose another name",
                    ("parameters", i, "name"),
                )
            )
            continue
        index[p.name], text[p.name] = i, overrides.get(p.name, p.expression)
    for name in overrides:
        if name not in index:
            known = ", ".join(index) or "none"
            errors.append(
                QuantityError(f"there is no parameter “{name}” to set; the model has {known}")
            )

    values: Values = {}
    failed: set[str] = set()

    def fail(name: str, message: str) -> None:
        failed.add(name)
        errors.append(QuantityError(message, ("parameters", index[name], "expression")))

    def settle(first: str) -> None:
        """Its value, after those that it needs: not by recursion, as chains may be long."""
        waiting: dict[str, Iterator[str]] = {}
        name: str | None = first
        while name is not None or waiting:
            if name is not None:
                try:
                    waiting[name] = iter(sorted(names_in(text[name]) & index.keys()))
                except QuantityError as error:
                    fail(name, error.message)
            name = None
            if not waiting:
                return
            top, needed = next(reversed(waiting.items()))
            other = next((n for n in needed if n not in values), None)
            if other is None:
                try:
                    values[top] = _checked(text[top], values, parameters[index[top]].unit)
                except QuantityError as error:
                    fail(top, error.message)
            elif other in failed:
                fail(top, f"it needs “{other}”, which has an error")
            elif other in waiting:
                trail = list(waiting)
                path = " → ".join((*trail[trail.index(other) :], other))
                fail(top, f"the parameters depend on each other in a circle: {path}")
            else:
                waiting[top] = chain([other], needed)  # asked again when it is settled
                name = other
                continue
            del waiting[top]

    for name in index:
        if name not in values and name not in failed:
            settle(name)
    return values, errors


def _checked(text: str, values: Values, shown: str) -> Quantity:
    result = evaluate(text, values)
    if shown:
        found = unit(shown)
        if found is None:
            raise QuantityError(f"“{shown}” is not a unit")
        if found[1] != result.dimension and not (result.value == 0):
            raise QuantityError(
                f"“{text}” is {describe(result.dimension)}, but the unit {shown} is of"
                f" {describe(found[1])}"
            )
        if result.value == 0:
            return Quantity(0.0, found[1])
    return result
