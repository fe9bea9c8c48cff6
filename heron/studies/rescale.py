"""Rescaling: the ratio of lengths that brings a frequency to where it is wished."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from heron.errors import HeronError, ModelError
from heron.model import Document, evaluate_document
from heron.model.evaluation import evaluated_step
from heron.quantities import engineering, names_in, resolve_parameters
from heron.quantities.expressions import LENGTH
from heron.studies.contract import Findings, Made, Point, Solver, Trial, at
from heron.studies.variables import Variable, variables_of

RESONANCE = "f where abs(s11) is smallest"
TRIED, SAME = 1.25, 1e-9  # a ratio, and what rounding makes of it


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
    """Parameters that are lengths, as many as have to be scaled so that all lengths are: those that
    follow from others that are scaled, by a ratio and not by a sum, need not be.
    """
    values, _ = resolve_parameters(document.parameters, {})
    lengths = {n: q.value for n, q in values.items() if q.dimension == LENGTH and q.value}
    uses = {p.name: names_in(p.expression) for p in document.parameters}
    chosen: list[str] = []
    while True:
        scaled, _ = resolve_parameters(
            document.parameters, {n: f"{TRIED * lengths[n]!r} m" for n in chosen}
        )
        left = [n for n, v in lengths.items() if abs(scaled[n].value / v / TRIED - 1) > SAME]
        if not left:
            return [p.name for p in document.parameters if p.name in chosen]
        chosen.append(next((n for n in left if not uses[n] & set(left)), left[0]))


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a rescaling, and where."""
    with at("parameters"):
        variables, values = variables_of(document, step.parameters or lengths_of(document))
        if not variables:
            raise HeronError("the model has no parameter that is a length, to be scaled")
    wished = evaluated_step(step, values).wished
    if not wished > 0:
        raise ModelError("the wished frequency must be above zero", ("wished",))
    plan = evaluate_document(document, plan=step.plan or None).plan
    if plan is not None and not plan.f_start <= wished <= plan.f_stop:
        raise ModelError(
            f"{engineering(wished, 'Hz', 4)} is not in the plan's band,"
            f" {engineering(plan.f_start, 'Hz', 4)} to {engineering(plan.f_stop, 'Hz', 4)}; rescale"
            " by a plan whose band has both frequencies",
            ("wished",),
        )
    outcomes = step.outcomes or [RESONANCE]
    return Made(Rescale(variables, outcomes[0], wished), variables, outcomes, 2)
