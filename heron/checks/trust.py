"""The trust card: how far a finished run can be believed, in numbers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
import xarray as xr

from heron.quantities.constants import C0
from heron.results import scattering
from heron.results.power import budget

Mark = Literal["good", "look", "stop"]
WELL_FED = 0.1  # of the available power
MESH, MESH_ERROR = 50.0, 0.01  # segments a wavelength, and the error of Z they leave


@dataclass(frozen=True)
class TrustItem:
    """One figure with its judgement; ``advice`` says what to do when it is not good."""

    name: str
    value: str
    mark: Mark
    advice: str = ""


@dataclass(frozen=True)
class Estimate:
    """How wrong |S| (as |ΔS|) and gain (in dB) may be, ``None`` where nothing is known of it, and what that rests on."""

    s: float | None
    gain_db: float | None
    basis: str

    def at_level(self, level_db: float) -> float | None:
        """dB by which |S| of that level may be off, to first order and no more than all of it."""
        return None if self.s is None else float(20 / np.log(10) * min(1.0, self.s / 10 ** (level_db / 20)))


def estimate(results: xr.Dataset) -> Estimate:
    """Nothing of a lit run; S of wires from the fineness of the mesh and the interpolation's check, of grids from the passes; gain from the power balance."""
    if scattering.lit(results):
        return Estimate(None, None, "cross-sections are judged by their balance")
    powers = budget(results)
    counts = powers.accepted > WELL_FED * powers.available
    balance = float(np.abs(powers.balance_error[counts]).max()) if counts.any() else float("nan")
    gain = float(-10 * np.log10(max(1 - balance, 1e-3))) if np.isfinite(balance) else None
    if results.attrs["engine"] == "moments":
        return Estimate(_mesh_error(results) + float(results.attrs["interpolation_error"]), gain, "fineness of the mesh, interpolation; power balance")
    passes = float(results.attrs.get("error_from_passes", np.nan))
    return Estimate(passes, gain, "passes; power balance") if np.isfinite(passes) else Estimate(None, gain, "power balance; ask for passes to know the error of S")


def _mesh_error(results: xr.Dataset) -> float:
    """|ΔS| that wires of this fineness leave: 1 % of Z at 50 segments a wavelength (measured 0.2 to 0.6 % on halving), in proportion to their length.

    A relative change of Z moves S by half of it times |1 − S²|.
    """
    length = float(np.linalg.norm(results["segment_end"].values - results["segment_start"].values, axis=1).max())
    per_wavelength = C0 / float(results["frequency"].values.max()) / length
    own = np.diagonal(results["s"].values, axis1=1, axis2=2)
    return float(0.5 * MESH_ERROR * MESH / per_wavelength * np.abs(1 - own**2).max())


def _estimated(results: xr.Dataset) -> list[TrustItem]:
    found = estimate(results)
    items = []
    if found.s is not None:
        items.append(TrustItem("Error of |S11|", f"about {found.s:.1g}", _mark(found.s, 0.03, 0.1), "ask for more segments or passes"))
    else:
        items.append(TrustItem("Error of |S11|", "not known", "look", "ask for passes in the plan; they end with an estimate"))
    if found.gain_db is not None:
        items.append(TrustItem("Error of the gain", f"about {found.gain_db:.1g} dB", _mark(found.gain_db, 0.1, 0.5),
                               "what is missing in the power balance may be missing in the gain"))
    return items


def _mark(value: float, good: float, bad: float) -> Mark:
    return "good" if value <= good else "look" if value <= bad else "stop"


def trust_card(results: xr.Dataset) -> list[TrustItem]:
    """Power balance (1 %), passivity, reciprocity, and what the engine itself can say of its error; of lit runs their own balance (limits: common practice)."""
    kind = scattering.kind(results)
    return LIT_CARDS[kind](results) if kind in LIT_CARDS else CARDS[str(results.attrs["engine"])](results) + _estimated(results)


def _lit_card(results: xr.Dataset) -> list[TrustItem]:
    """The balance counts where a tenth of the largest extinction is left (below, the optical theorem is the difference of large numbers), and where layers
    can keep none of the power."""
    found = [scattering.cross_sections(results, n) for n in range(results.sizes["port_in"])]
    balance = max(float(np.abs(c.balance[c.extinction > WELL_FED * c.extinction.max()]).max(initial=0.0)) for c in found)
    item = TrustItem("Scattered + absorbed = taken out", f"{100 * balance:.2g} %", _mark(balance, 0.02, 0.08),
                     "let the run decay further, or ask for more cells per wavelength")
    return [*([] if scattering.kept(results) else [item]), *_lit_items(results)]


