"""Random models of several families, each with what its results should be: closed forms and series
(Bohren and Huffman; Born and Wolf by the package `tmm`; Pozar), Galerkin's method, and much finer
meshes.
"""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from heron.checks import examine
from heron.model import load_document
from heron.quantities.constants import C0, EPS0, ETA0
from heron.results import cross_sections, patterns
from heron.results.capabilities.ports import dip
from heron.results.power import budget
from heron.runner import solve_in_rounds

Truths = Callable[[xr.Dataset], dict[str, float]]
Row = dict[str, Any]


FAR = {"kind": "far_field", "name": "far field"}


class Case(NamedTuple):
    """A document, and what its results are off by, by the names of the stated errors."""

    document: Row
    truths: Truths


def solve(document: Row, **plan: str) -> tuple[xr.Dataset, Any, float]:
    """Results, the plan and how long it took."""
    examination = examine(load_document({**document, "plan": document["plan"] | plan}))
    if not examination.sound:
        raise ValueError("; ".join(p.message for p in examination.errors))
    started = perf_counter()
    return solve_in_rounds(examination), examination.model.plan, perf_counter() - started


def _beside(fine: xr.Dataset) -> Truths:
    """How far S, where it is lowest, and gain and efficiency where most is accepted are from those
    of a much finer solve.
    """
    f = fine["frequency"].values
    best = int(np.abs(fine["s"].values[:, 0, 0]).argmin())

    def figures(results: xr.Dataset) -> dict[str, float]:
        at, depth = dip(f, np.abs(results["s"].values[:, 0, 0]))
        theta, phi = (
            x.ravel()
            for x in np.meshgrid(np.arange(0, 181.0, 5), np.arange(0, 360.0, 10), indexing="ij")
        )
        powers = budget(results)
        peak = patterns.intensity(patterns.far_field(results, best, theta, phi)).max()
        return {
            "resonance_relative": np.log(at),
            "depth": depth,
            "efficiency": float(powers.radiated[best] / powers.accepted[best]),
            "gain_db": float(10 * np.log10(peak / powers.accepted[best])),
        }

    wanted = figures(fine)

    def truths(found: xr.Dataset) -> dict[str, float]:
        own = figures(found)
        return {"s": float(np.abs(found["s"].values - fine["s"].values).max())} | {
            name: abs(own[name] - value) for name, value in wanted.items()
        }

    return truths


def _rod(length: float, radius: float) -> Row:
    return {
        "kind": "wire",
        "name": "rod",
        "start": ["0", "0", f"{-length / 2} m"],
        "end": ["0", "0", f"{length / 2} m"],
        "radius": f"{radius} m",
    }


def wires(random: np.random.Generator) -> Case:
    """Dipoles of random length, thickness and feed point, against a mesh six times as fine."""
    length, radius, at = (
        random.uniform(0.35, 1.3),
        10 ** random.uniform(-5, -2),
        random.uniform(0.3, 0.5),
    )
    document = {
        "parts": [_rod(length, radius)],
        "feeds": [{"number": 1, "part": "rod", "at": str(at)}],
        "plan": {
            "f_start": "250 MHz",
            "f_stop": "350 MHz",
            "points": "21",
            "engine": "moments",
            "sampling": "every",
            "segments_per_wavelength": str(round(random.uniform(25, 70))),
        },
    }
    return Case(document, _beside(solve(document, segments_per_wavelength="300", rounds="1")[0]))


def rods(random: np.random.Generator) -> Case:
    """Wires on a grid, against much finer ones in the moments engine."""
    length, radius = random.uniform(0.38, 0.6), random.uniform(0.002, 0.006)
    document = {
        "parts": [_rod(length, radius)],
        "feeds": [{"number": 1, "part": "rod", "width": f"{2 * radius} m"}],
        "plan": {
            "f_start": "230 MHz",
            "f_stop": "370 MHz",
            "points": "29",
            "engine": "transient",
            "decay": "50",
            "cells_per_wavelength": str(round(random.uniform(14, 24))),
        },
    }
    return Case(
        document,
        _beside(
            solve(
                document,
                engine="moments",
                segments_per_wavelength="300",
                sampling="every",
                rounds="1",
            )[0]
        ),
    )


