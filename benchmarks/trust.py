"""Whether the errors that runs state cover the true ones: random cases of several families, each with a reference of its own; and whether following the advice of
a run lowers its true error.

Half of the cases of each family are those the factors of :mod:`heron.results.rounds` were fitted on, the others test them. References: closed forms and series
(Bohren and Huffman; Born and Wolf by the package `tmm`; Pozar), Galerkin's method, and much finer meshes.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from time import perf_counter
from typing import Any, NamedTuple

import numpy as np
import xarray as xr

from heron.checks import examine
from heron.checks.advice import advise
from heron.checks.trust import LEADING
from heron.model import load_document
from heron.quantities.constants import C0, EPS0
from heron.results import rounds, scattering
from heron.runner import solve_in_rounds

FOLLOW_EVERY = 5  # cases of which one follows its advice

Truths = Callable[[xr.Dataset], dict[str, float]]
Row = dict[str, Any]


class Case(NamedTuple):
    """A document, and what its results are off by, by the names of the stated errors."""

    document: Row
    truths: Truths


class Found(NamedTuple):
    """One quantity of one case: its true error and the stated one."""

    family: str
    quantity: str
    true: float
    stated: float | None


class Followed(NamedTuple):
    """What the quantity that a grade rests on was off by, before the advice was followed and after; seconds as they were foretold, and as they were."""

    family: str
    before: float
    after: float
    foretold: float
    took: float


def _solve(document: Row, **plan: str) -> tuple[xr.Dataset, Any, float]:
    """Results, the plan and how long it took."""
    examination = examine(load_document({**document, "plan": document["plan"] | plan}))
    if not examination.sound:
        raise ValueError("; ".join(p.message for p in examination.errors))
    started = perf_counter()
    return solve_in_rounds(examination), examination.model.plan, perf_counter() - started


def _beside(fine: xr.Dataset) -> Truths:
    """How far S, and where it is lowest, are from those of a much finer solve."""
    def truths(found: xr.Dataset) -> dict[str, float]:
        out = {"s": float(np.abs(found["s"].values - fine["s"].values).max())}
        one, other = (rounds.dip(found["frequency"].values, np.abs(r["s"].values[:, 0, 0])) for r in (found, fine))
        return out | {"resonance_relative": abs(one[0] / other[0] - 1), "depth": abs(one[1] - other[1])}

    return truths


def _rod(length: float, radius: float) -> Row:
    return {"kind": "wire", "name": "rod", "start": ["0", "0", f"{-length / 2} m"], "end": ["0", "0", f"{length / 2} m"], "radius": f"{radius} m"}


def wires(random: np.random.Generator) -> Case:
    """Dipoles of random length, thickness and feed point, against a mesh six times as fine."""
    length, radius, at = random.uniform(0.35, 1.3), 10 ** random.uniform(-5, -2), random.uniform(0.3, 0.5)
    document = {
        "parts": [_rod(length, radius)], "feeds": [{"number": 1, "part": "rod", "at": str(at)}],
        "plan": {"f_start": "250 MHz", "f_stop": "350 MHz", "points": "21", "engine": "moments", "sampling": "every",
                 "segments_per_wavelength": str(round(random.uniform(25, 70)))},
    }
    return Case(document, _beside(_solve(document, segments_per_wavelength="300", rounds="1")[0]))


def rods(random: np.random.Generator) -> Case:
    """Wires on a grid, against much finer ones in the moments engine."""
    length, radius = random.uniform(0.38, 0.6), random.uniform(0.002, 0.006)
    document = {
        "parts": [_rod(length, radius)], "feeds": [{"number": 1, "part": "rod", "width": f"{2 * radius} m"}],
        "plan": {"f_start": "230 MHz", "f_stop": "370 MHz", "points": "29", "engine": "transient", "decay": "50",
                 "cells_per_wavelength": str(round(random.uniform(14, 24)))},
    }
    return Case(document, _beside(_solve(document, engine="moments", segments_per_wavelength="300", sampling="every", rounds="1")[0]))


def _cell(parts: list[Row], period: tuple[float, float], epsilon: float, sigma: float, plan: Row, electric: str = "x") -> Row:
    return {
        "parts": parts, "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon), "conductivity": f"{sigma} S/m"}], "feeds": [],
        "illuminations": [{"name": "wave", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"] if electric == "x" else ["0", "1", "0"]}],
        "surround": {"period": [*(f"{p} m" for p in period), None], "margin": "20 mm"},
        "plan": {"engine": "transient", "f_start": "8 GHz", "f_stop": "12 GHz", "points": "9"} | plan,
    }


def slabs(random: np.random.Generator) -> Case:
    """Lossy slabs of random thickness in a repeated cell, against the transfer matrix."""
    from tmm import coh_tmm

    epsilon, sigma, thick = random.uniform(1.5, 10), 10 ** random.uniform(-3, -0.5), random.uniform(1, 8)
    slab = {"kind": "box", "name": "slab", "corner": ["-3 mm", "-3 mm", f"{-thick} mm"], "size": ["6 mm", "6 mm", f"{thick} mm"], "material": "stuff"}

    def truths(found: xr.Dataset) -> dict[str, float]:
        shares, f = scattering.shares(found), found["frequency"].values
        wanted = [coh_tmm("s", [1, np.sqrt(epsilon + 1j * sigma / (2 * np.pi * hz * EPS0)), 1], [np.inf, thick * 1e-3, np.inf], 0, C0 / hz) for hz in f]
        r, t = np.conj([w["r"] for w in wanted]), np.conj([w["t"] for w in wanted]) * np.exp(2j * np.pi * f / C0 * thick * 1e-3)
        return {"reflection": float(np.abs(shares.reflection - r).max()), "transmission": float(np.abs(shares.transmission - t).max()),
                "reflectance": float(np.abs(shares.reflectance - np.abs(r) ** 2).max())}

    return Case(_cell([slab], (6e-3, 6e-3), epsilon, sigma, {"cells_per_wavelength": str(round(random.uniform(12, 26)))}), truths)


def gratings(random: np.random.Generator) -> Case:
    """Thin strips along E or across it, of random width and period, against Galerkin's method."""
    from tests import gratings as strips

    shortest = C0 / 12e9
    period, filling, along = random.uniform(0.1, 0.9) * shortest, random.uniform(0.1, 0.9), bool(random.random() < 0.5)
    width, step = filling * period, shortest / 20
    strip = {"kind": "rectangle", "name": "strip", "corner": [f"{-step / 2} m", f"{-width / 2} m", "0"], "size": [f"{step} m", f"{width} m"], "material": "perfect"}

    def truths(found: xr.Dataset) -> dict[str, float]:
        wanted = np.array([strips.reflection(period, width, C0 / hz, along) for hz in found["frequency"].values])
        shares = scattering.shares(found)
        return {"reflection": float(np.abs(shares.reflection - wanted).max()), "transmission": float(np.abs(shares.transmission - 1 - wanted).max()),
                "reflectance": float(np.abs(shares.reflectance - np.abs(wanted) ** 2).max())}

    plan = {"cells_per_wavelength": str(round(random.uniform(14, 26)))}
    return Case(_cell([strip], (step, period), 1.0, 0.0, plan, "x" if along else "y"), truths)


