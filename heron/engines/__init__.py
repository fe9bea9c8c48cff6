"""Engines, one package each, behind one contract. ``ENGINES`` is the registration."""

from heron.engines.contract import Engine, FieldSource, Forecast, Progress, Refusal, Signal, silent
from heron.engines.moments import MomentsEngine

ENGINES: dict[str, Engine] = {"moments": MomentsEngine()}

__all__ = ["ENGINES", "Engine", "FieldSource", "Forecast", "Progress", "Refusal", "Signal", "silent"]
