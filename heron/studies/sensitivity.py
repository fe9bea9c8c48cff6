"""Sensitivity: derivatives of outcomes by every parameter, with their errors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.model.evaluation import evaluated_step
from heron.studies.contract import Findings, Made, Point, Solver, Trial, at, solved
from heron.studies.variables import Variable, variables_of

STEP = 0.01  # of a variable's value: the larger of two steps
CENT = 0.01
MOST_STEP = 0.2


@dataclass(frozen=True)
class Sensitivity:
    """Central differences of two widths, ``step`` and half of it (shares of each variable's value).

    The derivative is that of Richardson's extrapolation, (4 D(h/2) − D(h))/3; its error the
    difference between it and D(h/2), which covers the larger part of what the solves' own noise
    does as well.
    """

    variables: Sequence[Variable]
    step: float = STEP
    kind: ClassVar[str] = "sensitivity"

    def points(self) -> list[Point]:
        """The model as it is, then for each variable h up, h down, h/2 up, h/2 down.

        :raises HeronError: a variable is zero, so that no share of it is a step.
        """
        nominal = np.array([v.nominal for v in self.variables])
        out = [tuple(nominal)]
        for k, v in enumerate(self.variables):
            if v.nominal == 0:
                raise HeronError(f"“{v.name}” is zero, so that a share of it is no step")
            for share in (1, -1, 0.5, -0.5):
                moved = nominal.copy()
                moved[k] *= 1 + share * self.step
                v.check(float(moved[k]))
                out.append(tuple(moved))
        return [tuple(float(c) for c in p) for p in out]

    def run(self, solve: Solver) -> Findings:
        """:raises HeronError: a variant could not be solved."""
        trials = solved(solve, self.points())
        failed = next((t for t in trials if t.failure), None)
        if failed is not None:
            raise HeronError(f"a variant beside the model could not be solved: {failed.failure}")
        return Findings(trials, self.tell(trials))

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """The derivatives, once all is solved."""
        if len(trials) < 1 + 4 * len(self.variables) or any(t.failure for t in trials):
            return {}
        told = {}
        for name, value in trials[0].outcomes.items():
            if value.number is None:
                continue
            rows = {
                v.name: self._derivative(v, [t.number(name) for t in trials[1 + 4 * k : 5 + 4 * k]])
                for k, v in enumerate(self.variables)
            }
            ranked = sorted(rows, key=lambda n: -abs(rows[n]["per_cent"]))
            told[name] = {
                "unit": value.unit,
                "value": value.number,
                "by": {n: rows[n] for n in ranked},
            }
        return {"sensitivities": told}

    def _derivative(self, variable: Variable, around: Sequence[float]) -> dict[str, Any]:
        """By SI unit of the variable, and what one per cent of it does."""
        h = abs(variable.nominal) * self.step * np.sign(variable.nominal)
        wide, narrow = (around[0] - around[1]) / (2 * h), (around[2] - around[3]) / h
        found = (4 * narrow - wide) / 3
        error = abs(found - narrow)
        cent = CENT * variable.nominal
        return {
            "derivative": float(found),
            "error": float(error),
            "per_cent": float(found * cent),
            "per_cent_error": float(abs(error * cent)),
        }


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a sensitivity study, and where."""
    if not step.parameters:
        raise ModelError("name the parameters that are moved", ("parameters",))
    with at("parameters"):
        variables, values = variables_of(document, step.parameters)
    share = evaluated_step(step, values).step
    if not 0 < share <= MOST_STEP:
        raise ModelError(f"a step is above 0 and at most {MOST_STEP:g}", ("step",))
    study = Sensitivity(variables, share)
    with at("parameters"):
        points = study.points()
    return Made(study, variables, step.outcomes, len(points), alike=True)
