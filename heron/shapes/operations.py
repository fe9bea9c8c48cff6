"""What makes one body from others: thickening, rounding, faces as sheets, and picks by rule."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp_Face
from OCP.BRepOffset import BRepOffset_MakeSimpleOffset
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt, gp_Vec

from heron.errors import ModelError
from heron.quantities import engineering
from heron.shapes.kernel import (
    EDGE,
    FACE,
    SOLID,
    Floats,
    Shape,
    distance,
    guarded,
    point,
    simplest,
    subshapes,
    valid,
)

FACING = 0.99  # cosine: within about 8 degrees


def normal(face: Shape, near: Sequence[float]) -> Floats:
    """Outward unit normal of a face at its point nearest to ``near`` (model units)."""
    found = GeomAPI_ProjectPointOnSurf(gp_Pnt(*(float(c) for c in near)), BRep_Tool.Surface_s(face))
    if found.NbPoints():
        u, v = found.LowerDistanceParameters()
    else:
        low_u, high_u, low_v, high_v = BRepTools.UVBounds_s(face)
        u, v = 0.5 * (low_u + high_u), 0.5 * (low_v + high_v)
    at, out = gp_Pnt(), gp_Vec()
    BRepGProp_Face(face).Normal(u, v, at, out)
    n = np.array([out.X(), out.Y(), out.Z()])
    length = float(np.linalg.norm(n))
    return n / length if length else n


def pick(shape: Shape, rule: Any, kind: Any, unit: float, field: str) -> Shape:
    """The face or edge of a body that a rule names.

    :raises ModelError: nothing lies within the tolerance, or nothing faces that way, or two are
        equally near.
    """
    what = "face" if kind == FACE else "edge"
    candidates = subshapes(shape, kind)
    vertex = BRepBuilderAPI_MakeVertex(point(rule.near, unit)).Vertex()
    if rule.facing is not None and kind == FACE:
        wanted = np.asarray(rule.facing) / max(float(np.linalg.norm(rule.facing)), 1e-300)
        near = [c / unit for c in rule.near]
        candidates = [f for f in candidates if float(normal(f, near) @ wanted) > FACING]
    if not candidates:
        raise ModelError(f"no {what} of this part faces that way", (field, "facing"))
    distances = np.array([distance(vertex, c)[0] for c in candidates]) * unit
    best = int(distances.argmin())
    if rule.tolerance is not None and distances[best] > rule.tolerance:
        raise ModelError(
            f"the nearest {what} is {engineering(float(distances[best]), 'm')} away, more than the"
            " tolerance",
            (field, "near"),
        )
    if kind == EDGE and (distances < distances[best] + 1e-9 * max(1.0, distances.max())).sum() > 1:
        raise ModelError(
            "two edges are equally near; move the point along the one that is meant",
            (field, "near"),
        )
    return candidates[best]


@guarded("the rounding")
def softened(shape: Shape, step: Any, unit: float) -> Shape:
    """Picked edges of a solid rounded or chamfered."""
    if step.size <= 0:
        raise ModelError("the size must be above zero", ("size",))
    made = (BRepFilletAPI_MakeFillet if step.operation == "round" else BRepFilletAPI_MakeChamfer)(
        shape
    )
    edges = [pick(shape, p, EDGE, unit, "picks") for p in step.picks] or subshapes(shape, EDGE)
    for edge in edges:
        made.Add(step.size / unit, edge)
    made.Build()
    if not made.IsDone() or not valid(made.Shape()):
        raise ModelError(
            "the edges cannot be softened that far; use a smaller size or fewer edges", ("size",)
        )
    return simplest(made.Shape())


@guarded("the thick sheet")
def thickened(sheet: Shape, thickness: float) -> Shape:
    """A solid between a sheet and its offset; ``thickness`` in model units, its sign chooses the
    side.
    """
    faces = subshapes(sheet, FACE)
    if subshapes(sheet, SOLID):
        raise ModelError("this part is a solid already; only sheets can be thickened", ("source",))
    if thickness == 0:
        raise ModelError("the thickness must not be zero", ("thickness",))
    flat = [BRepAdaptor_Surface(f).GetType() == GeomAbs_SurfaceType.GeomAbs_Plane for f in faces]
    if len(faces) == 1 and flat[0]:
        n = normal(faces[0], (0.0, 0.0, 0.0)) * thickness
        return BRepPrimAPI_MakePrism(faces[0], gp_Vec(*(float(c) for c in n))).Shape()
    made = BRepOffset_MakeSimpleOffset(sheet, thickness)
    made.SetBuildSolidFlag(True)
    made.Perform()
    if not made.IsDone() or not subshapes(made.GetResultShape(), SOLID):
        raise ModelError(
            "the sheet cannot be thickened that far; its bends are too tight", ("thickness",)
        )
    return simplest(made.GetResultShape())


def edges_at(shape: Shape, at: Floats, reach: float, unit: float) -> list[Floats]:
    """Directions (3,) of the edges of a shape that come as near to a point (3,) as ``reach``, m."""
    vertex = BRepBuilderAPI_MakeVertex(point(at, unit)).Vertex()
    out = []
    for edge in subshapes(shape, EDGE):
        if distance(edge, vertex)[0] * unit > reach:
            continue
        curve = BRepAdaptor_Curve(edge)
        places = np.linspace(curve.FirstParameter(), curve.LastParameter(), 65)
        ends = [curve.Value(float(t)) for t in places]
        line = np.array([[p.X(), p.Y(), p.Z()] for p in ends]) * unit
        k = int(np.linalg.norm(0.5 * (line[1:] + line[:-1]) - at, axis=1).argmin())
        step = line[k + 1] - line[k]
        out.append(step / np.linalg.norm(step))
    return out
