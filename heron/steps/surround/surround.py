"""What a model stands in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.contract import Kind, Shorthand
from heron.steps.fields import Commented, Length, Step

Mirror = Literal["none", "PEC", "PMC"]
Wall = Literal["open", "PEC", "PMC"]


class Layer(Step):
    """A layer across all of space; without a ``thickness`` it goes on for ever, as only the lowest
    may.
    """

    material: str
    thickness: Length | None = None


class Surround(Commented):
    """Open space, or an infinite perfect ground plane at z = ``height`` with open space above.

    ``layers`` lie below z = ``top``, from above downwards, for an illuminated model. ``box`` is the
    distance from the model to the total-field box, a few cells inside the walls unless given.
    ``margin`` is the distance from the model to the walls of engines that fill space with a grid; a
    quarter of the longest wavelength unless given. ``mirror`` names planes x = 0, y = 0, z = 0 in
    which model and feeds are symmetric, so that such an engine needs to fill one side only: PEC
    where the tangential electric field is zero, PMC where the tangential magnetic field is.
    ``walls`` (low x, high x, low y, …) may reflect instead of absorb. Along axes with a ``period``,
    all between minus and plus half of it is repeated without end, as a wave across finds it that
    travels along the third axis; reflection and transmission have the phases of waves between the
    ``references``: places along the third axis below the model and above it.
    """

    kind: Literal["open", "ground"] = "open"
    height: Length = "0"
    margin: Length | None = None
    box: Length | None = None
    top: Length = "0"
    layers: Annotated[list[Layer], Field(max_length=20)] = []
    mirror: tuple[Mirror, Mirror, Mirror] = ("none", "none", "none")
    walls: tuple[Wall, Wall, Wall, Wall, Wall, Wall] = (
        "open",
        "open",
        "open",
        "open",
        "open",
        "open",
    )
    period: tuple[Length | None, Length | None, Length | None] = (None, None, None)
    references: tuple[Length, Length] = ("0", "0")


KIND = Kind(
    "surround",
    "surround",
    Surround,
    "Surround",
    "{kind}[!kind=open: on all sides][!kind=ground: plane at z = {height}]"
    "[, grid walls {margin|a quarter of the longest wavelength} away]"
    "[, total-field box {box|a few cells inside the walls} round the model]"
    "[, walls[ {walls.0} at −x][, {walls.1} at +x][, {walls.2} at −y][, {walls.3} at +y]"
    "[, {walls.4} at −z][, {walls.5} at +z]]"
    "[, symmetry planes[ {mirror.0} at x = 0][, {mirror.1} at y = 0][, {mirror.2} at z = 0]]"
    "[, repeated[ every {period.0|none} along x][, every {period.1|none} along y]"
    "[, every {period.2|none} along z]]"
    "[, phases at {references.0} below, {references.1} above]"
    "[, layers below z = {top}[: <layers/then: {material:material} {thickness|half-space}>]]",
    short=(
        Shorthand(
            "symmetry plane",
            "x = 0, PMC",
            sentence="[¦x = 0 {mirror.0}][¦y = 0 {mirror.1}][¦z = 0 {mirror.2}]",
        ),
        Shorthand(
            "mirror plane",
            "x = 0, PMC",
            sentence="[¦x = 0 {mirror.0}][¦y = 0 {mirror.1}][¦z = 0 {mirror.2}]",
        ),
        Shorthand("margin", "80 mm", sentence="{margin}"),
        Shorthand("ground plane", "at z = 0", sentence="[kind=ground: at z = {height}]"),
    ),
    members={"layers": {"material": "fused quartz", "thickness": None}},
    above={"layers": {"thickness": "1 mm"}},
    widget="walls",
)
