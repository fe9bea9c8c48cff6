"""Metal of any shape: sheets, solids, and wires beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import xarray as xr

from heron.discretise.held import Laid
from heron.discretise.strips import WIDTH
from heron.discretise.surfaces import MOST_TRIANGLES, expected_triangles, mesh_surfaces
from heron.discretise.triangles import SurfaceMesh
from heron.engines.contract import band
from heron.engines.moments.formulation import (
    BYTES_MATRIX,
    Costs,
    Discretisation,
    circuit,
    feeds_of,
    ground_of,
    modes_asked,
    port_order,
    swept,
)
from heron.engines.moments.lit import illuminated
from heron.engines.moments.modes import with_modes
from heron.engines.moments.surface_basis import surface_basis
from heron.engines.moments.surface_calibration import surface_rate
from heron.engines.moments.surface_checks import surface_problems
from heron.engines.moments.surface_system import (
    MOST_WHOLE,
    Surface,
    SurfaceSystem,
    compresses,
)
from heron.engines.moments.wires import machine_rates
from heron.engines.progress import Event, Progress
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import conducting, conductors_of
from heron.problems import Problem
from heron.quantities.constants import C0
from heron.shapes.bodies import Body

SMALL, LARGE, MANY = 1.5, 0.5, 4000  # rank of a model, and triangles from which on it is large
LIT = 5.0  # times as dear: every frequency is solved, and closed surfaces by two equations
USUAL, COARSEST = 50.0, 1.5  # segments per wavelength by default; and the most of such triangles
FIELDS = 60.0  # times as long as one pair of triangles take the fields of one at a frequency
ALL = "all metal"  # the current on it, where no capture asks for one
# times as far off as their rounds differ may depths, gains and efficiencies be, as triangles of
# two rounds share no points: measured on an inverted-F (docs/accuracy.md)
WAVERS = 2.0
SIDE = 3.0  # of triangles, over the segments of wires
BYTES_MODES = 56  # per pair of unknowns: the matrix with its parts, their copies and factors
# A compressed matrix: pairs of triangles that it takes, over a power of the unknowns; how much more
# where both equations are combined; its inverse of near ones and the steps of a right-hand side,
# over that; and bytes per unknown (measured: plates of 10,000 to 43,000 unknowns)
COMPRESSED, COMPRESSED_ORDER, BOTH, INVERSE, STEPS, BYTES_COMPRESSED = 64, 1.4, 4.0, 0.2, 0.4, 6e4
BYTES_CURRENT = 48  # per unknown, frequency and port


class Surfaces:
    """Linear currents on triangles (Rao, Wilton and Glisson); wires are strips."""

    order = 4.0  # pairs of triangles, of which there are as many as their size to the power −2

    def suits(self, model: Evaluated, geometry: Geometry) -> tuple[float, str]:
        """More than engines that fill space, unless a matrix would be dearer than that."""
        many = expected_triangles(geometry.placed.bodies, longest_triangle(model))
        if model.document.illuminations:
            many *= LIT
        return (
            LARGE if many > MANY else SMALL,
            "all parts are of metal: only surfaces are divided, and no space about them",
        )

    def refused(self, model: Evaluated, geometry: Geometry) -> list[str]:
        bodies = geometry.placed.bodies
        return too_large(expected_triangles(bodies, longest_triangle(model)))

    def discretise(
        self,
        model: Evaluated,
        geometry: Geometry,
        longest: float,
        size: float,
        like: Sequence[Laid],
    ) -> Discretisation:
        mesh = mesh_surfaces(
            geometry,
            metal_of(model, geometry),
            model.feeds,
            model.loads,
            ground_of(model),
            SIDE * longest,
            size * detail(model),
        )
        return Discretisation(
            self, mesh, port_order(model), surface_basis(mesh).size, made_of(model, geometry, mesh)
        )

    def layout(self, discretisation: Discretisation) -> list[Laid]:
        return []

    def stage(self, discretisation: Discretisation) -> dict[str, Any]:
        """How many triangles there are, and their sides, m."""
        mesh = discretisation.mesh
        found = len(mesh.triangles) > 0
        return {
            "joints": [],
            "nodes": [],
            "triangles": len(mesh.triangles),
            "unknowns": discretisation.unknowns,
            "smallest_m": float(mesh.longest_side.min()) if found else 0.0,
            "largest_m": float(mesh.longest_side.max()) if found else 0.0,
        }

    def checks(self, model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
        return surface_problems(model, geometry, discretisation)

    def costs(self, model: Evaluated, discretisation: Discretisation) -> Costs:
        n, m = len(discretisation.mesh.triangles), discretisation.unknowns
        images = 2 if discretisation.mesh.ground is not None else 1
        ports = max(1, len(discretisation.ports))
        pairs, factor = surface_rate(), machine_rates()[1]
        fields = images * n * FIELDS / pairs, BYTES_CURRENT * m * ports
        wanted = modes_asked(model)
        lights = len(model.document.illuminations)
        combined = lights > 0 and bool(discretisation.mesh.closed.any())
        top = max(model.plan.f_start, model.plan.f_stop)
        if wanted is None and compresses(discretisation.mesh, m, top, combined):
            both = BOTH if combined else 1.0
            fill = both * images * COMPRESSED * m**COMPRESSED_ORDER / pairs
            solve = fill * (INVERSE + STEPS * max(1, lights + len(discretisation.ports)))
            taken = both * BYTES_COMPRESSED * m
            if m <= MOST_WHOLE:  # which is solved whole where the compressed one does not do
                taken = max(taken, BYTES_MATRIX * m * m)
            return Costs(fill, solve, taken, *fields, 0, "unknowns, compressed matrix")
        return Costs(
            images * n * n / pairs,
            8 / 3 * m**3 / factor,
            (BYTES_MATRIX if wanted is None else BYTES_MODES) * m * m,
            *fields,
            0 if wanted is None else int(wanted.points),
        )

    def system(self, model: Evaluated, discretisation: Discretisation) -> SurfaceSystem:
        """What is solved at one frequency after the other."""
        d = discretisation
        return SurfaceSystem(d.mesh, d.made_of, *circuit(model, d))

    def solve(
        self, model: Evaluated, discretisation: Discretisation, progress: Progress
    ) -> xr.Dataset:
        d = discretisation
        progress(Event("preparing", 0.0))
        system = self.system(model, d)
        lit = bool(model.document.illuminations)
        results = (
            illuminated(model, system, feeds_of(model, d), band(model.plan), progress)
            if lit
            else swept(model, d, system, progress)
        )
        wanted = modes_asked(model)
        if wanted is not None and not results.attrs["stopped"]:
            results = with_modes(results, system, wanted, progress)
        asked = [c for c in model.captures if c is not None and c.kind == "surface_current"]
        return results.assign_attrs(
            surfaces=[c.name for c in asked] or [ALL],
            surface_parts=[c.part for c in asked] or [""],
            wavers=WAVERS,
        )


SURFACES = Surfaces()


def too_large(triangles: float) -> list[str]:
    """Why so many triangles, about, are refused."""
    if triangles <= MOST_TRIANGLES:
        return []
    return [
        f"the surfaces need about {triangles:.2g} triangles; the moments engine takes"
        f" {MOST_TRIANGLES}"
    ]


def longest_triangle(model: Evaluated) -> float:
    """Of triangles, m; without end where no band or fineness is known."""
    plan = model.plan
    asked = plan.settings.moments.segments_per_wavelength if plan else 0.0
    top = max(plan.f_start, plan.f_stop) if plan else 0.0
    return float(SIDE * C0 / top / asked) if top > 0 and asked > 0 else float("inf")


def detail(model: Evaluated) -> float:
    """Size of triangles that follow widths, bends and gaps, over that by default: what makes
    others finer makes them finer too.
    """
    asked = model.plan.settings.moments.segments_per_wavelength if model.plan else USUAL
    return float(min(USUAL / asked, COARSEST))


def metal_of(model: Evaluated, geometry: Geometry) -> list[Body]:
    return [b for b in geometry.placed.bodies if conducting(model, b.material)]


def made_of(model: Evaluated, geometry: Geometry, mesh: SurfaceMesh) -> list[Surface]:
    """What the parts of a mesh are made of, in their order."""
    known = conductors_of(model)[0]
    out = {b.name: Surface(known[b.material], b.solid) for b in metal_of(model, geometry)}
    for p in geometry.parts:
        out[p.name] = Surface(p.conductor, False, p.radius, WIDTH * p.radius)
    return [out[name] for name in mesh.parts if name in out]  # metal comes first
