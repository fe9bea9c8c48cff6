"""What studies vary: parameters of the model, and the values that are written for them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from heron.errors import HeronError, QuantityError
from heron.model import Document
from heron.quantities import Quantity, Values, engineering, evaluate, resolve_parameters
from heron.quantities.units import NONE, Dimension, describe, si_symbol
from heron.studies.contract import Floats

MOST_VARIANTS = 20_000
SLACK = 1e-9  # of a limit: what rounding does


@dataclass(frozen=True)
class Variable:
    """A parameter that is varied: its value in the model, SI, and the limits it has there."""

    name: str
    dimension: Dimension
    nominal: float
    low: float | None = None
    high: float | None = None

    @property
    def unit(self) -> str:
        """Its SI unit."""
        return si_symbol(self.dimension)

    def text(self, value: float) -> str:
        """A value as an expression."""
        return f"{value:.15g} {self.unit}".strip()

    def value(self, text: str, values: Values) -> float:
        """What an expression says it should be, SI.

        :raises HeronError: it is of another dimension, or beyond the limits in the model.
        """
        try:
            found = evaluate(text, values)
        except QuantityError as error:
            raise HeronError(f"{self.name}: {error.message}") from error
        if found.dimension != self.dimension and found.value != 0:
            hint = f"; write it with its unit, as {text} mm" if found.dimension == NONE else ""
            raise HeronError(
                f"“{self.name}” is {describe(self.dimension)}, “{text}” is"
                f" {describe(found.dimension)}{hint}"
            )
        self.check(found.value)
        return found.value

    def check(self, value: float) -> None:
        """:raises HeronError: a value is beyond the limits in the model."""
        for limit, beyond, word in (
            (self.low, self.low is not None and value < self.low - SLACK * abs(self.low), "least"),
            (
                self.high,
                self.high is not None and value > self.high + SLACK * abs(self.high),
                "most",
            ),
        ):
            if beyond and limit is not None:
                raise HeronError(
                    f"“{self.name}” is {engineering(limit, self.unit)} at {word} in the model, not"
                    f" {engineering(value, self.unit)}; change its limits there or the range here"
                )


def variables_of(document: Document, names: Sequence[str]) -> tuple[list[Variable], Values]:
    """Parameters of a model that are to be varied, and the values of all.

    :raises HeronError: one is not there, is named twice, or follows from another that is varied.
    """
    values, errors = resolve_parameters(document.parameters)
    by_name = {p.name: p for p in document.parameters}
    out = []
    for name in names:
        if names.count(name) > 1:
            raise HeronError(f"“{name}” is varied twice; give all its values at once")
        if name not in by_name:
            known = ", ".join(by_name) or "none"
            raise HeronError(f"there is no parameter “{name}” to vary; the model has {known}")
        if name not in values:
            reason = next((e.message for e in errors if name in e.message), "it has no value")
            raise HeronError(f"“{name}” cannot be varied: {reason}")
        step = by_name[name]
        low, high = (
            evaluate(limit, values).value if limit.strip() else None
            for limit in (step.low, step.high)
        )
        own: Quantity = values[name]
        out.append(Variable(name, own.dimension, own.value, low, high))
    return out, values


def split(text: str, what: str) -> tuple[str, str]:
    """Name and the rest of ``name=…``.

    :raises HeronError: it is no such thing.
    """
    name, equals, rest = text.partition("=")
    if not equals or not name.strip() or not rest.strip():
        raise HeronError(f"{what}, not “{text}”")
    return name.strip(), rest.strip()


def stepped(text: str, variable: Variable, values: Values) -> list[float]:
    """The values of ``start:stop:count``, with ``:log`` behind it in equal ratios, or of a list
    ``v1,v2,…``; SI.

    :raises HeronError: what is wrong with it.
    """
    parts = [p.strip() for p in text.split(":")]
    if len(parts) == 1:
        return [variable.value(v, values) for v in _listed(text)]
    spaced = parts.pop() if parts[-1] in ("log", "linear") else "linear"
    if len(parts) != 3 or not parts[2].isdigit():
        raise HeronError(
            f"“{text}” is no range of “{variable.name}”; write start:stop:count, or values with"
            " commas between"
        )
    start, stop = (variable.value(p, values) for p in parts[:2])
    count = int(parts[2])
    if not 1 <= count <= MOST_VARIANTS:
        raise HeronError(
            f"“{variable.name}” has {count} steps; from 1 to {MOST_VARIANTS} are taken"
        )
    if spaced == "log":
        if start * stop <= 0:
            raise HeronError(
                f"steps of equal ratios need two values of “{variable.name}” of one sign, neither 0"
            )
        return [float(v) for v in np.geomspace(start, stop, count)]
    return [float(v) for v in np.linspace(start, stop, count)]


def _listed(text: str) -> Iterable[str]:
    """What stands between commas that are not within brackets."""
    depth, own = 0, ""
    for letter in text:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "," and depth == 0:
            yield own
            own = ""
        else:
            own += letter
    yield own


def combined(lists: Sequence[Sequence[Any]], side_by_side: bool = False) -> list[tuple[Any, ...]]:
    """All combinations of values of several variables, the last changing first; or the first values
    of all, then the second ones.

    :raises HeronError: there are too many, or lists side by side differ in length.
    """
    if side_by_side:
        if len({len(v) for v in lists}) > 1:
            counts = ", ".join(str(len(v)) for v in lists)
            raise HeronError(f"values side by side must be as many of each; there are {counts}")
        return list(zip(*lists, strict=True))
    count = int(np.prod([len(v) for v in lists], dtype=object))
    if count > MOST_VARIANTS:
        said, most = (f"{c:,}".replace(",", " ") for c in (count, MOST_VARIANTS))
        raise HeronError(
            f"these are {said} variants; up to {most} are taken: fewer steps, or values side by"
            " side"
        )
    return list(product(*lists))


def box(variables: Sequence[Variable], ranges: Sequence[tuple[float, float]]) -> Floats:
    """Ranges (n, 2) of variables.

    :raises HeronError: one is empty.
    """
    for v, (low, high) in zip(variables, ranges, strict=True):
        if not low < high:
            raise HeronError(f"the range of “{v.name}” is empty; write the lower end first")
    return np.array(ranges, dtype=float)
