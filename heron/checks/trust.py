"""The trust card: how far a finished run can be believed, in numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import xarray as xr

from heron.results.power import budget

Mark = Literal["good", "look", "stop"]


@dataclass(frozen=True)
class TrustItem:
    """One figure with its judgement; ``advice`` says what to do when it is not good."""

    name: str
    value: str
    mark: Mark
    advice: str = ""


def _mark(value: float, good: float, bad: float) -> Mark:
    return "good" if value <= good else "look" if value <= bad else "stop"


def trust_card(results: xr.Dataset) -> list[TrustItem]:
    """Power balance (1 %), passivity, reciprocity and interpolation error of a wire run (limits: common practice)."""
    s = results["s"].values
    balance = float(np.nanmax(np.abs(budget(results).balance_error)))
    passive = float(np.linalg.norm(s, ord=2, axis=(1, 2)).max())
    reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
    items = [
        TrustItem("Power in = power out", f"{100 * balance:.2g} %", _mark(balance, 0.01, 0.05), "use more segments per wavelength"),
        TrustItem("Passivity", f"max {passive:.4f}", _mark(passive - 1, 1e-4, 1e-2), "tighten the interpolation tolerance"),
    ]
    if s.shape[1] > 1:
        items.append(TrustItem("Reciprocity", f"{reciprocal:.1e}", _mark(reciprocal, 1e-6, 1e-3), "report this run: a wire model is reciprocal"))
    if not results["solved"].values.all():
        error = float(results.attrs["interpolation_error"])
        items.append(TrustItem("|ΔS| interpolated", f"{error:.1e}", _mark(error, 1e-3, 1e-2), "solve every point"))
    if results.attrs["stopped"]:
        items.append(TrustItem("Sweep", "stopped early", "look", "run it again to fill the band"))
    return items


def grade(items: list[TrustItem]) -> str:
    """A: all good; B: something to look at; C: something wrong."""
    marks = {i.mark for i in items}
    return "C" if "stop" in marks else "B" if "look" in marks else "A"
