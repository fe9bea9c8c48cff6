"""What solids and sheets are made of: exact shapes from sizes in m, in units of ``unit`` m."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_TransitionMode,
)
from OCP.BRepLib import BRepLib
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipeShell, BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GC import GC_MakeArcOfCircle
from OCP.Geom import Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_Line
from OCP.gp import (
    gp_Ax1,
    gp_Ax2,
    gp_Ax3,
    gp_Circ,
    gp_Dir,
    gp_Dir2d,
    gp_Elips,
    gp_Pnt,
    gp_Pnt2d,
    gp_Vec,
)
from OCP.TopoDS import TopoDS

from heron.errors import ModelError
from heron.shapes import outlines
from heron.shapes.kernel import (
    FACE,
    Floats,
    Shape,
    combined,
    compound,
    guarded,
    mapped,
    point,
    subshapes,
)

AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
FULL = 2 * math.pi
MAX_TURNS = 200
# a wire's stretches that meet at a blunter angle hardly leave a gap
BENT = math.cos(math.radians(15))
Coordinates = Sequence[float] | Floats


def positive(step: Any, *names: str) -> None:
    """Refuses sizes that are not above zero.

    :raises ModelError: one is not.
    """
    for name in names:
        if not getattr(step, name) > 0:
            raise ModelError(
                f"the {name.replace('_', ' ')} must be above zero, not {getattr(step, name):g} m",
                (name,),
            )


def corner_and_size(step: Any) -> tuple[list[float], list[float]]:
    """Lowest corner and positive sizes of a step with ``corner`` and ``size``.

    :raises ModelError: at a size that is zero.
    """
    for i, s in enumerate(step.size):
        if s == 0:
            raise ModelError(
                f"the size along {'xyz'[i]} is zero; a flat part is a rectangle", ("size", i)
            )
    low = [c + min(0.0, s) for c, s in zip(step.corner, step.size, strict=True)]
    return low, [abs(s) for s in step.size]


def hollow(step: Any) -> None:
    """:raises ModelError: where ``inner`` is not less than ``radius``."""
    if not 0 <= step.inner < step.radius:
        raise ModelError("the inner radius must be from zero to less than the radius", ("inner",))


def _axis(centre: Coordinates, axis: str, unit: float) -> gp_Ax2:
    return gp_Ax2(point(centre, unit), gp_Dir(*AXES[axis]))


def _polygon(points: Sequence[gp_Pnt]) -> Shape:
    made = BRepBuilderAPI_MakePolygon()
    for p in points:
        made.Add(p)
    made.Close()
    return made.Wire()


def flat(points: Sequence[Coordinates], unit: float) -> Shape:
    """A plane face with straight sides through points (n, 3)."""
    return outlines.face(_polygon([point(p, unit) for p in points]))


def pulled(face: Shape, by: Sequence[float], unit: float) -> Shape:
    """A solid from a face moved along a vector."""
    return BRepPrimAPI_MakePrism(face, gp_Vec(*(float(c) / unit for c in by))).Shape()


def outlined(
    outline: Sequence[Any], unit: float, plane: Callable[[outlines.Flat], Sequence[float]]
) -> Shape:
    """A plane face from an outline's corners, which ``plane`` puts into space."""
    return outlines.face(outlines.closed_wire(outline, lambda p: point(plane(p), unit)))


def turned(face: Shape, angle: float) -> Shape:
    """A solid from a face turned about the z axis."""
    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    if abs(angle) >= FULL * (1 - 1e-9):
        return BRepPrimAPI_MakeRevol(face, axis).Shape()
    return BRepPrimAPI_MakeRevol(face, axis, angle).Shape()


def cylinder(
    centre: Coordinates, axis: str, radius: float, height: float, inner: float, unit: float
) -> Shape:
    """A round cylinder from the middle of its base; ``inner`` above zero makes a tube."""
    place = _axis(centre, axis, unit)
    outer = BRepPrimAPI_MakeCylinder(place, radius / unit, height / unit).Shape()
    if inner == 0:
        return outer
    hole = BRepPrimAPI_MakeCylinder(place, inner / unit, height / unit).Shape()
    return combined("cut", outer, [hole])


