"""What studies vary: parameters of the model, and the values that are written for them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from heron.errors import HeronError, QuantityError
from heron.jobs import Variant
from heron.materials import LIBRARY, MEDIA
from heron.model import Document
from heron.quantities import Quantity, Values, engineering, evaluate, resolve_parameters
from heron.quantities.units import NONE, Dimension, describe, si_symbol
from heron.studies.contract import Point

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

    def shown(self, value: float) -> float:
        """A value as tables have it."""
        return value

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


@dataclass(frozen=True)
class Choice:
    """Something of the model that is one of some ``options``: ``plan`` by its name, a ``part``
    present or absent, or the ``material`` of a part. Its values are the places of options.
    """

    name: str
    of: str
    options: tuple[str, ...]
    part: str = ""
    nominal: float = 0.0
    unit: str = ""

    def shown(self, value: float) -> str:
        """A value as tables have it."""
        return self.options[round(value)]

    def check(self, value: float) -> None:
        """Every option may be taken."""


PRESENT, ABSENT = "present", "absent"


def choice_of(document: Document, name: str, text: str) -> Choice | None:
    """What words such as ``present or absent`` choose from; ``None`` where the name is that of a
    parameter, or of nothing.

    :raises HeronError: there is no such option.
    """
    if any(p.name == name for p in document.parameters):
        return None
    parts = {p.name for p in document.parts}
    options = tuple(listed(text))
    part = name.removesuffix(" material")
    if name == "plan":
        of, known = "plan", [p.name for p in document.plans]
    elif name in parts:
        of, known = "part", [PRESENT, ABSENT]
    elif part != name and part in parts:
        of, known = "material", [*(m.name for m in document.materials), *LIBRARY, *MEDIA]
    else:
        return None
    for option in options:
        if option not in known:
            raise HeronError(f"“{option}” is no choice of {name}; there are {', '.join(known)}")
    return Choice(name, of, options, part)


def variant_of(
    variables: Sequence[Variable | Choice], point: Point, plan: str | None = None
) -> Variant:
    """The variant of a model that values of variables are."""
    overrides: dict[str, str] = {}
    parts: dict[str, set[str]] = {PRESENT: set(), ABSENT: set()}
    materials: dict[str, str] = {}
    for v, value in zip(variables, point, strict=True):
        if isinstance(v, Variable):
            overrides[v.name] = v.text(value)
        elif v.of == "plan":
            plan = v.shown(value)
        elif v.of == "material":
            materials[v.part] = v.shown(value)
        else:
            parts[v.shown(value)].add(v.part)
    return Variant(
        overrides,
        plan,
        frozenset(parts[ABSENT]),
        materials=materials,
        held=True,
        present=frozenset(parts[PRESENT]),
    )


def with_variant(
    document: Document, variables: Sequence[Variable | Choice], point: Point
) -> Document:
    """A document whose sheet says what a variant was solved for; which plan it was is no matter of
    the sheet.
    """
    variant = variant_of(variables, point)
    there = {
        v.part: v.shown(c) == PRESENT
        for v, c in zip(variables, point, strict=True)
        if isinstance(v, Choice) and v.of == "part"
    }
    parameters = [
        p.model_copy(update={"expression": _handy(variant.overrides[p.name])})
        if p.name in variant.overrides
        else p
        for p in document.parameters
    ]
    parts = []
    for part in document.parts:
        changes: dict[str, Any] = {}
        if part.name in there:
            changes["suspended"] = not there[part.name]
        if part.name in variant.materials:
            changes["material"] = variant.materials[part.name]
        parts.append(part.model_copy(update=changes))
    return document.model_copy(update={"parameters": parameters, "parts": parts})


_HANDY = {"m": (1e3, "mm"), "Hz": (1e-6, "MHz")}


def _handy(text: str) -> str:
    """A value in SI as somebody would write it: lengths in mm, frequencies in MHz, to nine
    digits.
    """
    number, _, unit = text.partition(" ")
    factor, shown = _HANDY.get(unit, (1.0, unit))
    return f"{float(number) * factor:.9g} {shown}".strip()


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


_RANGE = re.compile(
    r"^(?:from\s+)?(.+?)\s+to\s+(.+?)\s+in\s+(\d+)\s+steps?(\s+of\s+equal\s+ratios?)?$"
)
_ENDS = re.compile(r"^(?:from\s+)?(.+?)\s+to\s+(.+)$")


def stepped(text: str, variable: Variable, values: Values) -> list[float]:
    """Values as they are written, “1 mm to 2 mm in 5 steps”, “of equal ratios” behind it or not, or
    “1 mm or 2 mm”; SI. ``values`` are those of the parameters that they are formulas of.

    :raises HeronError: what is wrong with them.
    """
    m = _RANGE.match(text.strip())
    if m is None:
        if _ENDS.match(text.strip()):
            raise HeronError(
                f"“{text}” does not say in how many steps; write “{text} in 5 steps”, or values"
                " with “or” between"
            )
        return [variable.value(v, values) for v in listed(text)]
    start, stop = (variable.value(p, values) for p in m.groups()[:2])
    count = int(m[3])
    if not 1 <= count <= MOST_VARIANTS:
        raise HeronError(
            f"“{variable.name}” has {count} steps; from 1 to {MOST_VARIANTS} are taken"
        )
    if not m[4]:
        return [float(v) for v in np.linspace(start, stop, count)]
    if start * stop <= 0:
        raise HeronError(
            f"steps of equal ratios need two values of “{variable.name}” of one sign, neither 0"
        )
    return [float(v) for v in np.geomspace(start, stop, count)]


def listed(text: str) -> list[str]:
    """What stands between “or”."""
    return [t.strip() for t in re.split(r"\s+or\s+", text.strip())]


def ends(text: str, variable: Variable, values: Values) -> tuple[float, float]:
    """A range, “1 mm to 2 mm”, SI.

    :raises HeronError: what is wrong with it.
    """
    m = _ENDS.match(text.strip())
    if m is None:
        raise HeronError(f"“{text}” is no range of “{variable.name}”; write 1 mm to 2 mm")
    low, high = (variable.value(p, values) for p in m.groups())
    if not low < high:
        raise HeronError(f"the range of “{variable.name}” is empty; write the lower end first")
    return low, high


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
