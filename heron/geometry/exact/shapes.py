"""One builder per kind of solid and sheet: evaluated step to exact shape in its own frame.

Register new kinds here.
"""

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
from heron.geometry.exact import outlines
from heron.geometry.exact.kernel import (
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
OTHERS = {"x": (1, 2), "y": (0, 2), "z": (0, 1)}
FULL = 2 * math.pi
MAX_TURNS = 200
# a wire's stretches that meet at a blunter angle hardly leave a gap
BENT = math.cos(math.radians(15))
Coordinates = Sequence[float] | Floats
Builder = Callable[[Any, float], Shape]


def positive(step: Any, *names: str) -> None:
    for name in names:
        if not getattr(step, name) > 0:
            raise ModelError(
                f"the {name.replace('_', ' ')} must be above zero, not {getattr(step, name):g} m",
                (name,),
            )


def _axis(step: Any, unit: float) -> gp_Ax2:
    return gp_Ax2(point(step.centre, unit), gp_Dir(*AXES[step.axis]))


def _polygon(points: Sequence[gp_Pnt]) -> Shape:
    made = BRepBuilderAPI_MakePolygon()
    for p in points:
        made.Add(p)
    made.Close()
    return made.Wire()


def _pulled(face: Shape, by: Sequence[float], unit: float) -> Shape:
    return BRepPrimAPI_MakePrism(face, gp_Vec(*(float(c) / unit for c in by))).Shape()


def _size(step: Any) -> tuple[Any, Any]:
    """Lowest corner and positive sizes; a zero size is an error at its place."""
    for i, s in enumerate(step.size):
        if s == 0:
            raise ModelError(
                f"the size along {'xyz'[i]} is zero; a flat part is a rectangle", ("size", i)
            )
    low = [c + min(0.0, s) for c, s in zip(step.corner, step.size, strict=True)]
    return low, [abs(s) for s in step.size]


def box(step: Any, unit: float) -> Shape:
    (x, y, z), (a, b, c) = _size(step)
    return _pulled(
        outlines.face(
            _polygon(
                [
                    point(p, unit)
                    for p in ((x, y, z), (x + a, y, z), (x + a, y + b, z), (x, y + b, z))
                ]
            )
        ),
        (0, 0, c),
        unit,
    )


def wedge(step: Any, unit: float) -> Shape:
    (x, y, z), (a, b, c) = _size(step)
    if not step.top >= 0:
        raise ModelError("the top must not be negative", ("top",))
    top = [(x + step.top, y, z + c), (x, y, z + c)] if step.top > 0 else [(x, y, z + c)]
    side = outlines.face(_polygon([point(p, unit) for p in ((x, y, z), (x + a, y, z), *top)]))
    return _pulled(side, (0, b, 0), unit)


def cylinder(step: Any, unit: float) -> Shape:
    positive(step, "radius", "height")
    if not 0 <= step.inner < step.radius:
        raise ModelError("the inner radius must be from zero to less than the radius", ("inner",))
    axis = _axis(step, unit)
    outer = BRepPrimAPI_MakeCylinder(axis, step.radius / unit, step.height / unit).Shape()
    if step.inner == 0:
        return outer
    return combined(
        "cut",
        outer,
        [BRepPrimAPI_MakeCylinder(axis, step.inner / unit, step.height / unit).Shape()],
    )


def cone(step: Any, unit: float) -> Shape:
    positive(step, "height")
    for name in ("radius", "top"):
        if getattr(step, name) < 0:
            raise ModelError("a radius must not be negative", (name,))
    if step.radius == step.top:
        raise ModelError(
            "both radii are equal; that is a cylinder" if step.radius else "a cone needs a radius",
            ("top",),
        )
    return BRepPrimAPI_MakeCone(
        _axis(step, unit), step.radius / unit, step.top / unit, step.height / unit
    ).Shape()


def sphere(step: Any, unit: float) -> Shape:
    positive(step, "radius")
    return BRepPrimAPI_MakeSphere(point(step.centre, unit), step.radius / unit).Shape()


def ellipsoid(step: Any, unit: float) -> Shape:
    for i, r in enumerate(step.radii):
        if r <= 0:
            raise ModelError("every radius must be above zero", ("radii", i))
    m = np.diag([*(r / unit for r in step.radii), 1.0])
    m[:3, 3] = step.centre
    return mapped(BRepPrimAPI_MakeSphere(1.0).Shape(), m, unit)


def torus(step: Any, unit: float) -> Shape:
    positive(step, "bend", "radius")
    if step.radius >= step.bend:
        raise ModelError(
            "the ring's radius must be more than its round profile's, or it cuts itself", ("bend",)
        )
    return BRepPrimAPI_MakeTorus(_axis(step, unit), step.bend / unit, step.radius / unit).Shape()


def _outline(step: Any, unit: float, plane: Callable[[outlines.Flat], Sequence[float]]) -> Shape:
    return outlines.face(outlines.closed_wire(step.outline, lambda p: point(plane(p), unit)))


def polygon(step: Any, unit: float) -> Shape:
    return _outline(step, unit, lambda p: (p[0], p[1], step.base))


def prism(step: Any, unit: float) -> Shape:
    if step.height == 0:
        raise ModelError("the height is zero; a flat part is a polygon", ("height",))
    return _pulled(polygon(step, unit), (0, 0, step.height), unit)


def revolve(step: Any, unit: float) -> Shape:
    for i, corner in enumerate(step.outline):
        if corner.to[0] < 0:
            raise ModelError(
                "the outline must stay on one side of the axis: distances from it are not negative",
                ("outline", i, "to"),
            )
    if step.angle == 0 or abs(step.angle) > FULL * (1 + 1e-9):
        raise ModelError("the turn is more than 0 and at most a whole one (2*pi)", ("angle",))
    profile = _outline(step, unit, lambda p: (p[0], 0.0, p[1]))
    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    if abs(step.angle) >= FULL * (1 - 1e-9):
        return BRepPrimAPI_MakeRevol(profile, axis).Shape()
    return BRepPrimAPI_MakeRevol(profile, axis, step.angle).Shape()


@guarded("the loft")
def loft(step: Any, unit: float) -> Shape:
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


@guarded("the coil")
def coil(step: Any, unit: float) -> Shape:
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


def rectangle(step: Any, unit: float) -> Shape:
    i, j = OTHERS[step.axis]
    for k, s in enumerate(step.size):
        if s == 0:
            raise ModelError("a rectangle's sizes must not be zero; a line is a wire", ("size", k))
    corners = []
    for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)):
        p = list(step.corner)
        p[i] += a * step.size[0]
        p[j] += b * step.size[1]
        corners.append(point(p, unit))
    return outlines.face(_polygon(corners))


