"""Which cells and edges of a grid are inside solids and sheets, from triangles of their
surfaces.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

# of a cell: rays are moved so little that none meets an edge of a triangle exactly
OFFSET = (1.234567e-5, 2.345678e-5)
RAYS = 5  # along each side of a cell, for the share of it that is inside
SURE = 1e-8  # squared variance below which rays agree
AGREE = 1e-12  # variance below which rays agree on a part of a cell


def inside(corners: Floats, x: Floats, y: Floats, z: Floats) -> Bools:
    """(nx, ny, nz): whether the points of a grid lie inside a closed surface of triangles (m, 3,
    3), by crossing numbers.
    """
    return np.asarray(np.cumsum(_counted(corners, x, y, z), axis=2)[:, :, :-1] % 2 == 1)


def _counted(corners: Floats, x: Floats, y: Floats, z: Floats) -> NDArray[np.int32]:
    """How often (nx, ny, nz + 1) it does."""
    first, at = _crossed_rays(corners, x, y)
    count = np.zeros((len(first) - 1, len(z) + 1), dtype=np.int32)
    np.add.at(
        count, (np.repeat(np.arange(len(first) - 1), np.diff(first)), np.searchsorted(z, at)), 1
    )
    return count.reshape(len(x), len(y), len(z) + 1)


@njit(cache=True)  # type: ignore[untyped-decorator]
def _pierced(
    corners: Floats,
    x: Floats,
    y: Floats,
    count: NDArray[np.int64],
    first: NDArray[np.int64],
    at: Floats,
) -> None:  # pragma: no cover - compiled
    """Counts the triangles (m, 3, 3) that the rays along z at (x, y) pierce, into ``count`` (nx ·
    ny,); where ``at`` has room, their heights from ``first`` on.
    """
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
                ray = i * len(y) + j
                if len(at):
                    at[first[ray] + count[ray]] = u * az + v * bz + w * cz
                count[ray] += 1


@njit(cache=True)  # type: ignore[untyped-decorator]
def _lengths(
    z: Floats,
    first: NDArray[np.int64],
    at: Floats,
    row: NDArray[np.int64],
    inside: Floats,
    square: Floats,
    below: Floats,
    above: Floats,
) -> None:  # pragma: no cover - compiled
    """Adds to ``inside`` (rows, nz) the shares of cells along z that lie inside, of sorted
    crossings of rays with their ``row``, and, where there is room for it, their squares to
    ``square``; or sets what is free from their lower and from their upper ends on.
    """
    n = len(z) - 1
    for ray in range(len(first) - 1):
        r = row[ray]
        for pair in range((first[ray + 1] - first[ray]) // 2):
            low, high = at[first[ray] + 2 * pair], at[first[ray] + 2 * pair + 1]
            k = max(0, np.searchsorted(z, low, side="right") - 1)
            while k < n and z[k] < high:
                size = z[k + 1] - z[k]
                a, b = max(low, z[k]), min(high, z[k + 1])
                share = max(b - a, 0.0) / size
                inside[r, k] += share
                if len(square):
                    square[r, k] += share * share
                if len(below):
                    below[r, k] = min(below[r, k], (a - z[k]) / size)
                    above[r, k] = min(above[r, k], (z[k + 1] - b) / size)
                k += 1


def _crossed_rays(corners: Floats, x: Floats, y: Floats) -> tuple[NDArray[np.int64], Floats]:
    """Where the crossings of each ray along z at (x, y) begin (rays + 1,), and their heights in
    rising order.
    """
    step = [float(np.diff(a).min()) if len(a) > 1 else 1.0 for a in (x, y)]
    own = (
        np.ascontiguousarray(corners, dtype=float),
        x + OFFSET[0] * step[0],
        y + OFFSET[1] * step[1],
    )
    count, none = np.zeros(len(x) * len(y), dtype=np.int64), np.zeros(0)
    _pierced(*own, count, count, none)
    first = np.concatenate(([0], np.cumsum(count)))
    at = np.empty(max(int(first[-1]), 1))
    _pierced(*own, np.zeros_like(count), first, at)
    at = at[: first[-1]]
    return first, at[np.lexsort((at, np.repeat(np.arange(len(count)), count)))]


def heights(corners: Floats, x: Floats, y: Floats) -> Floats:
    """Where the rays along z at the places x (nx,) and y (ny,) cross triangles (m, 3, 3), all of
    them, in m.
    """
    return _crossed_rays(corners, x, y)[1]


def lengths(corners: Floats, x: Floats, y: Floats, z: Floats) -> tuple[Floats, Floats, Floats]:
    """Of rays along z at the places x (nx,) and y (ny,): the share (nx, ny, nz) of every cell
    between the lines z (nz + 1,) that lies inside a closed surface of triangles (m, 3, 3), and the
    shares that are free from its lower end up to the first crossing and from its upper end down to
    the last.
    """
    first, at = _crossed_rays(corners, x, y)
    shape = len(x), len(y), len(z) - 1
    inside, below, above = (
        np.zeros((len(x) * len(y), len(z) - 1)),
        np.ones((len(x) * len(y), len(z) - 1)),
        np.ones((len(x) * len(y), len(z) - 1)),
    )
    _lengths(
        np.asarray(z, dtype=float),
        first,
        at,
        np.arange(len(inside)),
        inside,
        np.zeros((0, 0)),
        below,
        above,
    )
    return np.clip(inside, 0, 1).reshape(shape), below.reshape(shape), above.reshape(shape)


def fractions(
    corners: Floats, x: Floats, y: Floats, z: Floats
) -> tuple[tuple[slice, slice, slice], Floats]:
    """What share of every cell between the lines x, y, z lies inside a closed surface: the block of
    cells it can reach, and their shares.

    ``RAYS``² rays go through each cell along every axis; their lengths inside are exact, and the
    way along which they differ least counts most: where a surface lies along the rays, they are
    inside or they are not.
    """
    low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
    ranges = []
    for a, lo, hi in zip((x, y, z), low, high, strict=True):
        i0 = max(0, int(np.searchsorted(a, lo, side="right")) - 1)
        i1 = min(len(a) - 1, int(np.searchsorted(a, hi, side="left")))
        ranges.append((i0, max(i1, i0)))
    lines = [
        np.asarray(a[i0 : i1 + 1], dtype=float)
        for a, (i0, i1) in zip((x, y, z), ranges, strict=True)
    ]
    where = slice(*ranges[0]), slice(*ranges[1]), slice(*ranges[2])
    shape = [i1 - i0 for i0, i1 in ranges]
    if not min(shape):
        return where, np.zeros(shape)
    found = []
    for way in ((1, 2, 0), (0, 2, 1), (0, 1, 2)):
        mean, spread = _shares(corners[:, :, list(way)], *(lines[k] for k in way))
        order = np.argsort(way)
        found.append((np.transpose(mean, order), np.transpose(spread, order)))
    return where, weighed(found)


def weighed(found: list[tuple[Floats, Floats]]) -> Floats:
    """Means of estimates, each with its variance over its rays, that count for less the more it
    varies. Rays that are all wholly in or out count for nothing where those another way agree on a
    part, as what is thin lies between them.
    """
    partly = np.logical_or.reduce(
        [(spread < AGREE) & (mean > 0) & (mean < 1) for mean, spread in found]
    )
    weights = [
        np.where(partly & ((mean == 0) | (mean == 1)), 0.0, 1 / (spread**2 + SURE))
        for mean, spread in found
    ]
    return np.clip(
        sum(mean * w for (mean, _), w in zip(found, weights, strict=True)) / sum(weights), 0, 1
    )


def _shares(corners: Floats, x: Floats, y: Floats, z: Floats) -> tuple[Floats, Floats]:
    """Shares (nx, ny, nz) of cells by rays along z, and their variances over the rays of each
    cell.
    """
    nx, ny, nz = len(x) - 1, len(y) - 1, len(z) - 1
    total, square, none = np.zeros((nx * ny, nz)), np.zeros((nx * ny, nz)), np.zeros((0, 0))
    column = np.repeat(np.arange(nx), RAYS)[:, None] * ny + np.repeat(np.arange(ny), RAYS)[None, :]
    first, at = _crossed_rays(corners, between(x, RAYS), between(y, RAYS))
    _lengths(z, first, at, column.ravel(), total, square, none, none)
    mean = total / RAYS**2
    return mean.reshape(nx, ny, nz), np.maximum(square / RAYS**2 - mean**2, 0).reshape(nx, ny, nz)


def between(line: Floats, parts: int) -> Floats:
    """``parts`` places in every cell between lines, evenly."""
    return np.asarray(
        (line[:-1, None] + np.diff(line)[:, None] * (np.arange(parts) + 0.5) / parts).ravel()
    )


@njit(cache=True)  # type: ignore[untyped-decorator]
def _covered(
    corners: Floats, u: Floats, v: Floats, near: float, out: Bools
) -> None:  # pragma: no cover - compiled
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
        i0, i1 = (
            np.searchsorted(u, min(ax, bx, cx) - near),
            np.searchsorted(u, max(ax, bx, cx) + near),
        )
        j0, j1 = (
            np.searchsorted(v, min(ay, by, cy) - near),
            np.searchsorted(v, max(ay, by, cy) + near),
        )
        for i in range(i0, i1):
            for j in range(j0, j1):
                if (
                    s * ((bx - ax) * (v[j] - ay) - (by - ay) * (u[i] - ax)) >= -near * ab
                    and s * ((cx - bx) * (v[j] - by) - (cy - by) * (u[i] - bx)) >= -near * bc
                    and s * ((ax - cx) * (v[j] - cy) - (ay - cy) * (u[i] - cx)) >= -near * ca
                ):
                    out[i, j] = True


def covered(corners: Floats, u: Floats, v: Floats, near: float) -> Bools:
    """(nu, nv): whether points of a plane lie on triangles (m, 3, 2), or within ``near`` of
    them.
    """
    out = np.zeros((len(u), len(v)), dtype=np.bool_)
    _covered(np.ascontiguousarray(corners, dtype=float), u, v, near, out)
    return out
