"""A gap feed between two points."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import Entry, ImpliedKind, Pick, Shorthand
from heron.steps.feeds.common import DRIVE, PortNumber, Source
from heron.steps.feeds.gap import GapFeed
from heron.steps.fields import Length, Name, Number, Point, Resistance, Step
from heron.steps.parts.wire import Wire

THIN = 10  # times as long as its radius is the wire, unless that is given


class FeedBetween(Source):
    """A gap feed between two points, such as the end of a strip and the ground below it: in the
    middle of a straight, perfectly conducting wire from ``start`` to ``end``, which the feed brings
    with it. ``radius`` is a tenth of its length unless given. With ``across``, the vector along an
    edge with its length, there is no wire: the gap is all of the rectangle from ``start`` to
    ``end`` and half of ``across`` to either side, and its field is even there.
    """

    kind: Literal["between"]
    number: PortNumber
    start: Point
    end: Point
    radius: Length | None = None
    across: Point | None = None
    impedance: Resistance = "50 ohm"
    amplitude: Number = "1"
    phase: Number = "0"


class SpreadGap(GapFeed):
    """A gap feed as wide as the vector ``across``, if there is one."""

    across: Point | None = None


class BetweenParts(Step):
    """How it is typed: between two parts, at the places of both that are nearest to a point."""

    number: PortNumber = 1
    first: Name
    second: Name
    at: Point
    impedance: Resistance = "50 ohm"
    across: Point | None = None


def implied(feed: FeedBetween, name: str) -> tuple[Step, Step]:
    """The wire, and the gap feed in its middle."""
    along = (f"(({b}) - ({a}))^2" for a, b in zip(feed.start, feed.end, strict=True))
    radius = feed.radius or f"sqrt({' + '.join(along)}) / {THIN}"
    own = {k: getattr(feed, k) for k in SpreadGap.model_fields if k in type(feed).model_fields}
    return (
        Wire(kind="wire", name=name, start=feed.start, end=feed.end, radius=radius),
        SpreadGap(**{**own, "kind": "gap", "part": name}),
    )


def nearest(found: dict[str, Any], places: Any) -> dict[str, Any]:
    """The two points that a typed feed between parts means."""
    ends = {
        end: places(found.pop(part), found["at"])
        for end, part in (("start", "second"), ("end", "first"))
    }
    return {k: v for k, v in found.items() if k != "at"} | ends


KIND = ImpliedKind(
    "between",
    "feeds",
    FeedBetween,
    "Gap feed between points",
    "port {number}¦from {start} to {end}, {impedance}[, radius {radius|a tenth of the length}]"
    "[, spread over {across|no width}]" + DRIVE,
    (
        Entry(
            "Feeds",
            "Gap feed between points",
            {"number": 1, "start": ["0", "0", "0"], "end": ["0", "0", "1.6 mm"]},
        ),
    ),
    (
        Shorthand(
            "feed",
            "from (0, 0, 0) to (0, 0, 1.6 mm)",
            sentence="from {start} to {end}[, {impedance}][, spread over {across}]",
        ),
        Shorthand(
            "feed between",
            "",
            sentence="{first:body} and {second:body} at {at}[, {impedance}]"
            "[, spread over {across}]",
            schema=BetweenParts,
            means=nearest,
        ),
    ),
    (Pick(("start",), "point"), Pick(("end",), "point")),
    implied=implied,
)
