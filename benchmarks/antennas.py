"""Longer checks of the time-domain engine against published formulas: minutes each, so not among
the tests.

The last figures stand in docs/accuracy.md; ``./odd-heron benchmark antennas --json``
makes them anew.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import skrf
import xarray as xr
from scipy.constants import c as C0

from heron.checks import examine
from heron.engines import ENGINES, silent
from heron.errors import ModelError
from heron.model import load_document
from heron.results import cross_sections, currents, patterns, ports
from heron.results.near import near_field

Row = dict[str, Any]

PATCH_CELLS = (14, 20, 28)  # per wavelength: each grid √2 finer than the one before
# Balanis, Antenna Theory, example 14.1 (from memory)
PATCH = {"eps": 2.2, "h": 1.588e-3, "w": 11.86e-3, "l": 9.06e-3, "f": 10e9}
LINE = {"eps": 3.55, "tan": 0.02, "h": 1.524e-3, "w": 3.4e-3, "short": 20e-3, "long": 36e-3}


def _solve(
    parts: list[Row],
    feeds: list[Row],
    medium: Row,
    plan: Row,
    surround: Row | None = None,
    captures: list[Row] | None = None,
) -> xr.Dataset:
    document = {
        "version": 1,
        "parts": parts,
        "feeds": feeds,
        "materials": [
            {"kind": "dielectric", "name": "board", "conductivity": "0 S/m", "permeability": "1"}
            | medium
        ],
        "surround": surround or {"kind": "ground", "height": "0"},
        "plan": {"engine": "transient"} | plan,
        "captures": captures or [],
    }
    found = examine(load_document(document))
    if not found.sound:
        raise ModelError("; ".join(p.message for p in found.errors))
    return ENGINES["transient"].solve(found.model, found.discretisation, silent)


def _box(name: str, low: Any, size: Any) -> Row:
    return {
        "kind": "box",
        "name": name,
        "corner": [f"{v} m" for v in low],
        "size": [f"{v} m" for v in size],
        "material": "board",
    }


def _strip(
    name: str, x: float, y: float, z: float, along: float, across: float, material: str
) -> Row:
    return {
        "kind": "rectangle",
        "name": name,
        "corner": [f"{v} m" for v in (x, y, z)],
        "size": [f"{along} m", f"{across} m"],
        "axis": "z",
        "material": material,
    }


def _pin(name: str, x: float, y: float, h: float, radius: float) -> Row:
    return {
        "kind": "wire",
        "name": name,
        "start": [f"{x} m", f"{y} m", "0"],
        "end": [f"{x} m", f"{y} m", f"{h} m"],
        "radius": f"{radius} m",
        "material": "perfect conductor",
    }


def patch() -> list[Row]:
    """The worked patch of 10 GHz on a grounded board: its resonance (largest R) as the grid becomes
    finer, and where that leads.
    """
    p, board = PATCH, 26e-3
    parts = [
        _box("substrate", (-board / 2, -board / 2, 0), (board, board, p["h"])),
        _strip("patch", -p["w"] / 2, -p["l"] / 2, p["h"], p["w"], p["l"], "perfect conductor"),
        _pin("pin", 0.0, -2.6e-3, p["h"], 0.15e-3),
    ]
    found, rows = [], []
    for cells in PATCH_CELLS:
        results = _solve(
            parts,
            [{"number": 1, "part": "pin", "at": "0.5"}],
            {"permittivity": str(p["eps"]), "loss_tangent": "0"},
            {
                "f_start": "8.8 GHz",
                "f_stop": "10.8 GHz",
                "points": "201",
                "cells_per_wavelength": str(cells),
                "decay": "45",
            },
        )
        f, r = results["frequency"].values, ports.impedances(results)[:, 0].real
        i = int(r.argmax())
        a, b, c = r[i - 1 : i + 2]
        found.append(float(f[i] + 0.5 * (a - c) / (a - 2 * b + c) * (f[1] - f[0])))
        figures = patterns.figures(results, i)
        rows.append(
            {
                "check": "10 GHz patch (Balanis, ch. 14)",
                "cells_per_wavelength": cells,
                "resonance_hz": found[-1],
                "against_design": found[-1] / p["f"] - 1,
                "directivity_dbi": figures.directivity_dbi,
            }
        )
    order = float(np.log2(abs((found[0] - found[1]) / (found[1] - found[2]))) * 2)
    limit = found[2] + (found[2] - found[1]) / (2 ** (order / 2) - 1)
    last = {"check": "10 GHz patch, limit of fine grids", "resonance_hz": limit, "order": order}
    return [*(row | {"against_limit": row["resonance_hz"] / limit - 1} for row in rows), last]


def _characteristic(results: xr.Dataset, places: list[float]) -> Any:
    """Re Z0 (f,), Ω, from V between ground and strip and I along the strip at two ``places`` along
    x, m, with the first port driven.
    """
    driven = results.assign(drive=("port", np.array([1.0, 0.0], dtype=complex)))
    volts, amperes = (np.empty((results.sizes["frequency"], 2), dtype=complex) for _ in range(2))
    for i, hz in enumerate(results["frequency"].values):
        k = currents.surface_current(driven, "strip", float(hz))
        x = 0.5 * (k.low[:, 0] + k.high[:, 0])
        stations = np.unique(x)
        along = np.array([(k.k[x == s, 0] * (k.high - k.low)[x == s, 1]).sum() for s in stations])
        for n, place in enumerate(places):
            points = results[f"near {n}_at"].values
            # not up to the strip, beyond which it is another
            field = near_field(driven, i, points)[0][:, 2]
            volts[i, n] = -np.polyval(np.polyint(np.polyfit(points[:, 2], field, 2)), LINE["h"])
            amperes[i, n] = np.interp(place, stations, along.real) + 1j * np.interp(
                place, stations, along.imag
            )
    return np.sqrt(
        (volts[:, 0] ** 2 - volts[:, 1] ** 2) / (amperes[:, 0] ** 2 - amperes[:, 1] ** 2)
    ).real


def microstrip() -> list[Row]:
    """Phase and loss constants from lines of two lengths with the same ends, by the eigenvalues of
    T₂T₁⁻¹; reference: Hammerstad and Jensen (1980).

    The characteristic impedance comes from voltage and current at two places of the longer line: V²
    − Z0² I² is the same everywhere (Pozar, ch. 2). The formulas are those of ``skrf.media``.
    """
    p, margin, transfer, f = LINE, 12e-3, [], np.zeros(0)
    for length in (p["short"], p["long"]):
        x, width = length / 2, p["w"] + 2 * margin
        parts = [
            _box("substrate", (-x - margin, -width / 2, 0), (length + 2 * margin, width, p["h"])),
            _strip("strip", -x, -p["w"] / 2, p["h"], length, p["w"], "copper"),
            _pin("left", -x, 0.0, p["h"], 0.2e-3),
            _pin("right", x, 0.0, p["h"], 0.2e-3),
        ]
        feeds = [
            {"number": n, "part": part, "at": "0.5"} for n, part in ((1, "left"), (2, "right"))
        ]
        places = [-length / 4, length / 4]
        captures = [
            {
                "kind": "surface_current",
                "name": "strip",
                "part": "strip",
                "frequencies": [f"{v} GHz" for v in np.linspace(1, 4, 13)],
            },
            *(
                {
                    "kind": "near_line",
                    "name": f"at {n}",
                    "start": [f"{v} m", "0", f"{0.2 * p['h']} m"],
                    "end": [f"{v} m", "0", f"{0.8 * p['h']} m"],
                    "count": "31",
                }
                for n, v in enumerate(places)
            ),
        ]
        results = _solve(
            parts,
            feeds,
            {"permittivity": str(p["eps"]), "loss_tangent": str(p["tan"])},
            {
                "f_start": "1 GHz",
                "f_stop": "4 GHz",
                "points": "13",
                "cells_per_wavelength": "40",
                "decay": "60",
            },
            captures=captures,
        )
        f, impedance = results["frequency"].values, _characteristic(results, places)
        transfer.append(skrf.network.s2t(results["s"].values))
    band = skrf.Frequency.from_f(f, unit="Hz")
    lines = skrf.media.MLine(
        band,
        w=p["w"],
        h=p["h"],
        t=35e-6,
        ep_r=p["eps"],
        tand=p["tan"],
        rho=1 / 5.8e7,
        rough=1e-9,
        diel="frequencyinvariant",
    )
    rows = []
    for k, hz in enumerate(f):
        values = np.linalg.eigvals(transfer[1][k] @ np.linalg.inv(transfer[0][k]))
        # e^(−γ ΔL): its phase falls
        gamma = -np.log(values[int(np.argmin(values.imag))]) / (p["long"] - p["short"])
        found = (gamma.imag * C0 / (2 * np.pi * hz)) ** 2
        wanted = (lines.gamma[k].imag * C0 / (2 * np.pi * hz)) ** 2
        rows.append(
            {
                "check": "microstrip (Hammerstad and Jensen)",
                "frequency_hz": float(hz),
                "eps_eff": float(found),
                "error": float(found / wanted - 1),
                "z0_ohm": float(impedance[k]),
                "z0_error": float(impedance[k] / lines.z0_characteristic[k].real - 1),
            }
        )
        if k == len(f) // 2:  # the loss tangent holds at the middle of the band
            rows[-1] |= {
                "loss_db_per_m": float(8.686 * abs(gamma.real)),
                "formula_db_per_m": float(8.686 * lines.gamma[k].real),
            }
    return rows


def inverted_f() -> list[Row]:
    """An inverted-F of strips on 200 × 100 mm, upright 20 mm, arm 50 mm, 5 mm wide: near 1.5 GHz
    and about 5 dBi; nearer to its short the feed sees a lower resonance.

    Common practice, without a source.
    """
    rows = []
    for tap in (12e-3, 6e-3):
        sheet = {"kind": "rectangle", "material": "perfect conductor"}
        parts = [
            sheet
            | {
                "name": "ground",
                "corner": ["-100 mm", "-50 mm", "0"],
                "size": ["200 mm", "100 mm"],
                "axis": "z",
            },
            sheet
            | {
                "name": "arm",
                "corner": ["0", "-2.5 mm", "20 mm"],
                "size": ["50 mm", "5 mm"],
                "axis": "z",
            },
            sheet
            | {
                "name": "short",
                "corner": ["0", "-2.5 mm", "0"],
                "size": ["5 mm", "20 mm"],
                "axis": "x",
            },
            _pin("pin", tap, 0.0, 20e-3, 0.5e-3),
        ]
        results = _solve(
            parts,
            [{"number": 1, "part": "pin", "at": "0.05"}],
            {"permittivity": "1", "loss_tangent": "0"},
            {
                "f_start": "0.8 GHz",
                "f_stop": "2 GHz",
                "points": "241",
                "cells_per_wavelength": "25",
                "decay": "45",
            },
            {"mirror": ["none", "PMC", "none"]},
        )
        f, s = results["frequency"].values, np.abs(results["s"].values[:, 0, 0])
        i = int(s.argmin())
        rows.append(
            {
                "check": "inverted-F (common practice)",
                "tap_m": tap,
                "minimum_hz": float(f[i]),
                "s11_db": float(20 * np.log10(s[i])),
                "directivity_dbi": patterns.figures(results, i).directivity_dbi,
            }
        )
    return rows


def horns() -> list[Row]:
    """Pyramidal horns of sheets and of solid walls, of two flares: directivity along the axis
    against the aperture's Fresnel integrals, and what walls of some thickness, which end in a rim
    of 0.2 mm, change of it.
    """
    from tests.apertures import pyramidal_dbi
    from tests.models import horn, solve

    rows = []
    for mouth, long in (((60.0, 45.0), 70.0), ((44.0, 34.0), 40.0)):
        sheet: Any = None
        for wall in (None, 0.2, 0.7, 1.5, 5.0):
            results = solve(horn("12", 3, mouth, long, wall))
            found = np.array([patterns.figures(results, i).directivity_dbi for i in range(3)])
            sheet = found if wall is None else sheet
            form = np.array(
                [
                    pyramidal_dbi(float(f), 1e-3 * mouth[0], 1e-3 * mouth[1], 1e-3 * long)
                    for f in results["frequency"].values
                ]
            )
            rows.append(
                {
                    "check": "pyramidal horn",
                    "mouth_mm": mouth,
                    "long_mm": long,
                    "wall_mm": wall or 0.0,
                    "directivity_dbi": found.tolist(),
                    "over_form_db": (found - form).tolist(),
                    "over_sheet_db": (found - sheet).tolist(),
                    "cells": int(results.attrs["cells"]),
                }
            )
    return rows


SPHERES = (  # relative permittivity (none: a conductor), loss tangent, ka from and to
    (None, 0.0, 0.2, 0.5),
    (None, 0.0, 0.5, 1.0),
    (None, 0.0, 1.0, 2.0),
    (2.1, 0.0, 0.5, 1.0),
    (4.0, 0.0, 0.5, 1.0),
    (4.0, 0.0, 1.0, 2.0),
    (9.0, 0.0, 0.5, 1.0),
    (12.0, 0.0, 0.5, 1.0),
    (4.0, 0.1, 0.5, 1.0),
    (4.0, 0.1, 1.0, 3.0),
    (4.0, 0.5, 0.5, 1.0),
    (9.0, 0.1, 0.5, 1.0),
)


def spheres() -> list[Row]:
    """Cross-sections of spheres with default cells against the Mie series (Bohren and Huffman, ch.
    4), with the permittivity that a constant loss tangent has over the band, as what answers later
    than it is asked must (Kramers and Kronig).
    """
    from heron.engines.transient.contents import dispersive
    from heron.model.substances import media_of
    from tests import mie
    from tests.reference.test_scattering import illuminated

    radius, rows = 0.15, []
    for epsilon, loss, first, last in SPHERES:
        material = {"material": "perfect conductor"} if epsilon is None else {"material": "stuff"}
        ball = {
            "kind": "sphere",
            "name": "ball",
            "centre": ["0", "0", "0"],
            "radius": f"{radius} m",
        } | material
        stuff = {
            "kind": "dielectric",
            "name": "stuff",
            "permittivity": str(epsilon or 1.0),
            "loss_tangent": str(loss),
        }
        document = illuminated(
            [ball],
            first * C0 / (2 * np.pi * radius),
            last * C0 / (2 * np.pi * radius),
            9,
            materials=[stuff],
        )
        del document["surround"]  # default distances
        found = examine(load_document(document))
        results = ENGINES["transient"].solve(found.model, found.discretisation, silent)
        f = results["frequency"].values
        fit = (
            None
            if epsilon is None
            else dispersive(media_of(found.model)[0]["stuff"], found.model.plan)
        )
        index = (
            [None] * len(f)
            if epsilon is None
            else np.sqrt(np.conj(fit.law.epsilon(f)) if fit else np.full(len(f), epsilon + 0j))
        )
        wanted = (
            np.array(
                [
                    mie.efficiencies(2 * np.pi * hz * radius / C0, m)[:2]
                    for hz, m in zip(f, index, strict=True)
                ]
            ).T
            * np.pi
            * radius**2
        )
        sections = cross_sections.cross_sections(results, 0)
        off = {
            "extinction": sections.extinction / wanted[0] - 1,
            "scattered": sections.scattered / wanted[1] - 1,
        }
        if loss:
            off["absorbed"] = sections.absorbed / (wanted[0] - wanted[1]) - 1
        rows.append(
            {
                "check": "sphere (Mie)",
                "permittivity": epsilon,
                "loss_tangent": loss,
                "ka": [first, last],
                "cells": int(results.attrs["cells"]),
                **{name: [float(e.min()), float(e.max())] for name, e in off.items()},
            }
        )
    return rows


def run() -> list[Row]:
    return [*patch(), *microstrip(), *inverted_f(), *horns(), *spheres()]
