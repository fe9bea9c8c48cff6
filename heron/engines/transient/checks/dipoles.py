"""Dipoles where their impedance cannot be told."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.engines.transient.pointlike import cell_of, reading
from heron.engines.transient.structure import Structure
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem

# cells from metal or another medium, so that the dipole alone has the same field about it
CLEAR = 2


def dipole_places(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Dipoles in or at metal, at another medium, or in one that takes power from them before it
    leaves.
    """
    s: Structure = discretisation.structure
    out = []
    for i, feed in enumerate(model.feeds):
        if feed is None or feed.kind != "dipole" or not np.linalg.norm(feed.along) > 0:
            continue
        here, place = ("feeds", i, "centre"), np.array(feed.centre, dtype=float)
        middle = cell_of(s, place)
        own = tuple(slice(max(0, n - CLEAR), n + CLEAR + 1) for n in middle)
        edges = tuple(slice(max(0, n - CLEAR), n + CLEAR + 2) for n in middle)
        low, high = s.inner
        at = float(place[0]), float(place[1]), float(place[2])
        if not ((place > low) & (place < high)).all():
            out.append(
                Problem(
                    "error",
                    "dipole",
                    f"the dipole of port {feed.number} lies beyond the walls",
                    "move it, or the walls",
                    here,
                    at,
                )
            )
        elif not s.filled:
            continue  # a very fine grid gets its contents when it is solved
        elif (
            s.metal[(slice(None), *edges)].any()
            or (s.cell_owner[own] != s.cell_owner[middle]).any()
            or _by_wire(s, feed)
        ):
            out.append(
                Problem(
                    "error",
                    "dipole",
                    f"the dipole of port {feed.number} is within {CLEAR} cells of metal or of"
                    " another medium",
                    "its impedance is told from that alone in even cells: move it away, or make"
                    " cells finer there",
                    here,
                    at,
                )
            )
        elif s.sigma[middle] > 0 or any(d.share[middle] > 0 for d in s.dispersions):
            out.append(
                Problem(
                    "error",
                    "dipole",
                    f"the dipole of port {feed.number} stands in a medium that takes power",
                    "move it into air or another medium without loss",
                    here,
                    at,
                )
            )
    return out


def _by_wire(s: Structure, feed: Any) -> bool:
    c, i, j, k = np.unravel_index(reading(s, feed)[0], s.metal.shape)
    return any(
        tuple(int(v) for v in node) in (s.wire_h if feed.moment == "magnetic" else s.wire_e)
        for node in zip(c, i, j, k, strict=True)
    )
