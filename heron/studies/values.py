"""Outcomes as JSON, and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from heron.errors import QuantityError
from heron.results.formulas import Curves
from heron.studies.contract import Value
from heron.studies.outcomes import outcome


def plain(value: Value) -> dict[str, Any]:
    """``{value, unit}``, or a curve as ``{unit, frequency_hz, values | re, im}``; not a number is
    null.
    """
    if value.x is None or value.y is None:
        return {"value": value.number, "unit": value.unit}
    y = np.asarray(value.y)
    parts = {"re": y.real, "im": y.imag} if np.iscomplexobj(y) else {"values": y}
    return {
        "unit": value.unit,
        "frequency_hz": value.x.tolist(),
        **{k: [c if np.isfinite(c) else None for c in v.tolist()] for k, v in parts.items()},
    }


def outcomes_of(quantities: Curves, texts: Sequence[str]) -> dict[str, Any]:
    """Outcomes of a run by their texts as JSON; ``{reason}`` where the run says nothing of one."""
    out: dict[str, Any] = {}
    for text in texts:
        try:
            out[text] = plain(outcome(text)(quantities))
        except QuantityError as error:
            out[text] = {"reason": error.message}
    return out


def value_of(kept: Mapping[str, Any]) -> Value:
    """The outcome that :func:`plain` wrote."""
    if "frequency_hz" not in kept:
        return Value(kept["unit"], kept["value"])
    parts = {k: np.array(kept[k], dtype=float) for k in ("values", "re", "im") if k in kept}
    y = parts["values"] if "values" in parts else parts["re"] + 1j * parts["im"]
    return Value(kept["unit"], x=np.array(kept["frequency_hz"]), y=y)
