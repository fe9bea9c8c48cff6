"""Modes of a feed without a run, with what coarser grids say of their errors."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from heron.engines.transient.contents import fill
from heron.engines.transient.layout import structure
from heron.engines.transient.structure import Structure
from heron.engines.transient.study import Study, study
from heron.errors import HeronError
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.results.convergence import FLOOR_IMPEDANCE, Floats, error_of_wavering

FLOOR = {"index": 1e-3, "impedance": FLOOR_IMPEDANCE}  # relative: what rounds do not see


def modes_with_errors(
    s: Structure,
    model: Evaluated,
    geometry: Geometry,
    feed: int,
    count: int,
    at: float,
    sizes: list[float],
) -> Study:
    """The ``count`` first modes of feed number ``feed`` on a filled structure, with their errors
    over the band from grids with cells ``sizes`` times as large.

    :raises ModelError: as :func:`heron.engines.transient.study.study`.
    """
    found = study(s, model, feed, count, at)
    coarser = []
    for size in sizes:
        try:
            part = structure(model, geometry, size)
            fill(part, model, geometry)
            own = study(part, model, feed, count, at)
        except HeronError:
            continue  # too coarse for the opening
        if own.index.shape == found.index.shape:
            coarser.append(own)
    if not coarser:
        return found

    def error(name: str) -> Floats:
        values = [getattr(own, name) for own in (*coarser, found)]
        return np.asarray(np.hypot(error_of_wavering(values), FLOOR[name] * np.abs(values[-1])))

    return replace(found, index_error=error("index"), impedance_error=error("impedance"))
