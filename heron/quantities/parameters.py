"""Named parameters: evaluated in the order of their dependence, cycles refused with their path."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
    state: dict[str, str] = {}

    def visit(name: str, trail: tuple[str, ...]) -> None:
        if state.get(name) in ("done", "failed"):
            return
        if name in trail:
            path = " → ".join((*trail[trail.index(name) :], name))
            raise QuantityError(f"the parameters depend on each other in a circle: {path}")
        i = index[name]
        try:
            for other in sorted(names_in(text[name]) & index.keys()):
                visit(other, (*trail, name))
                if state.get(other) == "failed":
                    raise QuantityError(f"it needs “{other}”, which has an error")
            values[name] = _checked(text[name], values, parameters[i].unit)
            state[name] = "done"
        except QuantityError as error:
            state[name] = "failed"
            errors.append(QuantityError(error.message, ("parameters", i, "expression")))
            if "circle" in error.message:
                for member in trail:
                    state.setdefault(member, "open")

    for name in index:
        visit(name, ())
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
