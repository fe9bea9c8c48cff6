"""Two runs of one model by different engines: how far apart they are, beside what each states."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import xarray as xr

from heron.checks.trust import judged_errors
from heron.errors import HeronError
from heron.results.capabilities import TrustItem, judged, leading, provides
from heron.results.capabilities.contract import Floats, marked
from heron.results.errors import errors_in

BEYOND = "further apart than both state: one of them states too little; solve both finer"
UNKNOWN = "one of the two does not state this error: ask for two rounds or more in its plan"


@dataclass
class _Between:
    """Differences of two runs in the place of errors: capabilities turn them into the same figures,
    in the same units.
    """

    results: xr.Dataset
    pairs: dict[str, list[Any]]
    ring: float = 0.0
    wavers: float = 1.0
    sizes: Sequence[float] = (1.0, 1.0)
    found: dict[str, Any] = field(default_factory=dict)

    def values(self, name: str) -> list[Any]:
        return self.pairs[name]

    def error(self, name: str) -> Floats | None:
        return self.error_of(self.pairs[name]) if name in self.pairs else None

    def error_of(self, values: Sequence[Any]) -> Floats | None:
        if np.shape(values[0]) != np.shape(values[1]):
            return None
        return np.asarray(np.abs(np.asarray(values[1]) - np.asarray(values[0])))

    def put(self, name: str, value: Any, floor: float, more: float = 0.0) -> float | None:
        known = value is not None and bool(np.isfinite(value).any())
        worst = float(np.nanmax(value)) if known else None
        self.state(name, worst)
        return worst

    def state(self, name: str, value: float | None) -> None:
        self.found[name] = {"value": value}

    def assign(self, name: str, value: Any) -> None:
        pass


def against(own: xr.Dataset, other: xr.Dataset) -> list[TrustItem]:
    """How far apart two runs of one model are, in every figure that is judged: good where that is
    within the sum of what both state.

    :raises HeronError: they were solved at different frequencies, or for different ports.
    """
    f, g = own["frequency"].values, other["frequency"].values
    if f.shape != g.shape or not np.allclose(f, g, rtol=1e-9):
        raise HeronError("the two runs were solved at different frequencies")
    for name in ("port", "port_in"):
        if list(own.get(name, [])) != list(other.get(name, [])):
            raise HeronError("the two runs have different ports or illuminations")
    between = _Between(own, {})
    for capability in leading(own):
        if not provides(other, capability.name):
            continue
        mine, theirs = capability.compared(own), capability.compared(other)
        between.pairs |= {name: [theirs[name], mine[name]] for name in mine if name in theirs}
        capability.state_errors(between)
    apart = judged_errors(own.assign_attrs(errors=json.dumps(between.found)))
    return [_item(name, value, own, other) for name, value in apart.items()]


def _item(name: str, value: float, own: xr.Dataset, other: xr.Dataset) -> TrustItem:
    of = judged()[name]
    stated = [
        float(e["value"])
        for e in (errors_in(r).get(name, {}) for r in (own, other))
        if e.get("value") is not None
    ]
    title = of.name[0].upper() + of.name[1:]
    if len(stated) < 2:
        mark = marked(value, of.good, of.fair)
        return TrustItem(title, of.words(value), mark, UNKNOWN)
    allowed = sum(stated)
    words = f"{of.words(value)}, stated {of.words(allowed)}"
    if value <= allowed:
        return TrustItem(title, words, "good")
    return TrustItem(title, words, "stop" if value > of.fair else "look", BEYOND)
