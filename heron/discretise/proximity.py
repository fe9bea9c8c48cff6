"""Closest approach of straight segments."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@njit(cache=True, fastmath=False)  # type: ignore[untyped-decorator]
def _closest(p0: Floats, p1: Floats, q0: Floats, q1: Floats) -> tuple[float, float, float]:
    """Distance and the fractions (s, t) of closest approach of two segments.

    Ericson, Real-Time Collision Detection, section 5.1.9.
    """
    d1, d2, r = p1 - p0, q1 - q0, p0 - q0
    a, e, f = np.dot(d1, d1), np.dot(d2, d2), np.dot(d2, r)
    c, b = np.dot(d1, r), np.dot(d1, d2)
    denominator = a * e - b * b
    s = 0.0
    if denominator > 1e-12 * a * e:
        s = min(1.0, max(0.0, (b * f - c * e) / denominator))
    t = (b * s + f) / e
    if t < 0.0:
        t = 0.0
        s = min(1.0, max(0.0, -c / a))
    elif t > 1.0:
        t = 1.0
        s = min(1.0, max(0.0, (b - c) / a))
    gap = r + d1 * s - d2 * t
    return np.sqrt(np.dot(gap, gap)), s, t


@njit(cache=True, fastmath=False)  # type: ignore[untyped-decorator]
def _scan(nodes: Floats, segments: NDArray[np.int64], reach: Floats, count_only: bool, out: Floats) -> int:
    found = 0
    for p in range(len(segments)):
        p0, p1 = nodes[segments[p, 0]], nodes[segments[p, 1]]
        cp = 0.5 * (p0 + p1)
        hp = np.sqrt(np.dot(p1 - p0, p1 - p0))
        for q in range(p + 1, len(segments)):
            if (segments[p, 0] == segments[q, 0] or segments[p, 0] == segments[q, 1]
                    or segments[p, 1] == segments[q, 0] or segments[p, 1] == segments[q, 1]):
                continue
            q0, q1 = nodes[segments[q, 0]], nodes[segments[q, 1]]
            limit = max(reach[p], reach[q])
            hq = np.sqrt(np.dot(q1 - q0, q1 - q0))
            centre = cp - 0.5 * (q0 + q1)
            if np.sqrt(np.dot(centre, centre)) > limit + 0.5 * (hp + hq):
                continue
            distance, s, t = _closest(p0, p1, q0, q1)
            if distance < limit:
                if not count_only:
                    out[found, 0], out[found, 1], out[found, 2] = p, q, distance
                    out[found, 3], out[found, 4] = s, t
                found += 1
    return found


def close_pairs(nodes: Floats, segments: NDArray[np.int64], reach: Floats) -> Floats:
    """Pairs of segments without a common node that come within reach of each other.

    :param nodes: (n, 3) m; ``segments`` (m, 2) node indices; ``reach`` (m,) m, the larger of two counts.
    :returns: rows (p, q, distance, fraction on p, fraction on q).
    """
    empty = np.empty((0, 5))
    count = _scan(nodes, segments, reach, True, empty)
    out = np.empty((count, 5))
    _scan(nodes, segments, reach, False, out)
    return out