def _cell(
    parts: list[Row],
    period: tuple[float, float],
    epsilon: float,
    sigma: float,
    plan: Row,
    electric: str = "x",
) -> Row:
    return {
        "parts": parts,
        "materials": [
            {
                "kind": "dielectric",
                "name": "stuff",
                "permittivity": str(epsilon),
                "conductivity": f"{sigma} S/m",
            }
        ],
        "feeds": [],
        "illuminations": [
            {
                "name": "wave",
                "travels": ["0", "0", "-1"],
                "electric": ["1", "0", "0"] if electric == "x" else ["0", "1", "0"],
            }
        ],
        "surround": {"period": [*(f"{p} m" for p in period), None], "margin": "20 mm"},
        "plan": {"engine": "transient", "f_start": "8 GHz", "f_stop": "12 GHz", "points": "9"}
        | plan,
    }


def slabs(random: np.random.Generator) -> Case:
    """Lossy slabs of random thickness in a repeated cell, against the transfer matrix."""
    from tmm import coh_tmm

    epsilon, sigma, thick = (
        random.uniform(1.5, 10),
        10 ** random.uniform(-3, -0.5),
        random.uniform(1, 8),
    )
    slab = {
        "kind": "box",
        "name": "slab",
        "corner": ["-3 mm", "-3 mm", f"{-thick} mm"],
        "size": ["6 mm", "6 mm", f"{thick} mm"],
        "material": "stuff",
    }

    def truths(found: xr.Dataset) -> dict[str, float]:
        shares, f = cross_sections.shares(found), found["frequency"].values
        wanted = [
            coh_tmm(
                "s",
                [1, np.sqrt(epsilon + 1j * sigma / (2 * np.pi * hz * EPS0)), 1],
                [np.inf, thick * 1e-3, np.inf],
                0,
                C0 / hz,
            )
            for hz in f
        ]
        r, t = (
            np.conj([w["r"] for w in wanted]),
            np.conj([w["t"] for w in wanted]) * np.exp(2j * np.pi * f / C0 * thick * 1e-3),
        )
        return {
            "reflection": float(np.abs(shares.reflection - r).max()),
            "transmission": float(np.abs(shares.transmission - t).max()),
            "reflectance": float(np.abs(shares.reflectance - np.abs(r) ** 2).max()),
        }

    return Case(
        _cell(
            [slab],
            (6e-3, 6e-3),
            epsilon,
            sigma,
            {"cells_per_wavelength": str(round(random.uniform(12, 26)))},
        ),
        truths,
    )


def gratings(random: np.random.Generator) -> Case:
    """Thin strips along E or across it, of random width and period, against Galerkin's method."""
    from tests import gratings as strips

    shortest = C0 / 12e9
    period, filling, along = (
        random.uniform(0.1, 0.9) * shortest,
        random.uniform(0.1, 0.9),
        bool(random.random() < 0.5),
    )
    width, step = filling * period, shortest / 20
    strip = {
        "kind": "rectangle",
        "name": "strip",
        "corner": [f"{-step / 2} m", f"{-width / 2} m", "0"],
        "size": [f"{step} m", f"{width} m"],
        "material": "perfect conductor",
    }

    def truths(found: xr.Dataset) -> dict[str, float]:
        wanted = np.array(
            [strips.reflection(period, width, C0 / hz, along) for hz in found["frequency"].values]
        )
        shares = cross_sections.shares(found)
        return {
            "reflection": float(np.abs(shares.reflection - wanted).max()),
            "transmission": float(np.abs(shares.transmission - 1 - wanted).max()),
            "reflectance": float(np.abs(shares.reflectance - np.abs(wanted) ** 2).max()),
        }

    plan = {"cells_per_wavelength": str(round(random.uniform(14, 26)))}
    return Case(_cell([strip], (step, period), 1.0, 0.0, plan, "x" if along else "y"), truths)


