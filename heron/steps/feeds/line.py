"""A feed by the mode of a line."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
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
)
