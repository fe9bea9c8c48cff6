"""A slice through the grid as the engine sees it, for looking at."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.metal import full_cells
from heron.engines.transient.structure import Floats, Structure
from heron.quantities.constants import C0


@dataclass(frozen=True)
class Cut:
    """One layer of cells across ``axis``, at ``place`` m: grid lines ``u`` (n + 1,) and ``v`` (m +
    1,) along the next two axes in turn.

    ``epsilon`` (n, m) is the real relative permittivity, ``conductor`` (n, m) marks cells full of
    metal, ``resolved`` (n, m) are the cells per wavelength of their longest side at the top of the
    band. ``metal`` (e, 4) are edges that conduct in the nearest plane of lines: u, v of both ends,
    m.
    """

    axis: int
    place: float
    u: Floats
    v: Floats
    epsilon: Floats
    conductor: NDArray[np.bool_]
    resolved: Floats
    metal: Floats


def cut(s: Structure, axis: int, at: float, highest: float) -> Cut:
    """The layer of cells of a filled structure that holds the plane ``at`` m across ``axis``, or
    its mirror image; ``highest`` frequency in Hz.
    """
    for plane in s.planes:
        if (
            plane.doubles
            and plane.axis == axis
            and (at > plane.at if plane.side else at < plane.at)
        ):
            at = 2 * plane.at - at
    line = s.lines[axis]
    layer = int(np.clip(np.searchsorted(line, at, side="right") - 1, 0, len(line) - 2))
    node = layer + int(at - line[layer] > line[layer + 1] - at)
    a, b = (axis + 1) % 3, (axis + 2) % 3

    def flat(values: Any, index: int) -> Any:
        return np.moveaxis(values, (axis, a, b), (0, 1, 2))[index]

    u, v = s.lines[a], s.lines[b]
    epsilon, mu = (
        np.asarray(flat(s.epsilon if s.means is None else s.means[0], layer), dtype=float),
        np.asarray(flat(s.mu, layer), dtype=float),
    )
    longest = np.maximum(
        np.maximum(np.diff(u)[:, None], np.diff(v)[None, :]), line[layer + 1] - line[layer]
    )
    segments = []
    for k in (a, b):
        i, j = np.nonzero(flat(s.metal[k], node))
        segments.append(
            np.column_stack(
                (
                    u[i],
                    v[j],
                    u[np.minimum(i + (k == a), len(u) - 1)],
                    v[np.minimum(j + (k == b), len(v) - 1)],
                )
            )
        )
    return Cut(
        axis,
        float(line[node]),
        u,
        v,
        epsilon,
        np.asarray(flat(full_cells(s), layer), dtype=bool),
        C0 / highest / np.sqrt(np.maximum(epsilon * mu, 1.0)) / longest,
        np.vstack(segments),
    )
