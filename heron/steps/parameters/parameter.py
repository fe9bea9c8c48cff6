"""A named quantity."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from heron.steps.contract import Entry, Kind
from heron.steps.fields import ParameterName, Step


class Parameter(Step):
    """A named quantity; ``unit`` is the unit it is shown in and, when given, fixes its dimension;
    ``low`` to ``high`` is where it makes sense.
    """

    name: ParameterName
    expression: Annotated[str, Field(max_length=1000)]
    unit: Annotated[str, Field(max_length=20)] = ""
    comment: Annotated[str, Field(max_length=200)] = ""
    low: Annotated[str, Field(max_length=200)] = ""
    high: Annotated[str, Field(max_length=200)] = ""


KIND = Kind(
    "parameter",
    "parameters",
    Parameter,
    "Parameter",
    "{name} = {expression:expression}[, shown in {unit|its own unit}]"
    "[, from {low:expression|no limit} to {high:expression|no limit}]",
    (Entry("Build", "Parameter", {"name": "p1", "expression": "10 mm"}),),
)
