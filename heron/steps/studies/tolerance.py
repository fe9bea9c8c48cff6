"""Tolerances: what spreads of parameters do."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Number, Step
from heron.steps.studies.common import READING, Studied, Text, Texts


class Spreads(Step):
    """A parameter and its spread: “0.1 mm” or “5 %”, standard deviations; “uniform 0.2 mm”, “normal
    1 % truncated at 2 %”.
    """

    parameter: str
    spread: Text


class Correlation(Step):
    """How much two parameters go together, from -1 to 1: the correlation of their normal scores."""

    first: str
    second: str
    value: Number


class Tolerance(Studied):
    """Variants drawn from spreads of parameters, and how many of them keep spec lines.

    Where only some are ``solved`` the others are predicted by a surrogate of these.
    """

    kind: Literal["tolerance"] = "tolerance"
    spreads: Annotated[list[Spreads], Field(min_length=1, max_length=20)]
    specs: Texts = []
    samples: Number = "128"
    solved: Number | None = None
    correlations: Annotated[list[Correlation], Field(max_length=40)] = []


KIND = Kind(
    "tolerance",
    "studies",
    Tolerance,
    "Tolerance",
    "{name} of <spreads/and: {.parameter:parameter} ± {.spread}>[, judged by <specs/and: {.}>]"
    "[, {samples} samples][, {solved} of them solved and the others predicted]"
    "[, correlated <correlations/and: {.first:parameter} with {.second:parameter} by {.value}>]"
    + READING,
    (
        Entry(
            "Studies",
            "Tolerance",
            {
                "name": "tolerance",
                "spreads": [{"parameter": "", "spread": "1 %"}],
                "specs": ["|S11| < -10 dB at 868 MHz"],
            },
        ),
    ),
    members={
        "spreads": {"parameter": "", "spread": "1 %"},
        "specs": "|S11| < -10 dB at 868 MHz",
        "correlations": {"first": "", "second": "", "value": "0.5"},
        "outcomes": "f where abs(s11) is smallest",
    },
    widget="study",
)
