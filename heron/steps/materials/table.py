"""A medium from a table."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from heron.errors import ModelError
from heron.materials import Medium
from heron.steps.contract import Entry, MaterialKind
from heron.steps.fields import Frequency, Number
from heron.steps.materials.common import MaterialStep


class Tabulated(MaterialStep):
    """Rows of frequency, ε′ and ε″ (positive for losses), in rising order."""

    kind: Literal["table"]
    rows: Annotated[list[tuple[Frequency, Number, Number]], Field(min_length=2, max_length=2000)]


def substance(step: Any) -> Medium:
    for k, (f, _, imag) in enumerate(step.rows):
        if f <= 0 or (k and f <= step.rows[k - 1][0]):
            raise ModelError("frequencies are above zero and rise from row to row", ("rows", k, 0))
        if imag < 0:
            raise ModelError(
                "the imaginary part is given positive for losses; a negative one would make power",
                ("rows", k, 2),
            )
    return Medium(step.name, table=tuple(step.rows))


KIND = MaterialKind(
    "table",
    "materials",
    Tabulated,
    "Tabulated medium",
    "{name} <rows/and: at {0} ε′ {1} ε″ {2}>",
    (
        Entry(
            "Materials",
            "Tabulated medium",
            {
                "name": "tabulated",
                "rows": [["1 GHz", "5", "0.2"], ["2 GHz", "4.8", "0.25"], ["5 GHz", "4.4", "0.3"]],
            },
        ),
    ),
    members={"rows": ["10 GHz", "4", "0.3"]},
    substance=substance,
)
