"""Faces to triangles of asked sizes, by the mesher of the finite-element trade that comes with its
own copy of the geometry kernel; shapes cross over in the kernel's text form.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRepTools import BRepTools

from heron.errors import ModelError
from heron.shapes.kernel import Shape

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

GRADING = 0.3  # how fast triangles grow: 0 slowly, 1 at once
AROUND = 2.2  # radii of curvature over the size of triangles, and more
ACROSS = 0.4  # of the mean width of a face: the largest triangles on it


@dataclass(frozen=True)
class Meshed:
    """``vertices`` (V, 3) in the shapes' own unit, ``triangles`` (T, 3), and the name (T,) of what
    each is of.
    """

    vertices: Floats
    triangles: Ints
    names: list[str]


@dataclass(frozen=True)
class Piece:
    """A flat rectangle (4, 3) that begins beyond what it is cut by and ends at its last two
    corners, where it is kept.
    """

    name: str
    corners: Floats


def triangulated(
    solids: Sequence[tuple[str, Shape]],
    sheets: Sequence[tuple[str, Shape]],
    rectangles: Sequence[tuple[str, Floats]],
    pieces: Sequence[Piece],
    largest: float,
    size: float = 1.0,
) -> Meshed:
    """Triangles on solids, without what is inside of them, on sheets, on rectangles (4, 3), and on
    pieces up to where they meet those; conforming wherever they meet. ``largest`` is the size of a
    triangle, and ``size`` that of those which follow widths and bends, over that of a mesh as fine
    as it is made; lengths in the shapes' unit.

    :raises ModelError: the mesher finds no mesh.
    """
    from netgen import occ
    from netgen.meshing import MeshingStep

    faces: list[Any] = []
    whole = None
    for name, shape in solids:
        own = _crossed(occ, name, shape)
        whole = own if whole is None else whole + own
    if whole is not None:
        faces += list(whole.faces)
    outside = [_crossed(occ, name, shape) for name, shape in sheets]
    for name, corners in rectangles:
        outside.append(_rectangle(occ, corners))
        outside[-1].faces.name = name
    for own in outside:
        faces += list((own if whole is None else own - whole).faces)
    ends = {}
    for number, piece in enumerate(pieces):
        face = _rectangle(occ, piece.corners)
        face.faces.name = f"{_PIECE}{number}"
        ends[face.faces[0].name] = piece
        faces += list((face if whole is None else face - whole).faces)
    if not faces:
        return Meshed(np.empty((0, 3)), np.empty((0, 3), dtype=np.int64), [])
    glued = [f for f in occ.Glue(faces).faces if _kept(f, ends)]
    for face in glued:
        perimeter = sum(e.mass for e in face.edges)
        width = 2 * face.mass / perimeter if perimeter else largest
        face.maxh = min(largest, ACROSS * size * width)
    geometry = occ.OCCGeometry(occ.Glue(glued))
    try:
        mesh = geometry.GenerateMesh(
            maxh=largest,
            perfstepsend=MeshingStep.MESHSURFACE,
            grading=GRADING,
            curvaturesafety=AROUND / size,
            segmentsperedge=1.0,
        )
    except Exception as error:
        raise ModelError(
            "the surfaces could not be divided into triangles; look for slivers and for parts that"
            " nearly touch"
        ) from error
    count = len(mesh.Points())
    mesh.SecondOrder()
    table = mesh.Elements2D().NumPy()
    nodes = table["nodes"][:, :6].astype(np.int64) - 1
    names = [ends[n].name if n in ends else n for n in (f.name or "" for f in geometry.shape.faces)]
    points = np.array([p.p for p in mesh.Points()], dtype=float).reshape(-1, 3)
    return Meshed(
        _swollen(points, nodes, count), nodes[:, :3], [names[i - 1] for i in table["index"]]
    )


def _swollen(points: Floats, nodes: Ints, count: int) -> Floats:
    """The first ``count`` of the points (n, 3), moved outwards where faces and edges are bent, so
    that flat triangles hold as much as bent ones: ``nodes`` (T, 6) are their corners, and the
    middles of the sides across from the first, second and third.

    Of a surface that is bent like a parabola, the mean distance from a flat triangle is that of the
    middles of its sides.
    """
    corners = points[nodes[:, :3]]
    middles = 0.5 * (corners[:, [1, 0, 0]] + corners[:, [2, 2, 1]])
    off = (points[nodes[:, 3:]] - middles).mean(axis=1)
    area = 0.5 * np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )
    moved, weight = np.zeros((count, 3)), np.full(count, 1e-300)
    for k in range(3):
        np.add.at(moved, nodes[:, k], area[:, None] * off)
        np.add.at(weight, nodes[:, k], area)
    return np.asarray(points[:count] + moved / weight[:, None])


_PIECE = "\x00piece "


def _crossed(occ: Any, name: str, shape: Shape) -> Any:
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "shape.brep")
        BRepTools.Write_s(shape, path)
        own = occ.OCCGeometry(path).shape
    own.faces.name = name
    return own


def _rectangle(occ: Any, corners: Floats) -> Any:
    points = [tuple(map(float, c)) for c in corners]
    sides = [occ.Segment(points[i], points[(i + 1) % 4]) for i in range(4)]
    return occ.Face(occ.Wire(sides))


def _kept(face: Any, ends: dict[str, Piece]) -> bool:
    """Of a piece, only what reaches to its end."""
    piece = ends.get(face.name or "")
    if piece is None:
        return True
    middle = 0.5 * (piece.corners[2] + piece.corners[3])
    near = 1e-6 * float(np.linalg.norm(piece.corners[2] - piece.corners[3]))
    return any(
        float(np.linalg.norm(np.array([e.center.x, e.center.y, e.center.z]) - middle)) < near
        for e in face.edges
    )
