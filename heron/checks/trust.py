"""The trust card: how far a finished run can be believed, in numbers."""

from __future__ import annotations

from dataclasses import dataclass

import xarray as xr

from heron.engines import ENGINES
from heron.results.capabilities import TrustItem, judged, leading
from heron.results.capabilities.contract import marked
from heron.results.errors import errors_in, level_error


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
    wanted = leading_error(results)
    if not wanted:
        return []
    found = judged_errors(results)
    if not found:
        advice = (
            "ask for three rounds in the plan: coarser ones first, which take a third of the time"
        )
        return [TrustItem(f"Error of {judged()[wanted].name}", "not known", "stop", advice)]
    out = []
    for name, value in found.items():
        of = judged()[name]
        mark = marked(value, of.good, of.fair)
        out.append(TrustItem(f"Error of {of.name}", f"± {of.words(value)}", mark, of.advice))
    return out


def leading_error(results: xr.Dataset) -> str:
    """The error without which the others say nothing; empty where none is judged."""
    return next((c.leading for c in leading(results) if c.leading), "")


def judged_errors(results: xr.Dataset) -> dict[str, float]:
    """The errors that make the grade, by their names; none without the one that
    all others rest on.

    What moves a resonance is judged as an error of frequency.
    """
    found = {
        name: e["value"] for name, e in errors_in(results).items() if e.get("value") is not None
    }
    if leading_error(results) not in found:
        return {}
    return {
        name: float(found[name])
        for name in judged()
        if name in found and not (name == "s" and "s_beside_shift" in found)
    }


def trust_card(results: xr.Dataset) -> list[TrustItem]:
    """Errors as rounds tell them, then what the run's capabilities and its engine say of it."""
    speaking = leading(results)
    out = _estimated(results)
    for capability in speaking:
        out += capability.trust(results)
    if not any(c.alone for c in speaking):
        out += ENGINES[str(results.attrs["engine"])].trust(results)
    return out


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
