"""What the readout page shows of one run, as plain JSON values."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr

from heron.results.capabilities import CAPABILITIES, leading, provided
from heron.results.currents import mode_names, surface_names
from heron.results.quantity import by_wavelength
from heron.results.signals import trace_names

SPARK_POINTS = 60
NOTHING: dict[str, Any] = {
    "ports": [],
    "z0_ohm": [],
    "power_share": {},
    "absorbed_share": {},
    "badges": {},
    "illuminations": [],
}


def sweep(results: xr.Dataset) -> dict[str, Any]:
    """Frequencies, what was recorded, what the run provides and lacks, and what its capabilities
    say of themselves. Curves are asked for by formula.
    """
    there = [c.name for c in provided(results)]
    out = {
        "provides": list(there),
        "lacks": {c.name: c.words for c in CAPABILITIES.values() if c.name not in there},
        "frequency_hz": results["frequency"].values.tolist(),
        "by_wavelength": by_wavelength(results["frequency"].values),
        "solved": results["solved"].values.tolist(),
        "surfaces": surface_names(results) + mode_names(results),
        "traces": trace_names(results),
        "wires": "current" in results,
        **NOTHING,
    }
    for capability in provided(results):
        out |= capability.overview(results)
    return out


def headline(results: xr.Dataset) -> dict[str, Any]:
    """The headline of a run as JSON values, with a sparkline of its curve: that of the first
    capability that has one.
    """
    found = next(h for c in leading(results) if (h := c.headline(results)) is not None)
    pick = np.linspace(0, len(found.level) - 1, min(len(found.level), SPARK_POINTS))
    return {
        "text": found.words.replace("-", "−"),
        "level_db": found.value,
        "frequency_hz": found.at,
        "spark": np.round(found.level[pick.round().astype(int)], 2).tolist(),
    }
