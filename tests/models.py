"""Small documents, and a shortcut from a document to its results."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr

from heron.checks import Examination, examine
from heron.discretise.triangles import SurfaceMesh
from heron.engines import ENGINES
from heron.model import Document, load_document
from heron.results import ports
from heron.results.capabilities import CAPABILITIES
from heron.steps import kinds

C0 = 299792458.0
METRE_WAVE = "299792458 Hz"  # the frequency whose wavelength is 1 m


def plan(
    f_start: str = METRE_WAVE, f_stop: str | None = None, points: int = 1, **more: Any
) -> dict[str, Any]:
    return {"f_start": f_start, "f_stop": f_stop or f_start, "points": str(points), **more}


def planned(document: dict[str, Any], **values: Any) -> dict[str, Any]:
    """A document with other values in its first plan, settings of engines among them."""
    made = load_document(document).model_dump(mode="json")
    first = made["plans"][0]
    for name, value in values.items():
        owner = next((k for k in kinds("settings").values() if name in k.schema.model_fields), None)
        if owner is None:
            first[name] = value
        else:
            first["settings"].setdefault(owner.name, {})[name] = value
    return made


def wire(
    name: str, start: list[Any], end: list[Any], radius: Any = "1e-5 m", **more: Any
) -> dict[str, Any]:
    return {
        "kind": "wire",
        "name": name,
        "start": [_m(c) for c in start],
        "end": [_m(c) for c in end],
        "radius": _m(radius),
        **more,
    }


def _m(value: Any) -> Any:
    return f"{float(value)!r} m" if isinstance(value, float) else value


def dipole(
    length: float = 0.5, radius: float = 1e-5, segments: int = 40, **more: Any
) -> dict[str, Any]:
    """Centre-fed along z at a wavelength of 1 m, lengths in wavelengths."""
    return {
        "parts": [wire("rod", [0, 0, -length / 2], [0, 0, length / 2], radius)],
        "feeds": [{"number": 1, "part": "rod"}],
        "plan": plan(segments_per_wavelength=str(segments)),
        **more,
    }


def stick() -> dict[str, Any]:
    """A wire of 0.15 m that both engines solve in seconds: a coarse grid has few cells of it."""
    return planned(
        dipole(0.15, 2e-3),
        engine="moments",
        f_start="700 MHz",
        f_stop="1.1 GHz",
        points="9",
        rounds="2",
        cells_per_wavelength="10",
        decay="20",
    )


def examined(document: dict[str, Any], **overrides: str) -> Examination:
    return examine(load_document(document), overrides)


def solve(document: dict[str, Any], empty: bool = False, **overrides: str) -> xr.Dataset:
    examination = examine(load_document(document), overrides, empty=empty)
    assert examination.sound, examination.errors
    return ENGINES[examination.engine].solve(examination.model, examination.discretisation)


def impedance(document: dict[str, Any], **overrides: str) -> complex:
    return complex(ports.impedances(solve(document, **overrides))[0, 0])


def first(results: xr.Dataset, name: str) -> Any:
    return np.asarray(results[name].values)[0]


# --- lines and guides with feeds by their modes ---------------------------------------------

DEFAULTS = {"engine": "transient", "decay": "50"}


def _turned(along: int, *values: Any) -> list[Any]:
    """(along, across, up) as x, y, z, the first along axis number ``along``."""
    return [values[(k - along) % 3] for k in range(3)]


def rectangular_guide(
    length: str,
    cells: str = "20",
    modes: str = "1",
    along: int = 0,
    points: int = 11,
    band: tuple[str, str] = ("8.2 GHz", "12.4 GHz"),
    more: Any = (),
) -> dict[str, Any]:
    """WR-90 with solid walls between two guide feeds."""

    def at(*values: Any) -> list[Any]:
        return _turned(along, *values)

    return {
        "parameters": [
            {"name": n, "expression": e}
            for n, e in (("a", "22.86 mm"), ("b", "10.16 mm"), ("t", "2 mm"), ("L", length))
        ],
        "parts": [
            {
                "kind": "box",
                "name": "outer",
                "corner": at("0", "-a/2-t", "-b/2-t"),
                "size": at("L", "a+2*t", "b+2*t"),
                "material": "perfect conductor",
            },
            {
                "kind": "box",
                "name": "inner",
                "corner": at("0", "-a/2", "-b/2"),
                "size": at("L", "a", "b"),
                "material": "perfect conductor",
            },
            {
                "kind": "combine",
                "name": "guide",
                "operation": "cut",
                "first": "outer",
                "others": ["inner"],
            },
            *more,
        ],
        "feeds": [
            {
                "kind": "guide",
                "number": 1,
                "centre": at("0", "0", "0"),
                "towards": "+" + "xyz"[along],
                "modes": modes,
            },
            {
                "kind": "guide",
                "number": 1 + int(modes),
                "centre": at("L", "0", "0"),
                "towards": "-" + "xyz"[along],
                "modes": modes,
            },
        ],
        "surround": {"margin": "4 mm"},
        "plan": plan(*band, points=points, cells_per_wavelength=cells, **DEFAULTS),
    }


def microstrip(
    w: str,
    h: str,
    epsilon: str,
    length: str = "30 mm",
    cells: str = "20",
    band: tuple[str, str] = ("1 GHz", "4 GHz"),
    points: int = 5,
    **opening: str,
) -> dict[str, Any]:
    """A strip on a board over its ground, between two line feeds."""
    feed = {"kind": "line", "number": 1, "centre": ["0", "0", "h"], "towards": "+x", **opening}
    board = {"corner": ["0", "-12*h-w", "0"], "size": ["L", "24*h+2*w"]}
    return {
        "parameters": [
            {"name": n, "expression": e} for n, e in (("w", w), ("h", h), ("L", length))
        ],
        "materials": [{"kind": "dielectric", "name": "board", "permittivity": epsilon}],
        "parts": [
            {
                "kind": "box",
                "name": "substrate",
                "corner": board["corner"],
                "size": [*board["size"], "h"],
                "material": "board",
            },
            {
                "kind": "rectangle",
                "name": "strip",
                "corner": ["0", "-w/2", "h"],
                "size": ["L", "w"],
                "material": "perfect conductor",
            },
            {"kind": "rectangle", "name": "ground", **board, "material": "perfect conductor"},
        ],
        "feeds": [feed, feed | {"number": 2, "centre": ["L", "0", "h"], "towards": "-x"}],
        "surround": {"margin": "20 mm"},
        "plan": plan(*band, points=points, cells_per_wavelength=cells, **DEFAULTS),
    }


def stripline(w: str, b: str, epsilon: str, cells: str = "20") -> dict[str, Any]:
    """A strip half way between two grounds, between two line feeds; the model's parts are the
    strip, two grounds and what is between them.
    """
    made = microstrip(
        w, f"({b})/2", epsilon, length="20 mm", cells=cells, width="w + 10*h", height="2*h"
    )
    made["parts"][0]["size"][2] = "2*h"
    made["parts"].append(
        {**made["parts"][2], "name": "top", "corner": [*made["parts"][2]["corner"][:2], "2*h"]}
    )
    return made


def coplanar(s: str, slot: str, cells: str = "20") -> dict[str, Any]:
    """A strip in air between two wide grounds in its plane, between two line feeds."""
    made = microstrip(
        s, "1 mm", "1", length="20 mm", cells=cells, width="w + 2*slot + 32 mm", height="60 mm"
    )
    made["parameters"].append({"name": "slot", "expression": slot})
    made["parts"] = [
        made["parts"][1],
        *(
            {
                "kind": "rectangle",
                "name": name,
                "corner": ["0", low, "h"],
                "size": ["L", "20 mm"],
                "material": "perfect conductor",
            }
            for name, low in (("left", "-(w/2 + slot + 20 mm)"), ("right", "w/2 + slot"))
        ),
    ]
    return made


def shielded_coplanar(cells_per_detail: str) -> dict[str, Any]:
    """A coplanar line in a metal channel, half of it, between two line feeds."""

    def sheet(name: str, low: str, size: str) -> dict[str, Any]:
        return {
            "kind": "rectangle",
            "name": name,
            "corner": ["0", low, "0"],
            "size": ["L", size],
            "material": "perfect conductor",
        }

    made = rectangular_guide(
        "9 mm",
        cells="15",
        points=3,
        band=("5 GHz", "12 GHz"),
        more=[
            sheet("strip", "-w/2", "w"),
            sheet("left", "-a/2", "a/2-w/2-slot"),
            sheet("right", "w/2+slot", "a/2-w/2-slot"),
        ],
    )
    sizes = {"a": "7 mm", "b": "5 mm", "t": "0.5 mm", "L": "9 mm", "w": "1 mm", "slot": "0.25 mm"}
    made["parameters"] = [{"name": n, "expression": e} for n, e in sizes.items()]
    for feed in made["feeds"]:
        feed["kind"] = "line"
        del feed["modes"]
    made["surround"] = {"margin": "7.6 mm", "mirror": ["none", "PMC", "none"]}
    made["plan"] |= {"decay": "40", "cells_per_detail": cells_per_detail, "rounds": "3"}
    return {"version": 1, "name": "A coplanar line", **made}


def _tube(name: str, inner: str, outer: str) -> dict[str, Any]:
    return {
        "kind": "cylinder",
        "name": name,
        "centre": ["0", "0", "0"],
        "radius": outer,
        "inner": inner,
        "height": "L",
        "material": "perfect conductor",
    }


def coaxial(inner: str, outer: str, cells: str = "20", length: str = "10 mm") -> dict[str, Any]:
    """An air line between two line feeds."""
    return {
        "parameters": [{"name": "L", "expression": length}],
        "parts": [_tube("pin", "0", inner), _tube("shield", outer, f"{outer} + 1 mm")],
        "feeds": [
            {"kind": "line", "number": 1, "centre": ["0", "0", "0"], "towards": "+z"},
            {"kind": "line", "number": 2, "centre": ["0", "0", "L"], "towards": "-z"},
        ],
        "surround": {"margin": "4 mm"},
        "plan": plan("2 GHz", "12 GHz", points=5, cells_per_wavelength=cells, **DEFAULTS),
    }


def round_guide(radius: str, cells: str = "20", length: str = "30 mm") -> dict[str, Any]:
    return {
        "parameters": [{"name": "L", "expression": length}],
        "parts": [_tube("tube", radius, f"{radius} + 2 mm")],
        "feeds": [{"kind": "guide", "number": 1, "centre": ["0", "0", "0"], "towards": "+z"}],
        "surround": {"margin": "4 mm"},
        "plan": plan("9.5 GHz", "11 GHz", points=5, cells_per_wavelength=cells, **DEFAULTS),
    }


def horn(
    cells: str = "20",
    points: int = 5,
    mouth: tuple[float, float] = (60, 45),
    long: float = 70,
    wall: float | None = None,
) -> dict[str, Any]:
    """A pyramidal horn on a piece of WR-90, a quarter of it between mirror planes; sizes in mm.

    Of sheets, or of solid walls, which end in a rim of 0.2 mm.
    """
    places, inside = ("-30 mm", "0 mm", f"{long} mm"), ((22.86, 10.16), (22.86, 10.16), mouth)

    def loft(name: str, first: int, beyond: tuple[float, float], **more: Any) -> dict[str, Any]:
        sections = [
            {
                "at": ["0", "0", places[n]],
                "width": f"{inside[n][0] + 2 * t} mm",
                "height": f"{inside[n][1] + 2 * t} mm",
            }
            for n, t in zip((first, first + 1), beyond, strict=True)
        ]
        return {
            "kind": "loft",
            "name": name,
            "sections": sections,
            "material": "perfect conductor",
            **more,
        }

    if wall is None:
        parts = [loft("guide", 0, (0, 0), shell=True), loft("flare", 1, (0, 0), shell=True)]
    else:
        parts = []
        for n, (name, beyond) in enumerate(
            (("guide", (wall, wall)), ("flare", (wall, min(wall, 0.2))))
        ):
            parts += [
                loft(f"{name} outside", n, beyond),
                loft(f"{name} inside", n, (0, 0)),
                {
                    "kind": "combine",
                    "name": name,
                    "operation": "cut",
                    "first": f"{name} outside",
                    "others": [f"{name} inside"],
                },
            ]
    return {
        "parts": parts,
        "feeds": [{"kind": "guide", "number": 1, "centre": ["0", "0", "-30 mm"], "towards": "+z"}],
        "surround": {"mirror": ["PMC", "PEC", "none"]},
        "captures": [{"kind": "far_field", "name": "far field"}],
        "plan": plan("9.5 GHz", "11.5 GHz", points=points, cells_per_wavelength=cells, **DEFAULTS),
    }


def touchstone_of(results: Any) -> str:
    """The Touchstone file of a run with ports."""
    files = CAPABILITIES["ports"].files(results, {})
    return next(text for name, text in files.items() if ".s" in name)


ROD: dict[str, Any] = {  # a dipole of seconds, with studies
    "name": "post",
    "parameters": [
        {"name": "L", "expression": "160 mm", "low": "100 mm", "high": "220 mm"},
        {"name": "r", "expression": "1 mm"},
    ],
    "parts": [
        {
            "kind": "wire",
            "name": "rod",
            "start": ["0", "0", "-L/2"],
            "end": ["0", "0", "L/2"],
            "radius": "r",
        }
    ],
    "feeds": [{"kind": "gap", "number": 1, "part": "rod"}],
    "plans": [{"f_start": "700 MHz", "f_stop": "1.1 GHz", "points": "21", "rounds": "1"}],
    "studies": [
        {
            "kind": "sweep",
            "name": "lengths",
            "vary": [{"parameter": "L", "values": "150 mm to 170 mm in 5 steps"}],
            "outcomes": ["f where abs(s11) is smallest", "smallest db20(s11)"],
        },
        {
            "kind": "sweep",
            "name": "more lengths",
            "vary": [{"parameter": "L", "values": "150 mm to 170 mm in 9 steps"}],
            "outcomes": ["f where abs(s11) is smallest"],
        },
        {
            "kind": "tune",
            "name": "match",
            "vary": [{"parameter": "L", "range": "140 mm to 200 mm"}],
            "goals": ["|S11| < -12 dB at 868 MHz"],
            "budget": "15",
        },
        {
            "kind": "tolerance",
            "name": "saw",
            "spreads": [{"parameter": "L", "spread": "2 %"}],
            "specs": ["|S11| < -10 dB from 860 to 876 MHz"],
            "samples": "64",
            "solved": "12",
        },
        {
            "kind": "sweep",
            "name": "broken",
            "vary": [{"parameter": "L", "values": "150 mm to 400 mm in 5 steps"}],
            "outcomes": ["f where abs(s11) is smallest"],
        },
        {
            "kind": "sweep",
            "name": "many",
            "vary": [{"parameter": "L", "values": "150 mm to 170 mm in 1000 steps"}],
            "outcomes": ["f where abs(s11) is smallest"],
        },
    ],
}


def strips(cells: str = "10") -> Document:
    """Two flat strips with a feed between, for the transient engine; ``k`` scales the feed."""
    strip = {"kind": "rectangle", "axis": "y", "material": "perfect conductor"}
    return load_document(
        {
            "name": "strips",
            "parameters": [
                {"name": "L", "expression": "140 mm"},
                {"name": "W", "expression": "8 mm"},
                {"name": "k", "expression": "1"},
                {"name": "g", "expression": "6 mm * k"},
            ],
            "parts": [
                strip | {"name": "up", "corner": ["-W/2", "0", "g/2"], "size": ["W", "L/2 - g/2"]},
                strip
                | {"name": "down", "corner": ["-W/2", "0", "-L/2"], "size": ["W", "L/2 - g/2"]},
                {
                    "kind": "wire",
                    "name": "pin",
                    "start": ["0", "0", "-g/2"],
                    "end": ["0", "0", "g/2"],
                    "radius": "0.5 mm * k",
                    "material": "perfect conductor",
                },
            ],
            "feeds": [{"kind": "gap", "number": 1, "part": "pin"}],
            "surround": {"mirror": ["PMC", "none", "PEC"]},
            "plans": [
                {
                    "engine": "transient",
                    "f_start": "700 MHz",
                    "f_stop": "1.2 GHz",
                    "points": "51",
                    "rounds": "1",
                    "settings": {"transient": {"cells_per_wavelength": cells}},
                }
            ],
        }
    )


def rod(points: str = "17") -> Document:
    """A wire with a feed in its middle, for the moments engine."""
    return load_document(
        {
            "name": "rod",
            "parameters": [
                {"name": "length", "expression": "160 mm"},
                {"name": "radius", "expression": "1 mm"},
            ],
            "parts": [
                {
                    "kind": "wire",
                    "name": "rod",
                    "start": ["0", "0", "-length / 2"],
                    "end": ["0", "0", "length / 2"],
                    "radius": "radius",
                    "material": "perfect conductor",
                }
            ],
            "feeds": [{"kind": "gap", "number": 1, "part": "rod"}],
            "plans": [{"f_start": "800 MHz", "f_stop": "1 GHz", "points": points, "rounds": "1"}],
        }
    )


def medium_mesh(
    vertices: np.ndarray, triangles: Any, grounded: bool = False, metal: Any = (), **more: Any
) -> SurfaceMesh:
    """A body of a medium within triangles (T, 3) whose normals point outwards, of which some are
    covered with ``metal``; one that is ``grounded`` is open where it lies on the plane z = 0.
    """
    count = len(triangles)
    return SurfaceMesh(
        ["body"],
        vertices,
        np.asarray(triangles),
        np.zeros(count, dtype=np.int64),
        np.ones(count, dtype=bool),
        (vertices[:, 2] == 0) & grounded,
        0.0 if grounded else None,
        media=["stuff"],
        sides=np.tile([1, 0], (count, 1)),
        metal=np.isin(np.arange(count), metal),
        **more,
    )
