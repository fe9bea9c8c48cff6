"""What is wrong with the boundaries of media as they are divided."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.engines.moments.surface_checks import COARSE, surface_problems
from heron.engines.moments.surface_system import MOST_WHOLE
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0


def _too_many(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    if discretisation.unknowns <= MOST_WHOLE:
        return []
    return [
        Problem(
            "error",
            "invalid",
            f"bodies of media need the whole matrix, which {discretisation.unknowns} unknowns are"
            f" too many for; at most {MOST_WHOLE} are possible",
            "use fewer segments per wavelength, or the transient engine",
            ("plan", "settings", "moments", "segments_per_wavelength"),
        )
    ]


def _coarse(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Triangles that are long for the waves in a medium, or for the depth at which they fade."""
    mesh, out = discretisation.mesh, []
    top = max(model.plan.f_start, model.plan.f_stop)
    known = media_of(model)[0]
    for number, name in enumerate(mesh.media, 1):
        own = np.flatnonzero((mesh.sides == number).any(axis=1))
        if not len(own):
            continue
        index = np.sqrt(known[name].epsilon(top)[0] * known[name].mu(top)[0])
        wavelength = C0 / top / abs(index)
        worst = int(own[mesh.longest_side[own].argmax()])
        side = float(mesh.longest_side[worst])
        if side <= wavelength / COARSE:
            continue
        out.append(
            Problem(
                "look",
                "coarse-triangles",
                f"triangles on “{name}” are up to {engineering(side, 'm', 2)} long,"
                f" {side / wavelength:.2f} of a wavelength in it at the top of the band",
                "above 0.2 the fields in it are not followed; use more segments per wavelength",
                ("plan", "settings", "moments", "segments_per_wavelength"),
                tuple(mesh.centre[worst].tolist()),
            )
        )
    return out


def _metal_on_media(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    own = np.flatnonzero(mesh.metal & (mesh.sides[:, 0] != mesh.sides[:, 1]))
    own = own[(mesh.sides[own] >= 0).all(axis=1)]
    if not len(own):
        return []
    return [
        Problem(
            "look",
            "metal-on-media",
            f"“{mesh.parts[mesh.part[own[0]]]}” lies on the surface of a medium, where the field at"
            " its edges is found slowly by the moments engine: a patch on a board was 2 % low"
            " in frequency until triangles at its edges were a third of the board's thickness",
            "choose the transient engine for boards, or look at the errors that rounds state",
            ("plan", "engine"),
            tuple(mesh.centre[own[0]].tolist()),
        )
    ]


def region_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Of a model with media on its triangles."""
    return [
        problem
        for check in (_too_many, _coarse, _metal_on_media, surface_problems)
        for problem in check(model, geometry, discretisation)
    ]
