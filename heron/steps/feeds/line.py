"""A feed by the mode of a line."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind, Shorthand
from heron.steps.feeds.common import NEW, THROUGH, ModeFeed


class LineFeed(ModeFeed):
    """The mode of a line: microstrip, stripline, coplanar, coaxial."""

    kind: Literal["line"]


KIND = Kind(
    "line",
    "feeds",
    LineFeed,
    "Line feed",
    "port {number}¦on the strip or inner conductor at {centre}" + THROUGH,
    (Entry("Feeds", "Line feed", NEW),),
    (
        Shorthand(
            "line feed",
            "at (0, 0, 1.6 mm), going +x",
            sentence="port {number}¦at {centre}" + THROUGH,
        ),
    ),
)
