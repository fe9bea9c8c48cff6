"""Constraints between parameters: ``inset < L / 2``."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from heron.errors import HeronError, QuantityError
from heron.model import Document
from heron.quantities import evaluate, resolve_parameters
from heron.quantities.units import describe
from heron.studies.contract import Point
from heron.studies.variables import Variable

_RELATION = re.compile(r"(<=|>=|<|>|≤|≥)")


def constraint(
    text: str, document: Document, variables: Sequence[Variable]
) -> Callable[[Point], float]:
    """A function of values of the variables that is not below zero where a constraint holds; other
    parameters follow as in the model.

    :raises HeronError: it cannot be read, or compares what cannot be compared.
    """
    parts = _RELATION.split(text)
    if len(parts) != 3:
        raise HeronError(f"“{text}” is no constraint; write one such as inset < L / 2")
    first, relation, second = parts
    sign = -1.0 if relation in ("<", "<=", "≤") else 1.0

    def room(point: Point) -> float:
        overrides = {v.name: v.text(c) for v, c in zip(variables, point, strict=True)}
        values, errors = resolve_parameters(document.parameters, overrides)
        if errors:
            return -1.0
        a, b = (evaluate(side, values) for side in (first, second))
        if a.dimension != b.dimension and a.value != 0 and b.value != 0:
            raise HeronError(
                f"“{text}” compares {describe(a.dimension)} with {describe(b.dimension)}"
            )
        return sign * (a.value - b.value) / max(abs(a.value), abs(b.value), 1e-30)

    try:
        room(tuple(v.nominal for v in variables))
    except QuantityError as error:
        raise HeronError(f"“{text}”: {error.message}") from error
    return room
