"""Numbers for people: engineering prefixes and as many digits as asked."""

from __future__ import annotations

import math

_PREFIX = {-15: "f", -12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G", 12: "T"}


def engineering(value: float, symbol: str, digits: int = 4) -> str:
    """``868000000.0, "Hz"`` becomes ``"868 MHz"``."""
    if value == 0 or not math.isfinite(value):
        return f"{value:g} {symbol}".strip()
    power = min(12, max(-15, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))
    return f"{value / 10.0**power:.{digits}g} {_PREFIX[power]}{symbol}".strip()
