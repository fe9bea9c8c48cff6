"""The few calls of the Open CASCADE kernel that the rest needs, with our errors.

Shapes are in model units: a power of ten of a metre, so that the kernel's absolute tolerance
of 1e-7 stays small against every feature, from a ship to a gold particle.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import wraps
from typing import Any, ParamSpec, TypeVar

import numpy as np
from numpy.typing import NDArray
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepAlgoAPI import (
    BRepAlgoAPI_BooleanOperation,
    BRepAlgoAPI_Common,
    BRepAlgoAPI_Cut,
    BRepAlgoAPI_Fuse,
    BRepAlgoAPI_Splitter,
)
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_GTransform,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_Transform,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_GTrsf, gp_Mat, gp_Pnt, gp_Trsf, gp_XYZ
from OCP.GProp import GProp_GProps
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.Standard import Standard_Failure
from OCP.TopAbs import TopAbs_ShapeEnum as Kind
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Compound
from OCP.TopTools import TopTools_IndexedMapOfShape, TopTools_ListOfShape

from heron.errors import ModelError
from heron.shapes.transforms import Matrix

Shape = Any
Floats = NDArray[np.float64]
P = ParamSpec("P")
R = TypeVar("R")

DEFAULT_UNIT = 1e-3  # m
EXACT = 1e-9  # relative error asked of adaptive volume and area integrals

FACE, EDGE, VERTEX, SOLID, SHELL, WIRE = (
    Kind.TopAbs_FACE,
    Kind.TopAbs_EDGE,
    Kind.TopAbs_VERTEX,
    Kind.TopAbs_SOLID,
    Kind.TopAbs_SHELL,
    Kind.TopAbs_WIRE,
)
_CAST = {
    FACE: TopoDS.Face_s,
    EDGE: TopoDS.Edge_s,
    VERTEX: TopoDS.Vertex_s,
    SOLID: TopoDS.Solid_s,
    SHELL: TopoDS.Shell_s,
    WIRE: TopoDS.Wire_s,
}


def guarded(what: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """The kernel's own failures as ours: ``what`` could not be made."""

    def wrap(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def inner(*args: P.args, **kwargs: P.kwargs) -> R:
            try:
                return function(*args, **kwargs)
            except (Standard_Failure, RuntimeError) as error:
                raise ModelError(
                    f"{what} cannot be made ({type(error).__name__.removeprefix('Standard_')})"
                ) from error

        return inner

    return wrap


def unit_for(wavelength: float | None) -> float:
    """Metres per model unit: a wavelength is 100 to 1000 units; millimetres when there is no band.

    The kernel treats points closer than 1e-7 units as one, so 1e-9 of a wavelength.
    """
    if wavelength is None or not np.isfinite(wavelength) or wavelength <= 0:
        return DEFAULT_UNIT
    return float(10.0 ** np.clip(np.floor(np.log10(wavelength) + 1e-9) - 2, -12, 0))


def point(p: Sequence[float] | Floats, unit: float) -> gp_Pnt:
    """A point given in metres."""
    return gp_Pnt(*(float(c) / unit for c in p))


def subshapes(shape: Shape, kind: Kind) -> list[Shape]:
    """All different subshapes of a kind, in a fixed order."""
    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, kind, found)
    cast = _CAST[kind]
    return [cast(found.FindKey(i)) for i in range(1, found.Extent() + 1)]


def typed(shape: Shape) -> Shape:
    """A shape as its own class rather than the general one."""
    cast = _CAST.get(shape.ShapeType())
    return cast(shape) if cast else shape


def listed(shapes: Iterable[Shape]) -> TopTools_ListOfShape:
    """Shapes as the kernel takes lists."""
    out = TopTools_ListOfShape()
    for shape in shapes:
        out.Append(shape)
    return out


def compound(shapes: Iterable[Shape]) -> Shape:
    """Shapes as one."""
    builder, out = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(out)
    for shape in shapes:
        builder.Add(out, shape)
    return out


# --- figures ----------------------------------------------------------------------------


def volume(shape: Shape) -> float:
    """Volume in cubic units, exact to about 1e-9; 0 for sheets."""
    if not subshapes(shape, SOLID):
        return 0.0
    found = GProp_GProps()
    BRepGProp.VolumePropertiesGK_s(shape, found, EXACT, True)
    return float(found.Mass())


def area(shape: Shape) -> float:
    """Area of all faces in square units, exact to about 1e-9."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found, EXACT)
    return float(found.Mass())


def surface_moments(shape: Shape) -> tuple[float, Floats, Floats]:
    """Area of all faces, its centre (3,), and its matrix of inertia (3, 3) about that centre, in
    powers of the unit.
    """
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found, EXACT)
    centre, inertia = found.CentreOfMass(), found.MatrixOfInertia()
    return (
        float(found.Mass()),
        np.array([centre.X(), centre.Y(), centre.Z()]),
        np.array([[inertia.Value(r, c) for c in (1, 2, 3)] for r in (1, 2, 3)]),
    )


def rough_area(shape: Shape) -> float:
    """Area of all faces by a fixed quadrature: good to a few per mille, and fast."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found)
    return float(found.Mass())