def guides(random: np.random.Generator) -> Case:
    """A slab across a rectangular guide between two feeds, against its transmission line: Pozar, ch. 3 and 4."""
    width, epsilon, thick = random.uniform(20e-3, 26e-3), random.uniform(1.2, 5), random.uniform(2e-3, 10e-3)
    height, length = 0.45 * width, thick + 16e-3
    low, high = 1.28 * C0 / (2 * width), 1.85 * C0 / (2 * width)

    ends = [{"at": ["0", "0", f"{z} m"], "width": f"{width} m", "height": f"{height} m"} for z in (0.0, length)]
    slab = {"kind": "box", "name": "slab", "corner": [f"{-width / 2} m", f"{-height / 2} m", "8 mm"], "size": [f"{v} m" for v in (width, height, thick)],
            "material": "stuff"}
    document = {
        "parts": [{"kind": "loft", "name": "guide", "sections": ends, "shell": True, "material": "perfect"}, slab],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": str(epsilon)}],
        "feeds": [{"kind": "guide", "number": n, "centre": ["0", "0", f"{z} m"], "towards": way} for n, z, way in ((1, 0.0, "+z"), (2, length, "-z"))],
        "surround": {"margin": "4 mm"},
        "plan": {"engine": "transient", "f_start": f"{low} Hz", "f_stop": f"{high} Hz", "points": "9", "decay": "50",
                 "cells_per_wavelength": str(round(random.uniform(14, 24)))},
    }

    def truths(found: xr.Dataset) -> dict[str, float]:
        f = found["frequency"].values
        cut = (np.pi / width) ** 2
        outside, inside = (np.sqrt((2 * np.pi * f / C0) ** 2 * e - cut) for e in (1.0, epsilon))
        step, turn = (outside - inside) / (outside + inside), np.exp(-1j * inside * thick)
        back, through = step * (1 - turn**2) / (1 - step**2 * turn**2), (1 - step**2) * turn / (1 - step**2 * turn**2)
        there = np.exp(-1j * outside * 8e-3)
        wanted = np.empty((len(f), 2, 2), dtype=complex)
        wanted[:, 0, 0] = wanted[:, 1, 1] = back * there**2
        wanted[:, 0, 1] = wanted[:, 1, 0] = through * there**2
        return {"s": float(np.abs(found["s"].values - wanted).max())}

    return Case(document, truths)


