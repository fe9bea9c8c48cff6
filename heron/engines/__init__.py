"""Engines, one package each, behind one contract. ``ENGINES`` is the registration."""

from __future__ import annotations

from importlib import import_module
from typing import Any, cast

from heron.engines.contract import NO_INPUTS, Engine, Forecast, Inputs, Stage, Verdict
from heron.engines.progress import Event, News, Progress, Signal, silent


class _Deferred:
    """An engine whose package is loaded when it is first asked for something: grids and their
    kernels take seconds, which a model of wires need not wait for. ``most`` is the highest rank
    that it gives itself.
    """

    def __init__(self, name: str, where: str, most: float) -> None:
        self.name, self.where, self.most = name, where, most
        self._engine: Engine | None = None

    def __getattr__(self, attribute: str) -> Any:
        if self._engine is None:
            module, _, name = self.where.partition(":")
            self._engine = getattr(import_module(module), name)()
        return getattr(self._engine, attribute)


ENGINES: dict[str, Engine] = {
    engine.name: cast(Engine, engine)
    for engine in (
        _Deferred("moments", "heron.engines.moments:MomentsEngine", 2.0),
        _Deferred("transient", "heron.engines.transient:TransientEngine", 1.0),
    )
}


def highest(engine: Engine) -> float:
    """The highest rank that an engine gives itself, as far as that is known."""
    return float(getattr(engine, "most", float("inf")))


__all__ = [
    "ENGINES",
    "NO_INPUTS",
    "Engine",
    "Event",
    "Forecast",
    "Inputs",
    "News",
    "Progress",
    "Signal",
    "Stage",
    "Verdict",
    "highest",
    "silent",
]