def cone(
    centre: Coordinates, axis: str, radius: float, top: float, height: float, unit: float
) -> Shape:
    """Round an axis, from ``radius`` to ``top``, in document units."""
    return BRepPrimAPI_MakeCone(
        _axis(centre, axis, unit), radius / unit, top / unit, height / unit
    ).Shape()


def ball(centre: Coordinates, radius: float, unit: float) -> Shape:
    """About a point."""
    return BRepPrimAPI_MakeSphere(point(centre, unit), radius / unit).Shape()


def ellipsoid(centre: Coordinates, radii: Sequence[float], unit: float) -> Shape:
    """About a point, by its half axes."""
    m = np.diag([*(r / unit for r in radii), 1.0])
    m[:3, 3] = centre
    return mapped(BRepPrimAPI_MakeSphere(1.0).Shape(), m, unit)


def torus(centre: Coordinates, axis: str, bend: float, radius: float, unit: float) -> Shape:
    """A tube of ``radius`` about a circle of radius ``bend``."""
    return BRepPrimAPI_MakeTorus(_axis(centre, axis, unit), bend / unit, radius / unit).Shape()


def disc(centre: Coordinates, axis: str, radius: float, inner: float, unit: float) -> Shape:
    """A round face; with a hole if ``inner`` is above zero."""
    place = _axis(centre, axis, unit)

    def ring(r: float) -> Shape:
        return BRepBuilderAPI_MakeWire(
            BRepBuilderAPI_MakeEdge(gp_Circ(place, r / unit)).Edge()
        ).Wire()

    holes = [ring(inner).Reversed()] if inner else []
    return outlines.face(ring(radius), *(TopoDS.Wire_s(h) for h in holes))


def curved(pieces: Sequence[Any], base: float, unit: float) -> Shape:
    """A plane face from formulas, at z = ``base``.

    :raises ModelError: with the path of the piece.
    """
    wire = outlines.formula_wire(pieces, lambda p: point((p[0], p[1], base), unit))
    try:
        return outlines.face(wire)
    except ModelError as error:
        raise outlines.placed(error, "pieces") from error


@guarded("the loft")
def loft(step: Any, unit: float) -> Shape:
    """Through outlines one after another."""
    mixed = len({s.round for s in step.sections}) > 1
    made = BRepOffsetAPI_ThruSections(not step.shell, True, 1e-7)
    for i, (below, above) in enumerate(pairwise(step.sections)):
        if below.at[2] == above.at[2]:
            raise ModelError(
                "two neighbouring sections lie at the same height", ("sections", i + 1, "at", 2)
            )
    for i, section in enumerate(step.sections):
        if not (section.width > 0 and section.height > 0):
            raise ModelError(
                "a section's width and height must be above zero", ("sections", i, "width")
            )
        made.AddWire(
            _quartered(section, unit) if mixed and section.round else _profile(section, unit)
        )
    made.CheckCompatibility(False)
    made.Build()
    return made.Shape()


def _profile(section: Any, unit: float) -> Shape:
    x, y, z = section.at
    a, b = section.width / 2, section.height / 2
    if not section.round:
        return _polygon(
            [
                point(p, unit)
                for p in (
                    (x - a, y - b, z),
                    (x + a, y - b, z),
                    (x + a, y + b, z),
                    (x - a, y + b, z),
                )
            ]
        )
    along = gp_Dir(1, 0, 0) if a >= b else gp_Dir(0, 1, 0)
    ellipse = gp_Elips(
        gp_Ax2(point(section.at, unit), gp_Dir(0, 0, 1), along), max(a, b) / unit, min(a, b) / unit
    )
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(ellipse).Edge()).Wire()


def _quartered(section: Any, unit: float) -> Shape:
    """An ellipse in four pieces that start and end where a rectangle has its corners, so that both
    can be joined.
    """
    x, y, z = section.at
    a, b = section.width / 2, section.height / 2
    m = np.diag([a / unit, b / unit, 1.0, 1.0])
    m[:3, 3] = x, y, z
    corners = [
        gp_Pnt(math.cos(t), math.sin(t), 0)
        for t in (1.25 * math.pi, 1.75 * math.pi, 0.25 * math.pi, 0.75 * math.pi)
    ]
    middles = [gp_Pnt(0, -1, 0), gp_Pnt(1, 0, 0), gp_Pnt(0, 1, 0), gp_Pnt(-1, 0, 0)]
    arcs = [
        BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(p, via, q).Value()).Edge()
        for p, via, q in zip(corners, middles, [*corners[1:], corners[0]], strict=True)
    ]
    return TopoDS.Wire_s(mapped(outlines.wire(arcs), m, unit))


