"""Engines, one package each, behind one contract. ``ENGINES`` is the registration."""

from heron.engines.contract import Engine, Forecast, Progress, Signal, Verdict, silent
from heron.engines.moments import MomentsEngine
from heron.engines.transient import TransientEngine

ENGINES: dict[str, Engine] = {"moments": MomentsEngine(), "transient": TransientEngine()}

__all__ = [
    "ENGINES",
    "Engine",
    "Forecast",
    "Progress",
    "Signal",
    "Verdict",
    "silent",
]
