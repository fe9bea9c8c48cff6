"""The trust card: how far a finished run can be believed, in numbers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
import xarray as xr

from heron.results import scattering
from heron.results.power import budget
from heron.results.rounds import errors_in, level_error

Mark = Literal["good", "look", "stop"]
WELL_FED = 0.1  # of the available power


@dataclass(frozen=True)
class TrustItem:
    """One figure with its judgement; ``advice`` says what to do when it is not good."""

    name: str
    value: str
    mark: Mark
    advice: str = ""


class Judged(NamedTuple):
    """How an error is called, the largest that grades A and B allow, how it is written, and what to
    do about it.
    """

    name: str
    good: float
    fair: float
    words: Callable[[float], str]
    advice: str


def _percent(value: float) -> str:
    return f"{100 * value:.2g} %"


FINER = (
    "ask for more cells or segments per wavelength, or refine where fields are strong: errors fall"
    " with the square of the cell"
)
JUDGED = {
    "s": Judged("Error of S", 0.01, 0.05, lambda v: f"{v:.2g}", FINER),
    "s_beside_shift": Judged("Error of S, shift aside", 0.01, 0.05, lambda v: f"{v:.2g}", FINER),
    "resonance_relative": Judged("Error of the minimum's frequency", 0.002, 0.01, _percent, FINER),
    "impedance_relative": Judged("Error of the feeds' impedance", 0.01, 0.05, _percent, FINER),
    "gain_db": Judged("Error of the gain", 0.1, 0.5, lambda v: f"{v:.2g} dB", FINER),
    "rcs_db": Judged("Error of the radar cross-section", 0.1, 0.5, lambda v: f"{v:.2g} dB", FINER),
    "cross_section_relative": Judged("Error of the cross-sections", 0.01, 0.05, _percent, FINER),
    "reflection": Judged("Error of the reflection", 0.01, 0.05, lambda v: f"{v:.2g}", FINER),
    "transmission": Judged("Error of the transmission", 0.01, 0.05, lambda v: f"{v:.2g}", FINER),
}
# without this one the others say nothing
LEADING = {"driven": "s", "lit": "rcs_db", "repeated": "reflection"}


@dataclass(frozen=True)
class Estimate:
    """How wrong |S| (as |ΔS|), the frequency of its lowest value (relative), gain and radar
    cross-section (in dB) and efficiency may be, ``None`` where nothing is known of it, and what
    that rests on; ``depth`` is how wrong the lowest |S| may be wherever it lies.
    """

    s: float | None
    gain_db: float | None
    resonance_relative: float | None
    basis: str
    depth: float | None
    efficiency: float | None
    rcs_db: float | None

    def at_level(self, level_db: float) -> float | None:
        """dB by which the lowest |S|, of that level, may be off, to first order and no more than
        all of it.
        """
        return level_error(self.s if self.depth is None else self.depth, level_db)


def estimate(results: xr.Dataset) -> Estimate:
    """What the rounds of a run say of its errors."""
    found = errors_in(results)
    basis = next((str(e["basis"]) for e in found.values()), "one round only")
    values = {
        name: found.get(name, {}).get("value")
        for name in ("s", "gain_db", "resonance_relative", "depth", "efficiency", "rcs_db")
    }
    return Estimate(basis=basis, **values)


def _estimated(results: xr.Dataset) -> list[TrustItem]:
    """Errors first: they make the grade, and all other figures can only lower it."""
    leading = LEADING.get(scattering.kind(results))
    if leading is None:
        return []
    found = judged_errors(results)
    if not found:
        return [
            TrustItem(
                JUDGED[leading].name,
                "not known",
                "stop",
                "ask for three rounds in the plan: coarser ones first, which take a third of the"
                " time",
            )
        ]
    return [
        TrustItem(
            JUDGED[name].name,
            f"± {JUDGED[name].words(value)}",
            _mark(value, JUDGED[name].good, JUDGED[name].fair),
            JUDGED[name].advice,
        )
        for name, value in found.items()
    ]


def judged_errors(results: xr.Dataset) -> dict[str, float]:
    """The errors that make the grade, by their names in :data:`JUDGED`; none without the one that
    all others rest on.

    What moves a resonance is judged as an error of frequency.
    """
    found = {
        name: e["value"] for name, e in errors_in(results).items() if e.get("value") is not None
    }
    if LEADING.get(scattering.kind(results)) not in found:
        return {}
    return {
        name: float(found[name])
        for name in JUDGED
        if name in found and not (name == "s" and "s_beside_shift" in found)
    }


def _mark(value: float, good: float, bad: float) -> Mark:
    return "good" if value <= good else "look" if value <= bad else "stop"


def trust_card(results: xr.Dataset) -> list[TrustItem]:
    """Errors as rounds tell them; power balance (1 %), passivity, reciprocity; of lit runs their
    own balance (limits: common practice).
    """
    kind = scattering.kind(results)
    return _estimated(results) + (
        LIT_CARDS[kind](results)
        if kind in LIT_CARDS
        else CARDS[str(results.attrs["engine"])](results)
    )


def _lit_card(results: xr.Dataset) -> list[TrustItem]:
    """The balance counts where a tenth of the largest extinction is left (below, the optical
    theorem is the difference of large numbers), and where layers can keep none of the power.
    """
    found = [scattering.cross_sections(results, n) for n in range(results.sizes["port_in"])]
    balance = max(
        float(np.abs(c.balance[c.extinction > WELL_FED * c.extinction.max()]).max(initial=0.0))
        for c in found
    )
    item = TrustItem(
        "Scattered + absorbed = taken out",
        f"{100 * balance:.2g} %",
        _mark(balance, 0.02, 0.08),
        "let the run decay further, or ask for more cells per wavelength",
    )
    return [*([] if scattering.kept(results) else [item]), *_lit_items(results)]


def _repeated_card(results: xr.Dataset) -> list[TrustItem]:
    balance = max(
        float(np.abs(scattering.shares(results, n).balance).max())
        for n in range(results.sizes["port_in"])
    )
    item = TrustItem(
        "Power in = power out",
        f"{100 * balance:.2g} %",
        _mark(balance, 0.01, 0.05),
        "let the run decay further, or ask for more cells per wavelength",
    )
    return [*([] if scattering.kept(results) else [item]), *_lit_items(results)]


def _lit_items(results: xr.Dataset) -> list[TrustItem]:
    items = [_ring_down(results), _cells(results)]
    if results.attrs["stopped"]:
        items.append(TrustItem("Run", "stopped early", "look", "run it again to its end"))
    return items


def _empty_card(results: xr.Dataset) -> list[TrustItem]:
    floor = float(scattering.leakage(results).max())
    return [
        TrustItem(
            "Noise floor",
            f"{floor:.0f} dB",
            _mark(floor, -60.0, -45.0),
            "let the box end where cells are even across the wave's way",
        )
    ]


def _ring_down(results: xr.Dataset) -> TrustItem:
    left = 10 * np.log10(max(float(results.attrs["energy_left"]), 1e-30))
    return TrustItem(
        "Ring-down",
        f"{left:.0f} dB",
        _mark(left, -39.9, -30.0),
        "let the run go on to a lower energy",
    )


def _cells(results: xr.Dataset) -> TrustItem:
    cells = float(results.attrs["cells_per_wavelength"])
    return TrustItem(
        "Cells per wavelength", f"{cells:.3g}", _mark(-cells, -15.0, -10.0), "ask for 15 or more"
    )


def _transient_card(results: xr.Dataset) -> list[TrustItem]:
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
            _mark(balance, 0.01, 0.05) if counts.any() else "look",
            "let the run decay further, or ask for more cells per wavelength",
        ),
        _ring_down(results),
        TrustItem(
            "Passivity",
            f"max {passive:.4f}",
            _mark(passive - 1, 2e-3, 2e-2),
            "let the run decay further",
        ),
        _cells(results),
        TrustItem(
            "Open walls",
            f"{distance:.2f} λ away",
            _mark(-distance, -0.249, -0.125),
            "a quarter of the longest wavelength is the rule",
        ),
    ]
    if "other_modes" in results:
        other = 20 * np.log10(max(float(results["other_modes"].values.max()), 1e-6))
        items.append(
            TrustItem(
                "Higher modes at openings",
                f"{other:.0f} dB",
                _mark(other, -20.0, -10.0),
                "move the feed's plane away from where its line or guide changes",
            )
        )
    if s.shape[1] > 1:
        reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
        items.append(
            TrustItem(
                "Reciprocity",
                f"{reciprocal:.1e}",
                _mark(reciprocal, 5e-3, 5e-2),
                "let the run decay further",
            )
        )
    if results.attrs["stopped"]:
        items.append(TrustItem("Run", "stopped early", "look", "run it again to its end"))
    return items


def _moments_card(results: xr.Dataset) -> list[TrustItem]:
    s = results["s"].values
    balance = float(np.nanmax(np.abs(budget(results).balance_error)))
    passive = float(np.linalg.norm(s, ord=2, axis=(1, 2)).max())
    reciprocal = float(np.abs(s - np.swapaxes(s, 1, 2)).max())
    items = [
        TrustItem(
            "Power in = power out",
            f"{100 * balance:.2g} %",
            _mark(balance, 0.01, 0.05),
            "use more segments per wavelength",
        ),
        TrustItem(
            "Passivity",
            f"max {passive:.4f}",
            _mark(passive - 1, 1e-4, 1e-2),
            "tighten the interpolation tolerance",
        ),
    ]
    if s.shape[1] > 1:
        items.append(
            TrustItem(
                "Reciprocity",
                f"{reciprocal:.1e}",
                _mark(reciprocal, 1e-6, 1e-3),
                "report this run: a wire model is reciprocal",
            )
        )
    if not results["solved"].values.all():
        error = float(results.attrs["interpolation_error"])
        items.append(
            TrustItem(
                "|ΔS| interpolated", f"{error:.1e}", _mark(error, 1e-3, 1e-2), "solve every point"
            )
        )
    if results.attrs["stopped"]:
        items.append(TrustItem("Sweep", "stopped early", "look", "run it again to fill the band"))
    return items


CARDS: dict[str, Callable[[xr.Dataset], list[TrustItem]]] = {
    "moments": _moments_card,
    "transient": _transient_card,
}
LIT_CARDS: dict[str, Callable[[xr.Dataset], list[TrustItem]]] = {
    "lit": _lit_card,
    "repeated": _repeated_card,
    "empty": _empty_card,
}


def grade(items: list[TrustItem]) -> str:
    """A: errors within 1 % (|ΔS| 0.01, 0.1 dB, 0.2 % of frequency); B: within 5 %; C: beyond, or
    not known. What else is to be looked at can only lower it.
    """
    marks = {i.mark for i in items}
    return "C" if "stop" in marks else "B" if "look" in marks else "A"


def deciding(items: list[TrustItem]) -> str:
    """The figure that made the grade: the first of the worst."""
    worst = {"C": "stop", "B": "look", "A": "good"}[grade(items)]
    return next((f"{i.name} {i.value}" for i in items if i.mark == worst), "")