@guarded("the rod")
def rod(step: Any, unit: float) -> Shape:
    """A round rod along straight lines."""
    if not step.outline:
        positive(step, "radius")
    reach = max((math.hypot(*c.to) for c in step.outline), default=step.radius)
    points = [np.array(p) for p in step.points]
    for i, (a, b) in enumerate(pairwise(points)):
        if np.linalg.norm(b - a) <= reach * (1 if step.outline else 2):
            raise ModelError(
                "two points of the path are nearer than the rod is thick", ("points", i + 1)
            )
    if step.bend < 0 or 0 < step.bend <= reach:
        raise ModelError(
            "the bend radius must be more than the rod's radius, or zero for mitred corners",
            ("bend",),
        )
    path = outlines.wire(
        _rounded(points, step.bend, unit)
        if step.bend
        else [outlines.line(point(a, unit), point(b, unit)) for a, b in pairwise(points)]
    )
    return _swept(path, _across(step, points, unit), bool(step.outline))


def _across(step: Any, points: Sequence[Any], unit: float) -> Shape:
    """A rod's profile across the start of its path: round, or an outline of (sideways, up) for a
    path that starts level.
    """
    along = (points[1] - points[0]) / np.linalg.norm(points[1] - points[0])
    if not step.outline:
        return _ring(points[0], along, step.radius, unit)
    up = np.array([0.0, 0.0, 1.0]) if abs(along[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
    side = np.cross(along, up)
    side /= np.linalg.norm(side)
    up = np.cross(side, along)
    return outlines.closed_wire(
        step.outline, lambda p: point(points[0] + p[0] * side + p[1] * up, unit)
    )


def _rounded(points: Sequence[Any], bend: float, unit: float) -> list[Shape]:
    """Edges of a path whose corners are arcs of radius ``bend``."""
    edges: list[Shape] = []
    at = points[0]
    for i in range(1, len(points) - 1):
        before, after = points[i - 1] - points[i], points[i + 1] - points[i]
        u, v = before / np.linalg.norm(before), after / np.linalg.norm(after)
        half = 0.5 * math.acos(float(np.clip(u @ v, -1, 1)))
        if half > math.pi / 2 - 1e-6:
            continue  # straight on
        reach = bend / math.tan(half) if half > 1e-6 else math.inf
        if reach >= min(np.linalg.norm(before), np.linalg.norm(after)) / (
            2 if 1 < i < len(points) - 2 else 1
        ):
            raise ModelError(
                "the bend radius does not fit between this point's neighbours", ("points", i)
            )
        first, last = points[i] + reach * u, points[i] + reach * v
        middle = (u + v) / np.linalg.norm(u + v)
        via = points[i] + middle * (bend / math.sin(half) - bend)
        edges.append(outlines.line(point(at, unit), point(first, unit)))
        edges.append(
            BRepBuilderAPI_MakeEdge(
                GC_MakeArcOfCircle(point(first, unit), point(via, unit), point(last, unit)).Value()
            ).Edge()
        )
        at = last
    edges.append(outlines.line(point(at, unit), point(points[-1], unit)))
    return edges


def _ring(start: Coordinates, along: Coordinates, radius: float, unit: float) -> Shape:
    circle = gp_Circ(gp_Ax2(point(start, unit), gp_Dir(*(float(c) for c in along))), radius / unit)
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle).Edge()).Wire()


def _swept(path: Shape, profile: Shape, cornered: bool = False) -> Shape:
    made = BRepOffsetAPI_MakePipeShell(path)
    made.SetTransitionMode(BRepBuilderAPI_TransitionMode.BRepBuilderAPI_RightCorner)
    if cornered:
        made.SetMode(True)
    made.Add(profile)
    made.Build()
    if not made.IsDone() or not made.MakeSolid():
        raise ModelError(
            "the profile cannot follow this path; soften its corners or make it thinner",
            ("points",),
        )
    return made.Shape()


