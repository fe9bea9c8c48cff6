"""What a readout page holds, as it is stored and served."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Field, Schema
from pydantic import ConfigDict

Short = Annotated[str, Field(max_length=60)]


class Strict(Schema):
    model_config = ConfigDict(extra="forbid")


class CardEntry(Strict):
    """A card: its kind, its size on the grid of three columns, and what was chosen on it."""

    id: Short
    kind: Short
    width: int = Field(default=1, ge=1, le=3)
    height: int = Field(default=1, ge=1, le=3)
    settings: dict[Short, Annotated[str, Field(max_length=4000)] | float | bool | None] = Field(
        default={}, max_length=40
    )


class Marker(Strict):
    """A named place on a card's curves: at an abscissa, at a minimum or maximum, where a level is
    crossed, or from one marker to another.
    """

    id: Short
    card: Short
    name: Annotated[str, Field(min_length=1, max_length=20)]
    mode: Literal["at", "minimum", "maximum", "crossing", "delta"]
    x: float | None = None
    level: float | None = None
    first: Short | None = None
    second: Short | None = None


class SpecLine(Strict):
    id: Short
    text: Annotated[str, Field(min_length=1, max_length=200)]


class PageContent(Strict):
    template: Short = ""
    cards: list[CardEntry] = Field(default=[], max_length=80)
    markers: list[Marker] = Field(default=[], max_length=100)
    specs: list[SpecLine] = Field(default=[], max_length=60)
