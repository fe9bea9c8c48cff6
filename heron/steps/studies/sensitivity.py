"""Sensitivity: derivatives of outcomes by parameters."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Number
from heron.steps.studies.common import READING, Studied, Texts


class Sensitivity(Studied):
    """What one per cent of each parameter does to the outcomes, with the error of each.

    Central differences: ``step`` is the larger of two shares by which each parameter is moved.
    """

    kind: Literal["sensitivity"] = "sensitivity"
    parameters: Texts
    step: Number = "0.01"


KIND = Kind(
    "sensitivity",
    "studies",
    Sensitivity,
    "Sensitivity",
    "{name} by <parameters/and: {.:parameter}>[, steps of {step}]" + READING,
    (
        Entry(
            "Studies",
            "Sensitivity",
            {
                "name": "sensitivity",
                "parameters": [""],
                "outcomes": ["f where abs(s11) is smallest"],
            },
        ),
    ),
    members={"parameters": "", "outcomes": "f where abs(s11) is smallest"},
    widget="study",
)