@guarded("the coil")
def coil(step: Any, unit: float) -> Shape:
    """A round rod wound about an axis."""
    positive(step, "bend", "radius", "turns")
    if step.turns > MAX_TURNS:
        raise ModelError(f"a coil has at most {MAX_TURNS} turns", ("turns",))
    if step.bend <= step.radius:
        raise ModelError("the coil's radius must be more than its wire's", ("bend",))
    if abs(step.pitch) <= 2 * step.radius:
        raise ModelError(
            "the pitch must be more than the wire's diameter, or the turns touch", ("pitch",)
        )
    surface = Geom_CylindricalSurface(
        gp_Ax3(point(step.centre, unit), gp_Dir(0, 0, 1)), step.bend / unit
    )
    rise = step.pitch / unit
    length = step.turns * math.hypot(FULL, rise)
    edge = BRepBuilderAPI_MakeEdge(
        Geom2d_Line(gp_Pnt2d(0, 0), gp_Dir2d(FULL, rise)), surface, 0.0, length
    ).Edge()
    BRepLib.BuildCurves3d_s(edge)
    x, y, z = step.centre
    tangent = (0.0, FULL * step.bend, step.pitch)
    return _swept(
        BRepBuilderAPI_MakeWire(edge).Wire(),
        _ring((x + step.bend, y, z), tangent, step.radius, unit),
    )


def dish(step: Any, unit: float) -> Shape:
    """The paraboloid z = r²/(4f) to the rim; a solid one is thick along z."""
    positive(step, "focus", "diameter")
    if step.thickness < 0:
        raise ModelError("the thickness must not be negative", ("thickness",))
    rim = step.diameter / 2
    depth = rim**2 / (4 * step.focus)
    x, y, z = step.centre

    def parabola(below: float) -> Shape:
        # A parabola is a Bézier curve of degree 2; its middle pole lies where the end tangents
        # meet.
        return outlines.bezier(
            [
                point((x + p[0], y, z + p[1]), unit)
                for p in ((0.0, -below), (rim / 2, -below), (rim, depth - below))
            ]
        )

    axis = gp_Ax1(point(step.centre, unit), gp_Dir(0, 0, 1))
    if step.thickness == 0:
        return _single(BRepPrimAPI_MakeRevol(parabola(0.0), axis).Shape())
    t = step.thickness
    places = [
        point(p, unit)
        for p in ((x, y, z - t), (x, y, z), (x + rim, y, z + depth), (x + rim, y, z + depth - t))
    ]
    edges = [
        outlines.line(places[0], places[1]),
        parabola(0.0),
        outlines.line(places[2], places[3]),
        parabola(t),
    ]
    return BRepPrimAPI_MakeRevol(outlines.face(outlines.wire(edges)), axis).Shape()


def _single(shape: Shape) -> Shape:
    faces = subshapes(shape, FACE)
    return faces[0] if len(faces) == 1 else shape


def round_rod(points: Sequence[Coordinates], radius: float, unit: float) -> Shape:
    """A wire (n, 3) in m as solids: a cylinder for each stretch, a ball in each sharp bend."""
    pieces = []
    for a, b in pairwise(np.asarray(points, dtype=float)):
        length = float(np.linalg.norm(b - a))
        pieces.append(
            BRepPrimAPI_MakeCylinder(
                gp_Ax2(point(a, unit), gp_Dir(*(float(c) for c in b - a))),
                radius / unit,
                length / unit,
            ).Shape()
        )
    runs = np.diff(np.asarray(points, dtype=float), axis=0)
    runs /= np.linalg.norm(runs, axis=1, keepdims=True)
    bends = (runs[1:] * runs[:-1]).sum(axis=1) < BENT
    pieces += [
        BRepPrimAPI_MakeSphere(point(p, unit), radius / unit).Shape()
        for p, bent in zip(points[1:-1], bends, strict=True)
        if bent
    ]
    return compound(pieces) if len(pieces) > 1 else pieces[0]
