"""What wires and surfaces have in common for the engine: each is one formulation."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, Protocol

import numpy as np
import xarray as xr

from heron.discretise.held import Laid
from heron.engines.contract import band
from heron.engines.lumped import element, networks
from heron.engines.moments.dataset import Described, dataset
from heron.engines.moments.sweep import Sweep
from heron.engines.progress import Event, Progress
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem

BYTES_MATRIX = 18  # per pair of unknowns: the matrix, factored in place


class Costs(NamedTuple):
    """What a solve at one frequency takes: ``fill`` and ``factor`` in s, and ``bytes_matrix``; what
    the fields of a frequency take, s; how many more matrices than those of the sweep are solved,
    each ``once`` for a round; and in what words the unknowns are counted.
    """

    fill: float
    factor: float
    bytes_matrix: float
    fields: float
    bytes_per_point: float
    once: int = 0
    words: str = "unknowns"


@dataclass
class Discretisation:
    """A mesh in the formulation that it is solved ``by``: segments or triangles, whose parts are
    ``made_of`` what they need to know; the feeds of ``ports`` in the order of their numbers; and
    how many unknowns it has.
    """

    by: Formulation
    mesh: Any
    ports: list[int]
    unknowns: int
    made_of: Sequence[Any] = ()

    @property
    def errors(self) -> list[Any]:
        """What the mesh could not take in."""
        found: list[Any] = self.mesh.errors
        return found

    @property
    def held(self) -> bool:
        """Whether it is divided as another variant."""
        return bool(self.mesh.held)


class Formulation(Protocol):
    """How currents of one sort are modelled."""

    order: float  # of the time of a solve over the size of segments or triangles

    def suits(self, model: Evaluated, geometry: Geometry) -> tuple[float, str]:
        """Its rank among engines, and why it suits a model that it does not refuse."""

    def refused(self, model: Evaluated, geometry: Geometry) -> list[str]: ...
    def discretise(
        self,
        model: Evaluated,
        geometry: Geometry,
        longest: float,
        size: float,
        like: Sequence[Laid],
    ) -> Discretisation: ...
    def layout(self, discretisation: Any) -> list[Laid]: ...
    def stage(self, discretisation: Any) -> dict[str, Any]: ...
    def checks(
        self, model: Evaluated, geometry: Geometry, discretisation: Any
    ) -> list[Problem]: ...
    def costs(self, model: Evaluated, discretisation: Any) -> Costs: ...
    def solve(self, model: Evaluated, discretisation: Any, progress: Progress) -> xr.Dataset: ...


def modes_asked(model: Evaluated) -> Any:
    """The capture of characteristic modes, ``None`` where there is none."""
    own = (c for c in model.captures if c is not None and c.kind == "characteristic_modes")
    return next(own, None)


def port_order(model: Evaluated) -> list[int]:
    """Feeds in the order of their numbers."""
    known = [i for i, f in enumerate(model.feeds) if f is not None]
    return sorted(known, key=lambda i: model.feeds[i].number)


def ground_of(model: Evaluated) -> float | None:
    """Height of the ground plane, m, if there is one."""
    if model.surround is None or model.surround.kind != "ground":
        return None
    return float(model.surround.height)


def circuit(model: Evaluated, discretisation: Any) -> tuple[list[Any], list[Any], Any]:
    """Gaps of the ports in their order, loads with their elements, and networks at the ports."""
    mesh, order = discretisation.mesh, discretisation.ports
    loads = [(mesh.loads[i], element(s)) for i, s in enumerate(model.loads) if s is not None]
    return (
        [mesh.feeds[i] for i in order],
        loads,
        networks([model.feeds[i] for i in order]),
    )


def feeds_of(model: Evaluated, discretisation: Any) -> list[Any]:
    """Evaluated feeds in the order of their numbers."""
    return [model.feeds[i] for i in discretisation.ports]


def swept(
    model: Evaluated, discretisation: Any, system: Described, progress: Progress
) -> xr.Dataset:
    """The results of a sweep with the ports driven."""
    feeds = feeds_of(model, discretisation)
    z0 = np.array([f.impedance for f in feeds])
    sweep = Sweep(system, z0, band(model.plan), model.plan.settings.moments, progress)
    sweep.run()
    progress(Event("fields", 0.9))
    return dataset(system, feeds, z0, sweep)
