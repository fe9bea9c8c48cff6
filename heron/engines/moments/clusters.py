"""Functions in a tree of clusters, and which pairs of clusters are far enough apart for few terms.

Hackbusch, *Hierarchical Matrices: Algorithms and Analysis*, ch. 5.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

LEAF = 48  # functions of a cluster that is not divided
APART = 1.5  # times the distance between two that are far apart is the smaller one's diameter


@dataclass
class Cluster:
    """The places ``start`` up to before ``stop``, in a box from ``low`` to ``high`` (3,) m."""

    start: int
    stop: int
    low: Floats
    high: Floats
    parts: tuple[Cluster, Cluster] | None = None

    @property
    def size(self) -> int:
        return self.stop - self.start

    @property
    def diameter(self) -> float:
        return float(np.linalg.norm(self.high - self.low))

    def distance(self, other: Cluster) -> float:
        """Between the boxes."""
        apart = np.maximum(0, np.maximum(other.low - self.high, self.low - other.high))
        return float(np.linalg.norm(apart))


def tree(centre: Floats, reach: Floats) -> tuple[Cluster, Ints]:
    """The tree of functions about ``centre`` (m, 3) that reach so far (m,), and their order (m,):
    divided in halves along the longest side of their box.
    """
    order = np.arange(len(centre))

    def divided(start: int, stop: int) -> Cluster:
        own = order[start:stop]
        low = (centre[own] - reach[own, None]).min(axis=0)
        high = (centre[own] + reach[own, None]).max(axis=0)
        made = Cluster(start, stop, low, high)
        if stop - start > LEAF:
            axis = int(np.ptp(centre[own], axis=0).argmax())
            middle = (start + stop) // 2
            order[start:stop] = own[np.argsort(centre[own, axis], kind="stable")]
            made.parts = divided(start, middle), divided(middle, stop)
        return made

    return divided(0, len(centre)), order


def pairs(
    root: Cluster, symmetric: bool
) -> tuple[list[tuple[Cluster, Cluster]], list[tuple[Cluster, Cluster]]]:
    """Pairs of clusters that are near each other, and far apart, which tile the matrix, or of a
    ``symmetric`` one the part on and above the diagonal.
    """
    near: list[tuple[Cluster, Cluster]] = []
    far: list[tuple[Cluster, Cluster]] = []
    waiting = [(root, root)]
    while waiting:
        a, b = waiting.pop()
        if symmetric and a.start > b.start:
            continue
        if min(a.diameter, b.diameter) <= APART * a.distance(b):
            far.append((a, b))
        elif a.parts and (a.size >= b.size or not b.parts):
            if a is b:
                waiting += [(x, y) for x in a.parts for y in a.parts]
            else:
                waiting += [(x, b) for x in a.parts]
        elif b.parts:
            waiting += [(a, y) for y in b.parts]
        else:
            near.append((a, b))
    return near, far
