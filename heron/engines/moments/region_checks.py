"""What is wrong with the boundaries of media as they are divided."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.engines.moments.surface_checks import surface_problems
from heron.engines.moments.surface_system import MOST_WHOLE
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem


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
        for check in (_too_many, _metal_on_media, surface_problems)
        for problem in check(model, geometry, discretisation)
    ]