def spheres(random: np.random.Generator) -> Case:
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

    def truths(found: xr.Dataset) -> dict[str, float]:
        size = 2 * np.pi * found["frequency"].values / C0
        wanted = np.array([mie.efficiencies(x, None if epsilon is None else float(np.sqrt(epsilon))) for x in size]) * np.pi
        own, back = scattering.cross_sections(found), scattering.monostatic(found)
        strong = wanted[:, 2] > 0.01 * wanted[:, 2].max()
        return {"scattered_relative": float(np.abs(own.scattered / wanted[:, 1] - 1).max()),
                "extinction_relative": float(np.abs(own.extinction / wanted[:, 0] - 1).max()),
                "rcs_db": float(np.abs(10 * np.log10(back / wanted[:, 2]))[strong].max())}

    return Case(document, truths)


FAMILIES: dict[str, tuple[Callable[[np.random.Generator], Case], int]] = {
    "wires": (wires, 60), "slabs": (slabs, 40), "gratings": (gratings, 30), "guides": (guides, 30), "rods on a grid": (rods, 20), "spheres": (spheres, 20),
}


def cases(families: dict[str, int], seed: int = 16, follow: int = 0) -> Iterator[tuple[int, list[Found], Followed | None]]:
    """So many cases of each family, with the number of each: even ones are for fitting, odd ones for testing. Every ``follow``-th follows its advice."""
    for name, count in families.items():
        for number in range(count):
            case = FAMILIES[name][0](np.random.default_rng([seed, number, len(name)]))
            results, plan, took = _solve(case.document)
            stated, truths = rounds.errors_in(results), case.truths(results)
            values = {what: e.get("value") for what, e in stated.items()}
            found = [Found(name, what, true, values[what]) for what, true in truths.items() if values.get(what) is not None or what == "s"]
            yield number, found, _followed(name, case, truths, results, plan, took) if follow and number % follow == 0 else None


def _followed(family: str, case: Case, truths: dict[str, float], results: xr.Dataset, plan: Any, took: float) -> Followed | None:
    advice = advise(results, plan, took)
    if advice is None:
        return None
    finer, _, seconds = _solve(case.document, **{name: f"{value:g}" for name, value in advice.plan.items()})
    leading = LEADING[scattering.kind(results)]
    return Followed(family, truths[leading], case.truths(finer)[leading], advice.seconds, seconds)


def figures(found: list[tuple[int, Found]]) -> dict[str, Row]:
    """By family: how many quantities are covered, of all and of those not fitted on, and the median of stated over true error."""
    out: dict[str, Row] = {}
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


def run() -> list[Row]:
    """One row per family, as far as they have come on the error stream; about an hour."""
    found: list[tuple[int, Found]] = []
    followed: list[Followed] = []
    for number, own, after in cases({name: count for name, (_, count) in FAMILIES.items()}, follow=FOLLOW_EVERY):
        found += [(number, f) for f in own]
        followed += [after] if after is not None else []
        print(number, *(f"{f.family} {f.quantity} {f.true:.3g} ± {f.stated or np.nan:.3g};" for f in own), after or "", file=sys.stderr, flush=True)
    rows = [{"family": family, **row} for family, row in figures(found).items()]
    lower = [f for f in followed if f.after < f.before]
    return [*rows, {"family": "all", "advice_followed": len(followed), "advice_lowered": len(lower) / max(len(followed), 1),
                    "time_over_foretold": float(np.median([f.took / f.foretold for f in followed])) if followed else None}]
