"""Whether the errors that runs state cover the true ones: random cases of several families, each with a reference of its own.

Half of the cases of each family are those the factors of :mod:`heron.results.rounds` were fitted on, the others test them. References: closed forms and series
(Bohren and Huffman; Born and Wolf by the package `tmm`), and much finer meshes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from heron.checks import examine
from heron.model import load_document
from heron.quantities.constants import C0
from heron.results import ports, rounds, scattering
from heron.runner import solve_in_rounds


class Found(NamedTuple):
    """One quantity of one case: its true error and the stated one."""

    family: str
    quantity: str
    true: float
    stated: float | None


def _solve(document: dict[str, Any], **plan: str) -> xr.Dataset:
    examination = examine(load_document({**document, "plan": document["plan"] | plan}))
    if not examination.sound:
        raise ValueError("; ".join(p.message for p in examination.errors))
    return solve_in_rounds(examination)


def _stated(results: xr.Dataset, name: str) -> float | None:
    value = rounds.errors_in(results).get(name, {}).get("value")
    return None if value is None else float(value)


def wires(random: np.random.Generator) -> Iterator[Found]:
    """Dipoles of random length, thickness and feed point, against a mesh six times as fine."""
    length, radius, at = random.uniform(0.35, 1.3), 10 ** random.uniform(-5, -2), random.uniform(0.3, 0.5)
    document = {
        "parts": [{"kind": "wire", "name": "rod", "start": ["0", "0", f"{-length / 2} m"], "end": ["0", "0", f"{length / 2} m"], "radius": f"{radius} m"}],
        "feeds": [{"number": 1, "part": "rod", "at": str(at)}],
        "plan": {"f_start": "250 MHz", "f_stop": "350 MHz", "points": "21", "engine": "moments", "sampling": "every",
                 "segments_per_wavelength": str(round(random.uniform(25, 70)))},
    }
    found, fine = _solve(document), _solve(document, segments_per_wavelength="300", rounds="1")
    yield Found("wires", "s", float(np.abs(found["s"].values - fine["s"].values).max()), _stated(found, "s"))
    yield from _resonance("wires", found, fine)


def _resonance(family: str, found: xr.Dataset, fine: xr.Dataset) -> Iterator[Found]:
    stated = _stated(found, "resonance_relative")
    if stated is not None:
        f = found["frequency"].values
        one, other = (ports.minimum(f, ports.magnitude_db(r["s"].values[:, 0, 0])) for r in (found, fine))
        yield Found(family, "resonance_relative", abs(one[0] / other[0] - 1), stated)
        yield Found(family, "depth", abs(10 ** (one[1] / 20) - 10 ** (other[1] / 20)), _stated(found, "depth"))


def slabs(random: np.random.Generator) -> Iterator[Found]:
    """Lossy slabs of random thickness in a repeated cell, against the transfer matrix."""
    from tmm import coh_tmm

    epsilon, sigma, thick = random.uniform(1.5, 10), 10 ** random.uniform(-3, -0.5), random.uniform(1, 8)
    document = {
        "parts": [{"kind": "box", "name": "slab", "corner": ["-3 mm", "-3 mm", f"{-thick} mm"], "size": ["6 mm", "6 mm", f"{thick} mm"], "material": "stuff"}],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon), "conductivity": f"{sigma} S/m"}], "feeds": [],
        "illuminations": [{"name": "wave", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"]}], "surround": {"period": ["6 mm", "6 mm", None]},
        "plan": {"engine": "transient", "f_start": "8 GHz", "f_stop": "12 GHz", "points": "9", "cells_per_wavelength": str(round(random.uniform(12, 26)))},
    }
    found = _solve(document)
    shares, f = scattering.shares(found), found["frequency"].values
    wanted = [coh_tmm("s", [1, np.sqrt(epsilon + 1j * sigma / (2 * np.pi * hz * 8.8541878128e-12)), 1], [np.inf, thick * 1e-3, np.inf], 0, C0 / hz) for hz in f]
    reflection, through = np.conj([w["r"] for w in wanted]), np.conj([w["t"] for w in wanted]) * np.exp(2j * np.pi * f / C0 * thick * 1e-3)
    yield Found("slabs", "reflection", float(np.abs(shares.reflection - reflection).max()), _stated(found, "reflection"))
    yield Found("slabs", "transmission", float(np.abs(shares.transmission - through).max()), _stated(found, "transmission"))
    yield Found("slabs", "reflectance", float(np.abs(shares.reflectance - np.abs(reflection) ** 2).max()), _stated(found, "reflectance"))


def spheres(random: np.random.Generator) -> Iterator[Found]:
    """Conducting and dielectric spheres of random size and permittivity, off the grid's lines, against Mie's series."""
    from tests import mie

    ka, cells = random.uniform(0.8, 2.5), round(random.uniform(12, 22))
    epsilon = random.uniform(2, 9) if random.random() < 0.6 else None
    low, high = 0.6 * ka * C0 / (2 * np.pi), ka * C0 / (2 * np.pi)
    centre = [f"{random.uniform(-0.05, 0.05)} m" for _ in range(3)]
    document = {
        "parts": [{"kind": "sphere", "name": "ball", "radius": "1 m", "centre": centre, "material": "perfect" if epsilon is None else "stuff"}],
        "materials": [] if epsilon is None else [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon)}],
        "illuminations": [{"name": "lamp", "travels": ["0", "0", "1"], "electric": ["1", "0", "0"]}],
        "plan": {"engine": "transient", "f_start": f"{low} Hz", "f_stop": f"{high} Hz", "points": "7", "cells_per_wavelength": str(cells)},
    }
    found = _solve(document)
    size = 2 * np.pi * found["frequency"].values / C0
    wanted = np.array([mie.efficiencies(x, None if epsilon is None else float(np.sqrt(epsilon))) for x in size]) * np.pi
    own, back = scattering.cross_sections(found), scattering.monostatic(found)
    yield Found("spheres", "scattered_relative", float(np.abs(own.scattered / wanted[:, 1] - 1).max()), _stated(found, "scattered_relative"))
    strong = wanted[:, 2] > 0.01 * wanted[:, 2].max()
    yield Found("spheres", "rcs_db", float(np.abs(10 * np.log10(back / wanted[:, 2]))[strong].max()), _stated(found, "rcs_db"))


def rods(random: np.random.Generator) -> Iterator[Found]:
    """Thick dipoles as cylinders and thin ones as wires on a grid, against much finer wires."""
    length, radius = random.uniform(0.38, 0.6), random.uniform(0.002, 0.006)
    gap = 2 * radius
    wire = {"kind": "wire", "name": "rod", "start": ["0", "0", f"{-length / 2} m"], "end": ["0", "0", f"{length / 2} m"], "radius": f"{radius} m"}
    document = {
        "parts": [wire], "feeds": [{"number": 1, "part": "rod", "width": f"{gap} m"}],
        "plan": {"f_start": "230 MHz", "f_stop": "370 MHz", "points": "29", "engine": "transient", "decay": "50",
                 "cells_per_wavelength": str(round(random.uniform(14, 24)))},
    }
    found, fine = _solve(document), _solve(document, engine="moments", segments_per_wavelength="300", sampling="every", rounds="1")
    yield Found("rods on a grid", "s", float(np.abs(found["s"].values - fine["s"].values).max()), _stated(found, "s"))
    yield from _resonance("rods on a grid", found, fine)


FAMILIES: dict[str, tuple[Callable[[np.random.Generator], Iterator[Found]], int]] = {
    "wires": (wires, 100), "slabs": (slabs, 40), "spheres": (spheres, 40), "rods": (rods, 20),
}


def cases(families: dict[str, int], seed: int = 16) -> Iterator[tuple[int, Found]]:
    """So many cases of each family, and the number of each: even ones are for fitting, odd ones for testing."""
    for name, count in families.items():
        for number in range(count):
            for found in FAMILIES[name][0](np.random.default_rng([seed, number, len(name)])):
                yield number, found


def figures(found: list[tuple[int, Found]]) -> dict[str, Any]:
    """By family: how many quantities are covered, of all and of those not fitted on, and the median of stated over true error."""
    out: dict[str, Any] = {}
    for family in dict.fromkeys(f.family for _, f in found):
        own = [(n, f) for n, f in found if f.family == family and f.stated is not None]
        test = [(n, f) for n, f in own if n % 2]
        over = [f.stated / max(f.true, 1e-9) for _, f in own if f.stated is not None]
        out[family] = {
            "quantities": len(own), "covered": sum(o >= 1 for o in over) / max(len(own), 1),
            "covered_not_fitted": sum((f.stated or 0) >= f.true for _, f in test) / max(len(test), 1), "median_over": float(np.median(over)) if over else None,
            "unknown": sum(f.family == family and f.stated is None for _, f in found),
        }
    return out


def run() -> list[dict[str, Any]]:
    """One row per family; some hours."""
    found = list(cases({name: count for name, (_, count) in FAMILIES.items()}))
    return [{"family": family, **row} for family, row in figures(found).items()]
