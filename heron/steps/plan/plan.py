"""How a model is solved."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from heron.steps.contract import Kind
from heron.steps.fields import Frequency, Number, Step


class Plan(Step):
    """Engine, band, sampling and accuracy.

    The moments engine reads sampling, tolerance and ``segments_per_wavelength``; the transient
    engine ``cells_per_wavelength`` (of every medium), the ``cells_per_detail`` from an edge of
    metal to what its field ends on, the ``decay`` of the stored energy in dB at which it ends, of a
    band wider than 1 : 2 against the energy at its lowest frequencies, and the ``longest`` run in
    lengths of the pulse. A run solves in several ``rounds``, the last of which is as fine as the
    plan asks and the others coarser, so that its results come with their errors. The pulse covers
    ``pulse_start`` to ``pulse_stop``: the band unless given.
    """

    engine: Annotated[str, Field(max_length=40)] = "auto"
    f_start: Frequency
    f_stop: Frequency
    points: Number = "101"
    spacing: Literal["linear", "logarithmic"] = "linear"
    sampling: Literal["adaptive", "every"] = "adaptive"
    tolerance: Number = "1e-3"
    segments_per_wavelength: Number = "50"
    cells_per_wavelength: Number = "20"
    cells_per_detail: Number = "2.5"
    decay: Number = "60"
    rounds: Number = "3"
    longest: Number = "60"
    pulse_start: Frequency | None = None
    pulse_stop: Frequency | None = None
    pattern_frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []

    @model_validator(mode="before")
    @classmethod
    def _passes(cls, data: Any) -> Any:
        """Older documents have ``passes``, each finer than the one before, and when they end."""
        if not isinstance(data, dict) or not {"passes", "settled"} & data.keys():
            return data
        return {k: v for k, v in data.items() if k not in ("passes", "settled")}


KIND = Kind(
    "plan",
    "plan",
    Plan,
    "Plan",
    "{engine:engine} engine, from {f_start} to {f_stop}, {points} points[, {spacing} spacing]"
    "[, patterns at <pattern_frequencies/and: {.}>]"
    "[, {cells_per_wavelength} cells per wavelength]"
    "[, {cells_per_detail} cells per detail of metal]"
    "[, until the energy has fallen by {decay} dB][, for at most {longest} pulse lengths]"
    "[, pulse from {pulse_start|the band’s start} to {pulse_stop|the band’s end}]"
    "[, {segments_per_wavelength} segments per wavelength]"
    "[, {sampling} sampling][, tolerance {tolerance}]"
    "[, {rounds} rounds]",
    members={"pattern_frequencies": "1 GHz"},
)
