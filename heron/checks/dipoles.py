"""What is wrong with point dipoles before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from heron.model import Evaluated
from heron.problems import Problem


def dipole_problems(model: Evaluated, i: int, feed: Any) -> Iterator[Problem]:
    """Values of feed ``i``, a dipole, that are wrong whatever the geometry."""
    if not np.linalg.norm(feed.along) > 0:
        yield Problem(
            "error",
            "invalid",
            "the dipole points nowhere: give it a direction such as (0, 0, 1)",
            path=("feeds", i, "along"),
        )
    if model.surround is not None and any(kind != "none" for kind in model.surround.mirror):
        yield Problem(
            "error",
            "invalid",
            "a point dipole has no image in mirror planes yet",
            "take the mirror planes out, and solve the whole model",
            ("surround", "mirror"),
        )
