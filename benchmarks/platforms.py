"""Made-up platforms to mount antennas on, written as STEP: ``python -m benchmarks.platforms
skiff|drone|hide OUT.step [--rivets N]``.

Rivets are there to make files as large as real ones: each adds a body of three faces.
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from heron.geometry import build_geometry
from heron.model import evaluate_document, load_document
from heron.shapes.exchange import Named, write_step

COLOURS = {
    "hull": "#8a5a3c",
    "thwart": "#b08a5a",
    "mast": "#7c8a96",
    "console": "#566471",
    "frame": "#33424f",
    "rotor": "#22313f",
    "wall": "#9b8562",
    "roof": "#6b7a5c",
}


ROW = 100


def box(
    name: str, corner: tuple[float, float, float], size: tuple[float, float, float], **more: Any
) -> dict[str, Any]:
    return {
        "kind": "box",
        "name": name,
        "corner": [f"{c} m" for c in corner],
        "size": [f"{s} m" for s in size],
        **more,
    }


def cylinder(
    name: str, centre: tuple[float, float, float], radius: float, height: float, axis: str = "z"
) -> dict[str, Any]:
    return {
        "kind": "cylinder",
        "name": name,
        "centre": [f"{c} m" for c in centre],
        "radius": f"{radius} m",
        "height": f"{height} m",
        "axis": axis,
    }


def section(z: float, width: float, height: float, y: float = 0.0) -> dict[str, Any]:
    return {"at": ["0", f"{y} m", f"{z} m"], "width": f"{width} m", "height": f"{height} m"}


def skiff() -> list[dict[str, Any]]:
    """A flat-bottomed boat of 4.2 m along x, bottom at z = 0, with thwarts, a console and a
    mast.
    """
    stations = [(0.0, 1.3, 0.50), (1.4, 1.6, 0.52), (2.8, 1.4, 0.55), (4.2, 0.24, 0.62)]
    outer = [section(x, h, w, 0.0) | {"at": [f"{-h / 2} m", "0", f"{x} m"]} for x, w, h in stations]
    inner = [
        {"at": [f"{-h / 2 - 0.03} m", "0", f"{x} m"], "width": f"{h} m", "height": f"{w - 0.06} m"}
        for x, w, h in [(0.03, 1.3, 0.50), (1.4, 1.6, 0.52), (2.8, 1.4, 0.55), (4.1, 0.36, 0.61)]
    ]
    parts: list[dict[str, Any]] = [
        {"kind": "loft", "name": "outside", "sections": outer, "frame": "along"},
        {"kind": "loft", "name": "inside", "sections": inner, "frame": "along"},
        {
            "kind": "combine",
            "name": "hull",
            "operation": "cut",
            "first": "outside",
            "others": ["inside"],
        },
    ]
    parts += [
        box(f"thwart {i}", (x, -0.5, 0.3), (0.22, 1.0, 0.03)) for i, x in enumerate((0.5, 2.6), 1)
    ]
    parts += [
        box("console", (1.5, -0.25, 0.03), (0.35, 0.5, 0.72)),
        cylinder("mast", (1.67, 0.0, 0.75), 0.02, 1.1),
    ]
    return parts


def drone() -> list[dict[str, Any]]:
    """Four arms of 0.25 m with rotor guards round a flat body."""
    parts = [box("body", (-0.08, -0.08, -0.02), (0.16, 0.16, 0.04))]
    for i, (x, y) in enumerate(((1, 1), (1, -1), (-1, 1), (-1, -1))):
        parts.append(
            {
                "kind": "rod",
                "name": f"frame {i}",
                "points": [["0", "0", "0"], [f"{0.18 * x} m", f"{0.18 * y} m", "0"]],
                "radius": "8 mm",
            }
        )
        parts.append(
            {
                "kind": "torus",
                "name": f"rotor {i}",
                "centre": [f"{0.18 * x} m", f"{0.18 * y} m", "0.03 m"],
                "bend": "0.12 m",
                "radius": "4 mm",
            }
        )
    return parts


def hide() -> list[dict[str, Any]]:
    """A bird hide: four walls with a viewing slot, a pitched roof."""
    roof = [{"to": ["-1.7 m", "2.1 m"]}, {"to": ["1.7 m", "2.1 m"]}, {"to": ["0", "2.9 m"]}]
    return [
        box("outside", (-2, -1.5, 0), (4, 3, 2.1)),
        box("inside", (-1.9, -1.4, 0.1), (3.8, 2.8, 2.1)),
        box("slot", (-1.6, -1.6, 1.2), (3.2, 0.3, 0.35)),
        {
            "kind": "combine",
            "name": "wall",
            "operation": "cut",
            "first": "outside",
            "others": ["inside", "slot"],
        },
        {
            "kind": "prism",
            "name": "roof",
            "outline": roof,
            "base": "-2.2 m",
            "height": "4.4 m",
            "frame": "gable",
        },
    ]


PLATFORMS = {"skiff": skiff, "drone": drone, "hide": hide}


def write(name: str, path: Path, rivets: int = 0) -> None:
    """Writes a platform with its colours, and so many rivets in rows beside it."""
    parts = PLATFORMS[name]()
    if rivets:
        parts += [
            cylinder("rivet", (0.0, 3.0, 0.0), 0.004, 0.006),
            {"kind": "edges", "name": "rivet 0", "source": "rivet", "size": "1 mm"},
        ]
        for row in range(-(-rivets // ROW)):
            name = f"rivet {row}"
            parts.append(
                {
                    "kind": "copy",
                    "name": f"row {row}",
                    "source": name,
                    "operation": "move",
                    "by": ["0.02 m", "0", "0"],
                    "count": str(ROW - 1),
                }
            )
            parts.append(
                {
                    "kind": "copy",
                    "name": f"rivet {row + 1}",
                    "source": name,
                    "operation": "move",
                    "by": ["0", "0.02 m", "0"],
                }
            )
    frames = [
        {"name": "along", "origin": ["0", "0", "0"], "turn": ["0", "90 deg", "0"]},
        {"name": "gable", "origin": ["0", "0", "0"], "turn": ["90 deg", "0", "90 deg"]},
    ]
    model = evaluate_document(
        load_document(
            {
                "name": name,
                "parts": parts,
                "frames": frames,
                "plan": {"f_start": "1 GHz", "f_stop": "1 GHz"},
            }
        )
    )
    geometry = build_geometry(model)
    if model.errors or geometry.errors:
        raise SystemExit(str((model.errors + geometry.errors)[0]))
    write_step(
        [
            Named(
                b.name, b.shape, next((c for k, c in COLOURS.items() if b.name.startswith(k)), "")
            )
            for b in geometry.bodies
        ],
        path,
        geometry.unit,
    )


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("platform", choices=sorted(PLATFORMS))
    parser.add_argument("out", type=Path)
    parser.add_argument("--rivets", type=int, default=0)
    given = parser.parse_args()
    write(given.platform, given.out, given.rivets)
