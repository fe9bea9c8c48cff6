"""What is wrong with surfaces as they are divided."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceMesh
from heron.engines.moments.checks import of_surfaces
from heron.engines.moments.formulation import modes_asked
from heron.engines.moments.surface_system import MOST_WHOLE
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0

Floats = NDArray[np.float64]

COARSE = 5.0  # triangles per wavelength, below which the current is not followed (common practice)
SLIVER = 0.02  # of its longest side: the height of a triangle that is hardly one
MOST_SLIVERS = 0.02  # of all triangles


def densest(model: Evaluated, mesh: SurfaceMesh, top: float) -> Floats:
    """(T,) size of the index of refraction at ``top`` Hz: the larger one of both sides of each
    triangle.
    """
    known = media_of(model)[0]
    index = [1.0, *(abs(known[name].index(top)[0]) for name in mesh.media), 0.0]
    if not mesh.media:
        return np.ones(len(mesh.triangles))
    return np.asarray(np.array(index)[mesh.sides].max(axis=1))


def _coarse(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Triangles whose sides are more than a fifth of a wavelength in what they border on."""
    mesh = discretisation.mesh
    if not len(mesh.triangles):
        return []
    top = max(model.plan.f_start, model.plan.f_stop)
    waves = mesh.longest_side * densest(model, mesh, top) * top / C0
    worst = int(waves.argmax())
    if waves[worst] <= 1 / COARSE:
        return []
    within = " there" if mesh.media else ""
    return [
        Problem(
            "look",
            "coarse-triangles",
            f"triangles of “{mesh.parts[mesh.part[worst]]}” are up to"
            f" {engineering(float(mesh.longest_side[worst]), 'm', 2)} long, {waves[worst]:.2f} λ"
            f"{within} at the top of the band",
            "above 0.2 λ the current is not followed; use more segments per wavelength",
            ("plan", "settings", "moments", "segments_per_wavelength"),
            tuple(mesh.centre[worst].tolist()),
        )
    ]


def _slivers(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    if not len(mesh.triangles):
        return []
    wires = {p.name for p in geometry.parts}
    thin = 2 * mesh.area < SLIVER * mesh.longest_side**2
    own = [i for i in thin.nonzero()[0] if mesh.parts[mesh.part[i]] not in wires]
    if len(own) <= MOST_SLIVERS * len(thin):
        return []
    body = mesh.parts[mesh.part[own[0]]]
    return [
        Problem(
            "look",
            "slivers",
            f"{len(own)} triangles of “{body}” and others are slivers",
            "narrow faces and parts that nearly touch are divided badly; simplify them",
            point=tuple(mesh.centre[own[0]].tolist()),
        )
    ]


def _empty_gaps(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    if mesh.errors:
        return []
    return [
        Problem(
            "error",
            "invalid",
            f"no metal is left in the gap of {sort[:-1]} {i + 1}: surfaces cover it",
            "move it along its wire, away from what the wire meets",
            (sort, i, "at"),
        )
        for sort, gaps, steps in (
            ("feeds", mesh.feeds, model.feeds),
            ("loads", mesh.loads, model.loads),
        )
        for i, gap in enumerate(gaps)
        if steps[i] is not None and not len(gap.triangles)
    ]


def _modes_of_many(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    asked = next(
        (n for n, c in enumerate(model.captures) if c is not None and c is modes_asked(model)), None
    )
    if asked is None or discretisation.unknowns <= MOST_WHOLE:
        return []
    return [
        Problem(
            "error",
            "invalid",
            f"characteristic modes need the whole matrix, which {discretisation.unknowns} unknowns"
            f" are too many for; at most {MOST_WHOLE} are possible",
            "use fewer segments per wavelength, or leave large parts of the model out of a run",
            ("captures", asked),
        )
    ]


def surface_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Of a model on its triangles."""
    return [
        problem
        for check in (_coarse, _slivers, _empty_gaps, _modes_of_many, of_surfaces)
        for problem in check(model, geometry, discretisation)
    ]
