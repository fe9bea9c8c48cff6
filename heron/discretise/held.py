"""Lines and segments that are held while a model's values change, so that what is found does not
jump with their number.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

MOST_STRETCH = 1.25  # of any stretch between marks: beyond it the cells would be too large or small


@dataclass(frozen=True)
class Laid:
    """Where an axis or a wire is divided: ``lines`` (n + 1,), and those ``marks`` (m,) among them
    that the model sets, such as edges of metal and joints of wires; both in ``unit`` m, and rising
    from the same first to the same last. ``held``: as another variant is divided.
    """

    marks: Floats
    lines: Floats
    unit: float = 1.0
    held: bool = False


def moved(like: Laid | None, marks: Floats, unit: float = 1.0) -> Laid | None:
    """Lines as many as those of another variant, which move with the ``marks`` (m,), in ``unit`` m,
    beside them; ``None`` where there are other marks, or a stretch between two of them is more than
    ``MOST_STRETCH`` times as long or as short.
    """
    if like is None or len(like.marks) != len(marks):
        return None
    stretch = np.diff(marks) * unit / (np.diff(like.marks) * like.unit)
    if not ((stretch < MOST_STRETCH) & (stretch > 1 / MOST_STRETCH)).all():
        return None
    return Laid(marks, np.interp(like.lines, like.marks, marks), unit, held=True)
