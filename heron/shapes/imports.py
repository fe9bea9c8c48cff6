"""Bodies from files, with a report of what is wrong with them."""

from __future__ import annotations

import hashlib
import json
import re
import resource
import struct
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BinTools import BinTools
from OCP.BRepAlgoAPI import BRepAlgoAPI_Defeaturing
from OCP.TopoDS import TopoDS_Compound, TopoDS_Iterator

from heron.errors import HeronError, ModelError
from heron.shapes import exchange
from heron.shapes.bodies import Body, cached, key_of
from heron.shapes.kernel import (
    EDGE,
    FACE,
    SOLID,
    Shape,
    area,
    box,
    compound,
    guarded,
    mapped,
    middle,
    rough_area,
    subshapes,
    typed,
    valid,
    volume,
)
from heron.shapes.transforms import Matrix, scaling, shift

MAX_BYTES = 60_000_000
MAX_FACES = 200_000
MEMORY_BYTES = 6_000_000_000
PROCESSOR_S = 150
REFUSED = 2
PACKED = b"odd-heron shapes 1\n"
UNITS = {"m": 1.0, "mm": 1e-3, "um": 1e-6, "in": 0.0254}
Reader = Callable[[str, bytes, float], list[exchange.Named]]
CLOSE_LOOK = 1000  # faces: beyond, a report gives rough sizes and areas, and no volumes
SLIVER = 1e-3  # a face this much thinner than its size
SMALL = 1 / 50  # of a wavelength: holes and fillets that may be simplified


@dataclass(frozen=True)
class Finding:
    """One remark of an import report."""

    level: str  # "good", "look" or "stop"
    text: str


@dataclass
class Report:
    """What a file holds and what is wrong with it; sizes in m."""

    bodies: list[dict[str, Any]] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)


@guarded("the file's shapes")
def read(name: str, data: bytes, unit: str = "mm") -> list[exchange.Named]:
    """Bodies of a file, shapes in mm.

    :raises ModelError: of a kind that cannot be read, too large, cut off, or empty.
    """
    suffix = Path(name).suffix.lower()
    if len(data) > MAX_BYTES:
        raise ModelError(f"the file is larger than {MAX_BYTES // 1_000_000} MB")
    if suffix not in READERS:
        raise ModelError(
            f"“{name}” is of a kind that cannot be read; give a STEP, STL, OBJ or DXF file"
        )
    return READERS[suffix](name, data, UNITS[unit])


def _step(name: str, data: bytes, unit: float) -> list[exchange.Named]:
    if (
        not data.lstrip()[:13].upper().startswith(b"ISO-10303-21;")
        or b"END-ISO-10303-21" not in data[-200:].upper()
    ):
        raise ModelError(
            "this is not a STEP file, or it is cut off; export it again as AP203, AP214 or AP242"
        )
    faces = data.upper().count(b"ADVANCED_FACE")
    if faces > MAX_FACES:
        raise ModelError(
            f"the file has {faces:,} faces; up to {MAX_FACES:,} can be read. Leave out what is"
            " small, or simplify it where it was drawn"
        )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "import.step"
        path.write_bytes(data)
        return exchange.read_step(path)[0]


def _triangles(reader: Callable[[bytes], tuple[Any, Any]]) -> Reader:
    def read_triangles(name: str, data: bytes, unit: float) -> list[exchange.Named]:
        points, triangles = reader(data)
        points = points * (unit / 1e-3)
        shape, _ = exchange.sewn(points, triangles, 1e-6 * float(np.ptp(points, axis=0).max()))
        return [exchange.Named(Path(name).stem, shape)]

    return read_triangles


def _drawing(name: str, data: bytes, unit: float) -> list[exchange.Named]:
    from heron.shapes.drawings import read_dxf

    return read_dxf(data, unit)


# By ending: name, bytes, metres per unit of files that do not state theirs.
READERS: dict[str, Reader] = {
    ".step": _step,
    ".stp": _step,
    ".dxf": _drawing,
    ".stl": _triangles(exchange.read_stl),
    ".obj": _triangles(exchange.read_obj),
}


