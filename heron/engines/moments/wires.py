"""Wires in open space or above a perfect ground plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from functools import lru_cache
from time import perf_counter
from typing import Any

import xarray as xr

from heron.discretise import mesh_wires
from heron.discretise.held import Laid
from heron.engines.moments.checks import problems
from heron.engines.moments.formulation import (
    BYTES_MATRIX,
    Costs,
    Discretisation,
    circuit,
    ground_of,
    port_order,
    swept,
)
from heron.engines.moments.system import WireSystem
from heron.engines.progress import Event, Progress
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.feeds import is_spread
from heron.problems import Problem

BYTES_CURRENT = 128  # per segment, frequency and port: complex ends, and copies of them


class Wires:
    """Piecewise-linear currents on tubes."""

    order = 2.0  # pairs of segments: a few hundred of them are filled, not factored

    def suits(self, model: Evaluated, geometry: Geometry) -> tuple[float, str]:
        return 2.0, "all parts are wires, which the moments engine models exactly"

    def refused(self, model: Evaluated, geometry: Geometry) -> list[str]:
        if any(is_spread(f) for f in model.document.feeds):
            return [
                "among wires alone, the moments engine has no gaps that are spread over a width"
            ]
        return []

    def discretise(
        self,
        model: Evaluated,
        geometry: Geometry,
        longest: float,
        size: float,
        like: Sequence[Laid],
    ) -> Discretisation:
        mesh = mesh_wires(geometry, model.feeds, model.loads, ground_of(model), longest, size, like)
        degree = mesh.degree()
        joints = degree[(degree > 1) & ~mesh.grounded]
        unknowns = int((joints - 1).sum() + degree[mesh.grounded].sum())
        return Discretisation(self, mesh, port_order(model), unknowns)

    def layout(self, discretisation: Discretisation) -> list[Laid]:
        laid: list[Laid] = discretisation.mesh.laid
        return laid

    def stage(self, discretisation: Discretisation) -> dict[str, Any]:
        """Wires' joints and the ends of their segments, m."""
        mesh = discretisation.mesh
        return {
            "joints": [asdict(j) for j in mesh.joints],
            "nodes": mesh.nodes.round(9).tolist(),
        }

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        return problems(model, geometry, discretisation)

    def costs(self, model: Evaluated, discretisation: Discretisation) -> Costs:
        n, m = len(discretisation.mesh.segments), discretisation.unknowns
        pairs, factor = machine_rates()
        images = 2 if discretisation.mesh.ground is not None else 1
        ports = max(1, len(discretisation.ports))
        return Costs(
            images * n * n / pairs,
            8 / 3 * m**3 / factor,
            BYTES_MATRIX * m * m,
            n * 600 * 2 / (pairs * 4),
            BYTES_CURRENT * n * ports,
        )

    def solve(
        self, model: Evaluated, discretisation: Discretisation, progress: Progress
    ) -> xr.Dataset:
        progress(Event("preparing", 0.0))
        system = WireSystem(discretisation.mesh, *circuit(model, discretisation))
        return swept(model, discretisation, system, progress)


@lru_cache(maxsize=1)
def machine_rates() -> tuple[float, float]:
    """This machine's segment pairs per second and factorisation rate (Flop/s), measured once per
    process.
    """
    from heron.engines.moments import calibration

    started = perf_counter()
    n = calibration.SEGMENTS
    system = calibration.straight_wire(n)
    system.matrix(1e9)
    started = perf_counter()
    matrix = system.matrix(1e9)
    pairs = n * n / (perf_counter() - started)
    return pairs, calibration.factor_rate(matrix)
