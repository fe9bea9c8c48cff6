"""Losses in the surfaces of solid metal, and sheets that do not lie in a plane of the grid, as
walls of hardly any thickness.

A surface of resistance R takes ½ R ∫ |K|² dS of the current K along it. On the grid K runs in the
metal edges next to free faces, along each axis in those along it, and each edge stands for the part
of the surface that is nearest to it: with the area S of that part and the edge's length ℓ, the
conductance σA of its current is S/(R ℓ²) times ℓ. So the steps in which edges follow a slanted
surface, which are longer than it, lose no more than it does.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from heron.engines.transient.structure import Structure

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

# of the smallest cell beside: sides of the patches a surface is parted into, at most
PATCH = 0.7
MOST_PARTS = 64  # a triangle's sides are parted into no more
FREE = 1e-3  # share of a face from which on it counts as free
ACROSS = 0.02  # 1 − n²: where the normal is nearer to an axis, no current runs along that
BURIED = 0.99  # share of a cell: a surface beside which metal takes more lies inside it


class Wall(NamedTuple):
    """The surface of a body: triangles (m, 3, 3) in m, whose normals point outwards, its resistance
    in Ω and the body's number.
    """

    corners: Floats
    resistance: float
    number: int


def spread(s: Structure, walls: list[Wall]) -> None:
    """Gives the metal edges along lossy surfaces the conductivity with which they take what the
    surfaces do.
    """
    lossy = [w for w in walls if w.resistance > 0]
    if not lossy:
        return
    beside = _beside_free(s)
    for wall in lossy:
        points, normals, areas = _patches(s, wall.corners)
        for c in range(3):
            edges = np.argwhere(beside[c] & (s.edge_owner[c] == wall.number))
            if not len(edges):
                continue
            place = [s.lines[k][edges[:, k]] for k in range(3)]
            length = np.diff(s.lines[c])[edges[:, c]]
            place[c] = place[c] + 0.5 * length
            along = 1 - normals[:, c] ** 2 > ACROSS
            nearest = np.asarray(cKDTree(np.column_stack(place)).query(points[along])[1])
            share = _faced(nearest, normals[along], areas[along], len(edges))
            # the other half of an edge in it is not on the grid
            for plane in (p for p in s.planes if p.doubles and p.axis != c):
                share = np.where(edges[:, plane.axis] == 0, 2 * share, share)
            across = np.prod([s.duals(k)[edges[:, k]] for k in range(3) if k != c], axis=0)
            at = (c, *edges.T)
            with np.errstate(divide="ignore"):
                s.conducts[at] = np.where(
                    share > 0, share / (wall.resistance * length * across), np.inf
                )


def _faced(nearest: NDArray[Any], normals: Floats, areas: Floats, count: int) -> Floats:
    """Area (count,) of the surface that the current of each edge has, of patches ``nearest`` to it:
    where they are the two sides of a wall, half of both.
    """
    total = np.bincount(nearest, areas, count)
    tensor = np.zeros((count, 3, 3))
    np.add.at(tensor, nearest, areas[:, None, None] * normals[:, :, None] * normals[:, None, :])
    values, vectors = np.linalg.eigh(tensor)
    along = np.einsum("ni,ni->n", normals, vectors[nearest, :, 2])
    signed = np.abs(np.bincount(nearest, areas * along, count))
    flat = (values[:, 2] - values[:, 1]) / np.maximum(total, 1e-300)
    return np.asarray(total * (1 - 0.5 * flat * (1 - signed / np.maximum(total, 1e-300))))


def _beside_free(s: Structure) -> list[Bools]:
    """Metal edges (3, nx+1, ny+1, nz+1) of faces that are free in part and have an edge that is not
    metal.
    """
    out = [np.zeros_like(s.metal[0]) for _ in range(3)]
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        n = s.metal[0].shape
        inner: list[Any] = [slice(0, m - (k != c)) for k, m in enumerate(n)]
        round_: list[tuple[int, tuple[Any, ...]]] = []
        for k, other in ((a, b), (b, a)):
            for step in (0, 1):
                index = list(inner)
                index[other] = slice(step, n[other] - 1 + step)
                round_.append((k, tuple(index)))
        open_ = (s.free_face[(c, *inner)] > FREE) & ~np.logical_and.reduce(
            [s.metal[k][index] for k, index in round_]
        )
        for k, at in round_:
            out[k][at] |= open_ & s.metal[k][at]
    return out


def _patches(s: Structure, corners: Floats) -> tuple[Floats, Floats, Floats]:
    """Middles (n, 3), normals and areas (n,) of small pieces of a surface, those that lie in the
    metal of other bodies or beyond the grid left out.
    """
    low, high = np.array([line[0] for line in s.lines]), np.array([line[-1] for line in s.lines])
    out: list[tuple[Floats, Floats, Floats]] = []
    spans = corners.max(axis=1) - corners.min(axis=1)
    finest = _finest(s, corners)
    parts = np.clip(np.ceil(spans.max(axis=1) / (PATCH * finest)), 1, MOST_PARTS).astype(int)
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = 0.5 * np.linalg.norm(cross, axis=1)
    for n in np.unique(parts):
        own = np.flatnonzero((parts == n) & (area > 0))
        weights = _barycentric(int(n))
        middles = np.einsum("pk,mkd->mpd", weights, corners[own]).reshape(-1, 3)
        normal = np.repeat(cross[own] / (2 * area[own])[:, None], len(weights), axis=0)
        out.append((middles, normal, np.repeat(area[own] / len(weights), len(weights))))
    middles, normals, areas = (np.concatenate([o[n] for o in out]) for n in range(3))
    beside = middles + 0.5 * finest.min() * normals
    kept = ((middles >= low) & (middles <= high)).all(axis=1)
    assert s.solid is not None
    cell = tuple(
        np.clip(np.searchsorted(line, beside[:, k]) - 1, 0, len(line) - 2)
        for k, line in enumerate(s.lines)
    )
    kept &= s.solid[cell] < BURIED
    return middles[kept], normals[kept], areas[kept]


def _finest(s: Structure, corners: Floats) -> Floats:
    """Smallest cell (m,) at the middles of triangles, m."""
    middles = corners.mean(axis=1)
    sizes = [
        np.diff(line)[np.clip(np.searchsorted(line, middles[:, k]) - 1, 0, len(line) - 2)]
        for k, line in enumerate(s.lines)
    ]
    return np.asarray(np.min(sizes, axis=0))


def _barycentric(n: int) -> Floats:
    """Weights (n², 3) of the corners of a triangle at the middles of the n² equal ones it is parted
    into.
    """
    out = []
    for i in range(n):
        for j in range(n - i):
            out.append((i + 1 / 3, j + 1 / 3))
            if i + j < n - 1:
                out.append((i + 2 / 3, j + 2 / 3))
    uv = np.array(out) / n
    return np.column_stack((1 - uv.sum(axis=1), uv))
