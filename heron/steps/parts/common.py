"""What parts have in common: their schemas, and the ends of their sentences."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.fields import Direction, Length, Name, Number, Point, Step

ORIGIN: Point = ("0", "0", "0")
HERE = ["0", "0", "0"]  # the same in a step as JSON has it
Axis = Literal["x", "y", "z"]
Flat = tuple[Length, Length]
FULL = 6.283185307179586  # a whole turn
MAX_TURNS = 1000

WIRE_END = ", radius {radius}, in {material:conductor}[, in frame {frame:frame}]"
BODY_END = ", of {material:material}[, priority {priority}][, in frame {frame:frame}]"
CORNERS = "<outline/to: {to}[ by an arc through {via}][smooth=yes: smoothly]>"
TRIANGLE = [{"to": ["0", "0"]}, {"to": ["40 mm", "0"]}, {"to": ["0", "30 mm"]}]


class PartStep(Step):
    """What every part has."""

    name: Name
    frame: str = ""
    group: Annotated[str, Field(max_length=60)] = ""
    suspended: bool = False
    comment: Annotated[str, Field(max_length=200)] = ""


class WireStep(PartStep):
    """A wire of ``radius``."""

    radius: Length
    material: str = "perfect conductor"


class BodyStep(PartStep):
    """``priority``: where solids overlap, the higher one stays; among equals the later part."""

    material: str = "perfect conductor"
    priority: Annotated[int, Field(ge=-100, le=100)] = 0


class Corner(Step):
    """The next point of an outline: reached straight, on an arc through ``via``, or smoothly (a
    spline through the run of smooth points).
    """

    to: Flat
    via: Flat | None = None
    smooth: bool = False


class FaceOrEdge(Step):
    """A face or edge by rule, so that it survives regeneration: the one nearest to ``near``, facing
    ``facing`` when given, in world coordinates.
    """

    near: Point
    facing: Direction | None = None
    tolerance: Length | None = None


Outline = Annotated[list[Corner], Field(min_length=2, max_length=2000)]
OneTurn: Number = "2*pi"
