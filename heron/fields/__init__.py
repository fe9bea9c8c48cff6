"""Sources of fields, one file for each kind, by the name that a run's dataset has in the attribute
``radiator``. ``RADIATORS`` is the registration.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.fields import layered, regions, surface, triangles, wires
from heron.fields.source import FieldSource

Complexes = NDArray[np.complex128]


class Radiator(NamedTuple):
    """How a dataset's sources are read, at a sweep point under incident waves (P,); and whether
    their far field is a finite sum of spherical waves.
    """

    read: Callable[[xr.Dataset, int, Complexes], FieldSource]
    bounded: bool


RADIATORS: dict[str, Radiator] = {
    "wires": Radiator(wires.read, True),
    "triangles": Radiator(triangles.read, True),
    "triangles in media": Radiator(regions.read, True),
    "surface": Radiator(surface.read, True),
    "surface in layers": Radiator(layered.read, False),
    "none": Radiator(surface.read_enclosed, False),
}


def source(results: xr.Dataset, index: int, incident: Complexes) -> FieldSource:
    """What a run's fields come from under incident waves (P,) at sweep point ``index``."""
    return RADIATORS[radiator_name(results)].read(results, index, incident)


def bounded(results: xr.Dataset) -> bool:
    """Whether a few samples of a run's far field hold all of it."""
    return RADIATORS[radiator_name(results)].bounded


def radiator_name(results: xr.Dataset) -> str:
    """Of runs too old to have one, by what was kept of them."""
    if "radiator" in results.attrs:
        return str(results.attrs["radiator"])
    if "segment_start" in results:
        return "wires"
    if "surface_point" not in results:
        return "none"
    return "surface in layers" if "layer_height" in results else "surface"


__all__ = ["RADIATORS", "FieldSource", "bounded", "radiator_name", "source"]
