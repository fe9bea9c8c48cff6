"""Documents of older versions as the present one has them, a step at a time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Data = dict[str, Any]


def written_version(data: Data) -> Any:
    """The version that a document says it has; of one that says none, by what it holds."""
    return data.get("version", 2 if "plans" in data else 1)


def upgraded(data: Data) -> Data:
    """A document in the present version; one of the present version as it is."""
    version = written_version(data)
    while version in UPGRADES:
        data, version = UPGRADES[version](data), version + 1
    return data


def _from_1(data: Data) -> Data:
    """One plan became a list of named ones, with what only one engine knows apart; kinds that went
    without saying are said. ``passes`` and ``settled`` had been left behind before.
    """
    out = {k: v for k, v in data.items() if k != "plan"} | {"version": 2}
    for chapter, kind in FIRST_KINDS.items():
        if isinstance(data.get(chapter), list):
            out[chapter] = [
                {"kind": kind} | step if isinstance(step, dict) else step for step in data[chapter]
            ]
    plan = data.get("plan")
    if isinstance(plan, dict):
        plan = {k: v for k, v in plan.items() if k not in ("passes", "settled")}
        settings = {
            engine: {k: plan.pop(k) for k in fields if k in plan}
            for engine, fields in FIRST_SETTINGS.items()
        }
        settings = {engine: own for engine, own in settings.items() if own}
        plan |= {"settings": settings} if settings else {}
    if "plan" in data:
        out["plans"] = [plan]
    return out


def _from_2(data: Data) -> Data:
    """Values are the trade's words: reflecting walls and symmetry planes PEC and PMC, captures read
    at the nearest grid point, the perfect conductor by its whole name. The longest run, once in
    lengths of the pulse, is a time.
    """
    own = data.get("materials")
    named = own if isinstance(own, list) else []
    defined = {m.get("name") for m in named if isinstance(m, dict)}
    words = {k: v for k, v in RENAMED_VALUES.items() if k[1] not in defined}

    def said(value: Any, field: str = "") -> Any:
        if isinstance(value, dict):
            return {k: said(v, str(k)) for k, v in value.items()}
        if isinstance(value, list):
            return [said(v, field) for v in value]
        return words.get((field, value), value) if isinstance(value, str) else value

    out = {k: said(v) if k in RENAMED_IN else v for k, v in data.items()} | {"version": 3}
    if isinstance(data.get("plans"), list):
        out["plans"] = [_timed(plan) for plan in data["plans"]]
    return out


def _timed(plan: Any) -> Any:
    """A plan whose longest run is a time: so many lengths of the pulse that covers its band."""
    try:
        own = plan["settings"]["transient"]
        count = float(own["longest"])
    except (KeyError, TypeError, ValueError):
        return plan
    start, stop = (plan.get(f"pulse_{k}") or plan.get(f"f_{k}") for k in ("start", "stop"))
    length = f"6.427 / max(({stop}) - ({start}), 0.2 * (({stop}) + ({start})))"
    left = {k: v for k, v in own.items() if k != "longest"}
    timed = left if count == FORMER_LONGEST else left | {"longest": f"{count + 1:g} * {length}"}
    return plan | {"settings": plan["settings"] | {"transient": timed}}


RENAMED_IN = ("surround", "captures", "parts")
RENAMED_VALUES = {
    ("walls", "electric"): "PEC",
    ("walls", "magnetic"): "PMC",
    ("mirror", "electric"): "PEC",
    ("mirror", "magnetic"): "PMC",
    ("reading", "as they lie"): "nearest grid point",
    ("material", "perfect"): "perfect conductor",
}
FORMER_LONGEST = 60
FIRST_KINDS = {
    "materials": "conductor",
    "feeds": "gap",
    "loads": "series",
    "illuminations": "plane_wave",
}
FIRST_SETTINGS = {
    "moments": ("sampling", "tolerance", "segments_per_wavelength"),
    "transient": ("cells_per_wavelength", "cells_per_detail", "decay", "longest"),
}
UPGRADES: dict[int, Callable[[Data], Data]] = {1: _from_1, 2: _from_2}
