"""What is wrong with line and guide feeds before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from heron.model.feeds import MOST_MODES
from heron.problems import Problem, whole


def opening_problems(i: int, feed: Any) -> Iterator[Problem]:
    """Values of line or guide feed ``i`` that are wrong whatever the geometry."""
    for name in ("width", "height"):
        value = getattr(feed, name)
        if value is not None and value <= 0:
            yield Problem(
                "error",
                "invalid",
                f"the {name} of the opening must be above zero; leave it out to have it found",
                path=("feeds", i, name),
            )
    if not whole(feed.modes, 1, MOST_MODES):
        yield Problem(
            "error",
            "invalid",
            f"the number of modes is a whole one from 1 to {MOST_MODES}, each a port of its own",
            path=("feeds", i, "modes"),
        )
