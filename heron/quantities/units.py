"""Unit definitions, taken from pint and reduced to SI factors and exponents.

A dimension is a tuple of exponents over the SI base (m, kg, s, A, K). Angles are
dimensionless radians; logarithmic units are not accepted in expressions.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import pint

Dimension = tuple[float, float, float, float, float]

NONE: Dimension = (0.0, 0.0, 0.0, 0.0, 0.0)
_BASE = ("[length]", "[mass]", "[time]", "[current]", "[temperature]")

# Engineering suffixes that may follow a bare number ("12k"). "m" is always the metre, never milli.
SUFFIXES = {
    "k": 1e3,
    "M": 1e6,
    "G": 1e9,
    "µ": 1e-6,
    "μ": 1e-6,
    "u": 1e-6,
    "n": 1e-9,
    "p": 1e-12,
    "f": 1e-15,
}
_SPELLINGS = {
    "Ω": "ohm",
    "Ohm": "ohm",
    "Ohms": "ohm",
    "ohms": "ohm",
    "°": "degree",
    "deg": "degree",
    "%": "percent",
    "in": "inch",
}
_PREFIXES = "fpnuµμmcdkMGT"


@lru_cache(maxsize=1)
def _registry() -> pint.UnitRegistry[float]:
    return pint.UnitRegistry()


@lru_cache(maxsize=512)
def unit(symbol: str) -> tuple[float, Dimension] | None:
    """SI factor and dimension of a unit symbol, or ``None`` when it is not a unit."""
    if symbol in SUFFIXES:
        return SUFFIXES[symbol], NONE
    name = _SPELLINGS.get(symbol, symbol)
    if symbol.endswith("Ω") and len(symbol) == 2 and symbol[0] in _PREFIXES:
        name = symbol[0] + "ohm"
    try:
        parsed = _registry().Unit(name)
        base: Any = _registry().Quantity(1.0, parsed).to_base_units()
    except (pint.errors.PintError, ValueError, AttributeError, TypeError, KeyError):
        return None
    dims = dict(base.dimensionality)
    if set(dims) - set(_BASE):
        return None
    factor = float(base.magnitude)
    a, b, c, d, e = (float(dims.get(name, 0.0)) for name in _BASE)
    return factor, (a, b, c, d, e)


_NAMED: dict[Dimension, tuple[str, str]] = {
    NONE: ("a plain number", ""),
    (1, 0, 0, 0, 0): ("a length", "m"),
    (2, 0, 0, 0, 0): ("an area", "m²"),
    (3, 0, 0, 0, 0): ("a volume", "m³"),
    (0, 0, 1, 0, 0): ("a time", "s"),
    (0, 0, -1, 0, 0): ("a frequency", "Hz"),
    (1, 0, -1, 0, 0): ("a speed", "m/s"),
    (0, 1, 0, 0, 0): ("a mass", "kg"),
    (0, 0, 0, 1, 0): ("a current", "A"),
    (0, 0, 0, 0, 1): ("a temperature", "K"),
    (2, 1, -3, -1, 0): ("a voltage", "V"),
    (2, 1, -3, -2, 0): ("a resistance", "Ω"),
    (-2, -1, 3, 2, 0): ("a conductance", "S"),
    (-3, -1, 3, 2, 0): ("a conductivity", "S/m"),
    (-2, -1, 4, 2, 0): ("a capacitance", "F"),
    (2, 1, -2, -2, 0): ("an inductance", "H"),
    (2, 1, -3, 0, 0): ("a power", "W"),
    (-3, -1, 4, 2, 0): ("a permittivity", "F/m"),
    (1, 1, -2, -2, 0): ("a permeability", "H/m"),
}


def describe(dimension: Dimension) -> str:
    """The dimension in words ("a length"), or as a product of SI base units."""
    if dimension in _NAMED:
        return _NAMED[dimension][0]
    return "a quantity in " + si_symbol(dimension)


def si_symbol(dimension: Dimension) -> str:
    """The SI unit of a dimension, empty for a plain number."""
    if dimension in _NAMED:
        return _NAMED[dimension][1]
    parts = [
        f"{s}^{x:g}" if x != 1 else s
        for s, x in zip(("m", "kg", "s", "A", "K"), dimension, strict=True)
        if x
    ]
    return "·".join(parts)
