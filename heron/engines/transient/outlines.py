"""The shapes of parts as the grid takes them: facets of bodies, stretches of wires."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from heron.engines.transient.structure import Floats
from heron.shapes.bodies import Body

# of the largest cell: how exactly surfaces are drawn for the grid; coarser facets take volume from
# what is round
FACETS = 3e-3
ROUNDNESS = 3e-4  # of a body's least extent, likewise: chords of a pin take from its radius
SEEN = 0.02  # the same of bodies smaller than that cell
FLAT = 1e-6  # of a body's size: a sheet thinner than this lies flat


def off_grid(body: Body) -> bool:
    """Whether a body is a sheet that is bent or tilted, so that no plane of the grid holds it."""
    low, high = body.bounds
    return not body.solid and not bool(((high - low) < FLAT * (high - low).max()).any())


def stretches(part: Any) -> list[tuple[Floats, Floats]]:
    """Ends (3,) m of the straight pieces of a wire."""
    corners = part.path.at(np.array(part.path.corners))
    straight = [c.least_segments <= 1 for c in part.path.curves]
    if not all(straight):
        return [(np.zeros(3), np.ones(3))]  # a curve: runs along no axis
    return list(pairwise(corners))


def axes_along(p: Floats, q: Floats) -> list[int]:
    """Axes along which two points lie apart."""
    d = np.abs(q - p)
    return [k for k in range(3) if d[k] > 1e-6 * d.max()]


def mesh_of(body: Body, largest: float) -> Any:
    """Triangles of a body's surface as exact as cells of ``largest`` m need them; those of one
    smaller than such a cell, such as a rivet, are few.
    """
    from heron.shapes.bodies import cached
    from heron.shapes.mesh import COARSE_ANGLE, triangulate

    low, high = body.bounds
    extent = high - low
    thick = float(extent[extent > FLAT * extent.max()].min(initial=np.inf))
    exactness = (
        SEEN * largest
        if np.linalg.norm(extent) < largest
        else min(FACETS * largest, ROUNDNESS * thick)
    ) / body.unit
    return cached(
        ("triangles", body.key, exactness),
        lambda: triangulate(body.shape, exactness, angle=COARSE_ANGLE),
    )


def facets(body: Body, largest: float) -> Floats:
    """Triangles (m, 3, 3) of a body's surface, m."""
    found = mesh_of(body, largest)
    return np.asarray(found.points[found.triangles] * body.unit)
