"""What all models have in common that waves illuminate."""

from __future__ import annotations

from typing import Any

import numpy as np
import xarray as xr

from heron.results import cross_sections
from heron.results.capabilities.contract import Capability

DECAY = "let the run decay further, or ask for more cells per wavelength"


class Illuminated(Capability):
    """Where the waves come from, and what they carry."""

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        return {
            "layered": cross_sections.layered(results),
            "receives": [int(p) for p in results["port"].values],
            "illuminations": _illuminations(results),
        }

    def incident(self, results: xr.Dataset) -> float | None:
        return float(abs(results["drive"].values[0]))

    def offered(self, results: xr.Dataset, index: int) -> float | None:
        return cross_sections.power_of_waves(results, index)


def _illuminations(results: xr.Dataset) -> list[dict[str, Any]]:
    """Names of illuminations and the directions that they come from."""
    out = []
    for n, name in enumerate(cross_sections.illuminations(results)):
        theta, phi = np.degrees(cross_sections.back(results, n)).tolist()
        out.append({"name": name, "theta_deg": theta, "phi_deg": phi})
    return out
