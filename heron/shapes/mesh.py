"""Exact shapes to triangles and edge lines, for the stage and for files."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GCPnts import GCPnts_QuasiUniformDeflection
from OCP.TopAbs import TopAbs_Orientation
from OCP.TopLoc import TopLoc_Location
from OCP.TopTools import TopTools_MapOfShape

from heron.shapes.kernel import EDGE, FACE, Floats, Shape, box, subshapes

Ints = NDArray[np.int32]
ANGLE = 0.25  # rad between neighbouring facets at most
COARSE_ANGLE = 0.8  # the same for parts that are small in their scene
FINE = 1 / 1000  # of a shape's diagonal: default distance of facets from the surface
SCENE = 1 / 3000  # of a scene's diagonal: finer than this nobody sees


@dataclass(frozen=True)
class Triangles:
    """``points`` (n, 3) in model units, ``triangles`` (m, 3) wound outward, ``face`` (m,) number of
    the face each lies on, and ``edges``: polylines (k, 3) of every edge but the seams of closed
    surfaces.
    """

    points: Floats
    triangles: Ints
    face: Ints
    edges: list[Floats]


def triangulate(
    shape: Shape, deflection: float | None = None, scene: float = 0.0, angle: float | None = None
) -> Triangles:
    """Triangles within ``deflection`` (model units) of the exact surfaces, their vertices on them.

    By default within a thousandth of the shape's diagonal, or what can be seen in a ``scene`` of
    that diagonal. Neighbouring facets of a curved surface lie at most ``angle`` rad to each other.
    """
    low, high = box(shape, tight=False)
    fine = max(1e-6, FINE * float(np.linalg.norm(high - low)))
    distance = deflection or max(fine, SCENE * scene)
    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(
        shape, distance, False, angle or (ANGLE if distance <= 2 * fine else COARSE_ANGLE), False
    )
    points: list[Floats] = []
    triangles: list[Ints] = []
    owner: list[Ints] = []
    count = 0
    for number, face in enumerate(subshapes(shape, FACE)):
        place = TopLoc_Location()
        found = BRep_Tool.Triangulation_s(face, place)
        if found is None:
            continue  # a face too small to hold a triangle
        nodes = np.array(
            [(p.X(), p.Y(), p.Z()) for p in (found.Node(k) for k in range(1, found.NbNodes() + 1))]
        )
        if not place.IsIdentity():
            t = place.Transformation()
            m = np.array([[t.Value(r, c) for c in range(1, 5)] for r in range(1, 4)])
            nodes = nodes @ m[:, :3].T + m[:, 3]
        own = (
            np.array(
                [found.Triangle(k).Get() for k in range(1, found.NbTriangles() + 1)], dtype=np.int32
            )
            - 1
        )
        a, b, c = (nodes[own[:, k]] for k in range(3))
        # poles of spheres leave triangles without area
        own = own[np.linalg.norm(np.cross(b - a, c - a), axis=1) > 0]
        if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED:
            own = own[:, ::-1]
        points.append(nodes)
        triangles.append(own + count)
        owner.append(np.full(len(own), number, dtype=np.int32))
        count += len(nodes)
    edges = edge_lines(shape, distance)
    if not points:
        return Triangles(
            np.empty((0, 3)), np.empty((0, 3), dtype=np.int32), np.empty(0, dtype=np.int32), edges
        )
    return Triangles(np.vstack(points), np.vstack(triangles), np.concatenate(owner), edges)


def edge_lines(shape: Shape, deflection: float) -> list[Floats]:
    """Polylines (k, 3) within ``deflection`` of every edge but the seams of closed surfaces."""
    seams = TopTools_MapOfShape()
    for face in subshapes(shape, FACE):
        for edge in subshapes(face, EDGE):
            if BRep_Tool.IsClosed_s(edge, face):
                seams.Add(edge)
    return [
        line
        for e in subshapes(shape, EDGE)
        if not seams.Contains(e) and (line := edge_line(e, deflection)) is not None
    ]


def edge_line(edge: Shape, deflection: float) -> Floats | None:
    """Points (n, 3) along an edge; ``None`` for one without length (the tip of a cone)."""
    if BRep_Tool.Degenerated_s(edge):
        return None
    sampled = GCPnts_QuasiUniformDeflection(BRepAdaptor_Curve(edge), deflection)
    if not sampled.IsDone() or sampled.NbPoints() < 2:
        return None
    found = (sampled.Value(k) for k in range(1, sampled.NbPoints() + 1))
    return np.array([(p.X(), p.Y(), p.Z()) for p in found])