def guides(random: np.random.Generator) -> Case:
    """A slab across a rectangular guide between two feeds, against its transmission line: Pozar,
    ch. 3 and 4.
    """
    width, epsilon, thick = (
        random.uniform(20e-3, 26e-3),
        random.uniform(1.2, 5),
        random.uniform(2e-3, 10e-3),
    )
    height, length = 0.45 * width, thick + 16e-3
    low, high = 1.28 * C0 / (2 * width), 1.85 * C0 / (2 * width)

    ends = [
        {"at": ["0", "0", f"{z} m"], "width": f"{width} m", "height": f"{height} m"}
        for z in (0.0, length)
    ]
    slab = {
        "kind": "box",
        "name": "slab",
        "corner": [f"{-width / 2} m", f"{-height / 2} m", "8 mm"],
        "size": [f"{v} m" for v in (width, height, thick)],
        "material": "stuff",
    }
    document = {
        "parts": [
            {
                "kind": "loft",
                "name": "guide",
                "sections": ends,
                "shell": True,
                "material": "perfect conductor",
            },
            slab,
        ],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon)}],
        "feeds": [
            {"kind": "guide", "number": n, "centre": ["0", "0", f"{z} m"], "towards": way}
            for n, z, way in ((1, 0.0, "+z"), (2, length, "-z"))
        ],
        "surround": {"margin": "4 mm"},
        "plan": {
            "engine": "transient",
            "f_start": f"{low} Hz",
            "f_stop": f"{high} Hz",
            "points": "9",
            "decay": "50",
            "cells_per_wavelength": str(round(random.uniform(14, 24))),
        },
    }

    def truths(found: xr.Dataset) -> dict[str, float]:
        f = found["frequency"].values
        cut = (np.pi / width) ** 2
        outside, inside = (np.sqrt((2 * np.pi * f / C0) ** 2 * e - cut) for e in (1.0, epsilon))
        return {
            "s": float(
                np.abs(
                    found["s"].values - _interrupted(outside, inside, 8e-3, thick, outside / inside)
                ).max()
            )
        }

    return Case(document, truths)


def spheres(random: np.random.Generator) -> Case:
    """Conducting and dielectric spheres of random size and permittivity, off the grid's lines,
    against Mie's series.
    """
    epsilon = random.uniform(2, 9) if random.random() < 0.6 else None
    return _ball(
        random,
        random.uniform(0.8, 2.5),
        "perfect conductor" if epsilon is None else {"permittivity": str(epsilon)},
    )


def beads(random: np.random.Generator) -> Case:
    """Lossy spheres, a wavelength round and smaller, against Mie's series."""
    return _ball(
        random,
        random.uniform(0.3, 1.2),
        {
            "permittivity": str(random.uniform(2, 9)),
            "loss_tangent": str(10 ** random.uniform(-2, -0.3)),
        },
    )


def _ball(random: np.random.Generator, ka: float, medium: Row | str) -> Case:
    from tests import mie

    cells = round(random.uniform(12, 22))
    low, high = 0.6 * ka * C0 / (2 * np.pi), ka * C0 / (2 * np.pi)
    document = {
        "parts": [
            {
                "kind": "sphere",
                "name": "ball",
                "radius": "1 m",
                "centre": [f"{random.uniform(-0.05, 0.05)} m" for _ in range(3)],
                "material": medium if isinstance(medium, str) else "stuff",
            }
        ],
        "materials": []
        if isinstance(medium, str)
        else [{"kind": "dielectric", "name": "stuff", **medium}],
        "illuminations": [
            {"name": "lamp", "travels": ["0", "0", "1"], "electric": ["1", "0", "0"]}
        ],
        "plan": {
            "engine": "transient",
            "f_start": f"{low} Hz",
            "f_stop": f"{high} Hz",
            "points": "7",
            "cells_per_wavelength": str(cells),
        },
    }
    index = (
        None
        if isinstance(medium, str)
        else complex(
            np.sqrt(float(medium["permittivity"]) * (1 + 1j * float(medium.get("loss_tangent", 0))))
        )
    )

    def truths(found: xr.Dataset) -> dict[str, float]:
        wanted = (
            np.array(
                [mie.efficiencies(x, index) for x in 2 * np.pi * found["frequency"].values / C0]
            )
            * np.pi
        )
        own, back = cross_sections.cross_sections(found), cross_sections.monostatic(found)
        strong = wanted[:, 2] > 0.01 * wanted[:, 2].max()
        out = {
            "scattered_relative": float(np.abs(own.scattered / wanted[:, 1] - 1).max()),
            "extinction_relative": float(np.abs(own.extinction / wanted[:, 0] - 1).max()),
            "rcs_db": float(np.abs(10 * np.log10(back / wanted[:, 2]))[strong].max()),
        }
        absorbed = wanted[:, 0] - wanted[:, 1]
        if (absorbed > 0.1 * wanted[:, 0]).all():
            out["absorbed_relative"] = float(np.abs(own.absorbed / absorbed - 1).max())
        return out

    return Case(document, truths)


