"""Errors that a run states, as its dataset has them."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import xarray as xr

FLOOR_S = 1e-3  # |ΔS| that layers, feeds and rounding leave at any fineness, measured
FLOOR_DB = 0.02  # the same of far fields
FLOOR_SHARE = 2e-3  # the same of powers and cross-sections, relative
FLOOR_FREQUENCY = 2e-4
PATTERN_LEVEL = -20.0  # dB: below, patterns and cross-sections are compared by nothing


def errors_in(results: xr.Dataset) -> dict[str, dict[str, Any]]:
    """``value`` and ``basis`` by quantity; nothing of runs from before there were any."""
    return dict(json.loads(results.attrs.get("errors", "{}")))


def level_error(error: float | None, level_db: float) -> float | None:
    """dB by which a level may be off whose amplitude is off by ``error``, to first order and no
    more than all of it.
    """
    if error is None:
        return None
    return float(20 / np.log(10) * min(1.0, error / 10 ** (level_db / 20)))


def uncertain(value: float, error: float | None, most: int) -> str:
    """A value with no more decimals than its error allows, and ``most`` of them: "−14.2 ± 0.5"."""
    if not error or error < 0.5 * 10.0**-most:
        return f"{value:.{most}f}"
    decimals = max(0, min(most, -int(np.floor(np.log10(error)))))
    return f"{value:.{decimals}f} ± {max(error, 10.0**-decimals):.{decimals}f}"
