"""A sweep: variants for given values of parameters."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Step
from heron.steps.studies.common import READING, Studied, Text


class Varied(Step):
    """Values of a parameter: “150 mm to 170 mm in 5 steps”, with “of equal ratios” behind it in
    equal ratios, or “1 mm or 2 mm or 3 mm”, which may be formulas of other parameters.

    ``plan`` has names of plans for values, a part “present or absent”, and “NAME material” names of
    materials.
    """

    parameter: Annotated[str, Field(max_length=80)]
    values: Text


class Sweep(Studied):
    """Variants for values of parameters, in all combinations or the first with the first."""

    kind: Literal["sweep"] = "sweep"
    vary: Annotated[list[Varied], Field(min_length=1, max_length=8)]
    together: Literal["in all combinations", "side by side"] = "in all combinations"


KIND = Kind(
    "sweep",
    "studies",
    Sweep,
    "Sweep",
    "{name} over <vary/and: {.parameter:parameter} = {.values}>[, {together}]" + READING,
    (
        Entry(
            "Studies",
            "Sweep",
            {
                "name": "sweep",
                "vary": [{"parameter": "", "values": "1 mm to 2 mm in 5 steps"}],
                "outcomes": ["f where abs(s11) is smallest", "smallest db20(s11)"],
            },
        ),
    ),
    members={
        "vary": {"parameter": "", "values": "1 mm or 2 mm"},
        "outcomes": "f where abs(s11) is smallest",
    },
    widget="study",
)
