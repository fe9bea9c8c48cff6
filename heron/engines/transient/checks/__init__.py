"""What is wrong with a model on its grid. ``CHECKS`` is the registration."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from heron.engines.transient.checks import grids
from heron.engines.transient.checks.captures import beyond_walls, of_matrices, opens_late
from heron.engines.transient.checks.dipoles import dipole_places
from heron.engines.transient.checks.illuminations import beams_in_box, first_media, looked_across
from heron.engines.transient.checks.openings import aperture_problems
from heron.engines.transient.checks.repeats import beyond_period
from heron.engines.transient.checks.symmetry import mirror_problems, symmetry_offers
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem

CHECKS: list[Callable[[Evaluated, Geometry, Any], list[Problem]]] = [
    grids.feeds_problems,
    grids.small_problems,
    grids.thick_problems,
    grids.crowded_problems,
    grids.unresolved_problems,
    grids.broken_problems,
    grids.media_problems,
    grids.outside_problems,
    grids.resolution_problems,
    beyond_walls,
    opens_late,
    of_matrices,
    aperture_problems,
    dipole_places,
    mirror_problems,
    symmetry_offers,
    first_media,
    beams_in_box,
    looked_across,
    beyond_period,
]


def problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Of a model on its grid."""
    return [p for check in CHECKS for p in check(model, geometry, discretisation)]
