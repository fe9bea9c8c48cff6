"""Numbers for people: engineering prefixes and as many digits as asked."""

from __future__ import annotations

import math

_PREFIX = {-15: "f", -12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G", 12: "T"}


_AREAS = ((1e-18, "nm²"), (1e-12, "µm²"), (1e-6, "mm²"), (1.0, "m²"))


def area(square_metres: float, digits: int = 3) -> str:
    """``5.1e-13`` becomes ``"0.51 µm²"``: in the smallest unit of which there are less than 10⁴."""
    square, unit = next((a for a in _AREAS if abs(square_metres) < 1e4 * a[0]), _AREAS[-1])
    return f"{square_metres / square:.{digits}g} {unit}"


def engineering(value: float, symbol: str, digits: int = 4) -> str:
    """``868000000.0, "Hz"`` becomes ``"868 MHz"``, of two digits ``"870 MHz"``."""
    if value == 0 or not math.isfinite(value):
        return f"{value:g} {symbol}".strip()
    power = min(12, max(-15, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))
    text = f"{value / 10.0**power:.{digits}g}"
    if "e+" in text:
        text = f"{float(text):.0f}"
    return f"{text} {_PREFIX[power]}{symbol}".strip()
