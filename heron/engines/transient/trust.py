"""What a run in time says of itself beside its errors (limits: common practice)."""

from __future__ import annotations

import numpy as np
import xarray as xr

from heron.results.capabilities import TrustItem, provides
from heron.results.capabilities.contract import marked
from heron.results.power import budget

WELL_FED = 0.1  # of the available power


def trust(results: xr.Dataset) -> list[TrustItem]:
    """Ring-down and cells of every run; power balance, passivity and reciprocity of ports."""
    own = _of_ports if provides(results, "ports") else _of_waves
    return own(results) + (
        [TrustItem("Run", "stopped early", "look", "run it again to its end")]
        if results.attrs["stopped"]
        else []
    )


def _of_waves(results: xr.Dataset) -> list[TrustItem]:
    return [_ring_down(results), _cells(results)]


def _ring_down(results: xr.Dataset) -> TrustItem:
    left = 10 * np.log10(max(float(results.attrs["energy_left"]), 1e-30))
    return TrustItem(
        "Ring-down",
        f"{left:.0f} dB",
        marked(left, -39.9, -30.0),
        "let the run go on to a lower energy",
    )


def _cells(results: xr.Dataset) -> TrustItem:
    cells = float(results.attrs["cells_per_wavelength"])
    return TrustItem(
        "Cells per wavelength", f"{cells:.3g}", marked(-cells, -15.0, -10.0), "ask for 15 or more"
    )


def _of_ports(results: xr.Dataset) -> list[TrustItem]:
    """The balance counts where at least a tenth of the power is accepted: elsewhere it is the
    difference of two large numbers.
    """
    s = results["s"].values
    powers = budget(results)
    counts = powers.accepted > WELL_FED * powers.available
    balance = float(np.abs(powers.balance_error[counts]).max()) if counts.any() else float("nan")
    passive = float(np.linalg.norm(s, ord=2, axis=(1, 2)).max())
    distance = float(results.attrs["wall_distance"])
    items = [
        TrustItem(
            "Power in = power out",
            f"{100 * balance:.2g} %" if counts.any() else "too little accepted",
            marked(balance, 0.01, 0.05) if counts.any() else "look",
            "let the run decay further, or ask for more cells per wavelength",
        ),
        _ring_down(results),
        TrustItem(
            "Passivity",
            f"max {passive:.4f}",
            marked(passive - 1, 2e-3, 2e-2),
            "let the run decay further",
        ),
        _cells(results),
        TrustItem(
            "Open walls",
            f"{distance:.2f} λ away",
            marked(-distance, -0.249, -0.125),
            "a quarter of the longest wavelength is the rule",
        ),
    ]
    if "other_modes" in results:
        other = 20 * np.log10(max(float(results["other_modes"].values.max()), 1e-6))
        items.append(
            TrustItem(
                "Higher modes at openings",
                f"{other:.0f} dB",
                marked(other, -20.0, -10.0),
                "move the feed's plane away from where its line or guide changes",
            )
        )
    if s.shape[1] > 1:
        reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
        items.append(
            TrustItem(
                "Reciprocity",
                f"{reciprocal:.1e}",
                marked(reciprocal, 5e-3, 5e-2),
                "let the run decay further",
            )
        )
    return items
