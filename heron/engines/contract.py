"""What every engine offers: forecast, discretise, solve; and how it talks while it runs."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.results.capabilities import TrustItem


class Signal(enum.Enum):
    """What the engine is told when it reports."""

    CONTINUE = "continue"
    STOP = "stop"


class Progress(Protocol):
    """Called by an engine between units of work; blocks while the run is paused."""

    def __call__(self, stage: str, fraction: float, live: dict[str, Any]) -> Signal: ...


def silent(stage: str, fraction: float, live: dict[str, Any]) -> Signal:
    """A progress that says nothing and never stops."""
    return Signal.CONTINUE


def band(plan: Any) -> NDArray[np.float64]:
    """The frequencies (n,) of a plan, Hz."""
    n = int(plan.points)
    if n == 1:
        return np.array([plan.f_start])
    space = np.geomspace if plan.spacing == "logarithmic" else np.linspace
    return np.asarray(space(plan.f_start, plan.f_stop, n))


@dataclass(frozen=True)
class Forecast:
    """What a run will take on this machine: ``size`` in ``what`` (unknowns, cells), which the
    plan's ``field`` governs.
    """

    engine: str
    size: int
    what: str
    field: str
    memory_bytes: float
    seconds: float
    solves: int
    reason: str = ""


@dataclass(frozen=True)
class Verdict:
    """How well an engine suits a model: of those that have no reasons to have ``refused`` it, that
    of the greatest ``rank`` is chosen automatically, and its ``reason`` says why. Engines of lower
    rank model more.
    """

    rank: float
    reason: str
    refused: list[str] = field(default_factory=list)


class Engine(Protocol):
    """One solver. ``discretise`` raises or collects :class:`~heron.errors.HeronError`."""

    name: str

    def suits(self, model: Evaluated, geometry: Geometry) -> Verdict: ...
    def discretise(self, model: Evaluated, geometry: Geometry, size: float = 1.0) -> Any:
        """With cells or segments ``size`` times as large as the plan asks for."""

    def rounds(self, plan: Any) -> list[float]:
        """Sizes of the rounds that a plan asks for, falling to 1."""

    def cost(self, size: float) -> float:
        """Time of a solve with cells or segments ``size`` times as large, over that of one as the
        plan asks.
        """

    def finer(self, plan: Any, factor: float) -> dict[str, float]:
        """Fields of the plan with the values that make cells or segments ``factor`` times as
        fine.
        """

    def forecast(self, model: Evaluated, discretisation: Any) -> Forecast: ...
    def solve(
        self, model: Evaluated, discretisation: Any, progress: Progress = silent
    ) -> xr.Dataset: ...
    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        """What its runs say of themselves beside their errors; it can only lower the grade."""

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        """What is wrong with a model as it is discretised."""
