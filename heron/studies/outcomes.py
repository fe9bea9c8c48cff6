"""What is read off each variant: ``s11``, ``db20(s11) at 868 MHz``, ``largest realized_gain``,
``f where abs(s11) is smallest``, or a spec line, of which the margin counts.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np

from heron.errors import HeronError, QuantityError
from heron.quantities import names_in
from heron.quantities.expressions import CONSTANTS, FREQUENCY, evaluate
from heron.results import specs
from heron.results.capabilities import CAPABILITIES
from heron.results.formulas import Curves
from heron.studies.contract import Floats, Value

_WHERE = re.compile(r"^(.+?)\s+where\s+(.+?)\s+is\s+(smallest|largest|zero)$")
_AT = re.compile(r"^(.+?)\s+at\s+([\d.].*)$")
_EXTREME = re.compile(r"^(smallest|largest|mean)\s+(.+?)(?:\s+from\s+(.+?)\s+to\s+(.+))?$")


@dataclass(frozen=True)
class Outcome:
    """Something to be read off every variant, by the words it was asked for in."""

    text: str
    read: Callable[[Curves], Value]
    formulas: tuple[str, ...]

    def __call__(self, quantities: Curves) -> Value:
        """:raises QuantityError: the run says nothing of it."""
        return self.read(quantities)


def outcome(text: str) -> Outcome:
    """What words ask for.

    :raises HeronError: they cannot be read.
    """
    text = text.strip()
    if re.search(r"[<>≤≥]", text):
        spec = specs.read(text)

        def margin(q: Curves) -> Value:
            found = specs.judge(spec, q)
            if found.margin is None:
                raise QuantityError(found.reason)
            return Value(spec.unit, found.margin)

        return Outcome(text, margin, (spec.formula,))
    if m := _WHERE.match(text):
        return Outcome(text, _where(_formula(m[1]), _formula(m[2]), m[3]), m.groups()[:2])
    if m := _EXTREME.match(text):
        band = (_frequency(m[3]), _frequency(m[4])) if m[3] else None
        return Outcome(text, _extreme(m[1], _formula(m[2]), band), (m[2],))
    if m := _AT.match(text):
        return Outcome(text, _at(_formula(m[1]), _frequency(m[2])), (m[1],))
    return Outcome(text, _curve(_formula(text)), (text,))


def unknown(found: Outcome, known: Collection[str]) -> str:
    """The first name that no run has, nor the model among those that are ``known``; empty if there
    is none.
    """
    other = {"f", "frequency", *known, *CONSTANTS}
    used = sorted({n for formula in found.formulas for n in names_in(formula)} - other)
    return next(
        (
            name
            for name in used
            if not name.endswith("_error") and not any(c.knows(name) for c in CAPABILITIES.values())
        ),
        "",
    )


def _formula(text: str) -> str:
    try:
        names_in(text)
    except QuantityError as error:
        raise HeronError(f"“{text}” is no formula: {error.message}") from error
    return text


def _frequency(text: str) -> float:
    try:
        return evaluate(text, {}, FREQUENCY).value
    except QuantityError as error:
        raise HeronError(f"“{text}” is no frequency: {error.message}") from error


def _curve(formula: str) -> Callable[[Curves], Value]:
    def read(q: Curves) -> Value:
        found = q.curve(formula)
        return Value(found.unit, x=q.frequency, y=np.asarray(found.values))

    return read


def _real(q: Curves, formula: str) -> tuple[Floats, Floats, str]:
    """Frequencies and values where there are any; of complex ones the magnitude."""
    found = q.curve(formula)
    values = np.asarray(found.values)
    y = np.abs(values) if np.iscomplexobj(values) else values.astype(float)
    there = np.isfinite(y)
    if not there.any():
        raise QuantityError(f"the run has no values of {formula}")
    return q.frequency[there], y[there], found.unit


def _at(formula: str, frequency: float) -> Callable[[Curves], Value]:
    def read(q: Curves) -> Value:
        x, y, unit = _real(q, formula)
        slack = 1e-9 * frequency
        if not x[0] - slack <= frequency <= x[-1] + slack:
            raise QuantityError(
                f"the run covers {x[0] / 1e6:.6g} to {x[-1] / 1e6:.6g} MHz, not"
                f" {frequency / 1e6:.6g} MHz"
            )
        return Value(unit, float(np.interp(frequency, x, y)))

    return read


def _extreme(
    which: str, formula: str, band: tuple[float, float] | None
) -> Callable[[Curves], Value]:
    def read(q: Curves) -> Value:
        x, y, unit = _real(q, formula)
        if band is not None:
            low, high = band
            inside = np.unique(np.concatenate(([low], x[(x > low) & (x < high)], [high])))
            x, y = inside, np.interp(inside, x, y)
        take = {"smallest": np.min, "largest": np.max}.get(which)
        mean = float(np.trapezoid(y, x) / (x[-1] - x[0])) if len(x) > 1 else float(y[0])
        return Value(unit, mean if take is None else float(take(y)))

    return read


def _where(formula: str, other: str, which: str) -> Callable[[Curves], Value]:
    """A value where another curve is smallest, largest (by the parabola through the sample and its
    neighbours) or zero (along the straight line between samples; where it rises, if it does).
    """

    def read(q: Curves) -> Value:
        x, y, _ = _real(q, other)
        place = _zero(x, y, other) if which == "zero" else _top(x, y if which == "largest" else -y)
        if formula == "f":
            return Value("Hz", place)
        return _at(formula, place)(q)

    return read


def _zero(x: Floats, y: Floats, name: str) -> float:
    crossing = np.flatnonzero(np.diff(np.signbit(y)))
    if len(crossing) == 0:
        raise QuantityError(f"{name} is nowhere zero")
    rising = crossing[y[crossing + 1] > y[crossing]]
    k = int((rising if len(rising) else crossing)[0])
    return float(x[k] - y[k] * (x[k + 1] - x[k]) / (y[k + 1] - y[k]))


def _top(x: Floats, y: Floats) -> float:
    k = int(np.argmax(y))
    if k in (0, len(y) - 1):
        return float(x[k])
    a, b, _ = np.polyfit(x[k - 1 : k + 2] - x[k], y[k - 1 : k + 2], 2)
    return float(x[k] - b / (2 * a)) if a < 0 else float(x[k])
