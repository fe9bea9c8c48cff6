"""Ports of feeds."""

from __future__ import annotations

from typing import Any

from heron.problems import whole

MOST_MODES = 10


def is_spread(feed: Any) -> bool:
    """Whether a feed is a gap that is spread over a width."""
    return getattr(feed, "across", None) is not None


def ports_of(feed: Any) -> range:
    """The ports that an evaluated feed takes: one for each of its modes."""
    modes = getattr(feed, "modes", 1)
    return range(feed.number, feed.number + (int(modes) if whole(modes, 1, MOST_MODES) else 1))
