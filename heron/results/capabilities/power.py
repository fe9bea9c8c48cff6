"""Where the power of driven ports goes."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
import xarray as xr

from heron.quantities import Quantity
from heron.results.capabilities.contract import Capability, Context, Rounds
from heron.results.currents import absorbed
from heron.results.errors import FLOOR_SHARE
from heron.results.power import budget
from heron.results.quantity import finite, quantity

FED = 0.1  # of the available power: gain and efficiency count where more is accepted
SHARES = {
    "radiated": "radiated",
    "conductor_loss": "conductor",
    "dielectric_loss": "dielectric",
    "load_loss": "loads",
    "accepted": "accepted",
}
EFFICIENCIES = ("radiation_efficiency", "total_efficiency")


class Power(Capability):
    """Shares of the available power, mismatch, efficiencies."""

    name: ClassVar[str] = "power"
    words: ClassVar[str] = "power accepted, radiated and lost"
    powers: ClassVar[frozenset[str]] = frozenset(
        {"radiated", "accepted", "mismatch", *EFFICIENCIES}
    )

    def in_older(self, results: xr.Dataset) -> bool:
        return not results.attrs.get("lit", 0)

    def names(self) -> list[str]:
        return [*SHARES, "mismatch", *EFFICIENCIES]

    def find(self, run: Context, name: str) -> Quantity | None:
        if name not in self.names():
            return None
        p = run.powers
        if name == "mismatch":
            return quantity(1 - p.accepted / p.available)
        if name in SHARES:
            return quantity(getattr(p, SHARES[name]) / p.available)
        return quantity(getattr(p, name))

    def overview(self, results: xr.Dataset) -> dict[str, Any]:
        powers = budget(results)
        parts = ("radiated", "conductor", "dielectric", "loads", "accepted")
        return {
            "power_share": {
                name: finite(getattr(powers, name) / powers.available) for name in parts
            },
            "absorbed_share": {
                name: finite(power / powers.available) for name, power in absorbed(results).items()
            },
        }

    def summary(self, results: xr.Dataset, model: Any, indices: list[int]) -> dict[str, Any]:
        balance = np.nanmax(np.abs(budget(results).balance_error))
        return {"power_balance_error": float(balance)}

    def compared(self, results: xr.Dataset) -> dict[str, Any]:
        powers = budget(results)
        fed = powers.accepted > FED * powers.available
        efficiency = powers.radiated / np.maximum(powers.accepted, 1e-30)
        return {
            "balance": np.where(fed, np.abs(powers.balance_error), np.nan),
            "efficiency": np.where(fed, efficiency, np.nan),
        }

    def state_errors(self, rounds: Rounds) -> None:
        balance = rounds.values("balance")[-1] if rounds.sizes else 0.0
        floor = float(np.hypot(FLOOR_SHARE, np.nanmax(balance, initial=0.0)))
        error = rounds.error("efficiency")
        rounds.put("efficiency", None if error is None else rounds.wavers * error, floor)
