"""How wrong results may be: what solves on finer and finer grids or meshes say of the last one
(:mod:`heron.results.convergence`).
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.results import confidence
from heron.results.capabilities import Capability, leading
from heron.results.convergence import error_of

Floats = NDArray[np.float64]

RING = 1.0  # of the amplitude left at the end: what a record that is cut off may have lost
SINGLE = ("resonance", "depth")  # one value for each port, not one for each frequency


@dataclass(frozen=True)
class Round:
    """What one solve came to: ``values`` by name, each an array along frequency or a number;
    ``size`` of its cells or segments over those of the last; ``fields`` and currents at places; and
    how many ``seconds`` it took.
    """

    values: dict[str, Any]
    size: float
    fields: confidence.Fields
    seconds: float


def read(results: xr.Dataset, size: float, places: Mapping[str, Floats], seconds: float) -> Round:
    """What is compared of a solve of so many ``seconds`` whose cells or segments are ``size`` times
    as large as the last one's, with the fields at the ``places`` (n, 3) in m of captures.
    """
    values: dict[str, Any] = {}
    for capability in leading(results):
        values |= capability.compared(results)
    return Round(values, size, confidence.read(results, places), seconds)


def with_errors(results: xr.Dataset, rounds: Sequence[Round]) -> xr.Dataset:
    """The last round's results with what is known of their errors: ``errors``, a JSON object of
    quantities with ``value`` and ``basis``, and what capabilities have against frequency.
    """
    said = _Said(results, rounds)
    for capability in leading(results):
        said.of(capability)
        capability.state_errors(said)
    sizes = list(said.sizes)
    results = confidence.assign(said.results, [r.fields for r in rounds], sizes)
    return results.assign_attrs(
        errors=json.dumps(said.stated),
        round_sizes=sizes,
        round_seconds=[r.seconds for r in rounds],
    )


class _Said:
    """What rounds say, to one capability after the other."""

    def __init__(self, results: xr.Dataset, rounds: Sequence[Round]) -> None:
        self.results, self.rounds = results, rounds
        self.sizes = [r.size for r in rounds]
        self.ring = RING * 10 ** (_left_db(results) / 20)
        self.wavers = float(results.attrs.get("wavers", 1.0))
        self.stated: dict[str, Any] = {}
        self._basis = f"{len(rounds)} rounds" if len(rounds) > 1 else "one round only"
        self._convergence = (1.0, 1.0)

    def of(self, capability: Capability) -> None:
        if self.rounds:
            self._convergence = capability.convergence(self.results, self.rounds[-1].values)

    def values(self, name: str) -> list[Any]:
        return [r.values[name] for r in self.rounds]

    def error(self, name: str) -> Floats | None:
        if not self.rounds or any(name not in r.values for r in self.rounds):
            return None
        values = self.values(name)
        if len({np.shape(v) for v in values}) > 1:
            return None
        held, steepest = self._convergence
        return error_of(values, self.sizes, 1.0 if name in SINGLE else held, steepest)

    def error_of(self, values: Sequence[Any]) -> Floats | None:
        return error_of(values, self.sizes)

    def put(self, name: str, value: Any, floor: float, more: float = 0.0) -> float | None:
        worst = None
        if value is not None and np.isfinite(value).any():
            worst = float(np.hypot(float(np.nanmax(value)) + more, floor))
        self.state(name, worst)
        return worst

    def state(self, name: str, value: float | None) -> None:
        self.stated[name] = {"value": value, "basis": self._basis}

    def assign(self, name: str, value: Any) -> None:
        self.results = self.results.assign({name: value})


def _left_db(results: xr.Dataset) -> float:
    left = float(results.attrs.get("energy_left", 0.0))
    return 10 * float(np.log10(max(left, 1e-30)))
