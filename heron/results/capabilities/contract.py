"""What a run may provide. A capability is one file with one class, registered in
:mod:`heron.results.capabilities`; formulas, spec lines, badges, cards, trust, summary, exports and
the command line ask the capabilities of a run and never what kind of run it is.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, NamedTuple, Protocol

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.quantities import Quantity
from heron.results.convergence import HELD, ORDERS

Floats = NDArray[np.float64]
Mark = Literal["good", "look", "stop"]


@dataclass(frozen=True)
class TrustItem:
    """One figure with its judgement; ``advice`` says what to do when it is not good."""

    name: str
    value: str
    mark: Mark
    advice: str = ""


def marked(value: float, good: float, fair: float) -> Mark:
    """The mark of an error: good, fair or poor."""
    return "good" if value <= good else "look" if value <= fair else "stop"


class Judged(NamedTuple):
    """What an error is of, the largest that grades A and B allow, how it is written, and what to do
    about it.
    """

    name: str
    good: float
    fair: float
    words: Callable[[float], str]
    advice: str


def percent(value: float) -> str:
    """A share in words."""
    return f"{100 * value:.2g} %"


def decibels(value: float) -> str:
    """A level in words."""
    return f"{value:.2g} dB"


def plain(value: float) -> str:
    """A number in words."""
    return f"{value:.2g}"


FINER = "ask for more cells or segments per wavelength, or refine where fields are strong"


@dataclass(frozen=True)
class Headline:
    """What a run comes to in few words: a curve (f,) in dB, the place of its best value, and the
    words for that.
    """

    level: Floats
    at: float
    value: float
    words: str


class Context(Protocol):
    """A run as formulas see it."""

    results: xr.Dataset
    frequency: Floats

    @property
    def powers(self) -> Any: ...
    @property
    def far(self) -> list[tuple[int, Mapping[str, Any]]]: ...
    @property
    def sections(self) -> Any: ...


class Rounds(Protocol):
    """What solves on finer and finer grids or meshes say, to a capability that states errors."""

    results: xr.Dataset
    ring: float
    wavers: float  # times as far as rounds differ may be off what meshes that share no points tell

    @property
    def sizes(self) -> Sequence[float]:
        """Of cells or segments of every round, over those of the last."""

    def values(self, name: str) -> list[Any]:
        """Of every round, from coarse to fine."""

    def error(self, name: str) -> Floats | None:
        """Of the last round's values, if every round has them alike."""

    def error_of(self, values: Sequence[Any]) -> Floats | None:
        """The same of values (…) that were made of those of every round."""

    def put(self, name: str, value: Any, floor: float, more: float = 0.0) -> float | None:
        """States the largest of some errors and what is added to it, with a ``floor`` that is there
        at any fineness; returns what it stated, ``None`` for not known.
        """

    def state(self, name: str, value: float | None) -> None:
        """States an error as it is."""

    def assign(self, name: str, value: Any) -> None:
        """Puts a variable into the dataset."""


class Capability:
    """One thing that a run may provide; every method has a default that offers nothing.

    ``leading`` is the error without which those ``judged`` say nothing; ``alone`` means that beside
    it no other capability is judged or makes the headline. ``powers`` are the quantities whose
    decibels are those of powers, ``directional`` those that take a direction.
    """

    name: ClassVar[str]
    words: ClassVar[str]
    alone: ClassVar[bool] = False
    leading: ClassVar[str] = ""
    judged: ClassVar[Mapping[str, Judged]] = {}
    powers: ClassVar[frozenset[str]] = frozenset()
    directional: ClassVar[tuple[str, ...]] = ()

    def in_older(self, results: xr.Dataset) -> bool:
        """Whether a run from before runs said what they provide has it."""
        raise NotImplementedError

    # --- formulas ---

    def names(self) -> list[str]:
        """Names of quantities that messages offer; numbers of ports may differ."""
        return []

    def knows(self, name: str) -> bool:
        """Whether a name is one of its quantities, in whatever run."""
        return name in self.names()

    def find(self, run: Context, name: str) -> Quantity | None:
        """The quantity of that name, (f,).

        :raises QuantityError: it would be one of another port.
        """
        return None

    def towards(self, run: Context, name: str, theta: float, phi: float) -> Quantity | None:
        """A quantity in a direction, in rad."""
        return None

    # --- what is shown and written ---

    def headline(self, results: xr.Dataset) -> Headline | None:
        """The one figure that stands for a run, if this capability has one."""
        return None

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        """What the readout needs to know before it asks for curves (JSON values)."""
        return {}

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        """Its part of ``summary.json``; ``indices`` are the sweep points at which fields are asked
        for.
        """
        return {}

    def files(self, results: xr.Dataset, summary: Mapping[str, Any]) -> dict[str, str]:
        """Text files by name, besides the summary and the dataset."""
        return {}

    def pattern(
        self, results: xr.Dataset, index: int, theta: Floats, phi: Floats, shown: Any
    ) -> Floats | None:
        """Levels (θ, φ) in dB at pairs of angles in degrees, of what is drawn round the model.

        :raises ValueError: ``shown`` asks for what there is not.
        """
        return None

    def incident(self, results: xr.Dataset) -> float | None:
        """Peak field in V/m of what comes from outside."""
        return None

    def offered(self, results: xr.Dataset, index: int) -> float | None:
        """W that the sources offer under the drive."""
        return None

    # --- errors and trust ---

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        """What rounds compare: arrays along frequency, or one number for each port."""
        return {}

    def convergence(self, results: xr.Dataset, last: Mapping[str, Any]) -> tuple[float, float]:
        """Share of the difference before the last that counts at least, and the steepest order
        believed.
        """
        return HELD, ORDERS[1]

    def state_errors(self, rounds: Rounds) -> None:
        """Puts what rounds say of its errors."""

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        """Figures that can only lower the grade."""
        return []
