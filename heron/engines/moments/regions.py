"""Metal and bodies of media, each of one medium: only their boundaries are divided."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from heron.discretise.held import Laid
from heron.discretise.surfaces import expected_triangles, mesh_surfaces
from heron.engines.moments.formulation import (
    BYTES_MATRIX,
    Costs,
    Discretisation,
    circuit,
    ground_of,
    modes_asked,
    port_order,
)
from heron.engines.moments.region_basis import region_basis
from heron.engines.moments.region_checks import region_problems
from heron.engines.moments.region_system import RegionSystem
from heron.engines.moments.surface_calibration import surface_rate
from heron.engines.moments.surfaces import (
    BYTES_CURRENT,
    FIELDS,
    SIDE,
    Surfaces,
    detail,
    longest_triangle,
    made_of,
    metal_of,
    too_large,
)
from heron.engines.moments.wires import machine_rates
from heron.errors import ModelError
from heron.geometry import Geometry
from heron.materials import Medium
from heron.model import Evaluated
from heron.model.substances import conducting, media_of
from heron.problems import Problem
from heron.shapes.bodies import Body

RANK = 0.4  # below engines that fill space, which take more kinds of materials and captures
PAIRS = 2.0  # times as dear is a pair of triangles, of currents of two sorts in a lossy medium
SHORTEST = 0.1  # of what it is in vacuum: the longest side of triangles on a medium


class MediaRegions(Surfaces):
    """Linear electric and magnetic currents on the boundaries of media, and electric ones on
    metal; wires are strips.
    """

    def suits(self, model: Evaluated, geometry: Geometry) -> tuple[float, str]:
        return RANK, "only the surfaces of metal and media are divided, and no space about them"

    def refused(self, model: Evaluated, geometry: Geometry) -> list[str]:
        bodies = bodies_of(model, geometry)
        sheets = [b.name for b, _ in bodies if not b.solid]
        if sheets:
            return [f"“{sheets[0]}” is a sheet; of media, the moments engine takes solids"]
        if modes_asked(model) is not None:
            return ["characteristic modes are of models of metal alone"]
        return too_large(_expected(model, geometry))

    def discretise(
        self,
        model: Evaluated,
        geometry: Geometry,
        longest: float,
        size: float,
        like: Sequence[Laid],
    ) -> Discretisation:
        top = max(model.plan.f_start, model.plan.f_stop) if model.plan else 1e9
        mesh = mesh_surfaces(
            geometry,
            metal_of(model, geometry),
            model.feeds,
            model.loads,
            ground_of(model),
            SIDE * longest,
            size * detail(model),
            [(b, SIDE * longest * _shorter(m, top)) for b, m in bodies_of(model, geometry)],
        )
        unknowns = 0
        if not mesh.errors:
            try:
                unknowns = region_basis(mesh).size
            except ModelError as error:
                mesh.errors.append(error)
        return Discretisation(
            self, mesh, port_order(model), unknowns, made_of(model, geometry, mesh)
        )

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        return region_problems(model, geometry, discretisation)

    def costs(self, model: Evaluated, discretisation: Discretisation) -> Costs:
        mesh, m = discretisation.mesh, discretisation.unknowns
        images = 2 if mesh.ground is not None else 1
        pairs, factor = surface_rate(), machine_rates()[1]
        squares = sum(
            float((mesh.sides == region).any(axis=1).sum()) ** 2
            for region in range(len(mesh.media) + 1)
        )
        outside = float((mesh.sides == 0).any(axis=1).sum())
        return Costs(
            images * PAIRS * squares / pairs,
            8 / 3 * m**3 / factor,
            BYTES_MATRIX * m * m,
            2 * images * outside * FIELDS / pairs,
            BYTES_CURRENT * m * max(1, len(discretisation.ports)),
        )

    def system(self, model: Evaluated, discretisation: Discretisation) -> RegionSystem:
        d = discretisation
        known = media_of(model)[0]
        media = [known[name] for name in d.mesh.media]
        return RegionSystem(d.mesh, d.made_of, media, *circuit(model, d))


MEDIA_REGIONS = MediaRegions()


def bodies_of(model: Evaluated, geometry: Geometry) -> list[tuple[Body, Medium]]:
    """Bodies of media other than vacuum."""
    known = media_of(model)[0]
    own = [b for b in geometry.placed.bodies if not conducting(model, b.material)]
    return [
        (b, known[b.material]) for b in own if b.material in known and not known[b.material].empty
    ]


def _shorter(medium: Medium, top: float) -> float:
    """Of waves in a medium, over those in vacuum, at the top of the band."""
    return float(max(SHORTEST, 1 / abs(medium.index(top)[0])))


def _expected(model: Evaluated, geometry: Geometry) -> float:
    """About how many triangles there will be."""
    longest = longest_triangle(model)
    top = max(model.plan.f_start, model.plan.f_stop) if model.plan else 1e9
    return expected_triangles(metal_of(model, geometry), longest) + sum(
        expected_triangles([b], longest * _shorter(m, top)) for b, m in bodies_of(model, geometry)
    )
