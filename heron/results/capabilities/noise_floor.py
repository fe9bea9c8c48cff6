"""What is left of a wave where a model without its parts should show nothing."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.results import cross_sections
from heron.results.capabilities.contract import Capability, Headline, TrustItem, marked


class NoiseFloor(Capability):
    """Whatever else such a run has is its noise, and is not judged."""

    name: ClassVar[str] = "noise floor"
    words: ClassVar[str] = "a noise floor"
    alone: ClassVar[bool] = True

    def in_older(self, results: xr.Dataset) -> bool:
        return bool(results.attrs.get("empty", 0))

    def headline(self, results: xr.Dataset) -> Headline:
        level = cross_sections.leakage(results)
        at, most = float(results["frequency"].values[level.argmax()]), float(level.max())
        return Headline(level, at, most, f"noise floor {most:.0f} dB")

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        return {"noise_floor_db": float(np.max(cross_sections.leakage(results)))}

    def trust(self, results: xr.Dataset) -> list[TrustItem]:
        floor = float(np.max(cross_sections.leakage(results)))
        advice = "let the box end where cells are even across the wave's way"
        return [TrustItem("Noise floor", f"{floor:.0f} dB", marked(floor, -60.0, -45.0), advice)]