def packed(named: list[exchange.Named]) -> bytes:
    """Bodies in the kernel's own binary form, which is read many times faster than STEP."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shapes.bin"
        BinTools.Write_s(compound([n.shape for n in named]), str(path))
        body = path.read_bytes()
    head = json.dumps([{"name": n.name, "colour": n.colour} for n in named]).encode()
    return PACKED + struct.pack("<I", len(head)) + head + body


def unpacked(data: bytes) -> list[exchange.Named]:
    """What :func:`packed` wrote; never for bytes from outside."""
    at = len(PACKED)
    length = struct.unpack("<I", data[at : at + 4])[0]
    head = json.loads(data[at + 4 : at + 4 + length])
    whole = TopoDS_Compound()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shapes.bin"
        path.write_bytes(data[at + 4 + length :])
        BinTools.Read_s(whole, str(path))
    pieces = TopoDS_Iterator(whole)
    out = []
    for entry in head:
        out.append(exchange.Named(entry["name"], typed(pieces.Value()), entry["colour"]))
        pieces.Next()
    return out


def apart(name: str, data: bytes, unit: str = "mm") -> list[exchange.Named]:
    """As :func:`read`, in a process of its own with limits: a twisted file can bring the kernel
    down, and must not take us along.
    """
    try:
        done = subprocess.run(
            [sys.executable, "-m", "heron.shapes.imports", name, unit],
            input=data,
            capture_output=True,
            timeout=PROCESSOR_S + 30,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise ModelError(
            "reading the file takes too long; simplify it where it was drawn"
        ) from error
    if done.returncode == REFUSED:
        raise ModelError(done.stderr.decode().strip())
    if done.returncode:
        raise ModelError(
            "the file cannot be read: it is twisted, or takes more memory or time than allowed;"
            " export it again"
        )
    return unpacked(done.stdout)


def limit() -> None:
    """Holds this process to the memory and time that one file may take."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_S, PROCESSOR_S))


def main(name: str, unit: str) -> int:
    """The other side of :func:`apart`: a file on stdin, its bodies packed on stdout."""
    limit()
    try:
        sys.stdout.buffer.write(packed(read(name, sys.stdin.buffer.read(), unit)))
    except HeronError as error:
        print(error.message, file=sys.stderr)
        return REFUSED
    return 0


def imported(
    i: int,
    step: Any,
    frame: Matrix,
    unit: float,
    files: Callable[[str], bytes] | None,
    wavelength: float | None,
) -> list[Body]:
    """The bodies of an import step in world coordinates; simplified, without holes and fillets
    below a fiftieth of the ``wavelength`` (m).
    """
    if files is None:
        raise ModelError(f"the file “{step.file}” is not at hand here", ("file",))
    if not step.scale > 0:
        raise ModelError("the scale must be above zero", ("scale",))
    data = files(step.file)
    digest = hashlib.sha256(data).hexdigest()
    try:
        named = cached(
            ("file", digest, step.unit),
            lambda: (
                unpacked(data) if data.startswith(PACKED) else apart(step.file, data, step.unit)
            ),
        )
    except HeronError as error:
        raise error.within("file") from error
    place = frame @ shift(step.at) @ scaling(step.scale, (0.0, 0.0, 0.0))
    out: list[Body] = []
    for k, piece in enumerate(named):
        smallest = SMALL * wavelength / unit if step.simplify and wavelength else 0.0
        key = key_of("file", digest, step.unit, k, place, unit, smallest)
        shape = _placed(key, piece, place, unit, smallest)
        name = step.name if len(named) == 1 else f"{step.name}.{_plain(piece.name)}"
        while any(b.name == name for b in out):
            name += "+"
        out.append(
            Body(
                name, i, shape, step.material, unit, key, step.priority, piece.colour, imported=True
            )
        )
    return out


def _placed(key: str, piece: exchange.Named, place: Matrix, unit: float, smallest: float) -> Shape:
    def make() -> Shape:
        # Shapes of files are in mm; the map's lengths are in m.
        shape = mapped(mapped(piece.shape, scaling(1e-3 / unit, (0.0, 0.0, 0.0)), 1.0), place, unit)
        return simplified(shape, smallest)[0] if smallest else shape

    return cached(("import", key), make)


