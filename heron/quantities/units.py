"""Unit definitions, taken from pint and reduced to SI factors and exponents.

A dimension is a tuple of exponents over the SI base (m, kg, s, A, K). Angles are
dimensionless radians; logarithmic units are not accepted in expressions.
"""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
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
    "mil": "thou",
}
_PREFIXES = "fpnuµμmcdkMGT"


@lru_cache(maxsize=1)
def _registry() -> pint.UnitRegistry[float]:
    import pint

    return pint.UnitRegistry()


MOST_LETTERS = 60  # of a unit's text
_SUPERSCRIPTS = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
_FACTOR = re.compile(
    r"\s*([A-Za-zµμΩ°%]+|1(?=\s*/))"  # a name, or the 1 of "1/s"
    r"(?:\s*(?:\^|\*\*)\s*\(?([-−+]?[1-9])\)?|([⁻]?[¹²³⁴⁵⁶⁷⁸⁹]))?\s*"  # one digit of a power
)
_BETWEEN = re.compile(r"[·⋅*/]|(?=[A-Za-zµμΩ°%])")


def unit(symbol: str) -> tuple[float, Dimension] | None:
    """SI factor and dimension of a unit, or ``None`` when it is not one: names with their prefixes,
    multiplied (``·``, ``*`` or a space), divided, and with powers of one digit ("S/m", "m·s^-2").
    """
    if symbol in SUFFIXES:
        return SUFFIXES[symbol], NONE
    if len(symbol) > MOST_LETTERS:
        return None
    factor, dimension = 1.0, NONE
    at, sign = 0, 1
    while True:
        found = _FACTOR.match(symbol, at)
        if found is None:
            return None
        own = _named(found.group(1)) if found.group(1) != "1" else (1.0, NONE)
        if own is None:
            return None
        power = found.group(2) or (found.group(3) or "1").translate(_SUPERSCRIPTS)
        n = sign * int(power.replace("−", "-"))
        try:
            factor *= own[0] ** n
        except OverflowError:
            return None
        dimension = cast(
            Dimension, tuple(d + n * e for d, e in zip(dimension, own[1], strict=True))
        )
        at = found.end()
        if at == len(symbol):
            return (factor, dimension) if 0 < factor < float("inf") else None
        between = _BETWEEN.match(symbol, at)
        if between is None:
            return None
        sign = -1 if between.group() == "/" else 1
        at = between.end()


# those of nearly every model, so that pint, which takes half a second, need not be loaded for them
_COMMON: dict[str, Dimension] = {
    "m": (1, 0, 0, 0, 0),
    "s": (0, 0, 1, 0, 0),
    "A": (0, 0, 0, 1, 0),
    "K": (0, 0, 0, 0, 1),
    "Hz": (0, 0, -1, 0, 0),
    "V": (2, 1, -3, -1, 0),
    "W": (2, 1, -3, 0, 0),
    "ohm": (2, 1, -3, -2, 0),
    "S": (-2, -1, 3, 2, 0),
    "F": (-2, -1, 4, 2, 0),
    "H": (2, 1, -2, -2, 0),
    "rad": NONE,
}
_PREFIXED = {
    "f": 1e-15,
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "μ": 1e-6,
    "m": 1e-3,
    "c": 1e-2,
    "d": 1e-1,
    "k": 1e3,
    "M": 1e6,
    "G": 1e9,
    "T": 1e12,
}
_OTHERS = {"degree": (math.pi / 180, NONE), "percent": (0.01, NONE), "inch": (0.0254, _COMMON["m"])}
_NOT_PREFIXED = {"cd"}  # the candela


def _common(name: str) -> tuple[float, Dimension] | None:
    """Of a common unit with at most one prefix."""
    if name in _OTHERS:
        return _OTHERS[name]
    if name in _COMMON:
        return 1.0, _COMMON[name]
    prefix, rest = name[:1], name[1:]
    if prefix in _PREFIXED and rest in _COMMON and name not in _NOT_PREFIXED:
        return _PREFIXED[prefix], _COMMON[rest]
    return None


@lru_cache(maxsize=512)
def _named(name: str) -> tuple[float, Dimension] | None:
    """The same of a single name, letters only, so that nothing is left to evaluate in it."""
    if name.startswith("dB"):
        return None  # of levels, which formulas make with db10 and db20
    known = _SPELLINGS.get(name, name)
    if name.endswith("Ω") and len(name) == 2 and name[0] in _PREFIXES:
        known = name[0] + "ohm"
    common = _common(known)
    return _from_pint(known) if common is None else common


def _from_pint(known: str) -> tuple[float, Dimension] | None:
    import pint

    try:
        parsed = _registry().Unit(known)
        base: Any = _registry().Quantity(1.0, parsed).to_base_units()
    except (pint.errors.PintError, ValueError, AttributeError, TypeError, KeyError):
        return None
    dims = dict(base.dimensionality)
    if set(dims) - set(_BASE):
        return None
    a, b, c, d, e = (float(dims.get(name, 0.0)) for name in _BASE)
    return float(base.magnitude), (a, b, c, d, e)


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
