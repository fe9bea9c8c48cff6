"""Outcomes at points that are not solved, by surrogates of the variants that are.

What follows from S-parameters is worked out of their predicted curves, as these are even where a
lowest or worst value is not; of everything else the number itself is predicted.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from heron.errors import HeronError, QuantityError
from heron.quantities import names_in
from heron.quantities.expressions import CONSTANTS
from heron.results.capabilities.ports import PORT_QUANTITY
from heron.results.formulas import Given
from heron.studies.contract import Floats, Point, Trial, Value
from heron.studies.outcomes import Outcome
from heron.studies.surrogate import Surrogate, surrogate


def scattering(outcome: Outcome) -> list[str]:
    """The S-parameters that an outcome follows from; none where it takes anything else."""
    names = {n for formula in outcome.formulas for n in names_in(formula)}
    found = [_scattering(n) for n in sorted(names - {"f", "frequency", *CONSTANTS})]
    return [] if not all(found) else list(dict.fromkeys(found))


def _scattering(name: str) -> str:
    """The S-parameter that a quantity of a port follows from, without its reference impedance."""
    found = PORT_QUANTITY.match(name)
    if found is None:
        return ""
    kind, *numbers = (g for g in found.groups() if g is not None)
    if kind == "s":
        return name
    own = numbers[0] or "1"
    return f"s{own}{own}" if kind in ("vswr", "return_loss") and len(own) == 1 else ""


class Predicted:
    """Predicts ``outcomes`` from solved trials; those that failed say nothing."""

    def __init__(self, outcomes: Sequence[Outcome], trials: Sequence[Trial]) -> None:
        """:raises HeronError: too few trials were solved, or a variable has one value only."""
        self.outcomes = outcomes
        self._good = [t for t in trials if not t.failure]
        self._points = np.array([t.point for t in self._good], dtype=float)
        self._curves: dict[str, tuple[Floats, Surrogate]] = {}
        self._numbers: dict[str, Surrogate] = {}
        self._of: dict[str, list[str]] = {}
        for own in outcomes:
            names = scattering(own)
            if names and all(self._read(name) for name in names):
                self._of[own.text] = names
                continue
            values = np.array([[t.outcomes[own.text].number] for t in self._good], dtype=float)
            if np.isnan(values).any():
                raise HeronError(f"{own.text} is a curve; a number can be predicted, such as at f")
            self._numbers[own.text] = surrogate(self._points, values)

    def _read(self, name: str) -> bool:
        """Whether all trials have that curve over the same frequencies; makes its surrogate."""
        if name in self._curves:
            return True
        curves = [t.outcomes.get(name) for t in self._good]
        x = curves[0].x if curves and curves[0] is not None else None
        y = [c.y for c in curves if c is not None and c.y is not None and _same(c.x, x)]
        if x is None or len(y) < len(curves):
            return False
        self._curves[name] = x, surrogate(self._points, np.array(y), x)
        return True

    def __call__(self, points: Sequence[Point]) -> list[Mapping[str, Value]]:
        """Outcomes by their texts at points; not a number where the curves have none."""
        at = np.array(points, dtype=float)
        curves = {name: own(at)[0] for name, (_, own) in self._curves.items()}
        return self._outcomes(curves, {t: own(at)[0] for t, own in self._numbers.items()})

    def alone(self) -> list[Mapping[str, Value]]:
        """Outcomes of each solved trial as the others predict them."""
        curves = {name: own.alone for name, (_, own) in self._curves.items()}
        return self._outcomes(curves, {t: own.alone for t, own in self._numbers.items()})

    def _outcomes(
        self, curves: Mapping[str, Floats], numbers: Mapping[str, Floats]
    ) -> list[Mapping[str, Value]]:
        count = len(next(iter([*curves.values(), *numbers.values()]), ()))
        units = {t: v.unit for t, v in self._good[0].outcomes.items()}
        out: list[Mapping[str, Value]] = []
        for k in range(count):
            own: dict[str, Value] = {}
            for outcome in self.outcomes:
                text = outcome.text
                if text in numbers:
                    own[text] = Value(units[text], float(numbers[text][k, 0]))
                    continue
                names = self._of[text]
                given = Given(
                    self._curves[names[0]][0],
                    {name: curves[name][k] for name in names},
                    dict.fromkeys(names, True),
                )
                try:
                    own[text] = outcome(given)
                except QuantityError:
                    own[text] = Value(units[text], float("nan"))
            out.append(own)
        return out


def _same(a: Floats | None, b: Floats | None) -> bool:
    return a is not None and b is not None and np.array_equal(a, b)
