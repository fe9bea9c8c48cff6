"""Rescaling: the ratio of lengths that brings a frequency to where it is wished."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from heron.errors import HeronError
from heron.studies.contract import Findings, Point, Solver
from heron.studies.variables import Variable


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
        after = float(second.outcomes[self.outcome].number or 0.0)
        return Findings(
            [first, second],
            {
                "ratio": ratio,
                "before": found,
                "after": after,
                "wished": self.wished,
                "off": after / self.wished - 1,
                "best": {
                    "variant": 1,
                    "values": dict(zip((v.name for v in self.variables), scaled, strict=True)),
                },
            },
        )
