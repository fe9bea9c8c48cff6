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
def _scan(
    nodes: Floats,
    segments: NDArray[np.int64],
    centre: Floats,
    half: Floats,
    reach: Floats,
    out: Floats,
) -> int:
    """Pairs found; those that fit are written to ``out``."""
    found = 0
    for p in range(len(segments)):
        for q in range(p + 1, len(segments)):
            limit = max(reach[p], reach[q])
            x, y, z = (
                centre[p, 0] - centre[q, 0],
                centre[p, 1] - centre[q, 1],
                centre[p, 2] - centre[q, 2],
            )
            far = limit + half[p] + half[q]
            if x * x + y * y + z * z > far * far:
                continue
            if (
                segments[p, 0] == segments[q, 0]
                or segments[p, 0] == segments[q, 1]
                or segments[p, 1] == segments[q, 0]
                or segments[p, 1] == segments[q, 1]
            ):
                continue
            distance, s, t = _closest(
                nodes[segments[p, 0]],
                nodes[segments[p, 1]],
                nodes[segments[q, 0]],
                nodes[segments[q, 1]],
            )
            if distance < limit:
                if found < len(out):
                    out[found, 0], out[found, 1], out[found, 2] = p, q, distance
                    out[found, 3], out[found, 4] = s, t
                found += 1
    return found


def close_pairs(nodes: Floats, segments: NDArray[np.int64], reach: Floats) -> Floats:
    """Pairs of segments without a common node that come within reach of each other.

    :param nodes: (n, 3) m; ``segments`` (m, 2) node indices; ``reach`` (m,) m, the larger of two
        counts.
    :returns: rows (p, q, distance, fraction on p, fraction on q).
    """
    start, end = nodes[segments[:, 0]], nodes[segments[:, 1]]
    centre, half = 0.5 * (start + end), 0.5 * np.linalg.norm(end - start, axis=1)
    out = np.empty((4 * len(segments) + 16, 5))
    while True:
        found = _scan(nodes, segments, centre, half, reach, out)
        if found <= len(out):
            return out[:found]
        out = np.empty((found, 5))
