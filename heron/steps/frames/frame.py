"""A local coordinate system."""

from __future__ import annotations

from heron.steps.contract import Entry, Kind, Pick
from heron.steps.fields import Commented, Name, Number, Point


class Frame(Commented):
    """A local coordinate system: turned about its own x, then y, then z axis, then placed at
    ``origin``.
    """

    name: Name
    origin: Point = ("0", "0", "0")
    turn: tuple[Number, Number, Number] = ("0", "0", "0")
    within: str = ""


KIND = Kind(
    "frame",
    "frames",
    Frame,
    "Frame",
    "{name} at {origin}[, turned {turn} about x, y, z][, within {within:frame|no other frame}]",
    (Entry("Build", "Frame", {"name": "frame", "origin": ["0", "0", "0"]}),),
    picks=(Pick((), "placement"),),
)
