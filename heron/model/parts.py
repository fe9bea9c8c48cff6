"""The schema of parts: wires, sheets, solids, and what combines, copies and changes them.

Every size is an expression; each part stands in a frame. Solids and sheets are exact shapes;
a sheet has no thickness of its own, it stands for a thin layer of its material.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import Field

from heron.model.fields import Direction, Formula, Length, Name, Number, Point, Step

ORIGIN: Point = ("0", "0", "0")
Axis = Literal["x", "y", "z"]
Flat = tuple[Length, Length]


class _Part(Step):
    name: Name
    frame: str = ""
    group: Annotated[str, Field(max_length=60)] = ""
    suspended: bool = False
    comment: Annotated[str, Field(max_length=200)] = ""


# --- wires ------------------------------------------------------------------------------


class _WirePart(_Part):
    radius: Length
    material: str = "perfect"


class Wire(_WirePart):
    """A straight wire."""

    kind: Literal["wire"]
    start: Point
    end: Point


class Polyline(_WirePart):
    """Straight stretches through the points in order; ``closed`` returns to the first."""

    kind: Literal["polyline"]
    points: Annotated[list[Point], Field(min_length=2, max_length=500)]
    closed: bool = False


class Arc(_WirePart):
    """Part of a circle about ``centre`` in the frame's x-y plane, angles from +x towards +y; 2π
    closes it.
    """

    kind: Literal["arc"]
    centre: Point = ORIGIN
    bend: Length
    from_angle: Number = "0"
    to_angle: Number = "2*pi"


class Helix(_WirePart):
    """A helix about the frame's z axis, starting at ``centre`` + bend·x; ``pitch`` is the rise of
    one turn.
    """

    kind: Literal["helix"]
    centre: Point = ORIGIN
    bend: Length
    pitch: Length
    turns: Number
    hand: Literal["right", "left"] = "right"


# --- outlines ---------------------------------------------------------------------------


class Corner(Step):
    """The next point of an outline: reached straight, on an arc through ``via``, or smoothly (a
    spline through the run of smooth points).
    """

    to: Flat
    via: Flat | None = None
    smooth: bool = False


class Piece(Step):
    """A stretch of an outline from formulas in ``t``: a spline through ``points`` of them.

    Straight lines join the pieces.
    """

    x: Formula
    y: Formula
    start: Number
    stop: Number
    points: Number = "33"


class Section(Step):
    """A profile across z at ``at``: a rectangle of ``width`` by ``height``, or the ellipse inside
    it.
    """

    at: Point
    width: Length
    height: Length
    round: bool = False


class Pick(Step):
    """A face or edge by rule, so that it survives regeneration: the one nearest to ``near``, facing
    ``facing`` when given, in world coordinates.
    """

    near: Point
    facing: Direction | None = None
    tolerance: Length | None = None


Outline = Annotated[list[Corner], Field(min_length=2, max_length=2000)]


# --- solids and sheets ------------------------------------------------------------------


class _Body(_Part):
    """``priority``: where solids overlap, the higher one stays; among equals the later part."""

    material: str = "perfect"
    priority: Annotated[int, Field(ge=-100, le=100)] = 0


class Box(_Body):
    """From ``corner`` by ``size`` along x, y, z; a negative size goes the other way."""

    kind: Literal["box"]
    corner: Point = ORIGIN
    size: Point


class Cylinder(_Body):
    """From the middle of its base along ``axis``; ``inner`` above zero makes a tube."""

    kind: Literal["cylinder"]
    centre: Point = ORIGIN
    radius: Length
    inner: Length = "0"
    height: Length
    axis: Axis = "z"


class Cone(_Body):
    """From the middle of its base along ``axis``: ``radius`` at the base, ``top`` at the other
    end.
    """

    kind: Literal["cone"]
    centre: Point = ORIGIN
    radius: Length
    top: Length = "0"
    height: Length
    axis: Axis = "z"


class Sphere(_Body):
    kind: Literal["sphere"]
    centre: Point = ORIGIN
    radius: Length


class Ellipsoid(_Body):
    kind: Literal["ellipsoid"]
    centre: Point = ORIGIN
    radii: Point


class Torus(_Body):
    """A ring of radius ``bend`` about ``axis``, round with ``radius``."""

    kind: Literal["torus"]
    centre: Point = ORIGIN
    bend: Length
    radius: Length
    axis: Axis = "z"


class Wedge(_Body):
    """A box whose top face keeps only ``top`` of its x size, from x = 0 (0 gives an edge)."""

    kind: Literal["wedge"]
    corner: Point = ORIGIN
    size: Point
    top: Length = "0"


class Prism(_Body):
    """An outline in the x-y plane at z = ``base``, pulled by ``height``."""

    kind: Literal["prism"]
    outline: Outline
    base: Length = "0"
    height: Length


class Revolve(_Body):
    """An outline of (distance from the z axis, z), turned about z by ``angle``."""

    kind: Literal["revolve"]
    outline: Outline
    angle: Number = "2*pi"


class Loft(_Body):
    """Straight between sections, rectangles and ellipses in any order; ``shell`` leaves the two
    ends open and makes a sheet.
    """

    kind: Literal["loft"]
    sections: Annotated[list[Section], Field(min_length=2, max_length=50)]
    shell: bool = False


class Rod(_Body):
    """A profile swept along straight stretches, with corners mitred, or rounded with ``bend``:
    round, or an ``outline`` of (sideways, up).
    """

    kind: Literal["rod"]
    points: Annotated[list[Point], Field(min_length=2, max_length=200)]
    radius: Length = "0"
    outline: Annotated[list[Corner], Field(max_length=200)] = []
    bend: Length = "0"


class Coil(_Body):
    """A round profile of ``radius`` swept along a helix about z."""

    kind: Literal["coil"]
    centre: Point = ORIGIN
    bend: Length
    pitch: Length
    turns: Number
    radius: Length


class Dish(_Body):
    """A paraboloid with its vertex at ``centre``, open along +z; thickness 0 makes a sheet."""

    kind: Literal["dish"]
    centre: Point = ORIGIN
    focus: Length
    diameter: Length
    thickness: Length = "0"


class Rectangle(_Body):
    """A sheet across ``axis``: from ``corner`` by two sizes along the other two axes in the order
    x, y, z.
    """

    kind: Literal["rectangle"]
    corner: Point = ORIGIN
    size: Flat
    axis: Axis = "z"


class Disc(_Body):
    """A round sheet across ``axis``; ``inner`` above zero makes a ring."""

    kind: Literal["disc"]
    centre: Point = ORIGIN
    radius: Length
    inner: Length = "0"
    axis: Axis = "z"


class Polygon(_Body):
    """A flat sheet in the x-y plane at z = ``base``."""

    kind: Literal["polygon"]
    outline: Outline
    base: Length = "0"


class Curved(_Body):
    """A flat sheet whose outline is given by formulas in ``t``, for tapers, spirals and sinuous
    arms.
    """

    kind: Literal["formula"]
    pieces: Annotated[list[Piece], Field(min_length=1, max_length=20)]
    base: Length = "0"


class FaceSheet(_Body):
    """A face of an earlier part as a sheet of its own."""

    kind: Literal["face"]
    source: str
    pick: Pick


class Imported(_Body):
    """The bodies of a STEP, STL or OBJ file; ``unit`` for files that do not state theirs."""

    kind: Literal["import"]
    file: Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^/\\\x00-\x1f]+$")]
    unit: Literal["m", "mm", "um", "in"] = "mm"
    at: Point = ORIGIN
    scale: Number = "1"
    simplify: bool = False


# --- what uses earlier parts ------------------------------------------------------------


class Combine(_Part):
    """Fuses, cuts or intersects ``first`` with ``others`` into one body; ``imprint`` marks the
    others' outlines on its faces. The sources go unless kept.
    """

    kind: Literal["combine"]
    operation: Literal["fuse", "cut", "intersect", "imprint"]
    first: str
    others: Annotated[list[str], Field(min_length=1, max_length=200)]
    keep: bool = False


class Thicken(_Part):
    """A sheet made into a solid; a negative thickness goes the other way."""

    kind: Literal["thicken"]
    source: str
    thickness: Length


class Edges(_Part):
    """Picked edges of a solid rounded with a radius, or cut off by the same distance; none picked
    means all.
    """

    kind: Literal["edges"]
    source: str
    operation: Literal["round", "chamfer"] = "round"
    size: Length
    picks: Annotated[list[Pick], Field(max_length=100)] = []


class Copy(_Part):
    """``count`` copies of an earlier part, each moved, turned, mirrored or scaled once more than
    the one before.
    """

    kind: Literal["copy"]
    source: str
    operation: Literal["move", "turn", "mirror", "scale"]
    by: Point = ORIGIN
    about: Point = ORIGIN
    axis: Direction = ("0", "0", "1")
    angle: Number = "0"
    factor: Number = "1"
    count: Number = "1"
    keep: bool = True


_Union = (
    Wire
    | Polyline
    | Arc
    | Helix
    | Box
    | Cylinder
    | Cone
    | Sphere
    | Ellipsoid
    | Torus
    | Wedge
    | Prism
    | Revolve
    | Loft
    | Rod
    | Coil
    | Dish
    | Rectangle
    | Disc
    | Polygon
    | Curved
    | FaceSheet
    | Imported
    | Combine
    | Thicken
    | Edges
    | Copy
)
Part = Annotated[_Union, Field(discriminator="kind")]


def _kind(schema: Any) -> str:
    return str(get_args(schema.model_fields["kind"].annotation)[0])


PART_KINDS: frozenset[str] = frozenset(_kind(schema) for schema in get_args(_Union))
