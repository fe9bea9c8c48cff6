"""Characteristic modes: currents that metal carries by itself, whatever drives it."""

from __future__ import annotations

import re
from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.errors import QuantityError
from heron.formats.tables import table
from heron.quantities import Quantity
from heron.results.capabilities.contract import (
    Capability,
    Context,
    Floats,
    Rounds,
)
from heron.results.errors import errors_in
from heron.results.quantity import quantity

_NAME = re.compile(r"^(eigenvalue|modal_significance|characteristic_angle|mode_share)(\d+)$")
# significance from which on a mode's angle is compared; what radiates less is of no account
COMPARED = 0.2


class CharacteristicModes(Capability):
    """Eigenvalue λ, significance 1/|1 + jλ|, characteristic angle π − arctan λ in rad, and share of
    the radiated power, of every mode; modes count from 1, the one that radiates best first.
    """

    name: ClassVar[str] = "characteristic modes"
    words: ClassVar[str] = "characteristic modes"

    def in_older(self, results: xr.Dataset) -> bool:
        return False

    def names(self) -> list[str]:
        return ["eigenvalue1", "modal_significance1", "characteristic_angle1", "mode_share1"]

    def knows(self, name: str) -> bool:
        return _NAME.match(name) is not None

    def find(self, run: Context, name: str) -> Quantity | None:
        found = _NAME.match(name)
        if found is None:
            return None
        what, number = found.group(1), int(found.group(2))
        known = run.results.sizes["mode"]
        if not 1 <= number <= known:
            raise QuantityError(f"this run has no mode {number}; it has modes 1 to {known}")
        return quantity(_against(run.results, what, number - 1, run.frequency))

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        error = errors_in(results).get("mode_angle", {}).get("value")
        return {
            "modes": results.sizes["mode"],
            "mode_angle_error_deg": None if error is None else float(np.degrees(error)),
        }

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        """Of every mode where it comes nearest to resonance within the band."""
        f, angle = results["mode_frequency"].values, angles(results)
        share = results["mode_share"].values
        best = np.nanargmax(-np.abs(np.where(np.isfinite(angle), angle, 99) - np.pi), axis=0)
        return {
            "characteristic_modes": [
                {
                    "mode": n + 1,
                    "frequency_hz": float(f[i]),
                    "significance": float(-np.cos(angle[i, n])),
                    "share": float(share[i, n]),
                }
                for n, i in enumerate(best.tolist())
                if np.isfinite(angle[i, n])
            ]
        }

    def files(self, results: xr.Dataset, summary: Any) -> dict[str, str]:
        f, shown = results["mode_frequency"].values, range(results.sizes["mode"])
        columns = ["frequency_hz", *(f"{w}{n + 1}" for n in shown for w in ("eigenvalue", "share"))]
        pairs = [
            results[name].values[:, n] for n in shown for name in ("mode_eigenvalue", "mode_share")
        ]
        return {"modes.csv": table(columns, np.column_stack((f, *pairs)))}

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        angle = angles(results)
        return {"mode_angle": np.where(-np.cos(angle) > COMPARED, angle, np.nan)}

    def state_errors(self, rounds: Rounds) -> None:
        rounds.put("mode_angle", rounds.error("mode_angle"), 0.0)


def angles(results: xr.Dataset) -> Floats:
    """Characteristic angles (n, modes) in rad, π at resonance, less where a mode is inductive."""
    return np.asarray(np.pi - np.arctan(results["mode_eigenvalue"].values))


def _against(results: xr.Dataset, what: str, mode: int, frequency: Floats) -> Floats:
    """Between the frequencies at which modes were found; angles go evenly, eigenvalues do not."""
    f = results["mode_frequency"].values
    if what == "mode_share":
        return np.asarray(np.interp(frequency, f, results["mode_share"].values[:, mode]))
    angle = np.interp(frequency, f, angles(results)[:, mode])
    if what == "characteristic_angle":
        return np.asarray(angle)
    return np.asarray(-np.cos(angle) if what == "modal_significance" else -np.tan(angle))