def middle(shape: Shape) -> Floats:
    """Centre (3,) of the surface, by a fixed quadrature."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found)
    at = found.CentreOfMass()
    return np.array([at.X(), at.Y(), at.Z()])


def box(shape: Shape, tight: bool = True) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,): around the exact surfaces, or quickly around their control
    points.
    """
    found = Bnd_Box()
    if tight and not all(
        BRepAdaptor_Surface(f).GetType() == GeomAbs_SurfaceType.GeomAbs_Plane
        for f in subshapes(shape, FACE)
    ):
        BRepBndLib.AddOptimal_s(shape, found, False, False)
    else:
        BRepBndLib.Add_s(shape, found, False)
    if found.IsVoid():
        return np.zeros(3), np.zeros(3)
    found.SetGap(0.0)
    low, high = found.CornerMin(), found.CornerMax()
    return np.array([low.X(), low.Y(), low.Z()]), np.array([high.X(), high.Y(), high.Z()])


def distance(a: Shape, b: Shape) -> tuple[float, Floats]:
    """Least distance between two shapes, and a point of the first where it is reached."""
    found = BRepExtrema_DistShapeShape(a, b)
    at = found.PointOnShape1(1)
    return float(found.Value()), np.array([at.X(), at.Y(), at.Z()])


def nearest(shape: Shape, at: Sequence[float] | Floats, unit: float) -> Floats:
    """The point (3,) m of a shape that is nearest to one given in m."""
    vertex = BRepBuilderAPI_MakeVertex(point(at, unit)).Vertex()
    return distance(shape, vertex)[1] * unit


def valid(shape: Shape) -> bool:
    """Whether the kernel finds nothing wrong."""
    return bool(BRepCheck_Analyzer(shape).IsValid())


# --- maps and Booleans ------------------------------------------------------------------


def mapped(shape: Shape, m: Matrix, unit: float) -> Shape:
    """A shape through an affine map of SI coordinates (4×4); rigid maps and scales keep surfaces
    exact.
    """
    if np.array_equal(m, np.eye(4)):
        return shape
    linear, offset = m[:3, :3], m[:3, 3] / unit
    scale = float(np.cbrt(abs(np.linalg.det(linear))))
    if np.allclose(linear @ linear.T, scale**2 * np.eye(3), rtol=0, atol=1e-9 * scale**2):
        rigid = gp_Trsf()
        turn = np.column_stack((linear, offset))
        rigid.SetValues(*(float(v) for v in turn.ravel()))
        return BRepBuilderAPI_Transform(shape, rigid, True).Shape()
    general = gp_GTrsf(
        gp_Mat(*(float(v) for v in linear.ravel())), gp_XYZ(*(float(v) for v in offset))
    )
    return BRepBuilderAPI_GTransform(shape, general, True).Shape()


_OPERATIONS: dict[str, type[BRepAlgoAPI_BooleanOperation]] = {
    "fuse": BRepAlgoAPI_Fuse,
    "cut": BRepAlgoAPI_Cut,
    "intersect": BRepAlgoAPI_Common,
    "imprint": BRepAlgoAPI_Splitter,
}


@guarded("the combination")
def combined(operation: str, first: Shape, others: Sequence[Shape]) -> Shape:
    """Fuse, cut, intersect or imprint; coplanar neighbours of a fuse become one face.

    :raises ModelError: nothing is left, or the kernel fails.
    """
    made = _OPERATIONS[operation]()
    made.SetArguments(listed([first]))
    made.SetTools(listed(others))
    made.SetRunParallel(False)
    made.Build()
    if not made.IsDone():
        raise ModelError(
            f"the parts cannot be combined: {operation} failed; look for faces that touch at a"
            " tangent, and overlap them clearly"
        )
    result = made.Shape()
    return simplest(result if operation == "imprint" else _unified(result))


def _unified(shape: Shape) -> Shape:
    """Neighbouring faces on one surface as one face, unless that spoils the shape (the kernel fails
    on some spheres).
    """
    made = ShapeUpgrade_UnifySameDomain(shape, True, True, False)
    made.Build()
    out = made.Shape()
    same = valid(out) and abs(area(out) - area(shape)) <= 1e-7 * area(shape)
    return out if same else shape


def simplest(shape: Shape) -> Shape:
    """A compound or shell of one member is that member."""
    solids = subshapes(shape, SOLID)
    if len(solids) == 1 and len(subshapes(solids[0], FACE)) == len(subshapes(shape, FACE)):
        return solids[0]
    faces = subshapes(shape, FACE)
    return faces[0] if not solids and len(faces) == 1 else shape


def empty(shape: Shape) -> bool:
    """Whether there is nothing in it."""
    return not subshapes(shape, FACE)
