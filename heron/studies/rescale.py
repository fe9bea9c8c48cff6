"""Rescaling: the ratio of lengths that brings a frequency to where it is wished."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.model.evaluation import evaluated_step
from heron.quantities import names_in
from heron.quantities.expressions import LENGTH
from heron.studies.contract import Findings, Made, Point, Solver, Trial, at
from heron.studies.variables import Variable, variables_of

RESONANCE = "f where abs(s11) is smallest"


@dataclass(frozen=True)
class Rescale:
    """``variables``, lengths, scaled by one ratio so that ``outcome``, a frequency, becomes
    ``wished`` Hz; checked with one more run.
    """

    variables: Sequence[Variable]
    outcome: str
    wished: float
    kind: ClassVar[str] = "rescale"

    def run(self, solve: Solver) -> Findings:
        """:raises HeronError: a run failed, or the scaled lengths go beyond their limits."""
        if not self.variables:
            raise HeronError("there is no length to scale; name a parameter")
        nominal: Point = tuple(v.nominal for v in self.variables)
        (first,) = solve([nominal])
        if first.failure:
            raise HeronError(f"the model could not be solved: {first.failure}")
        found = first.outcomes[self.outcome].number
        if found is None or not found > 0:
            raise HeronError(f"“{self.outcome}” is no frequency")
        ratio = found / self.wished
        scaled = tuple(v.nominal * ratio for v in self.variables)
        for variable, value in zip(self.variables, scaled, strict=True):
            variable.check(value)
        (second,) = solve([scaled])
        if second.failure:
            raise HeronError(f"the scaled model could not be solved: {second.failure}")
        return Findings([first, second], self.tell([first, second]))

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """The ratio and what came of it, once both are solved."""
        if len(trials) < 2 or any(t.failure for t in trials):
            return {}
        before, after = (float(t.outcomes[self.outcome].number or 0.0) for t in trials)
        names = [v.name for v in self.variables]
        return {
            "ratio": before / self.wished,
            "before": before,
            "after": after,
            "wished": self.wished,
            "off": after / self.wished - 1,
            "best": {"variant": 1, "values": dict(zip(names, trials[1].point, strict=True))},
        }


def lengths_of(document: Document) -> list[str]:
    """Parameters that are lengths and follow from no other parameter."""
    known = {p.name for p in document.parameters}
    free = [p.name for p in document.parameters if not names_in(p.expression) & known]
    return [v.name for v in variables_of(document, free)[0] if v.dimension == LENGTH]


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a rescaling, and where."""
    with at("parameters"):
        variables, values = variables_of(document, step.parameters or lengths_of(document))
        if not variables:
            raise HeronError("the model has no parameter that is a length, to be scaled")
    wished = evaluated_step(step, values).wished
    if not wished > 0:
        raise ModelError("the wished frequency must be above zero", ("wished",))
    outcomes = step.outcomes or [RESONANCE]
    return Made(Rescale(variables, outcomes[0], wished), variables, outcomes, 2)
