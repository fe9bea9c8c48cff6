"""Lumped R, L and C as the engines see them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Element:
    """R (Ω), L (H) and C (F) in series, or ``parallel``; ``None`` for what is not there: a short in series, a break in parallel."""

    resistance: float | None
    inductance: float | None
    capacitance: float | None
    parallel: bool = False

    def impedance(self, frequency: NDArray[np.float64]) -> NDArray[np.complex128]:
        """Ω at frequencies (f,) above zero."""
        s = 2j * np.pi * np.asarray(frequency, dtype=float)
        r, ind, c = (np.zeros_like(s) if v is None else np.full_like(s, v) for v in (self.resistance, self.inductance, self.capacitance))
        if not self.parallel:
            return np.asarray(r + s * ind + (0 if self.capacitance is None else 1 / (s * c)))
        admittance = s * c + (0 if self.resistance is None else 1 / r) + (0 if self.inductance is None else 1 / (s * ind))
        return np.asarray(1 / admittance)


def element(step: Any) -> Element:
    """The element of an evaluated load."""
    return Element(step.resistance, step.inductance, step.capacitance, step.kind == "parallel")
