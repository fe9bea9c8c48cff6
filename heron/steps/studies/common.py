"""What all studies have: a name, the plan of their variants, and what is read off each."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from heron.steps.fields import Commented, Name, Phrase, Step

Text = Annotated[str, Field(max_length=400), Phrase()]
Texts = Annotated[list[Text], Field(max_length=40)]
READING = "[, reading <outcomes/and: {.}>][, by plan {plan}]"


class Studied(Commented):
    """A study reads ``outcomes`` off every variant: formulas, or words such as ``largest gain`` and
    ``f where abs(s11) is smallest``, or spec lines, of which the margin counts.

    Its variants are solved by the ``plan`` of that name, the first unless given.
    """

    name: Name
    outcomes: Texts = []
    plan: Annotated[str, Field(max_length=60)] = ""


class Range(Step):
    """A parameter within ``range``, “5 mm to 9 mm”."""

    parameter: str
    range: Text


Ranges = Annotated[list[Range], Field(min_length=1, max_length=20)]