def _plain(name: str) -> str:
    return re.sub(r"[^\w .\-]", "_", name)[:40] or "body"


@guarded("the report on the file")
def report(named: list[exchange.Named], wavelength: float | None = None) -> Report:
    """Looks at bodies from a file (shapes in mm): open or invalid ones, slivers, equal faces,
    suspicious sizes.
    """
    out = Report()
    sizes = []
    close = sum(len(subshapes(piece.shape, FACE)) for piece in named) < CLOSE_LOOK
    for piece in named:
        faces = subshapes(piece.shape, FACE)
        low, high = box(piece.shape, tight=close)
        size = (high - low) * 1e-3
        sizes.append(size)
        solids = len(subshapes(piece.shape, SOLID))
        out.bodies.append(
            {
                "name": piece.name,
                "kind": "solid" if solids else "sheet",
                "faces": len(faces),
                "edges": len(subshapes(piece.shape, EDGE)),
                "volume_m3": (volume(piece.shape) if close else 0.0) * 1e-9,
                "area_m2": (area if close else rough_area)(piece.shape) * 1e-6,
                "size_m": size.tolist(),
                "colour": piece.colour,
            }
        )
        if not solids:
            out.findings.append(
                Finding("look", f"“{piece.name}” does not close: it is a sheet, not a solid")
            )
        if not valid(piece.shape):
            out.findings.append(
                Finding(
                    "stop",
                    f"“{piece.name}” has faces that cross or do not meet; repair it where it was"
                    " drawn",
                )
            )
        thin = sum(_sliver(f) for f in faces)
        if thin:
            out.findings.append(
                Finding(
                    "look",
                    f"“{piece.name}” has {thin} slivers, a thousand times longer than wide; they"
                    " make fine grids",
                )
            )
        double = _double(faces)
        if double:
            out.findings.append(
                Finding(
                    "look",
                    f"“{piece.name}” has {double} {'face' if double == 1 else 'faces'} twice in the"
                    " same place",
                )
            )
    largest = float(max((s.max() for s in sizes), default=0.0))
    if wavelength:
        ratio = largest / wavelength
        if not 1e-3 < ratio < 1e3:
            out.findings.append(
                Finding("look", f"the largest side is {ratio:.3g} wavelengths; is the unit right?")
            )
    return out


def _sliver(face: Shape) -> bool:
    low, high = box(face, tight=False)
    long = float(np.linalg.norm(high - low))
    return rough_area(face) < SLIVER * long * long and len(subshapes(face, EDGE)) > 1


def _double(faces: list[Shape]) -> int:
    seen: set[tuple[float, ...]] = set()
    count = 0
    for face in faces:
        low, high = box(face, tight=False)
        scale = max(float(np.abs(np.concatenate((low, high))).max()), 1e-12)
        key = tuple(
            np.round(
                np.concatenate((low, high, middle(face), [np.sqrt(rough_area(face))])) / scale, 7
            ).tolist()
        )
        count += key in seen
        seen.add(key)
    return count


def simplified(shape: Shape, smallest: float) -> tuple[Shape, int]:
    """A solid without its round faces of a radius below ``smallest`` (units of the shape): small
    holes and fillets; and how many went.
    """
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.GeomAbs import GeomAbs_SurfaceType

    small = []
    for face in subshapes(shape, FACE):
        surface = BRepAdaptor_Surface(face)
        if (
            surface.GetType() == GeomAbs_SurfaceType.GeomAbs_Cylinder
            and surface.Cylinder().Radius() < smallest
        ):
            small.append(face)
    if not small:
        return shape, 0
    made = BRepAlgoAPI_Defeaturing()
    made.SetShape(shape)
    for face in small:
        made.AddFaceToRemove(face)
    made.Build()
    return (made.Shape(), len(small)) if made.IsDone() and valid(made.Shape()) else (shape, 0)


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
