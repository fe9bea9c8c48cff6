"""Expression fields: text in the document, a known dimension in the schema, an SI float after
evaluation.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetJsonSchemaHandler,
    StringConstraints,
)
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from heron.quantities.units import Dimension, si_symbol


@dataclass(frozen=True)
class Of:
    """Metadata of an expression field: the dimension its value must have."""

    dimension: Dimension

    def __get_pydantic_json_schema__(
        self, core: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        schema = handler(core)
        schema["x-unit"] = si_symbol(self.dimension) or "1"
        return schema


@dataclass(frozen=True)
class OfT:
    """Metadata of a formula field: evaluation gives a function of the plain number ``t`` with
    values of this dimension.
    """

    dimension: Dimension


@dataclass(frozen=True)
class Along:
    """Metadata of a vector that may be typed by its axis, as "−z"."""


@dataclass(frozen=True)
class Phrase:
    """Metadata of a text of several words, with brackets, that is written without quotes."""


def _as_text(value: Any) -> Any:
    if isinstance(value, bool):
        return value
    return repr(value) if isinstance(value, (int, float)) else value


_Text = Annotated[str, BeforeValidator(_as_text), Field(max_length=1000)]

Number = Annotated[_Text, Of((0, 0, 0, 0, 0))]
Length = Annotated[_Text, Of((1, 0, 0, 0, 0))]
Frequency = Annotated[_Text, Of((0, 0, -1, 0, 0))]
Time = Annotated[_Text, Of((0, 0, 1, 0, 0))]
Resistance = Annotated[_Text, Of((2, 1, -3, -2, 0))]
Inductance = Annotated[_Text, Of((2, 1, -2, -2, 0))]
Capacitance = Annotated[_Text, Of((-2, -1, 4, 2, 0))]
Conductivity = Annotated[_Text, Of((-3, -1, 3, 2, 0))]
FieldStrength = Annotated[_Text, Of((1, 1, -3, -1, 0))]
Formula = Annotated[_Text, OfT((1, 0, 0, 0, 0))]
Point = tuple[Length, Length, Length]
Direction = Annotated[tuple[Number, Number, Number], Along()]

Name = Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\W\d][\w .\-]*$")]
ParameterName = Annotated[
    str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\W\d]\w*$")
]


class ByName:
    """Metadata of a field that holds steps by name: their schemas by the names there may be."""

    def schemas(self) -> dict[str, type[Step]]:
        raise NotImplementedError


class Step(BaseModel):
    """Base of everything in the document: unknown keys are refused, values do not change in
    place.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, defer_build=True)


class Commented(Step):
    """A step of a chapter, which may have a ``comment`` of whoever wrote it."""

    comment: Annotated[str, Field(max_length=200)] = ""
