"""What is joined to what: solids, sheets and wires that meet, and those that nearly do.

Lengths in m.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakePolygon

from heron.geometry.build import BuiltPart, Geometry
from heron.geometry.tessellate import polyline
from heron.shapes.bodies import Body, cached, key_of, near_pairs
from heron.shapes.kernel import Floats, Shape, distance, point

TOUCHING = 1e-6  # of the smaller part's diagonal
NEARLY = 0.005  # of the smaller part's diagonal
LEAST_UNITS = 1e-6  # model units: ten times the kernel's own tolerance


@dataclass(frozen=True)
class Contact:
    """Two parts and the distance between them; ``joined`` when they meet; ``at`` a point of the gap
    or meeting (m).
    """

    first: str
    second: str
    distance: float
    joined: bool
    at: tuple[float, float, float]


@dataclass(frozen=True)
class _Thing:
    name: str
    shape: Shape
    key: str
    low: Floats
    high: Floats
    reach: float

    @property
    def diagonal(self) -> float:
        return float(np.linalg.norm(self.high - self.low))


def contacts(geometry: Geometry) -> list[Contact]:
    """Pairs with at least one solid or sheet that meet, or come within half a percent of the
    smaller one's diagonal without meeting.
    """
    unit = geometry.unit
    things = [_of_body(b) for b in geometry.placed.bodies]
    count = len(things)
    things += [_of_wire(p, unit) for p in geometry.parts]
    if len(things) < 2:
        return []
    reach = np.array([NEARLY * t.diagonal + t.reach for t in things])
    out = []
    for i, j in near_pairs(
        np.array([t.low for t in things]), np.array([t.high for t in things]), reach
    ):
        a, b = things[i], things[j]
        if i >= count:
            continue  # two wires: the wire mesh finds those
        smaller = min(a.diagonal, b.diagonal)
        gap, at = _gap(a, b)
        apart = gap * unit
        if apart > NEARLY * smaller + max(a.reach, b.reach):
            continue
        x, y, z = (at * unit).tolist()
        joined = apart <= max(TOUCHING * smaller, LEAST_UNITS * unit)
        out.append(Contact(a.name, b.name, apart, joined, (x, y, z)))
    return out


def clearance(a: Body, b: Body) -> float:
    """m between two bodies, 0 where they meet."""
    return _gap(_of_body(a), _of_body(b))[0] * a.unit


def _gap(a: _Thing, b: _Thing) -> tuple[float, Floats]:
    found: tuple[float, Floats] = cached(("gap", a.key, b.key), lambda: distance(a.shape, b.shape))
    return found


def _of_body(body: Body) -> _Thing:
    low, high = body.bounds
    return _Thing(body.name, body.shape, body.key, low, high, 0.0)


def _of_wire(part: BuiltPart, unit: float) -> _Thing:
    points = np.array(polyline(part))
    made = BRepBuilderAPI_MakePolygon()
    for p in points:
        made.Add(point(p, unit))
    shape = (
        made.Wire()
        if len(points) > 2
        else BRepBuilderAPI_MakeEdge(point(points[0], unit), point(points[-1], unit)).Edge()
    )
    return _Thing(
        part.name,
        shape,
        key_of("wire", points, unit),
        points.min(axis=0),
        points.max(axis=0),
        2 * part.radius,
    )
