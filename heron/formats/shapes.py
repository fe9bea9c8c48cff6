"""A model's geometry as files: STEP, STL and glTF, with a summary."""

from __future__ import annotations

import math
import tempfile
from pathlib import Path
from typing import Any

from heron.geometry import Geometry
from heron.geometry.tessellate import polyline
from heron.model import Evaluated
from heron.model.substances import conducting
from heron.shapes.exchange import Named, write_gltf, write_step, write_stl
from heron.shapes.primitives import round_rod

METAL, MEDIUM = "#7c8a96", "#a9b89a"


def write_all(examination: Any, folder: Path, deflection: float | None = None) -> dict[str, Any]:
    """Writes ``geometry.step``, ``.stl`` and ``.glb`` of an examined model's solids, sheets, and
    wires as rods of their radius.

    :returns: the summary: ``parts``, ``joined``, ``displaced`` and ``problems``; lengths in m,
        areas in m², volumes in m³.
    """
    geometry = examination.geometry
    named = bodies(examination.model, geometry)
    if named:
        write_step(named, folder / "geometry.step", geometry.unit)
        write_stl(named, folder / "geometry.stl", geometry.unit, deflection)
        write_gltf(named, folder / "geometry.glb", geometry.unit)
    return {
        "parts": parts(geometry),
        "joined": [[c.first, c.second] for c in examination.contacts if c.joined]
        + _wire_joints(examination),
        "displaced": [list(pair) for pair in geometry.placed.taken],
        "problems": [
            {"level": p.level, "code": p.code, "message": p.message, "path": list(p.path)}
            for p in examination.problems
        ],
    }


def bodies(model: Evaluated, geometry: Geometry) -> list[Named]:
    """Solids and sheets as they are, wires as rods of their radius, with names and colours."""
    named = [
        Named(b.name, b.shape, b.colour or (METAL if conducting(model, b.material) else MEDIUM))
        for b in geometry.placed.bodies
    ]
    return named + [
        Named(p.name, round_rod(polyline(p), p.radius, geometry.unit), METAL)
        for p in geometry.parts
    ]


def structure_gltf(model: Evaluated, geometry: Geometry) -> bytes:
    """Binary glTF of a model's parts, in m, y up; empty for a model without any."""
    named = bodies(model, geometry)
    if not named:
        return b""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "structure.glb"
        write_gltf(named, path, geometry.unit)
        return path.read_bytes()


def parts(geometry: Geometry) -> list[dict[str, Any]]:
    """Every part in the order of its step, with its figures."""
    out = []
    for b in geometry.placed.bodies:
        low, high = b.bounds
        out.append(
            (
                b.step,
                {
                    "name": b.name,
                    "material": b.material,
                    "kind": "solid" if b.solid else "sheet",
                    "volume_m3": b.volume,
                    "area_m2": b.area,
                    "bounding_box_m": [low.tolist(), high.tolist()],
                },
            )
        )
    for p in geometry.parts:
        points = list(zip(*polyline(p), strict=True))
        length = p.path.length
        out.append(
            (
                p.step,
                {
                    "name": p.name,
                    "material": p.conductor.name,
                    "kind": "wire",
                    "volume_m3": math.pi * p.radius**2 * length,
                    "area_m2": 2 * math.pi * p.radius * length,
                    "bounding_box_m": [[min(c) for c in points], [max(c) for c in points]],
                },
            )
        )
    return [entry for _, entry in sorted(out, key=lambda pair: pair[0])]


def _wire_joints(examination: Any) -> list[list[str]]:
    mesh = getattr(examination.discretisation, "mesh", None)
    return [list(j.parts) for j in mesh.joints] if mesh else []
