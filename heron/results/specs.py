"""Spec lines: a limit on a quantity over a band, written as a sentence, and whether a run keeps it.

``|S11| < -10 dB from 863 to 873 MHz``, ``gain > 5 dBi at theta = 0``, ``total efficiency > 90 %``,
``VSWR < 2``, ``abs(z1) < 80 ohm``, ``directivity > 20 dBi at theta = 0 in dish``, a frame.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.errors import HeronError, QuantityError
from heron.quantities import names_in
from heron.quantities.expressions import FREQUENCY
from heron.quantities.units import si_symbol, unit
from heron.results.capabilities import directional, of_power
from heron.results.formulas import Curves

Floats = NDArray[np.float64]

_WORDS = {
    "realized gain": "realized_gain",
    "realised gain": "realized_gain",
    "total efficiency": "total_efficiency",
    "radiation efficiency": "radiation_efficiency",
    "return loss": "return_loss1",
    "axial ratio": "axial_ratio",
    "group delay": "delay",
    "vswr": "vswr1",
    "efficiency": "total_efficiency",
}
_RELATION = re.compile(r"(<=|>=|<|>|≤|≥)")
_NUMBER = r"([-−+]?[\d.]+(?:[eE][-+]?\d+)?)"
_BAND = re.compile(
    rf"(?:\bfrom|\bin|\bover|,)\s*{_NUMBER}\s*([kMGT]?Hz)?\s*(?:to|–|-|…)\s*{_NUMBER}\s*([kMGT]?Hz)\s*$",
    re.I,
)
_POINT = re.compile(rf"\bat\s+{_NUMBER}\s*([kMGT]?Hz)\s*$", re.I)
_ANGLE = re.compile(
    rf"(?:\bat\s+|,\s*|\band\s+)?(theta|θ|phi|φ)\s*=\s*{_NUMBER}\s*(?:°|deg)?\s*,?\s*(?:and)?\s*$",
    re.I,
)
_FRAME = re.compile(r"\bin\s+([A-Za-z_]\w*)\s*$")
_LIMIT = re.compile(rf"^\s*{_NUMBER}\s*(.*?)\s*,?\s*$")
_DB = {"db": 0, "dbi": 10, "dbic": 10}
EXAMPLE = "|S11| < -10 dB from 863 to 873 MHz"


@dataclass(frozen=True)
class Spec:
    """A limit: ``formula`` of linear quantities stays below or ``above`` ``limit``, in a band in Hz
    or everywhere.

    The limit is given in ``unit``: "dB", "dBi", "%", a unit or nothing.
    """

    text: str
    formula: str
    above: bool
    limit: float
    unit: str
    low: float | None
    high: float | None

    @property
    def level(self) -> int:
        """Factor of the logarithm, 0 for none."""
        if self.unit.lower() not in _DB:
            return 0
        return _DB[self.unit.lower()] or (
            10
            if names_in(self.formula) & of_power() or self.formula.startswith(tuple(of_power()))
            else 20
        )


@dataclass(frozen=True)
class Verdict:
    """``passed`` is ``None`` when the run says nothing of it: ``reason`` tells why.

    ``worst`` is in the limit's unit, at a frequency in Hz; ``margin`` is its distance from the
    limit, positive when kept.
    """

    passed: bool | None
    worst: float | None = None
    frequency: float | None = None
    margin: float | None = None
    reason: str = ""


def read(text: str) -> Spec:
    """A spec line from its words.

    :raises HeronError: it cannot be read; says what is missing.
    """
    parts = _RELATION.split(text.strip(), maxsplit=1)
    if len(parts) != 3 or not parts[0].strip():
        raise HeronError(f"a spec line is a quantity, < or >, and a limit, such as {EXAMPLE}")
    left, relation, right = parts
    low = high = None
    angles: dict[str, float] = {}
    frame = ""
    while True:
        band, point, angle = _BAND.search(right), _POINT.search(right), _ANGLE.search(right)
        turned = _FRAME.search(right)
        if band:
            low, high = (
                _hertz(v, u or band.group(4))
                for v, u in ((band.group(1), band.group(2)), (band.group(3), band.group(4)))
            )
            right = right[: band.start()]
        elif point:
            low = high = _hertz(point.group(1), point.group(2))
            right = right[: point.start()]
        elif angle:
            angles["theta" if angle.group(1).lower() in ("theta", "θ") else "phi"] = _plain(
                angle.group(2)
            )
            right = right[: angle.start()]
        elif turned and not frame:
            frame, right = turned.group(1), right[: turned.start()]
        else:
            break
    if low is not None and high is not None and low > high:
        raise HeronError(
            f"the band runs from {low:g} to {high:g} Hz; write the lower frequency first"
        )
    found = _LIMIT.match(right)
    if not found:
        raise HeronError(
            f"“{right.strip()}” is no limit; write a number and a unit, such as -10 dB"
        )
    symbol = found.group(2).strip()
    if (
        symbol
        and symbol.lower() not in _DB
        and symbol not in ("%", "°", "deg")
        and unit(symbol) is None
    ):
        raise HeronError(f"“{symbol}” is neither a unit nor a band; write, for example, {EXAMPLE}")
    return Spec(
        text.strip(),
        _formula(left.strip(), angles, frame),
        relation in (">", ">=", "≥"),
        _plain(found.group(1)),
        symbol,
        low,
        high,
    )


def _plain(text: str) -> float:
    return float(text.replace("−", "-"))


def _hertz(value: str, symbol: str) -> float:
    found = unit(symbol)
    if found is None or found[1] != FREQUENCY:
        raise HeronError(f"“{symbol}” is no unit of frequency")
    return _plain(value) * found[0]


def _formula(left: str, angles: dict[str, float], frame: str) -> str:
    text = re.sub(r"\|([^|]+)\|", r"abs(\1)", left)
    text = re.sub(r"\b[sS](\d+)[,_]?(\d+)\b", lambda m: f"s{m.group(1)}{m.group(2)}", text)
    text = re.sub(r"\bVSWR(\d+)\b", r"vswr\1", text, flags=re.I)
    for words, name in _WORDS.items():
        text = re.sub(rf"\b{words}\b(?!\s*[\d(])", name, text, flags=re.I)
    text = re.sub(r"^(gain|directivity)\b", lambda m: m.group(1).lower(), text.strip(), flags=re.I)
    if angles and text in directional():
        seen = f", {frame}" if frame else ""
        text = f"{text}({angles.get('theta', 0):g} deg, {angles.get('phi', 0):g} deg{seen})"
    elif angles:
        raise HeronError(
            f"a direction can be given for {', '.join(directional())}, not for “{left}”"
        )
    elif frame:
        raise HeronError(f"“in {frame}” needs a direction in that frame, such as at theta = 0")
    elif text == "axial_ratio":
        raise HeronError("axial ratio needs a direction, such as at theta = 0")
    names_in(text)
    return text


def judge(spec: Spec, quantities: Curves) -> Verdict:
    """Whether a run keeps a spec line.

    Between samples the curve is straight; a band must lie within the run's own.
    """
    try:
        curve = quantities.curve(spec.formula)
        values = np.abs(curve.values) if np.iscomplexobj(curve.values) else curve.values
        values = _in_unit(spec, values, curve.unit)
    except QuantityError as error:
        return Verdict(None, reason=error.message)
    f = quantities.frequency
    there = np.isfinite(values)
    if not there.any():
        return Verdict(None, reason="the run has no values of it")
    f, values = f[there], values[there]
    low, high = f[0] if spec.low is None else spec.low, f[-1] if spec.high is None else spec.high
    slack = 1e-9 * high
    if low < f[0] - slack or high > f[-1] + slack:
        return Verdict(
            None, reason=f"the run covers {f[0] / 1e6:.6g} to {f[-1] / 1e6:.6g} MHz only"
        )
    x = np.unique(np.concatenate(([low], f[(f > low) & (f < high)], [high])))
    y = np.interp(x, f, values)
    at = int(np.argmin(y) if spec.above else np.argmax(y))
    margin = float(y[at] - spec.limit) if spec.above else float(spec.limit - y[at])
    return Verdict(margin >= 0, float(y[at]), float(x[at]), margin)


def _in_unit(spec: Spec, values: Floats, symbol: str) -> Floats:
    if spec.level:
        if symbol:
            raise QuantityError(f"“{spec.formula}” is in {symbol}; a limit in dB needs a ratio")
        return np.asarray(spec.level * np.log10(np.maximum(np.abs(values), 1e-10)))
    if spec.unit in ("", "%") or spec.unit in ("°", "deg"):
        if symbol:
            raise QuantityError(f"“{spec.formula}” is in {symbol}; give the limit a unit")
        return values * {"": 1.0, "%": 100.0}.get(spec.unit, 180 / np.pi)
    found = unit(spec.unit)
    if found is None or si_symbol(found[1]) != symbol:
        raise QuantityError(
            f"“{spec.formula}” is in {symbol or 'plain numbers'}, not in {spec.unit}"
        )
    return values / found[0]
