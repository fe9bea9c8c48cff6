"""How engines say where they are, and hear whether to go on."""

from __future__ import annotations

import enum
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, Protocol

from pydantic import BaseModel, ConfigDict


class Signal(enum.Enum):
    """What the engine is told when it reports."""

    CONTINUE = "continue"
    STOP = "stop"


class _News(BaseModel):
    model_config = ConfigDict(frozen=True)
    adds: ClassVar[bool]  # to the news before, else it replaces them
    round: int = 1
    rounds: int = 1


class FrequencySolved(_News):
    """One more frequency of a sweep, in Hz, with S11 as real and imaginary part; ``solved`` so
    far.
    """

    adds: ClassVar[bool] = True
    kind: Literal["frequency"] = "frequency"
    frequency_hz: float
    s11: tuple[float, float]
    solved: int

    @property
    def words(self) -> str:
        """For a line of a terminal."""
        return f"{self.frequency_hz / 1e6:.6g} MHz"


class TimeSteps(_News):
    """A run in time, of the ``port``-th port or illumination: ``step`` done, ``energy_db`` left of
    the largest; ``s11_db`` at even frequencies ``f_hz``, from and to, as far as it is known.
    """

    adds: ClassVar[bool] = False
    kind: Literal["time"] = "time"
    step: int
    energy_db: float
    port: int
    f_hz: tuple[float, float] | None = None
    s11_db: list[float] = []

    @property
    def words(self) -> str:
        """For a line of a terminal."""
        return f"{self.energy_db:.0f} dB left"


News = FrequencySolved | TimeSteps


@dataclass(frozen=True)
class Event:
    """A ``stage`` of a run, the ``fraction`` of the whole that is done, and news, if there are."""

    stage: str
    fraction: float
    news: News | None = None

    def of_round(self, number: int, rounds: int, begun: float, share: float) -> Event:
        """As that of round ``number`` of several, which has a ``share`` of the whole from ``begun``
        on.
        """
        news = self.news and self.news.model_copy(update={"round": number, "rounds": rounds})
        return replace(self, fraction=begun + share * self.fraction, news=news)


class Progress(Protocol):
    """Called by an engine between units of work; blocks while the run is paused."""

    def __call__(self, event: Event, /) -> Signal: ...


def silent(event: Event, /) -> Signal:
    """A progress that says nothing and never stops."""
    return Signal.CONTINUE
