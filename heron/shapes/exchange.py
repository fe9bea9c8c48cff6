"""STEP, STL and OBJ to shapes and back, glTF out. Files are read by path; sizes are checked
before.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepLib import BRepLib
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_ProgressRange
from OCP.Quantity import Quantity_Color, Quantity_TOC_RGB
from OCP.RWGltf import RWGltf_CafWriter
from OCP.RWMesh import RWMesh_CoordinateSystem
from OCP.STEPCAFControl import STEPCAFControl_Reader, STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_AsciiString, TCollection_ExtendedString
from OCP.TColStd import TColStd_IndexedDataMapOfStringString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label, TDF_LabelSequence
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Shell
from OCP.XCAFDoc import XCAFDoc_ColorType, XCAFDoc_DocumentTool, XCAFDoc_ShapeTool

from heron.errors import ModelError
from heron.shapes.kernel import (
    FACE,
    SHELL,
    SOLID,
    Floats,
    Shape,
    compound,
    guarded,
    mapped,
    simplest,
    subshapes,
)
from heron.shapes.mesh import Ints, triangulate

MAX_TRIANGLES = 200_000
# the kernel's readers and writers talk to stdout
Message.DefaultMessenger_s().ChangePrinters().Clear()


@dataclass(frozen=True)
class Named:
    """A shape in metres with the name and colour (#rrggbb or empty) it has in its file."""

    name: str
    shape: Shape
    colour: str = ""


# --- STEP -------------------------------------------------------------------------------


def write_step(bodies: list[Named], path: Path, unit: float) -> None:
    """Writes bodies (shapes in ``unit`` metres) with names and colours; the file is in mm, or µm
    for small models.
    """
    name, size = ("MM", 1e-3) if unit > 1e-5 else ("UM", 1e-6)
    Interface_Static.SetCVal_s("write.step.unit", name)
    Interface_Static.SetCVal_s("xstep.cascade.unit", name)
    document, tool = _document()
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    grow = np.diag([unit / size, unit / size, unit / size, 1.0])
    for body in bodies:
        label = tool.AddShape(_shell(mapped(body.shape, grow, 1.0)), False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(body.name, True))
        if body.colour:
            colours.SetColor(label, _colour_of(body.colour), XCAFDoc_ColorType.XCAFDoc_ColorSurf)
    writer = STEPCAFControl_Writer()
    if (
        not writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
        or writer.Write(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone
    ):
        raise ModelError("the STEP file could not be written")


def _shell(shape: Shape) -> Shape:
    """A lone face as a shell: STEP keeps names and colours of shells, not of faces."""
    if shape.ShapeType() != FACE:
        return shape
    out = TopoDS_Shell()
    builder = BRep_Builder()
    builder.MakeShell(out)
    builder.Add(out, shape)
    return out


def _document() -> tuple[Any, Any]:
    document = TDocStd_Document(TCollection_ExtendedString("heron"))
    return document, XCAFDoc_DocumentTool.ShapeTool_s(document.Main())


@guarded("the STEP file's shapes")
def read_step(path: Path) -> tuple[list[Named], float]:
    """Bodies of a STEP file (assemblies flattened, names and colours kept), and the metres per unit
    of their shapes.

    The file's own length unit is honoured.
    """
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise ModelError(
            "this is not a STEP file, or it is cut off; export it again as AP203, AP214 or AP242"
        )
    document, tool = _document()
    if not reader.Transfer(document):
        raise ModelError("the STEP file holds no shapes that can be read")
    free = TDF_LabelSequence()
    tool.GetFreeShapes(free)
    out: list[Named] = []
    for k in range(1, free.Length() + 1):
        _collect(
            free.Value(k),
            TopLoc_Location(),
            XCAFDoc_DocumentTool.ColorTool_s(document.Main()),
            "",
            out,
        )
    if not out:
        raise ModelError("the STEP file holds no solids or sheets")
    return out, 1e-3


def _collect(
    label: TDF_Label, place: TopLoc_Location, colours: Any, colour: str, out: list[Named]
) -> None:
    colour = _colour(label, colours) or colour
    if XCAFDoc_ShapeTool.IsAssembly_s(label):
        parts = TDF_LabelSequence()
        XCAFDoc_ShapeTool.GetComponents_s(label, parts, False)
        for k in range(1, parts.Length() + 1):
            component = parts.Value(k)
            target = TDF_Label()
            if XCAFDoc_ShapeTool.GetReferredShape_s(component, target):
                _collect(
                    target,
                    place.Multiplied(XCAFDoc_ShapeTool.GetLocation_s(component)),
                    colours,
                    _colour(component, colours) or colour,
                    out,
                )
        return
    shape = XCAFDoc_ShapeTool.GetShape_s(label)
    if shape is None or shape.IsNull():
        return
    shape = shape.Moved(place)
    colour = colour or _shape_colour(shape, colours)
    name = _name(label)
    pieces = (
        subshapes(shape, SOLID) or [s for s in subshapes(shape, SHELL)] or subshapes(shape, FACE)
    )
    for i, piece in enumerate(pieces):
        out.append(Named(name if len(pieces) == 1 else f"{name} {i + 1}", simplest(piece), colour))


def _name(label: TDF_Label) -> str:
    found = TDataStd_Name()
    return (
        found.Get().ToExtString() if label.FindAttribute(TDataStd_Name.GetID_s(), found) else "body"
    )


_SORTS = (
    XCAFDoc_ColorType.XCAFDoc_ColorSurf,
    XCAFDoc_ColorType.XCAFDoc_ColorGen,
    XCAFDoc_ColorType.XCAFDoc_ColorCurv,
)


def _colour(label: TDF_Label, colours: Any) -> str:
    found = Quantity_Color()
    return next((_hex(found) for sort in _SORTS if colours.GetColor_s(label, sort, found)), "")


def _shape_colour(shape: Shape, colours: Any) -> str:
    found = Quantity_Color()
    return next((_hex(found) for sort in _SORTS if colours.GetColor(shape, sort, found)), "")


def _colour_of(text: str) -> Any:
    return Quantity_Color(*(int(text[k : k + 2], 16) / 255 for k in (1, 3, 5)), Quantity_TOC_RGB)


def _hex(colour: Any) -> str:
    return "#" + "".join(
        f"{round(255 * c):02x}" for c in (colour.Red(), colour.Green(), colour.Blue())
    )


def write_gltf(bodies: list[Named], path: Path, unit: float) -> None:
    """Writes binary glTF 2.0 in metres, y up as that format wants."""
    document, tool = _document()
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    for body in bodies:
        triangulate(body.shape)
        label = tool.AddShape(body.shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(body.name, True))
        colours.SetColor(
            label, _colour_of(body.colour or "#7c8a96"), XCAFDoc_ColorType.XCAFDoc_ColorSurf
        )
    writer = RWGltf_CafWriter(TCollection_AsciiString(str(path)), True)
    writer.ChangeCoordinateSystemConverter().SetInputLengthUnit(unit)
    writer.ChangeCoordinateSystemConverter().SetInputCoordinateSystem(
        RWMesh_CoordinateSystem.RWMesh_CoordinateSystem_posYfwd_posZup
    )
    if not writer.Perform(
        document, TColStd_IndexedDataMapOfStringString(), Message_ProgressRange()
    ):
        raise ModelError("the glTF file could not be written")


# --- triangle files ---------------------------------------------------------------------


def write_stl(
    bodies: list[Named], path: Path, unit: float, deflection: float | None = None
) -> None:
    """Binary STL in millimetres, one file for all bodies; triangles within ``deflection`` (m) of
    the surfaces.
    """
    records = []
    for body in bodies:
        mesh = triangulate(body.shape, None if deflection is None else deflection / unit)
        corners = (mesh.points * (unit * 1e3))[mesh.triangles]
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
        block = np.zeros(len(corners), dtype=[("v", "<f4", (4, 3)), ("a", "<u2")])
        block["v"][:, 0], block["v"][:, 1:] = normals, corners
        records.append(block)
    total = (
        np.concatenate(records)
        if records
        else np.zeros(0, dtype=[("v", "<f4", (4, 3)), ("a", "<u2")])
    )
    path.write_bytes(
        b"Odd Heron, binary STL, mm".ljust(80) + struct.pack("<I", len(total)) + total.tobytes()
    )


def read_stl(data: bytes) -> tuple[Floats, Ints]:
    """Points (n, 3) and triangles (m, 3) of a binary or text STL, equal corners merged.

    :raises ModelError: not an STL, cut off, too large, or with coordinates that are no numbers.
    """
    if len(data) >= 84:
        count = struct.unpack("<I", data[80:84])[0]
        if len(data) == 84 + 50 * count:
            _bounded(count)
            block = np.frombuffer(data[84:], dtype=[("v", "<f4", (4, 3)), ("a", "<u2")])
            return _merged(block["v"][:, 1:].reshape(-1, 3).astype(float))
    if data[:5].lower() != b"solid":
        raise ModelError(
            "this is not an STL file, or it is cut off: its length does not fit the number of"
            " triangles it states"
        )
    words = data.split()
    rows = [words[i + 1 : i + 4] for i, w in enumerate(words) if w == b"vertex"]
    if not rows or len(rows) % 3 or len(rows[-1]) < 3 or b"endsolid" not in words[-200:]:
        raise ModelError("the STL file is cut off: its last triangle is not whole")
    _bounded(len(rows) // 3)
    try:
        corners = np.array(rows, dtype=float)
    except ValueError as error:
        raise ModelError("the STL file has coordinates that are no numbers") from error
    return _merged(corners)


def read_obj(data: bytes) -> tuple[Floats, Ints]:
    """Points and triangles of an OBJ file; polygons become fans, everything but v and f is passed
    over.
    """
    points: list[list[float]] = []
    triangles: list[tuple[int, int, int]] = []
    try:
        for raw in data.decode("utf-8", "replace").splitlines():
            words = raw.split()
            if not words:
                continue
            if words[0] == "v":
                points.append([float(w) for w in words[1:4]])
            elif words[0] == "f":
                corners = [int(w.split("/")[0]) for w in words[1:]]
                corners = [c - 1 if c > 0 else len(points) + c for c in corners]
                triangles += [
                    (corners[0], corners[k], corners[k + 1]) for k in range(1, len(corners) - 1)
                ]
                _bounded(len(triangles))
        at = np.array(points, dtype=float).reshape(-1, 3)
    except (ValueError, IndexError) as error:
        raise ModelError(
            "the OBJ file has a line that cannot be read; export it again with v and f lines"
        ) from error
    index = np.array(triangles, dtype=np.int32).reshape(-1, 3)
    if not len(index) or index.min() < 0 or index.max() >= len(at):
        raise ModelError("the OBJ file has no faces, or faces with corners that do not exist")
    return _merged(at[index].reshape(-1, 3))


def _bounded(count: int) -> None:
    if count > MAX_TRIANGLES:
        raise ModelError(
            f"the file has {count:,} triangles; up to {MAX_TRIANGLES:,} can be joined into a body."
            " Reduce it, or import the STEP original"
        )


def _merged(corners: Floats) -> tuple[Floats, Ints]:
    if not np.isfinite(corners).all():
        raise ModelError("the file has coordinates that are no numbers")
    size = float(np.ptp(corners, axis=0).max())
    if size == 0:
        raise ModelError("the file's triangles have no extent")
    _, first, index = np.unique(
        np.round(corners / (1e-7 * size)), axis=0, return_index=True, return_inverse=True
    )
    triangles = index.reshape(-1, 3).astype(np.int32)
    sound = (
        (triangles[:, 0] != triangles[:, 1])
        & (triangles[:, 1] != triangles[:, 2])
        & (triangles[:, 0] != triangles[:, 2])
    )
    return corners[first], triangles[sound]


@guarded("a body from the triangles")
def sewn(points: Floats, triangles: Ints, tolerance: float) -> tuple[Shape, bool]:
    """A solid from triangles that close, otherwise a sheet; and whether they close."""
    from OCP.gp import gp_Pnt

    places = [gp_Pnt(*(float(c) for c in p)) for p in points]
    made = BRepBuilderAPI_Sewing(tolerance)
    for a, b, c in triangles:
        polygon = BRepBuilderAPI_MakePolygon(places[a], places[b], places[c], True)
        if polygon.IsDone():
            face = BRepBuilderAPI_MakeFace(polygon.Wire(), True)
            if face.IsDone():
                made.Add(face.Face())
    made.Perform()
    if made.SewedShape() is None or made.SewedShape().IsNull():
        raise ModelError("the file has no triangles with an area")
    shells = subshapes(made.SewedShape(), SHELL)
    if not shells:
        return made.SewedShape(), False
    solids = []
    for shell in shells:
        if not shell.Closed():
            return compound(shells) if len(shells) > 1 else shells[0], False
        solid = BRepBuilderAPI_MakeSolid(shell).Solid()
        BRepLib.OrientClosedSolid_s(solid)
        solids.append(solid)
    return simplest(compound(solids)), True
