"""What a body does to waves that illuminate it: radar cross-section, cross-sections of power, what
its ports receive.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.errors import QuantityError
from heron.formats.tables import mixed_table
from heron.quantities import Quantity, area, engineering
from heron.quantities.constants import C0
from heron.results import cross_sections, patterns
from heron.results.capabilities.contract import (
    FINER,
    Context,
    Floats,
    Headline,
    Judged,
    Rounds,
    TrustItem,
    decibels,
    marked,
    percent,
)
from heron.results.capabilities.illuminated import DECAY, Illuminated
from heron.results.convergence import HELD, ORDERS, UNSURE
from heron.results.errors import FLOOR_DB, FLOOR_SHARE, PATTERN_LEVEL
from heron.results.quantity import AREA, by_wavelength, quantity

SECTIONS = ("scattered", "absorbed", "extinction", "scattered_below")
# of the extinction, absorbed: what lossy bodies do is of first order at slanted surfaces
LOSSY = 0.02
LEFT = 0.1  # of the largest extinction: errors and balances count where more is left
COLUMNS = ("frequency_hz", "theta_deg", "phi_deg", "rcs_m2", "monostatic", "illumination")

_RECEIVED = re.compile(r"received(\d*)_section$")


class Scattering(Illuminated):
    """Of each illumination alone; formulas speak of the first one."""

    name: ClassVar[str] = "scattering"
    words: ClassVar[str] = "cross-sections"
    leading: ClassVar[str] = "rcs_db"
    judged: ClassVar[Mapping[str, Judged]] = {
        "rcs_db": Judged("the radar cross-section", 0.1, 0.5, decibels, FINER),
        "cross_section_relative": Judged("the cross-sections", 0.01, 0.05, percent, FINER),
    }
    directional: ClassVar[tuple[str, ...]] = ("rcs",)

    def in_older(self, results: xr.Dataset) -> bool:
        attrs = results.attrs
        return bool(attrs.get("lit", 0)) and not attrs.get("repeated", 0)

    def names(self) -> list[str]:
        return ["rcs", *(f"{s}_section" for s in (*SECTIONS, "received"))]

    def knows(self, name: str) -> bool:
        return name in self.names() or _RECEIVED.match(name) is not None

    def find(self, run: Context, name: str) -> Quantity | None:
        """In m²."""
        at_port = _RECEIVED.match(name)
        if at_port:
            known = [int(p) for p in run.results["port"].values]
            wanted = int(at_port.group(1)) if at_port.group(1) else (known or [0])[0]
            if wanted not in known:
                ports = ", ".join(map(str, known)) or "none"
                raise QuantityError(
                    f"this run has no port {wanted or 'that receives'}; it has {ports}"
                )
            return quantity(cross_sections.received(run.results)[:, known.index(wanted)], AREA)
        if name == "rcs":
            return quantity(cross_sections.monostatic(run.results), AREA)
        section = name.removesuffix("_section")
        if section not in SECTIONS:
            return None
        return quantity(getattr(run.sections, section), AREA)

    def towards(self, run: Context, name: str, theta: float, phi: float) -> Quantity | None:
        if name != "rcs":
            return None
        there = np.array([theta]), np.array([phi])
        values = [
            cross_sections.cross_section(run.results, i, *there)[0]
            for i in range(len(run.frequency))
        ]
        return quantity(np.array(values), AREA)

    def headline(self, results: xr.Dataset) -> Headline:
        """The largest monostatic cross-section; of what is told by wavelengths, as particles are,
        the largest extinction.
        """
        frequency = results["frequency"].values
        if by_wavelength(frequency):
            taken = cross_sections.cross_sections(results).extinction
            level, k = cross_sections.dbsm(taken), int(taken.argmax())
            at, most = float(frequency[k]), float(level[k])
            words = f"extinction {area(float(taken[k]))} at {engineering(C0 / at, 'm')}"
            return Headline(level, at, most, words)
        level = cross_sections.dbsm(cross_sections.monostatic(results))
        at, most = float(results["frequency"].values[level.argmax()]), float(level.max())
        return Headline(level, at, most, f"{most:.1f} dBsm at {engineering(at, 'Hz')}")

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        """Radar cross-sections back to the source over the band, and in every cut; cross-sections
        of power.
        """
        rows, sections = [], []
        for n, name in enumerate(cross_sections.illuminations(results)):
            rows += _monostatic_rows(results, n, name)
            for capture in model.captures:
                if capture is not None and capture.kind == "scattered_cut":
                    rows += _cut_rows(results, model, n, name, capture)
            sections += _section_rows(results, n, name)
        return {"scattering": rows, "cross_sections": sections}

    def files(self, results: xr.Dataset, summary: Mapping[str, Any]) -> dict[str, str]:
        return {"scattering.csv": mixed_table(COLUMNS, summary["scattering"])}

    def pattern(
        self, results: xr.Dataset, index: int, theta: Floats, phi: Floats, shown: Any
    ) -> Floats | None:
        """dBsm."""
        t, p = np.meshgrid(np.radians(theta), np.radians(phi), indexing="ij")
        area = cross_sections.cross_section(results, index, t.ravel(), p.ravel())
        return cross_sections.dbsm(area).reshape(t.shape)

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        lights = range(results.sizes["port_in"])
        found = [cross_sections.cross_sections(results, n) for n in lights]
        out = {
            name: np.stack([getattr(c, name) for c in found], axis=1)
            for name in ("scattered", "absorbed", "extinction")
        }
        out["rcs"] = np.stack([cross_sections.monostatic(results, n) for n in lights], axis=1)
        return out

    def convergence(self, results: xr.Dataset, last: Mapping[str, Any]) -> tuple[float, float]:
        """What takes power of note is of first order."""
        absorbs = float(np.max(last["absorbed"])) > LOSSY * float(np.max(last["extinction"]))
        return HELD, UNSURE if absorbs else ORDERS[1]

    def state_errors(self, rounds: Rounds) -> None:
        error = rounds.error("rcs")
        if error is not None:
            value = rounds.values("rcs")[-1]
            strong = value > value.max() * 10 ** (PATTERN_LEVEL / 10)
            db = 10 * np.log10(1 + error / np.maximum(value, 1e-300))
            error = np.where(strong, db, np.nan)
        rounds.put("rcs_db", error, FLOOR_DB)
        floor, worst = float(np.hypot(FLOOR_SHARE, 2 * rounds.ring)), []
        for name in ("scattered", "absorbed", "extinction"):
            stated = rounds.put(f"{name}_relative", _of_taken(rounds, name), floor)
            if name != "absorbed":
                worst.append(stated)
        rounds.state("cross_section_relative", max(worst, key=lambda value: value or 0.0))

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        """The balance counts where a tenth of the largest extinction is left (below, the optical
        theorem is the difference of large numbers), and where layers can keep none of the power.
        """
        if cross_sections.kept(results):
            return []
        found = [cross_sections.cross_sections(results, n) for n in range(results.sizes["port_in"])]
        balance = max(
            float(np.abs(c.balance[c.extinction > LEFT * c.extinction.max()]).max(initial=0.0))
            for c in found
        )
        name = "Scattered + absorbed = taken out"
        return [TrustItem(name, percent(balance), marked(balance, 0.02, 0.08), DECAY)]


def _monostatic_rows(results: xr.Dataset, light: int, name: str) -> list[dict[str, Any]]:
    theta, phi = np.degrees(cross_sections.back(results, light))
    areas = zip(results["frequency"].values, cross_sections.monostatic(results, light), strict=True)
    return [
        {
            "illumination": name,
            "frequency_hz": float(f),
            "theta_deg": float(theta),
            "phi_deg": float(phi),
            "rcs_m2": float(sigma),
            "monostatic": True,
        }
        for f, sigma in areas
    ]


def _cut_rows(
    results: xr.Dataset, model: Any, light: int, name: str, capture: Any
) -> list[dict[str, Any]]:
    phi, step = float(np.degrees(capture.phi)), float(np.degrees(capture.step))
    out = []
    for i in patterns.cut_indices(model, results, capture):
        angle, sigma = cross_sections.around(results, i, phi, step, light)
        out += [
            {
                "illumination": name,
                "frequency_hz": float(results["frequency"].values[i]),
                "theta_deg": float(a if a <= 180 else 360 - a),
                "phi_deg": float((phi + (0 if a <= 180 else 180)) % 360),
                "rcs_m2": float(s),
                "monostatic": False,
                "cut": capture.name,
            }
            for a, s in zip(angle[:-1], sigma[:-1], strict=True)
        ]
    return out


def _section_rows(results: xr.Dataset, light: int, name: str) -> list[dict[str, Any]]:
    found = cross_sections.cross_sections(results, light)
    kinds = SECTIONS if cross_sections.layered(results) else SECTIONS[:3]
    areas = cross_sections.received(results, light)
    numbers = [str(p) for p in results["port"].values]
    out = []
    for i, f in enumerate(results["frequency"].values):
        row = {"illumination": name, "frequency_hz": float(f)}
        row |= {f"{k}_m2": float(getattr(found, k)[i]) for k in kinds}
        if numbers:
            row["received_m2"] = dict(zip(numbers, areas[i].tolist(), strict=True))
        out.append(row)
    return out


def _of_taken(rounds: Rounds, name: str) -> Floats | None:
    """Errors relative to the values, where a tenth of the largest is left, and to a tenth of the
    extinction at least: of what absorbs nothing there is no share.
    """
    error = rounds.error(name)
    if error is None:
        return None
    value, taken = (np.abs(rounds.values(n)[-1]) for n in (name, "extinction"))
    return np.where(
        taken > LEFT * max(float(taken.max()), 1e-300),
        error / np.maximum(np.maximum(value, LEFT * taken), 1e-300),
        np.nan,
    )