def lines(random: np.random.Generator) -> Case:
    """A coaxial line with a bead about its middle, against its transmission line: Pozar, ch. 2."""
    inner, epsilon, thick = (
        10 ** random.uniform(-0.7, 0.3),
        random.uniform(1.2, 6),
        random.uniform(2, 6),
    )
    length = 6 + thick

    def tube(
        name: str,
        inside: float,
        outside: float,
        medium: str,
        at: float = 0.0,
        height: float = length,
    ) -> Row:
        return {
            "kind": "cylinder",
            "name": name,
            "centre": ["0", "0", f"{at} mm"],
            "radius": f"{outside} mm",
            "inner": f"{inside} mm",
            "height": f"{height} mm",
            "material": medium,
        }

    document = {
        "parts": [
            tube("pin", 0, inner, "perfect conductor"),
            tube("shield", 3, 4, "perfect conductor"),
            tube("bead", inner, 3, "stuff", 3, thick),
        ],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon)}],
        "feeds": [
            {"kind": "line", "number": n, "centre": ["0", "0", f"{z} mm"], "towards": way}
            for n, z, way in ((1, 0.0, "+z"), (2, length, "-z"))
        ],
        "surround": {"margin": "4 mm", "mirror": ["PMC", "PMC", "none"]},
        "plan": {
            "engine": "transient",
            "f_start": "2 GHz",
            "f_stop": "12 GHz",
            "points": "9",
            "decay": "50",
            "cells_per_wavelength": str(round(random.uniform(14, 24))),
        },
    }

    def truths(found: xr.Dataset) -> dict[str, float]:
        k = 2 * np.pi * found["frequency"].values / C0
        ohms = ETA0 / (2 * np.pi) * np.log(3 / inner)
        return {
            "s": float(
                np.abs(
                    found["s"].values
                    - _interrupted(
                        k, k * np.sqrt(epsilon), 3e-3, thick * 1e-3, 1 / np.sqrt(epsilon)
                    )
                ).max()
            ),
            "impedance_relative": float(np.abs(found["z0"].values / ohms - 1).max()),
        }

    return Case(document, truths)


def _interrupted(outside: Any, inside: Any, before: float, thick: float, ratio: Any) -> Any:
    """S (f, 2, 2) of a line with the phase constants ``outside`` a piece in its middle and
    ``inside`` it, whose impedance there is ``ratio`` times its own.
    """
    step, turn = (ratio - 1) / (ratio + 1), np.exp(-1j * inside * thick)
    back, through = (
        step * (1 - turn**2) / (1 - step**2 * turn**2),
        (1 - step**2) * turn / (1 - step**2 * turn**2),
    )
    there = np.exp(-2j * outside * before)
    return np.moveaxis(np.array([[back, through], [through, back]]) * there, 2, 0)


