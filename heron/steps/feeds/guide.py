"""A feed by modes of a hollow guide."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind, Shorthand
from heron.steps.feeds.common import NEW, THROUGH, ModeFeed


class GuideFeed(ModeFeed):
    """Modes of a hollow guide."""

    kind: Literal["guide"]


KIND = Kind(
    "guide",
    "feeds",
    GuideFeed,
    "Guide feed",
    "port {number}¦in the opening at {centre}" + THROUGH,
    (Entry("Feeds", "Guide feed", NEW),),
    (
        Shorthand(
            "guide feed",
            "at (0, 0, 1.6 mm), going +x",
            sentence="port {number}¦at {centre}" + THROUGH,
        ),
    ),
)
