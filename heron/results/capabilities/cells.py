"""What cells that are repeated without end do to a wave: reflection, transmission, absorption."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.formats.tables import mixed_table
from heron.quantities import Quantity, engineering
from heron.results import cross_sections, ports
from heron.results.capabilities.contract import (
    FINER,
    Context,
    Headline,
    Judged,
    Rounds,
    TrustItem,
    marked,
    percent,
    plain,
)
from heron.results.capabilities.illuminated import DECAY, Illuminated
from heron.results.convergence import HELD, ORDERS, UNSURE
from heron.results.errors import FLOOR_SHARE
from heron.results.quantity import quantity

# fitted: HELD of cells with metal, whose coarse rounds are near each other while edges are still
# off by first order
EDGES_HELD = 0.7
STRAIGHT, POWERS = ("reflection", "transmission"), ("reflectance", "transmittance", "absorptance")
COMPARED = (*STRAIGHT, *POWERS[:2])
COLUMNS = (
    "frequency_hz",
    *POWERS,
    "reflection_real",
    "reflection_imag",
    "transmission_real",
    "transmission_imag",
    "illumination",
)


class Cells(Illuminated):
    """Of each illumination alone; formulas speak of the first one."""

    name: ClassVar[str] = "cells"
    words: ClassVar[str] = "reflection and transmission of repeated cells"
    leading: ClassVar[str] = "reflection"
    judged: ClassVar[Mapping[str, Judged]] = {
        "reflection": Judged("the reflection", 0.01, 0.05, plain, FINER),
        "transmission": Judged("the transmission", 0.01, 0.05, plain, FINER),
    }

    def in_older(self, results: xr.Dataset) -> bool:
        return bool(results.attrs.get("repeated", 0))

    def names(self) -> list[str]:
        return [*POWERS, *STRAIGHT]

    def find(self, run: Context, name: str) -> Quantity | None:
        known = name in (*POWERS, *STRAIGHT)
        return quantity(getattr(cross_sections.shares(run.results), name)) if known else None

    def headline(self, results: xr.Dataset) -> Headline:
        """The smallest share of the power that is reflected."""
        reflectance = cross_sections.shares(results).reflectance
        level = ports.magnitude_db(np.sqrt(np.maximum(reflectance, 0)))
        at, low = ports.minimum(results["frequency"].values, level)
        return Headline(level, at, low, f"reflects {low:.1f} dB at {engineering(at, 'Hz')}")

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        rows = []
        for n, name in enumerate(cross_sections.illuminations(results)):
            found = cross_sections.shares(results, n)
            for i, f in enumerate(results["frequency"].values):
                row: dict[str, Any] = {"illumination": name, "frequency_hz": float(f)}
                row |= {what: float(getattr(found, what)[i]) for what in POWERS}
                for what in STRAIGHT:
                    value = getattr(found, what)[i]
                    row |= {f"{what}_real": float(value.real), f"{what}_imag": float(value.imag)}
                rows.append(row)
        return {"cells_lit": rows}

    def files(self, results: xr.Dataset, summary: Mapping[str, Any]) -> dict[str, str]:
        return {"scattering.csv": mixed_table(COLUMNS, summary["cells_lit"])}

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        found = [cross_sections.shares(results, n) for n in range(results.sizes["port_in"])]
        return {name: np.stack([getattr(c, name) for c in found], axis=1) for name in COMPARED}

    def convergence(self, results: xr.Dataset, last: Mapping[str, Any]) -> tuple[float, float]:
        """What edges of metal do is of first order."""
        return (EDGES_HELD, UNSURE) if results.attrs.get("metal", 0) else (HELD, ORDERS[1])

    def state_errors(self, rounds: Rounds) -> None:
        floor = float(np.hypot(FLOOR_SHARE, rounds.ring))
        for name in COMPARED:
            rounds.put(name, rounds.error(name), floor)

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        if cross_sections.kept(results):
            return []
        lights = range(results.sizes["port_in"])
        balance = max(
            float(np.abs(cross_sections.shares(results, n).balance).max()) for n in lights
        )
        mark = marked(balance, 0.01, 0.05)
        return [TrustItem("Power in = power out", percent(balance), mark, DECAY)]