def patches(random: np.random.Generator) -> Case:
    """Patches with a pin on a board over a ground, against cells half as large."""
    epsilon, h, wide = (
        random.uniform(2.2, 4.5),
        random.uniform(0.8e-3, 1.6e-3),
        random.uniform(0.9, 1.4),
    )
    long = 0.47 * C0 / 10e9 / np.sqrt(epsilon) - h
    at, board = -random.uniform(0.2, 0.4) * long, 2.2 * long

    def plate(name: str, across: float, along: float, z: float, **more: Any) -> Row:
        return {
            "kind": "rectangle",
            "name": name,
            "corner": [f"{-across / 2} m", f"{-along / 2} m", f"{z} m"],
            "size": [f"{across} m", f"{along} m"],
            "material": "perfect conductor",
            **more,
        }

    document = {
        "parts": [
            {
                **plate("board", board, board, 0.0),
                "kind": "box",
                "size": [f"{v} m" for v in (board, board, h)],
                "material": "stuff",
            },
            plate("ground", board, board, 0.0),
            plate("patch", wide * long, long, h),
            {
                "kind": "wire",
                "name": "pin",
                "start": ["0", f"{at} m", "0"],
                "end": ["0", f"{at} m", f"{h} m"],
                "radius": "0.2 mm",
            },
        ],
        "materials": [
            {
                "kind": "dielectric",
                "name": "stuff",
                "permittivity": str(epsilon),
                "loss_tangent": "0.002",
            }
        ],
        "feeds": [{"number": 1, "part": "pin"}],
        "surround": {"mirror": ["PMC", "none", "none"]},
        "captures": [FAR],
        "plan": {
            "engine": "transient",
            "f_start": "8.5 GHz",
            "f_stop": "11 GHz",
            "points": "61",
            "cells_per_wavelength": str(round(random.uniform(14, 18))),
        },
    }
    return Case(
        document,
        _beside(solve(document, cells_per_wavelength="32", cells_per_detail="4", rounds="1")[0]),
    )


def horns(random: np.random.Generator) -> Case:
    """Pyramidal horns of random flare, against cells half as large."""
    from tests.models import horn

    document = horn(str(round(random.uniform(14, 18))), points=9)
    long, width, height = (random.uniform(*ends) for ends in ((30, 60), (35, 60), (20, 45)))
    document["parts"][1]["sections"][1] = {
        "at": ["0", "0", f"{long} mm"],
        "width": f"{width} mm",
        "height": f"{height} mm",
    }
    return Case(document, _beside(solve(document, cells_per_wavelength="34", rounds="1")[0]))


def resonators(random: np.random.Generator) -> Case:
    """Hemispheres of ceramic on a ground beside a pin, against cells half as large."""
    epsilon, height = random.uniform(6, 12), random.uniform(0.35, 0.6)
    radius = 2.8 * C0 / (2 * np.pi * 3.6e9 * np.sqrt(epsilon))
    foot, tip = (["0", f"{1.1 * radius} m", f"{z} m"] for z in (0.0, height * radius))
    document = {
        "parts": [
            {
                "kind": "sphere",
                "name": "ball",
                "centre": ["0", "0", "0"],
                "radius": f"{radius} m",
                "material": "stuff",
            },
            {
                "kind": "box",
                "name": "above",
                "corner": [f"{-2 * radius} m", f"{-2 * radius} m", "0"],
                "size": [f"{v * radius} m" for v in (4, 4, 2)],
                "material": "stuff",
            },
            {
                "kind": "combine",
                "name": "half",
                "operation": "intersect",
                "first": "ball",
                "others": ["above"],
            },
            {"kind": "wire", "name": "pin", "start": foot, "end": tip, "radius": "0.5 mm"},
        ],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon)}],
        "feeds": [{"number": 1, "part": "pin", "at": "0"}],
        "surround": {"kind": "ground", "height": "0", "mirror": ["PMC", "none", "none"]},
        "captures": [FAR],
        "plan": {
            "engine": "transient",
            "f_start": "3 GHz",
            "f_stop": "4.6 GHz",
            "points": "41",
            "cells_per_wavelength": str(round(random.uniform(12, 16))),
        },
    }
    return Case(document, _beside(solve(document, cells_per_wavelength="30", rounds="1")[0]))


FAMILIES: dict[str, tuple[Callable[[np.random.Generator], Case], int]] = {
    "wires": (wires, 50),
    "slabs": (slabs, 30),
    "gratings": (gratings, 24),
    "guides": (guides, 24),
    "lines": (lines, 20),
    "rods on a grid": (rods, 16),
    "spheres": (spheres, 12),
    "beads": (beads, 12),
    "patches": (patches, 6),
    "horns": (horns, 4),
    "resonators": (resonators, 4),
}
