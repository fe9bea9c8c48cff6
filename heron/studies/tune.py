"""Tuning: variants that come nearer to goals, which are spec lines with weights."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from heron.errors import HeronError
from heron.results import specs
from heron.studies.contract import Findings, Floats, Point, Solver, Trial
from heron.studies.minimise import FAILED, Method, minimise
from heron.studies.variables import Variable

_WEIGHT = re.compile(r"^(.*?);\s*weight\s+([\d.]+)\s*$")
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

        def point(unit: Floats) -> Point:
            return tuple(float(v) for v in low + np.clip(unit, 0, 1) * span)

        def worth(units: Sequence[Floats]) -> list[float]:
            own = solve([point(u) for u in units])
            if not trials and own[0].failure:
                raise HeronError(f"tuning begins from a model that works: {own[0].failure}")
            trials.extend(own)
            return [self.worth(t) for t in own]

        def allowed(unit: Floats) -> float:
            here = point(unit)
            return min((c(here) for c in self.constraints), default=1.0)

        minimise(
            worth,
            np.clip((np.array(self.start) - low) / span, 0, 1),
            self.budget,
            self.method,
            allowed if self.constraints else None,
            enough=0.0,
        )
        worths = [self.worth(t) for t in trials]
        best = int(np.argmin(worths))
        return Findings(trials, self._told(trials, worths, best))

    def worth(self, trial: Trial) -> float:
        """The weighed sum of what a variant lacks of its goals; 0 when all are met."""
        if trial.failure:
            return FAILED
        return sum(
            g.weight * g.shortfall(float(trial.outcomes[g.text].number or 0.0)) for g in self.goals
        )

    def _told(self, trials: list[Trial], worths: list[float], best: int) -> dict[str, Any]:
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
