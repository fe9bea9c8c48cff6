"""What lists show of a run, kept apart from its summary, which holds figures of every frequency."""

from __future__ import annotations

from typing import Any

TAKEN = ("unknowns", "cells", "solves", "wall_s", "engine")


def figures_of(summary: dict[str, Any], headline: dict[str, Any]) -> dict[str, Any]:
    """Size and time of a run; and of the far field that was solved nearest to its headline's
    frequency the total efficiency, and the realized gain with its error.
    """
    out = {name: summary.get(name) for name in TAKEN}
    far, at = summary.get("far_field") or [], headline.get("frequency_hz")
    if not far or at is None:
        return out | {"efficiency": None, "gain_dbi": None, "gain_error_db": None}
    near_by = min(far, key=lambda f: abs(f["frequency_hz"] - at))
    errors = summary.get("error_estimate") or {}
    return out | {
        "efficiency": near_by["total_efficiency"],
        "gain_dbi": near_by["realized_gain_dbi"],
        "gain_error_db": errors.get("gain_db", {}).get("value"),
    }
