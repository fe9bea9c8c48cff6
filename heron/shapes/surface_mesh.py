"""Faces to triangles of asked sizes, by the mesher of the finite-element trade that comes with its
own copy of the geometry kernel; shapes cross over in the kernel's text form.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRepTools import BRepTools
from scipy.spatial import cKDTree

from heron.errors import ModelError
from heron.shapes.kernel import Shape

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

GRADING = 0.3  # how fast triangles grow: 0 slowly, 1 at once
AROUND = 2.2  # radii of curvature over the size of triangles, and more
ACROSS = 0.4  # of the mean width of a face: the largest triangles on it
SAME = 1e-6  # of the largest triangle: places nearer than this are one
GAP = 1.0  # of the distance to what is across a gap: triangles at edges and beneath them
RIM = 0.4  # the same where there are media, as the field at edges on them is an unknown too
POINT = 1e-7  # in the shapes' unit, the kernel's own tolerance: an edge no longer is a point
STRAIGHT = 1e-7  # of a triangle's size: no further off than this it is flat
HELD = 1e-3  # of the largest: normals that differ by no more are one
LOOKED = 33  # places of an edge from which that is measured


@dataclass(frozen=True)
class Meshed:
    """``vertices`` (V, 3) in the shapes' own unit, ``triangles`` (T, 3), the name (T,) of what each
    is of, and what is on its ``sides`` (T, 2), that against its normal first: 0 outside of all
    media, from 1 on their numbers, −1 inside of metal.
    """

    vertices: Floats
    triangles: Ints
    names: list[str]
    sides: Ints


@dataclass(frozen=True)
class Filled:
    """A solid of a medium, and the size of triangles on it."""

    name: str
    shape: Shape
    largest: float


@dataclass(frozen=True)
class Rectangle:
    """A flat one (4, 3); a part of a ``strip`` is divided no further than what it meets asks
    for.
    """

    name: str
    corners: Floats
    strip: bool = False


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
    rectangles: Sequence[Rectangle],
    pieces: Sequence[Piece],
    media: Sequence[Filled],
    largest: float,
    size: float = 1.0,
) -> Meshed:
    """Triangles on solids of metal, without what is inside of them, on sheets, on rectangles,
    on pieces up to where they meet those, and on solids of media, which share no room;
    conforming wherever they meet. ``largest`` is the size of a triangle, and ``size`` that of those
    which follow widths and bends, over that of a mesh as fine as it is made; lengths in the shapes'
    unit.

    :raises ModelError: the mesher finds no mesh.
    """
    from netgen import occ
    from netgen.meshing import MeshingParameters, MeshingStep

    faces: list[Any] = []
    whole = None
    for name, shape in solids:
        own = _crossed(occ, name, shape)
        whole = own if whole is None else whole + own
    if whole is not None:
        faces += list(whole.faces)
    outside = [_crossed(occ, name, shape) for name, shape in sheets]
    for rectangle in rectangles:
        outside.append(_rectangle(occ, rectangle.corners))
        outside[-1].faces.name = rectangle.name
    for own in outside:
        faces += list((own if whole is None else own - whole).faces)
    ends = {}
    for number, piece in enumerate(pieces):
        face = _rectangle(occ, piece.corners)
        face.faces.name = f"{_PIECE}{number}"
        ends[face.faces[0].name] = piece
        faces += list((face if whole is None else face - whole).faces)
    if not faces and not media:
        none = np.empty((0, 3), dtype=np.int64)
        return Meshed(np.empty((0, 3)), none, [], none[:, :2])
    glued = [f for f in occ.Glue(faces).faces if _kept(f, ends)] if faces else []
    filled = []
    for number, medium in enumerate(media):
        filled.append(_crossed(occ, medium.name, medium.shape))
        filled[-1].solids.name = str(number + 1)
    if filled and whole is not None:
        whole.solids.name = str(INSIDE)
        filled.append(whole)
    strips = {r.name for r in rectangles if r.strip}
    for face in glued:
        perimeter = sum(e.mass for e in face.edges)
        width = 2 * face.mass / perimeter if perimeter and face.name not in strips else np.inf
        face.maxh = min(largest, ACROSS * size * width)
    for own, medium in zip(filled, media, strict=False):
        own.faces.maxh = medium.largest
    geometry = occ.OCCGeometry(occ.Glue([*glued, *filled]))
    asked = {
        "maxh": largest,
        "perfstepsend": MeshingStep.MESHSURFACE,
        "grading": GRADING,
        "curvaturesafety": AROUND / size,
        "segmentsperedge": 1.0,
    }
    try:
        mesh = geometry.GenerateMesh(MeshingParameters(**asked))
        named = {medium.name for medium in media}
        metal = [f for f in geometry.shape.faces if f.name not in named]
        places = list(_gaps(metal, mesh, named, largest))
        if places:
            finer = MeshingParameters(**asked)
            for place, gap in places:
                finer.RestrictH(*place, h=float((RIM if media else GAP) * size * gap))
            mesh = geometry.GenerateMesh(finer)
    except Exception as error:
        raise ModelError(
            "the surfaces could not be divided into triangles; look for slivers and for parts that"
            " nearly touch"
        ) from error
    count = len(mesh.Points())
    mesh.SecondOrder()
    table = mesh.Elements2D().NumPy()
    nodes = table["nodes"][:, :6].astype(np.int64) - 1
    index = table["index"].astype(np.int64)
    described = [mesh.FaceDescriptor(i + 1) for i in range(index.max())]
    names = [ends[d.bcname].name if d.bcname in ends else d.bcname for d in described]
    of = [0, *(int(s.name) for s in geometry.shape.solids if filled)]
    sides = np.array([(of[d.domin], of[d.domout]) if filled else (0, 0) for d in described])
    points = np.array([p.p for p in mesh.Points()], dtype=float).reshape(-1, 3)
    return Meshed(
        _swollen(points, nodes, count),
        nodes[:, :3],
        [names[i - 1] for i in index],
        sides[index - 1],
    )


def _swollen(points: Floats, nodes: Ints, count: int) -> Floats:
    """The first ``count`` of the points (n, 3), moved outwards where faces and edges are bent, so
    that flat triangles hold as much as bent ones: ``nodes`` (T, 6) are their corners, and the
    middles of the sides across from the first, second and third.

    Of a surface that is bent like a parabola, the mean distance from a flat triangle is that of the
    middles of its sides. Points on flat faces stay in their planes.
    """
    corners = points[nodes[:, :3]]
    middles = 0.5 * (corners[:, [1, 0, 0]] + corners[:, [2, 2, 1]])
    off = (points[nodes[:, 3:]] - middles).mean(axis=1)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(normal, axis=1)
    normal, area = normal / size[:, None], 0.5 * size
    moved, weight = np.zeros((count, 3)), np.full(count, 1e-300)
    for k in range(3):
        np.add.at(moved, nodes[:, k], area[:, None] * off)
        np.add.at(weight, nodes[:, k], area)
    moved /= weight[:, None]
    flat = np.abs((off * normal).sum(axis=1)) < STRAIGHT * np.sqrt(size)
    held: dict[int, list[Floats]] = {}
    for t in np.flatnonzero(flat):
        for v in nodes[t, :3].tolist():
            if moved[v].any():
                held.setdefault(v, []).append(normal[t])
    for v, normals in held.items():
        _, sizes, axes = np.linalg.svd(np.array(normals), full_matrices=False)
        across = axes[sizes > HELD * sizes[0]]
        moved[v] -= across.T @ (across @ moved[v])
    return np.asarray(points[:count] + moved)


_PIECE = "\x00piece "
INSIDE = -1  # of metal


def _gaps(
    metal: Sequence[Any], mesh: Any, media: AbstractSet[str], largest: float
) -> Iterator[tuple[list[float], float]]:
    """Places at gaps narrower than ``largest``, and how wide they are there: between edges of
    faces of ``metal`` that do not meet, such as those of a slot, and between an edge and a face
    that it is above, which is not of one of the ``media``.
    """
    edges = {_ends(e): e for face in metal for e in _curves(face)}
    if not edges:
        return
    ends = list(edges)
    lines = [
        np.array([_point(e.Value(t)) for t in _places(*e.parameter_interval)])
        for e in edges.values()
    ]
    points = np.vstack(lines)
    owner = np.repeat(np.arange(len(lines)), LOOKED)
    sharing = np.array([[bool(set(a[:2]) & set(b[:2])) for b in ends] for a in ends])
    found = cKDTree(points)
    step = np.array([np.linalg.norm(np.diff(v, axis=0), axis=1).max() for v in lines])
    for n, near in enumerate(found.query_ball_point(points, largest)):
        others = [k for k in near if not sharing[owner[n], owner[k]]]
        if others:
            gaps = np.linalg.norm(points[others] - points[n], axis=1)
            k = int(gaps.argmin())
            # between two places of the other edge it may be nearer by half of its step
            gap = float(np.sqrt(max(gaps[k] ** 2 - (step[owner[others[k]]] / 2) ** 2, 0.0)))
            gap = max(gap, 0.5 * float(gaps[k]))
            if SAME * largest < gap < largest:
                yield points[n].tolist(), gap
    table = mesh.Elements2D().NumPy()
    index = table["index"].astype(np.int64)
    of_metal = [mesh.FaceDescriptor(i + 1).bcname not in media for i in range(index.max())]
    kept = np.array(of_metal)[index - 1]
    table, index = table[kept], index[kept]
    if not kept.any():
        return
    corners = np.array([p.p for p in mesh.Points()], dtype=float)[table["nodes"][:, :3] - 1]
    faces = [
        {tuple(p) for p in np.round(corners[index == i + 1].reshape(-1, 3), 9).tolist()}
        for i in range(index.max())
    ]
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    normal = np.cross(one, two)
    square = (normal**2).sum(axis=1)
    for n, place in enumerate(points):
        arm = place - corners[:, 0]
        height = np.abs((arm * normal).sum(axis=1)) / np.sqrt(square)
        u = (np.cross(arm, two) * normal).sum(axis=1) / square
        v = (np.cross(one, arm) * normal).sum(axis=1) / square
        own = ends[owner[n]]
        under = (u >= 0) & (v >= 0) & (u + v <= 1) & (height < largest) & (height > SAME * largest)
        for t in np.flatnonzero(under):
            if not faces[index[t] - 1] & set(own[:2]):
                foot = corners[t, 0] + u[t] * one[t] + v[t] * two[t]
                yield foot.tolist(), float(height[t])


def _curves(shape: Any) -> list[Any]:
    """Edges, without those that are a point, as at the pole of a sphere: they have no curve, and
    asking for a place on one ends the process.
    """
    return [e for e in shape.edges if e.mass > POINT]


def _ends(edge: Any) -> tuple[Any, ...]:
    """The ends and the middle of an edge, which tell it from others."""
    low, high = edge.parameter_interval
    return tuple(
        tuple(np.round(_point(edge.Value(t)), 9).tolist()) for t in (low, high, 0.5 * (low + high))
    )


def _places(low: float, high: float) -> list[float]:
    return [float(t) for t in np.linspace(low, high, LOOKED)]


def _point(p: Any) -> Floats:
    return np.array([p.x, p.y, p.z])


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
