"""What every engine offers: forecast, discretise, solve."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from types import MappingProxyType, SimpleNamespace
from typing import Any, Protocol

import numpy as np
import xarray as xr
from numpy.typing import NDArray
from pydantic import BaseModel

from heron.engines.progress import Progress, silent
from heron.errors import ModelError
from heron.fields import FieldSource
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.results.capabilities import TrustItem


def band(plan: Any) -> NDArray[np.float64]:
    """The frequencies (n,) of a plan, Hz."""
    n = int(plan.points)
    if n == 1:
        return np.array([plan.f_start])
    space = np.geomspace if plan.spacing == "logarithmic" else np.linspace
    return np.asarray(space(plan.f_start, plan.f_stop, n))


Inputs = Mapping[str, FieldSource]
NO_INPUTS: Inputs = MappingProxyType({})


def no_inputs(engine: str, inputs: Inputs) -> None:
    """Of an engine that takes none.

    :raises ModelError: there are inputs.
    """
    if inputs:
        names = ", ".join(f"“{name}”" for name in inputs)
        raise ModelError(f"the {engine} engine takes no fields of other runs, such as {names}")


@dataclass(frozen=True)
class Stage:
    """A stage of a run, named as its progress has it: the ``seconds`` it should take on a machine
    that does nothing else, ``least`` and ``most`` as far as can be told before, and the memory it
    holds.
    """

    name: str
    seconds: float
    least: float
    most: float
    memory_bytes: float


@dataclass(frozen=True)
class Forecast:
    """What a run will take: ``size`` in ``what`` (unknowns, cells), which ``field`` of the engine's
    settings governs; how often it is solved; and its stages. ``base_bytes`` of their memory any
    run of the engine takes.
    """

    engine: str
    size: int
    what: str
    field: str
    solves: int
    stages: tuple[Stage, ...]
    reason: str = ""
    base_bytes: float = 0.0

    @property
    def seconds(self) -> float:
        """All stages together."""
        return sum(s.seconds for s in self.stages)

    @property
    def memory_bytes(self) -> float:
        """The most that any stage holds."""
        return max(s.memory_bytes for s in self.stages)

    def as_json(self) -> dict[str, Any]:
        """Its fields, with time and memory of all stages together."""
        return asdict(self) | {
            "seconds": self.seconds,
            "least_seconds": sum(s.least for s in self.stages),
            "most_seconds": sum(s.most for s in self.stages),
            "memory_bytes": self.memory_bytes,
        }


@dataclass(frozen=True)
class Verdict:
    """How well an engine suits a model: of those that have no reasons to have ``refused`` it, that
    of the greatest ``rank`` is chosen automatically, and its ``reason`` says why. Engines of lower
    rank model more.
    """

    rank: float
    reason: str
    refused: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Seen:
    """What a view shows: ``header`` as JSON has it, ``arrays`` by name, and ``tables``, which make
    CSV files by name.
    """

    header: dict[str, Any]
    arrays: dict[str, NDArray[Any]]
    tables: Mapping[str, Callable[[], str]] = field(default_factory=dict)


@dataclass(frozen=True)
class View:
    """Something that can be looked at of a model as an engine lays it out: ``asks`` is the schema
    of what may be asked; ``show`` takes the engine, model, geometry, discretisation and what is
    asked, and raises :class:`~heron.errors.HeronError` where there is nothing to see.
    """

    asks: type[BaseModel]
    show: Callable[[Engine, Evaluated, Geometry, Any, Any], Seen]


@dataclass(frozen=True)
class Change:
    """A value that an engine would have in its settings, and what it is of."""

    field: str
    value: float
    words: str


class Engine(Protocol):
    """One solver. ``discretise`` raises or collects :class:`~heron.errors.HeronError`."""

    name: str
    views: Mapping[str, View]

    def stage(self, model: Evaluated, discretisation: Any) -> dict[str, Any]:
        """What the stage draws of a discretisation, by what it is: ``grid``, ``mesh``."""

    def suits(self, model: Evaluated, geometry: Geometry) -> Verdict: ...
    def layout(self, model: Evaluated, geometry: Geometry, size: float = 1.0) -> Sequence[Any]:
        """How a model is divided, which its variants are held to; empty where they cannot be."""

    def discretise(
        self, model: Evaluated, geometry: Geometry, size: float = 1.0, like: Sequence[Any] = ()
    ) -> Any:
        """With cells or segments ``size`` times as large as the plan asks for; divided ``like``
        another variant where that fits, which its ``held`` says. What the model has in it that
        cannot be is in its ``errors``.
        """

    def rounds(self, plan: Any) -> list[float]:
        """Sizes of the rounds that a plan asks for, falling to 1."""

    def cost_order(self, discretisation: Any) -> float:
        """The time of a solve goes as the size of cells, segments or triangles to minus this."""

    def finer(self, plan: Any, factor: float) -> list[Change]:
        """What makes cells or segments ``factor`` times as fine; without what is at its most."""

    def longer(self, plan: Any) -> tuple[list[Change], float]:
        """What lets a run go on that still rang when it ended, and how many times as long it then
        takes.
        """

    def forecast(self, model: Evaluated, discretisation: Any) -> Forecast: ...
    def solve(
        self,
        model: Evaluated,
        discretisation: Any,
        progress: Progress = silent,
        inputs: Inputs = NO_INPUTS,
    ) -> xr.Dataset:
        """:raises ModelError: it can do nothing with ``inputs``, sources of fields from other
        runs by name.
        """

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        """What its runs say of themselves beside their errors; it can only lower the grade."""

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        """What is wrong with a model as it is discretised."""


def changed(plan: Any, engine: str, changes: list[Change]) -> Any:
    """An evaluated plan with other values in an engine's settings."""
    own = SimpleNamespace(**vars(getattr(plan.settings, engine)))
    for change in changes:
        setattr(own, change.field, change.value)
    settings = SimpleNamespace(**vars(plan.settings) | {engine: own})
    return SimpleNamespace(**vars(plan) | {"settings": settings})
