"""One finding before a run."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

Level = Literal["error", "look", "offer"]
Path = tuple[str | int, ...]


@dataclass(frozen=True)
class Problem:
    """One finding; an ``offer`` is not wrong but would be better. ``repair`` is a list of
    ``{"path", "value"}`` edits of the document, safe to apply.
    """

    level: Level
    code: str
    message: str
    why: str = ""
    path: Path = ()
    point: tuple[float, float, float] | None = None
    repair: list[dict[str, Any]] = field(default_factory=list)
    repair_label: str = ""


def whole(value: float, low: int, high: int) -> bool:
    """Whether a value is a whole number within limits."""
    return bool(value == int(value) and low <= value <= high) if np.isfinite(value) else False
