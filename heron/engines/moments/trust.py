"""What a run of moments says of itself beside its errors (limits: common practice)."""

from __future__ import annotations

import numpy as np
import xarray as xr

from heron.results.capabilities import TrustItem
from heron.results.capabilities.contract import marked
from heron.results.power import budget


def trust(results: xr.Dataset) -> list[TrustItem]:
    """What a run of this engine says of itself beside its errors."""
    compressed = _compressed(results)
    if "travels" in results:  # what is scattered says so itself
        return compressed
    s = results["s"].values
    balance = float(np.nanmax(np.abs(budget(results).balance_error)))
    passive = float(np.linalg.norm(s, ord=2, axis=(1, 2)).max())
    reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
    items = [
        TrustItem(
            "Power in = power out",
            f"{100 * balance:.2g} %",
            marked(balance, 0.01, 0.05),
            "use more segments per wavelength",
        ),
        TrustItem(
            "Passivity",
            f"max {passive:.4f}",
            marked(passive - 1, 1e-4, 1e-2),
            "tighten the interpolation tolerance",
        ),
    ]
    if s.shape[1] > 1:
        items.append(
            TrustItem(
                "Reciprocity",
                f"{reciprocal:.1e}",
                marked(reciprocal, 1e-6, 1e-3),
                "report this run: such a model is reciprocal",
            )
        )
    if not results["solved"].values.all():
        error = float(results.attrs["interpolation_error"])
        items.append(
            TrustItem(
                "|ΔS| interpolated", f"{error:.1e}", marked(error, 1e-3, 1e-2), "solve every point"
            )
        )
    if results.attrs["stopped"]:
        items.append(TrustItem("Sweep", "stopped early", "look", "run it again to fill the band"))
    return items + compressed


def _compressed(results: xr.Dataset) -> list[TrustItem]:
    """What is left out of a matrix that is not kept whole, and of its solution."""
    error = float(results.attrs.get("matrix_error", 0.0))
    if error == 0:
        return []
    residual = float(results.attrs["residual"])
    worst = max(error, residual)
    return [
        TrustItem(
            "Compressed matrix",
            f"off by {error:.0e}, solved to {residual:.0e}",
            marked(worst, 1e-3, 1e-2),
            "report this run: it is solved more exactly than that",
        )
    ]
