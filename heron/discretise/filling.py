"""Which cells and edges of a grid are inside solids and sheets, from triangles of their surfaces."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

OFFSET = (1.234567e-5, 2.345678e-5)  # of a cell: rays are moved so little that none meets an edge of a triangle exactly


@njit(cache=True)  # type: ignore[untyped-decorator]
def _crossings(corners: Floats, x: Floats, y: Floats, z: Floats, toggle: bool, out: Bools) -> None:  # pragma: no cover - compiled
    """Sets, or toggles, ``out`` (nx, ny, nz + 1) at the first z above every crossing of the ray at (x, y) with triangles (m, 3, 3)."""
    for m in range(len(corners)):
        ax, ay, az = corners[m, 0]
        bx, by, bz = corners[m, 1]
        cx, cy, cz = corners[m, 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0:
            continue
        i0, i1 = np.searchsorted(x, min(ax, bx, cx)), np.searchsorted(x, max(ax, bx, cx))
        j0, j1 = np.searchsorted(y, min(ay, by, cy)), np.searchsorted(y, max(ay, by, cy))
        for i in range(i0, i1):
            for j in range(j0, j1):
                u = ((bx - x[i]) * (cy - y[j]) - (cx - x[i]) * (by - y[j])) / area
                v = ((cx - x[i]) * (ay - y[j]) - (ax - x[i]) * (cy - y[j])) / area
                w = 1 - u - v
                if u < 0 or v < 0 or w < 0:
                    continue
                k = np.searchsorted(z, u * az + v * bz + w * cz)
                out[i, j, k] = not (toggle and out[i, j, k])


def inside(corners: Floats, x: Floats, y: Floats, z: Floats) -> Bools:
    """(nx, ny, nz): whether the points of a grid lie inside a closed surface of triangles (m, 3, 3), by crossing numbers."""
    return np.asarray(np.cumsum(crossed(corners, x, y, z, True), axis=2, dtype=np.int32)[:, :, :-1] % 2 == 1)


def crossed(corners: Floats, x: Floats, y: Floats, z: Floats, toggle: bool = False) -> Bools:
    """(nx, ny, nz + 1): whether a surface of triangles (m, 3, 3) crosses the ray along z at (x, y) between z[k − 1] and z[k]; ``toggle``: how often, odd or even."""
    out = np.zeros((len(x), len(y), len(z) + 1), dtype=np.bool_)
    step = [float(np.diff(a).min()) if len(a) > 1 else 1.0 for a in (x, y)]
    _crossings(np.ascontiguousarray(corners, dtype=float), x + OFFSET[0] * step[0], y + OFFSET[1] * step[1], z, toggle, out)
    return out


def fractions(corners: Floats, x: Floats, y: Floats, z: Floats, parts: int = 2) -> tuple[tuple[slice, slice, slice], Floats]:
    """What share of every cell between the lines x, y, z lies inside a closed surface: the block of cells it can reach, and their shares.

    Each cell is sampled at ``parts``³ points.
    """
    low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
    ranges = []
    for a, lo, hi in zip((x, y, z), low, high, strict=True):
        i0 = max(0, int(np.searchsorted(a, lo, side="right")) - 1)
        i1 = min(len(a) - 1, int(np.searchsorted(a, hi, side="left")))
        ranges.append((i0, max(i1, i0)))
    points = []
    for a, (i0, i1) in zip((x, y, z), ranges, strict=True):
        t = (np.arange(parts) + 0.5) / parts
        points.append((a[i0:i1, None] + t * np.diff(a)[i0:i1, None]).ravel())
    hits = inside(corners, *points).astype(np.float32)
    shape = [i1 - i0 for i0, i1 in ranges]
    share = hits.reshape(shape[0], parts, shape[1], parts, shape[2], parts).mean(axis=(1, 3, 5))
    return (slice(*ranges[0]), slice(*ranges[1]), slice(*ranges[2])), np.asarray(share, dtype=float)


@njit(cache=True)  # type: ignore[untyped-decorator]
def _covered(corners: Floats, u: Floats, v: Floats, near: float, out: Bools) -> None:  # pragma: no cover - compiled
    for m in range(len(corners)):
        ax, ay = corners[m, 0]
        bx, by = corners[m, 1]
        cx, cy = corners[m, 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0:
            continue
        s = 1.0 if area > 0 else -1.0
        ab = max(np.hypot(bx - ax, by - ay), 1e-300)
        bc = max(np.hypot(cx - bx, cy - by), 1e-300)
        ca = max(np.hypot(ax - cx, ay - cy), 1e-300)
        i0, i1 = np.searchsorted(u, min(ax, bx, cx) - near), np.searchsorted(u, max(ax, bx, cx) + near)
        j0, j1 = np.searchsorted(v, min(ay, by, cy) - near), np.searchsorted(v, max(ay, by, cy) + near)
        for i in range(i0, i1):
            for j in range(j0, j1):
                if (s * ((bx - ax) * (v[j] - ay) - (by - ay) * (u[i] - ax)) >= -near * ab
                        and s * ((cx - bx) * (v[j] - by) - (cy - by) * (u[i] - bx)) >= -near * bc
                        and s * ((ax - cx) * (v[j] - cy) - (ay - cy) * (u[i] - cx)) >= -near * ca):
                    out[i, j] = True


def covered(corners: Floats, u: Floats, v: Floats, near: float) -> Bools:
    """(nu, nv): whether points of a plane lie on triangles (m, 3, 2), or within ``near`` of them."""
    out = np.zeros((len(u), len(v)), dtype=np.bool_)
    _covered(np.ascontiguousarray(corners, dtype=float), u, v, near, out)
    return out
