"""Closed surfaces about sheets, so that a sheet that is bent or tilted is to the grid a wall of
hardly any thickness.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SAME = 1e-9  # of a sheet's size: points nearer than this are one
# cosine between the normal of a corner and those of its triangles, from which on the wall is no
# thicker there
SHARPEST = 0.35


def walls(corners: Floats, offset: Callable[[Floats], Floats]) -> list[Floats]:
    """Of a sheet of triangles (m, 3, 3), in m, closed surfaces (k, 3, 3) whose normals point
    outwards: the points that are ``offset`` m, of points (n, 3), from it on either side, and a rim
    about its edges. One for each part of it without branches; where three sheets meet, two of them
    are one part.
    """
    points, triangles = _welded(corners)
    return [_wall(points, own, offset) for own in _parts(triangles)]


def _welded(corners: Floats) -> tuple[Floats, Ints]:
    flat = corners.reshape(-1, 3)
    step = max(SAME * float(np.ptp(flat, axis=0).max()), 1e-300)
    _, first, number = np.unique(
        np.round(flat / step).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    triangles = number.reshape(-1, 3)
    whole = (triangles != np.roll(triangles, 1, axis=1)).all(axis=1)
    return flat[first], triangles[whole]


def _parts(triangles: Ints) -> list[Ints]:
    """The triangles (k, 3) of each part, turned so that all of them have their corners in the same
    sense.
    """
    sides: dict[tuple[int, int], list[tuple[int, bool]]] = {}
    for n, (a, b, c) in enumerate(triangles.tolist()):
        for p, q in ((a, b), (b, c), (c, a)):
            sides.setdefault((min(p, q), max(p, q)), []).append((n, p < q))
    beside: list[list[tuple[int, bool]]] = [[] for _ in triangles]
    for met in sides.values():
        if len(met) > 1:
            (one, up), (other, way) = met[:2]
            beside[one].append((other, up == way))
            beside[other].append((one, up == way))
    part, turned = np.full(len(triangles), -1), np.zeros(len(triangles), dtype=bool)
    for start in range(len(triangles)):
        waiting = deque([start] if part[start] < 0 else [])
        while waiting:
            n = waiting.popleft()
            part[n] = start
            for other, against in beside[n]:
                if part[other] < 0:
                    part[other], turned[other] = start, turned[n] ^ against
                    waiting.append(other)
    alike = np.where(turned[:, None], triangles[:, ::-1], triangles)
    return [alike[part == number] for number in np.unique(part)]


def _wall(points: Floats, triangles: Ints, offset: Callable[[Floats], Floats]) -> Floats:
    used, triangles = np.unique(triangles, return_inverse=True)
    points, triangles = points[used], triangles.reshape(-1, 3)
    away = _normals(points, triangles) * offset(points)[:, None]
    front, back = points + away, points - away
    directed = np.concatenate((triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]))
    code = directed.min(axis=1) * len(points) + directed.max(axis=1)
    _, first, count = np.unique(code, return_index=True, return_counts=True)
    p, q = directed[first[count == 1]].T
    rim = np.concatenate(
        (
            np.stack((front[q], front[p], back[p]), axis=1),
            np.stack((front[q], back[p], back[q]), axis=1),
        )
    )
    return np.concatenate((front[triangles], back[triangles[:, ::-1]], rim))


def _normals(points: Floats, triangles: Ints) -> Floats:
    """(n, 3) at points: the mean of those of the triangles there by their angles, as long as it
    takes to be as far from their planes as one is.
    """
    corner = points[triangles]
    cross = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    flat = cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-300)[:, None]
    total = np.zeros_like(points)
    for k in range(3):
        one, two = corner[:, (k + 1) % 3] - corner[:, k], corner[:, (k + 2) % 3] - corner[:, k]
        cosine = (one * two).sum(axis=1) / np.maximum(
            np.linalg.norm(one, axis=1) * np.linalg.norm(two, axis=1), 1e-300
        )
        np.add.at(total, triangles[:, k], flat * np.arccos(np.clip(cosine, -1, 1))[:, None])
    total /= np.maximum(np.linalg.norm(total, axis=1), 1e-300)[:, None]
    least = np.ones(len(points))
    for k in range(3):
        np.minimum.at(least, triangles[:, k], (flat * total[triangles[:, k]]).sum(axis=1))
    return np.asarray(total / np.maximum(least, SHARPEST)[:, None])
