"""What radiates: the sources of a run's fields, whichever engine found them."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray


class FieldSource(Protocol):
    """Fields of one drive at one frequency, anywhere; angles in radians, lengths in m, peak
    phasors.
    """

    def reach(self) -> tuple[NDArray[np.float64], float]:
        """Centre (3,) and radius, m, of a ball that holds all sources, images included."""

    def far_field(
        self, theta: NDArray[np.float64], phi: NDArray[np.float64], frequency: float
    ) -> NDArray[np.complex128]:
        """r·E e^(jkr) (1, d, 2) in V: θ and φ components at directions (d,); behind a reflecting
        plane, what its images would give there.
        """

    def near_field(
        self, points: NDArray[np.float64], frequency: float
    ) -> tuple[NDArray[np.complex128], NDArray[np.complex128]]:
        """E in V/m and H in A/m, (1, n, 3) each, at points (n, 3)."""
