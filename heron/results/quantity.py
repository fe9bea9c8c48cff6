"""Values against frequency as quantities of the expression language, and as JSON."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from heron.quantities import Quantity
from heron.quantities.units import NONE, Dimension

Values = NDArray[Any]

AREA: Dimension = (2.0, 0.0, 0.0, 0.0, 0.0)
SECOND: Dimension = (0.0, 0.0, 1.0, 0.0, 0.0)
OHM: Dimension = (2.0, 1.0, -3.0, -2.0, 0.0)
SIEMENS: Dimension = (-2.0, -1.0, 3.0, 2.0, 0.0)


OPTICAL = 3e12  # Hz: beyond, a wavelength of 0.1 mm, waves are told by their length in vacuum


def by_wavelength(frequency: Values) -> bool:
    """Whether a run over frequencies (f,) in Hz, in rising order, is told by wavelengths."""
    return bool(frequency[-1] >= OPTICAL)


def quantity(values: Values, dimension: Dimension = NONE) -> Quantity:
    """Values (f,), real or complex, in SI units."""
    return Quantity(cast(float, values), dimension)


def finite(values: Any) -> list[Any]:
    """A list for JSON: NaN and infinities become ``None``."""
    array = np.asarray(values, dtype=float)
    return [v if np.isfinite(v) else None for v in array.tolist()]
