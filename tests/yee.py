"""Plain structures for tests of the time-domain engine, and a plain leapfrog that shares nothing
with it.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Structure

C0 = 299792458.0
EPS0, MU0 = 8.8541878128e-12, 1.25663706212e-6


def empty(lines: list[np.ndarray], walls: Any = ((0, 0), (0, 0), (0, 0))) -> Structure:
    """Vacuum between grid lines; ``walls`` absorbing layers in cells, 0 for electric walls."""
    shape = tuple(len(a) - 1 for a in lines)
    nodes = (3, *(len(a) for a in lines))
    return Structure(
        *lines,
        np.array(walls),
        np.ones(shape),
        np.zeros(shape),
        np.ones(shape),
        np.zeros(nodes, dtype=bool),
        np.full(nodes, np.inf, dtype=np.float32),
        np.ones(nodes, dtype=np.float32),
        np.ones(nodes, dtype=np.float32),
        {},
        {},
        cell_owner=np.zeros(shape, dtype=np.int16),
        edge_owner=np.zeros(nodes, dtype=np.int16),
    )


def still(stepper: Stepper, steps: int) -> None:
    """Steps without sources."""
    stepper.advance(np.zeros((steps, 0)), np.zeros((steps, 0)))


def reachable(stepper: Stepper, start: tuple[int, int, int, int]) -> np.ndarray:
    """(3, nx+1, ny+1, nz+1): the edges at which there can ever be a field if there is one at the
    edge ``start``: those linked by faces and edges that move at all.
    """
    n = np.array(stepper.structure.shape) + 1
    moves_e = stepper.moves(magnetic=False)
    moves_h = stepper.moves(magnetic=True)
    number = np.arange(3 * n.prod()).reshape(3, *n)
    faces, edges = [], []
    for c in range(3):
        for k in ((c + 1) % 3, (c + 2) % 3):
            for end in (0, 1):
                face, edge = [slice(0, m - 1) for m in n], [slice(0, m - 1) for m in n]
                edge[3 - c - k] = slice(end, n[3 - c - k] - 1 + end)
                linked = moves_h[(c, *face)] & moves_e[(k, *edge)]
                faces.append(number[(c, *face)][linked])
                edges.append(number[(k, *edge)][linked] + number.size)
    pairs = np.concatenate(faces), np.concatenate(edges)
    _, label = connected_components(
        coo_matrix((np.ones(len(pairs[0]), dtype=np.int8), pairs), shape=(2 * number.size,) * 2),
        directed=False,
    )
    own = label[number.size :].reshape(3, *n)
    return np.asarray((own == own[start]) & moves_e)


def naive(
    e: np.ndarray, h: np.ndarray, s: Structure, dt: float, steps: int
) -> tuple[np.ndarray, np.ndarray]:
    """The Yee scheme in double precision on (3, nx+1, ny+1, nz+1), cell by cell in words: media
    from the four and two cells around, electric walls.
    """
    nx, ny, nz = s.shape
    dx, dy, dz = (np.diff(a) for a in s.lines)
    e, h = e.astype(float).copy(), h.astype(float).copy()
    px, py, pz = (np.concatenate(([d[0]], 0.5 * (d[1:] + d[:-1]), [d[-1]])) for d in (dx, dy, dz))

    def around(
        values: np.ndarray,
        weights: tuple[np.ndarray, np.ndarray],
        i: int,
        j: int,
        pairs: list[tuple[int, int]],
    ) -> float:
        total = sum(weights[0][a] * weights[1][b] for a, b in pairs)
        return float(sum(weights[0][a] * weights[1][b] * values[a, b] for a, b in pairs) / total)

    coefficients = {}
    for c in range(3):
        for i in range(nx + 1):
            for j in range(ny + 1):
                for k in range(nz + 1):
                    at = [i, j, k]
                    a, b = (c + 1) % 3, (c + 2) % 3
                    n = (nx, ny, nz)
                    if at[c] == n[c] or not (0 < at[a] < n[a] and 0 < at[b] < n[b]):
                        continue
                    d = (dx, dy, dz)
                    pairs = [(at[a] - p, at[b] - q) for p in (0, 1) for q in (0, 1)]
                    plane = [np.take(v, at[c], axis=c) for v in (s.epsilon, s.sigma)]
                    plane = [v if a < b else v.T for v in plane]
                    eps, sig = (around(v, (d[a], d[b]), at[a], at[b], pairs) for v in plane)
                    x = sig * dt / (2 * eps * EPS0)
                    coefficients[c, i, j, k] = ((1 - x) / (1 + x), dt / (eps * EPS0) / (1 + x))
    for _ in range(steps):
        hx, hy, hz = h
        ex, ey, ez = e
        hx[:, :ny, :nz] += (
            dt
            / MU0
            * (
                (ey[:, :ny, 1:] - ey[:, :ny, :nz]) / dz
                - (ez[:, 1:, :nz] - ez[:, :ny, :nz]) / dy[:, None]
            )
        )
        hy[:nx, :, :nz] += (
            dt
            / MU0
            * (
                (ez[1:, :, :nz] - ez[:nx, :, :nz]) / dx[:, None, None]
                - (ex[:nx, :, 1:] - ex[:nx, :, :nz]) / dz
            )
        )
        hz[:nx, :ny, :] += (
            dt
            / MU0
            * (
                (ex[:nx, 1:, :] - ex[:nx, :ny, :]) / dy[:, None]
                - (ey[1:, :ny, :] - ey[:nx, :ny, :]) / dx[:, None, None]
            )
        )
        new = e.copy()
        for (c, i, j, k), (ca, cb) in coefficients.items():
            if c == 0:
                curl = (hz[i, j, k] - hz[i, j - 1, k]) / py[j] - (
                    hy[i, j, k] - hy[i, j, k - 1]
                ) / pz[k]
            elif c == 1:
                curl = (hx[i, j, k] - hx[i, j, k - 1]) / pz[k] - (
                    hz[i, j, k] - hz[i - 1, j, k]
                ) / px[i]
            else:
                curl = (hy[i, j, k] - hy[i - 1, j, k]) / px[i] - (
                    hx[i, j, k] - hx[i, j - 1, k]
                ) / py[j]
            new[c, i, j, k] = ca * e[c, i, j, k] + cb * curl
        e = new
    return e, h
