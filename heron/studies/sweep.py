"""A sweep: every variant of a list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from heron.errors import HeronError
from heron.studies.contract import Findings, Point, Solver, solved


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
