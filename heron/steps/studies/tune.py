"""Tuning: variants that come nearer to goals."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Number
from heron.steps.studies.common import READING, Ranges, Studied, Texts


class Tune(Studied):
    """Parameters within ranges, changed until all goals are met or a number of variants is solved.

    ``goals`` are spec lines; one with “; weight 2” behind it counts twice. Where the
    ``constraints`` do not hold nothing is solved.
    """

    kind: Literal["tune"] = "tune"
    vary: Ranges
    goals: Annotated[Texts, Field(min_length=1)]
    constraints: Texts = []
    budget: Number = "60"
    method: Literal["auto", "local", "simplex", "global", "evolution", "surrogate"] = "auto"


KIND = Kind(
    "tune",
    "studies",
    Tune,
    "Tune",
    "{name} with <vary/and: {.parameter:parameter} = {.range}>, so that <goals/and: {.}>"
    "[, where <constraints/and: {.}>][, {budget} variants at most][, {method} search]" + READING,
    (
        Entry(
            "Studies",
            "Tune",
            {
                "name": "tune",
                "vary": [{"parameter": "", "range": "1 mm to 2 mm"}],
                "goals": ["|S11| < -12 dB at 868 MHz"],
            },
        ),
    ),
    members={
        "vary": {"parameter": "", "range": "1 mm to 2 mm"},
        "goals": "|S11| < -12 dB at 868 MHz",
        "constraints": "a < b",
        "outcomes": "f where abs(s11) is smallest",
    },
    widget="study",
)
