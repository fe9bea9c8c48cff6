"""What a study is: variants of one model, what comes out of each, and what is found in them.

A kind of study is one file of this package. It says which variants it wants next and what it makes
of their outcomes; where they are solved is the business of whoever gives it a :class:`Solver`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from heron.errors import HeronError, ModelError
from heron.steps.fields import Step

Floats = NDArray[np.float64]
Point = tuple[float, ...]  # values of a study's variables, SI, in their order


@dataclass(frozen=True)
class Value:
    """What an outcome is in one variant: a number, or a curve ``y`` (f,), real or complex, over
    ``x`` Hz; in the SI unit ``unit``, or dB and the like as the outcome was asked for.
    """

    unit: str
    number: float | None = None
    x: Floats | None = None
    y: NDArray[Any] | None = None


@dataclass(frozen=True)
class Trial:
    """One variant: what it was solved for, its outcomes by their names, or why it has none.
    ``known`` was solved before; ``unread`` was solved, but says nothing of an outcome.
    """

    point: Point
    outcomes: Mapping[str, Value] = field(default_factory=dict)
    failure: str = ""
    seconds: float = 0.0
    known: bool = False
    unread: bool = False

    def number(self, text: str) -> float:
        """An outcome as a number; not a number where it is a curve."""
        found = self.outcomes[text].number
        return float("nan") if found is None else found


Solver = Callable[[Sequence[Point]], list[Trial]]
"""Solves variants, in any order and number at a time; their trials in the order of the points."""


def solved(solve: Solver, points: Sequence[Point]) -> list[Trial]:
    """Trials of all points. The first is solved alone, so that an outcome that no run has is told
    before the others are solved.

    :raises HeronError: the first variant says nothing of an outcome.
    """
    first = solve(points[:1])
    if first and first[0].unread:
        raise HeronError(first[0].failure)
    return [*first, *solve(points[1:])]


@dataclass
class Findings:
    """What a study found: its ``trials`` in their order; ``told``, figures of its kind (JSON
    values), such as the best variant or a yield with its limits.
    """

    trials: list[Trial]
    told: dict[str, Any] = field(default_factory=dict)


class Study(Protocol):
    """A kind of study with all that it needs to know."""

    @property
    def kind(self) -> str:
        """Its name."""

    def run(self, solve: Solver) -> Findings:
        """Solves its variants and tells what is found.

        :raises HeronError: nothing can be found, and why.
        """

    def tell(self, trials: Sequence[Trial]) -> dict[str, Any]:
        """What is found in the first of its trials, while others are still to come; nothing where
        that takes all.
        """


@dataclass(frozen=True)
class Made:
    """A study's step, made ready: the study and what it varies; what is read off each variant; the
    values of each variable where all their combinations are wanted; how many variants at most.
    ``alike``: all have to be held to one layout, as small differences between them count.
    """

    study: Study
    variables: Sequence[Any]
    outcomes: Sequence[str]
    most: int
    lists: Sequence[Sequence[float]] | None = None
    alike: bool = False


class Maker(Protocol):
    """What a file of a kind has besides its study."""

    def made(self, step: Step, document: Any) -> Made:
        """The study that a step describes.

        :raises ModelError: what is wrong with it, with a path that begins at the step.
        """


@contextmanager
def at(*path: str | int) -> Iterator[None]:
    """Gives errors the place that they are of.

    :raises ModelError: in the place of any other.
    """
    try:
        yield
    except HeronError as error:
        raise ModelError(error.message, path) from error