def disc(step: Any, unit: float) -> Shape:
    positive(step, "radius")
    if not 0 <= step.inner < step.radius:
        raise ModelError("the inner radius must be from zero to less than the radius", ("inner",))
    axis = _axis(step, unit)

    def ring(radius: float) -> Shape:
        return BRepBuilderAPI_MakeWire(
            BRepBuilderAPI_MakeEdge(gp_Circ(axis, radius / unit)).Edge()
        ).Wire()

    holes = [ring(step.inner).Reversed()] if step.inner else []
    return outlines.face(ring(step.radius), *(TopoDS.Wire_s(h) for h in holes))


def formula(step: Any, unit: float) -> Shape:
    wire = outlines.formula_wire(step.pieces, lambda p: point((p[0], p[1], step.base), unit))
    try:
        return outlines.face(wire)
    except ModelError as error:
        raise outlines.placed(error, "pieces") from error


SOLIDS: dict[str, Builder] = {
    "box": box,
    "cylinder": cylinder,
    "cone": cone,
    "sphere": sphere,
    "ellipsoid": ellipsoid,
    "torus": torus,
    "wedge": wedge,
    "prism": prism,
    "revolve": revolve,
    "loft": loft,
    "rod": rod,
    "coil": coil,
    "dish": dish,
}
SHEETS: dict[str, Builder] = {
    "rectangle": rectangle,
    "disc": disc,
    "polygon": polygon,
    "formula": formula,
}
BODIES: dict[str, Builder] = SOLIDS | SHEETS
