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
UPGRADES: dict[int, Callable[[Data], Data]] = {1: _from_1}
