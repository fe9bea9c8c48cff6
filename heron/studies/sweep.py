"""A sweep: every variant of a list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from heron.errors import HeronError, ModelError
from heron.model import Document
from heron.quantities import names_in, resolve_parameters
from heron.studies.contract import Findings, Made, Point, Solver, Trial, at, solved
from heron.studies.variables import (
    Choice,
    Variable,
    choice_of,
    combined,
    listed,
    stepped,
    variables_of,
)


@dataclass(frozen=True)
class Sweep:
    """All ``points``, whatever comes out."""

    points: Sequence[Point]
    kind: ClassVar[str] = "sweep"

    def run(self, solve: Solver) -> Findings:
        """:raises HeronError: no variant could be solved, or none has an outcome."""
        trials = solved(solve, self.points)
        if trials and all(t.failure for t in trials):
            raise HeronError(f"no variant could be solved; the first: {trials[0].failure}")
        return Findings(trials)

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """A sweep finds nothing but its variants."""
        return {}


def made(step: Any, document: Document) -> Made:
    """:raises ModelError: what is wrong with a sweep, and where."""
    variables: list[Variable | Choice] = []
    lists: list[list[float]] = []
    names = [v.parameter for v in step.vary]
    following: dict[int, list[str]] = {}  # formulas of what is varied beside them, by place
    for k, own in enumerate(step.vary):
        if own.parameter in names[:k]:
            raise ModelError(
                f"“{own.parameter}” is varied twice; give all its values at once",
                ("vary", k, "parameter"),
            )
        with at("vary", k, "values"):
            choice = choice_of(document, own.parameter, own.values)
        if choice is not None:
            variables.append(choice)
            lists.append([float(i) for i in range(len(choice.options))])
            continue
        with at("vary", k, "parameter"):
            (variable,), values = variables_of(document, [own.parameter])
        variables.append(variable)
        with at("vary", k, "values"):
            lists.append(stepped(own.values, variable, values))
            formulas = listed(own.values)
            if len(formulas) == len(lists[-1]) and any(names_in(t) & {*names} for t in formulas):
                following[k] = formulas
    with at("vary"):
        places: list[tuple[int, ...]] = combined(
            [range(len(v)) for v in lists], step.together == "side by side"
        )
    points = [tuple(v[i] for v, i in zip(lists, place, strict=True)) for place in places]
    for k, formulas in following.items():
        with at("vary", k, "values"):
            points = [
                _with(points[n], k, formulas[place[k]], document, variables)
                for n, place in enumerate(places)
            ]
    grid = step.together != "side by side" and not following
    return Made(Sweep(points), variables, step.outcomes, len(points), lists if grid else None)


def _with(
    point: Point, k: int, formula: str, document: Document, variables: Sequence[Variable | Choice]
) -> Point:
    """A point with a formula of its other values in the k-th place."""
    overrides = {
        v.name: formula if n == k else v.text(c)
        for n, (v, c) in enumerate(zip(variables, point, strict=True))
        if isinstance(v, Variable)
    }
    values, errors = resolve_parameters(document.parameters, overrides)
    if errors:
        raise HeronError(errors[0].message)
    own = variables[k]
    value = values[own.name].value
    own.check(value)
    return (*point[:k], value, *point[k + 1 :])
