"""Sources of fields, one file for each kind, by the name that a run's dataset has in the attribute
``radiator``. ``RADIATORS`` is the registration.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.fields import layered, surface, wires
from heron.fields.source import FieldSource

Complexes = NDArray[np.complex128]
Reader = Callable[[xr.Dataset, int, Complexes], FieldSource]

RADIATORS: dict[str, Reader] = {
    "wires": wires.read,
    "surface": surface.read,
    "surface in layers": layered.read,
    "none": surface.read_enclosed,
}


def source(results: xr.Dataset, index: int, incident: Complexes) -> FieldSource:
    """What a run's fields come from under incident waves (P,) at sweep point ``index``."""
    return RADIATORS[radiator(results)](results, index, incident)


def radiator(results: xr.Dataset) -> str:
    """The name of it; of runs too old to have one, by what was kept of them."""
    if "radiator" in results.attrs:
        return str(results.attrs["radiator"])
    if "segment_start" in results:
        return "wires"
    if "surface_point" not in results:
        return "none"
    return "surface in layers" if "layer_height" in results else "surface"


__all__ = ["RADIATORS", "FieldSource", "radiator", "source"]