def _repeated_card(results: xr.Dataset) -> list[TrustItem]:
    balance = max(float(np.abs(scattering.shares(results, n).balance).max()) for n in range(results.sizes["port_in"]))
    item = TrustItem("Power in = power out", f"{100 * balance:.2g} %", _mark(balance, 0.01, 0.05),
                     "let the run decay further, or ask for more cells per wavelength")
    return [*([] if scattering.kept(results) else [item]), *_lit_items(results)]


def _lit_items(results: xr.Dataset) -> list[TrustItem]:
    items = [_ring_down(results), _cells(results)]
    if results.attrs["stopped"]:
        items.append(TrustItem("Run", "stopped early", "look", "run it again to its end"))
    return items


def _empty_card(results: xr.Dataset) -> list[TrustItem]:
    floor = float(scattering.leakage(results).max())
    return [TrustItem("Noise floor", f"{floor:.0f} dB", _mark(floor, -60.0, -45.0), "let the box end where cells are even across the wave's way")]


def _ring_down(results: xr.Dataset) -> TrustItem:
    left = 10 * np.log10(max(float(results.attrs["energy_left"]), 1e-30))
    return TrustItem("Ring-down", f"{left:.0f} dB", _mark(left, -39.9, -30.0), "let the run go on to a lower energy")


def _cells(results: xr.Dataset) -> TrustItem:
    cells = float(results.attrs["cells_per_wavelength"])
    return TrustItem("Cells per wavelength", f"{cells:.3g}", _mark(-cells, -15.0, -10.0), "ask for 15 or more")


def _transient_card(results: xr.Dataset) -> list[TrustItem]:
    """The balance counts where at least a tenth of the power is accepted: elsewhere it is the difference of two large numbers."""
    s = results["s"].values
    powers = budget(results)
    counts = powers.accepted > WELL_FED * powers.available
    balance = float(np.abs(powers.balance_error[counts]).max()) if counts.any() else float("nan")
    passive = float(np.linalg.norm(s, ord=2, axis=(1, 2)).max())
    distance = float(results.attrs["wall_distance"])
    items = [
        TrustItem("Power in = power out", f"{100 * balance:.2g} %" if counts.any() else "too little accepted", _mark(balance, 0.01, 0.05) if counts.any() else "look",
                  "let the run decay further, or ask for more cells per wavelength"),
        _ring_down(results),
        TrustItem("Passivity", f"max {passive:.4f}", _mark(passive - 1, 2e-3, 2e-2), "let the run decay further"),
        _cells(results),
        TrustItem("Open walls", f"{distance:.2f} λ away", _mark(-distance, -0.249, -0.125), "a quarter of the longest wavelength is the rule"),
    ]
    if "error_from_passes" in results.attrs:
        changes, error = np.ravel(results.attrs["pass_changes"]), float(results.attrs["error_from_passes"])
        items.append(TrustItem("|ΔS| between passes", " → ".join(f"{c:.2g}" for c in changes), _mark(float(changes[-1]), 0.02, 0.1), "allow more passes"))
        if not np.isfinite(error):
            items.append(TrustItem("Passes", "they do not settle", "stop", "allow more passes, or begin with more cells per wavelength"))
    if "other_modes" in results:
        other = 20 * np.log10(max(float(results["other_modes"].values.max()), 1e-6))
        items.append(TrustItem("Higher modes at openings", f"{other:.0f} dB", _mark(other, -20.0, -10.0),
                               "move the feed's plane away from where its line or guide changes"))
    if s.shape[1] > 1:
        reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
        items.append(TrustItem("Reciprocity", f"{reciprocal:.1e}", _mark(reciprocal, 5e-3, 5e-2), "let the run decay further"))
    if results.attrs["stopped"]:
        items.append(TrustItem("Run", "stopped early", "look", "run it again to its end"))
    return items


def _moments_card(results: xr.Dataset) -> list[TrustItem]:
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


CARDS: dict[str, Callable[[xr.Dataset], list[TrustItem]]] = {"moments": _moments_card, "transient": _transient_card}
LIT_CARDS: dict[str, Callable[[xr.Dataset], list[TrustItem]]] = {"lit": _lit_card, "repeated": _repeated_card, "empty": _empty_card}


def grade(items: list[TrustItem]) -> str:
    """A: all good; B: something to look at; C: something wrong."""
    marks = {i.mark for i in items}
    return "C" if "stop" in marks else "B" if "look" in marks else "A"
