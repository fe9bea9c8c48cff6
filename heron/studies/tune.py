"""Tuning: variants that come nearer to goals, which are spec lines with weights."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, get_args

import numpy as np

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.model.evaluation import evaluated_step
from heron.problems import whole
from heron.results import specs
from heron.studies.constraints import constraint
from heron.studies.contract import Findings, Floats, Made, Point, Solver, Trial, at
from heron.studies.minimise import FAILED, Values, led, minimise, spread_over
from heron.studies.minimise import Method as Blind
from heron.studies.outcomes import outcome
from heron.studies.predicted import Predicted, scattering
from heron.studies.variables import MOST_VARIANTS, Variable, ends, variables_of

_WEIGHT = re.compile(r"^(.*?);\s*weight\s+([\d.]+)\s*$")
Method = Blind | Literal["surrogate"]
METHODS = (*get_args(Blind), "surrogate")
TENTHS = 10.0  # a tenth of a limit that is not in dB counts as 1 dB
Allowed = Callable[[Point], float]  # not below zero where a constraint holds


@dataclass(frozen=True)
class Goal:
    """A spec line to be met, and how much it counts."""

    spec: specs.Spec
    weight: float = 1.0

    @property
    def text(self) -> str:
        return self.spec.text

    def shortfall(self, margin: float) -> float:
        """How far from being met: in dB, or in tenths of the limit; 0 when it is."""
        if self.spec.level:
            return max(0.0, -margin)
        return max(0.0, -margin) * TENTHS / max(abs(self.spec.limit), 1e-30)


def goal(text: str) -> Goal:
    """A goal from its words: a spec line, with “; weight 2” behind it where it counts more.

    :raises HeronError: it cannot be read.
    """
    m = _WEIGHT.match(text)
    weight = float(m[2]) if m else 1.0
    if weight <= 0:
        raise HeronError(f"a goal of weight {weight:g} counts for nothing; leave it out")
    return Goal(specs.read(m[1] if m else text), weight)


@dataclass(frozen=True)
class Tune:
    """``variables`` within ``ranges`` (n, 2), SI, from ``start`` on, until all ``goals`` are met or
    ``budget`` variants are solved. Only points count at which every one of ``constraints`` holds.
    """

    variables: Sequence[Variable]
    ranges: Floats
    goals: Sequence[Goal]
    start: Point
    budget: int = 60
    method: Method = "auto"
    constraints: Sequence[Allowed] = ()
    kind: ClassVar[str] = "tune"

    def run(self, solve: Solver) -> Findings:
        """:raises HeronError: no goal, constraints that nothing satisfies, or a first variant that
        could not be solved or judged.
        """
        if not self.goals:
            raise HeronError("tuning needs a goal, such as |S11| < -12 dB from 2.40 to 2.48 GHz")
        low, span = self.ranges[:, 0], np.diff(self.ranges)[:, 0]
        trials: list[Trial] = []
        point = self.point
        outcomes = [outcome(g.text) for g in self.goals]
        method = self.method
        if method == "auto" and all(scattering(o) for o in outcomes):
            method = "surrogate"

        def worth(units: Sequence[Floats]) -> list[float]:
            own = solve([point(u) for u in units])
            if not trials and own[0].failure:
                raise HeronError(f"tuning begins from a model that works: {own[0].failure}")
            trials.extend(own)
            return [self.worth(t) for t in own]

        def ahead() -> Values:
            predicted = Predicted(outcomes, trials)

            def guess(units: Sequence[Floats]) -> list[float]:
                points = [point(u) for u in units]
                found = [Trial(p, o) for p, o in zip(points, predicted(points), strict=True)]
                return [self.worth(t) or -self.spare(t) for t in found]

            return guess

        start = np.clip((np.array(self.start) - low) / span, 0, 1)
        allowed = self.allowed if self.constraints else None
        if method == "surrogate":
            led(worth, start, self.budget, ahead, allowed, enough=0.0)
        else:
            minimise(worth, start, self.budget, method, allowed, enough=0.0)
        return Findings(trials, self.tell(trials))

    def point(self, unit: Floats) -> Point:
        """A point of the unit box as values of the variables."""
        low, span = self.ranges[:, 0], np.diff(self.ranges)[:, 0]
        return tuple(float(v) for v in low + np.clip(unit, 0, 1) * span)

    def allowed(self, unit: Floats) -> float:
        """Not below zero where all constraints hold."""
        here = self.point(unit)
        return min((c(here) for c in self.constraints), default=1.0)

    def worth(self, trial: Trial) -> float:
        """The weighed sum of what a variant lacks of its goals; 0 when all are met."""
        if trial.failure:
            return FAILED
        return sum(
            g.weight * g.shortfall(float(trial.outcomes[g.text].number or 0.0)) for g in self.goals
        )

    def spare(self, trial: Trial) -> float:
        """How far a variant that meets all goals is from not meeting one, as a shortfall counts."""
        return min(
            g.weight * g.shortfall(-float(trial.outcomes[g.text].number or 0.0)) for g in self.goals
        )

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """The best variant, and what each lacks."""
        worths = [self.worth(t) for t in trials]
        if all(w >= FAILED for w in worths):
            return {}
        best = int(np.argmin(worths))
        margins = {g.text: trials[best].outcomes[g.text].number for g in self.goals}
        return {
            "best": {
                "variant": best,
                "values": dict(
                    zip((v.name for v in self.variables), trials[best].point, strict=True)
                ),
                "lacks": worths[best],
                "met": worths[best] == 0.0,
                "margins": margins,
            },
            "lacks": [w if w < FAILED else None for w in worths],
        }


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a tuning, and where."""
    names = [v.parameter for v in step.vary]
    variables: list[Variable] = []
    ranges = []
    for k, own in enumerate(step.vary):
        with at("vary", k, "parameter"):
            (variable,), values = variables_of(document, [own.parameter])
            if names.count(own.parameter) > 1:
                raise HeronError(f"“{own.parameter}” is varied twice; give one range of it")
        variables.append(variable)
        with at("vary", k, "range"):
            ranges.append(ends(own.range, variable, values))
    goals = []
    for k, text in enumerate(step.goals):
        with at("goals", k):
            goals.append(goal(text))
            outcome(goals[-1].text)
    constraints = []
    for k, text in enumerate(step.constraints):
        with at("constraints", k):
            constraints.append(constraint(text, document, variables))
    budget = evaluated_step(step, values).budget
    if not whole(budget, 1, MOST_VARIANTS):
        raise ModelError(f"a tuning has 1 to {MOST_VARIANTS} variants, a whole number", ("budget",))
    study = Tune(
        variables,
        np.array(ranges, dtype=float),
        goals,
        tuple(v.nominal for v in variables),
        int(budget),
        step.method,
        constraints,
    )
    if constraints:
        with at("constraints"):
            spread_over(len(variables), study.allowed)
    curves = [name for g in goals for name in scattering(outcome(g.text))]
    outcomes = list(dict.fromkeys([*(g.text for g in goals), *step.outcomes, *curves]))
    return Made(study, variables, outcomes, int(budget))
