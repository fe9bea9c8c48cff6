"""The leapfrog on a nonuniform Yee grid, compiled.

Fields are arrays (3, nx + 1, ny + 1, nk) of float32 with nk ≥ nz + 1 padded; E[c, i, j, k] lies at node (i, j, k) moved half a
cell along its own direction, H[c, i, j, k] half a cell along the two others (Yee 1966; Taflove and Hagness,
*Computational Electrodynamics*, ch. 3). Coefficients go by rows along z: ``rows[c, i, j]`` names one of a few distinct
rows of a table, which stay in cache (see performance.md). A zero row is a perfect conductor or lies outside.

Open walls are convolutional perfectly matched layers: Roden and Gedney, Microw. Opt. Technol. Lett. 27 (2000), κ = 1.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange

FAST = {"contract", "nsz", "arcp", "reassoc"}  # not "nnan" or "ninf": growth to NaN must be noticed


# All arrays are flat, and indices unsigned: views of rows would be counted by reference, which two threads fight over, and
# signed indices may wrap round; either keeps the compiler from vector instructions.
U = np.uint64
ONE, NONE = np.uint64(1), np.uint64(0)


@njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _h_slab(
    i: Any, e: Any, h: Any, rows: Any, table: Any, idx: Any, idy: Any, idz: Any, ny: Any, nk: Any, size: Any, last: Any,
) -> None:  # pragma: no cover - compiled
    """H of slab i; idx, idy, idz are 1/cell sizes, ``table`` (rows · nk,) holds dt/μ, ``size`` is the length of one component."""
    row, plane = nk, ny * nk
    for j in range(NONE, ny):
        o = i * plane + j * row
        q = i * ny + j
        x, y, z = o, size + o, size + size + o
        if j + ONE < ny:
            a, s = U(rows[q]) * nk, idy[j]
            for k in range(NONE, nk - ONE):
                h[x + k] += table[a + k] * ((e[y + k + ONE] - e[y + k]) * idz[k] - (e[z + row + k] - e[z + k]) * s)
        if not last:
            a, s = U(rows[q + size // nk]) * nk, idx[i]
            for k in range(NONE, nk - ONE):
                h[y + k] += table[a + k] * ((e[z + plane + k] - e[z + k]) * s - (e[x + k + ONE] - e[x + k]) * idz[k])
            if j + ONE < ny:
                a, t = U(rows[q + (size + size) // nk]) * nk, idy[j]
                for k in range(NONE, nk):
                    h[z + k] += table[a + k] * ((e[x + row + k] - e[x + k]) * t - (e[y + plane + k] - e[y + k]) * s)


@njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _e_slab(
    i: Any, e: Any, h: Any, rows: Any, ca: Any, cb: Any, idx: Any, idy: Any, idz: Any, ny: Any, nk: Any, size: Any, last: Any,
) -> None:  # pragma: no cover - compiled
    """E of slab i; idx, idy, idz are 1/distances of cell centres."""
    row, plane = nk, ny * nk
    s = idx[i]
    inner = i > NONE and not last
    for j in range(NONE, ny):
        o = i * plane + j * row
        q = i * ny + j
        x, y, z = o, size + o, size + size + o
        middle = j > NONE and j + ONE < ny
        t = idy[j]
        if middle and not last:
            a = U(rows[q]) * nk
            for k in range(ONE, nk):
                e[x + k] = ca[a + k] * e[x + k] + cb[a + k] * ((h[z + k] - h[z - row + k]) * t - (h[y + k] - h[y + k - ONE]) * idz[k])
        if j + ONE < ny and inner:
            a = U(rows[q + size // nk]) * nk
            for k in range(ONE, nk):
                e[y + k] = ca[a + k] * e[y + k] + cb[a + k] * ((h[x + k] - h[x + k - ONE]) * idz[k] - (h[z + k] - h[z - plane + k]) * s)
        if middle and inner:
            a = U(rows[q + (size + size) // nk]) * nk
            for k in range(NONE, nk):
                e[z + k] = ca[a + k] * e[z + k] + cb[a + k] * ((h[y + k] - h[y - plane + k]) * s - (h[x + k] - h[x - row + k]) * t)


@njit(fastmath=FAST, cache=True, boundscheck=False, inline="always")  # type: ignore[untyped-decorator]
def _layer_row(
    f: Any, g: Any, psi: Any, table: Any, m: Any, u: Any, back: Any, o: Any, a: Any, b: Any, c: Any, sign: Any, nk: Any,
) -> None:  # pragma: no cover - compiled
    """One component on a row across which a layer lies; ``back`` is the distance to the neighbour of which the difference is taken."""
    for k in range(NONE, nk):
        p = b * psi[m + k] + c * (g[u + k] - g[u - back + k])
        psi[m + k] = p
        f[o + k] += sign * table[a + k] * p


@njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _layer_slab(
    i: Any, f: Any, g: Any, rows: Any, table: Any, psi: Any, base: Any, first: Any, count: Any, b: Any, c: Any, back: Any, sign: Any, ny: Any, nk: Any, size: Any,
) -> None:  # pragma: no cover - compiled
    """What the six layers add to slab i: ψ = bψ + c ∂g, f ± table ψ.

    ``psi`` holds the memories of the walls x low, x high, y low … z high one after another from ``base`` (6,), each for two components:
    across x (2, count, ny, nk), y (2, nx, count, nk), z (2, nx, ny, count). E (``back`` 1, ``sign`` −1) takes differences behind, H (0, +1) ahead:
    E, across x: Ey −= cb ψ(∂Hz/∂x), Ez += cb ψ(∂Hy/∂x), and so on round x, y, z; H with opposite signs.
    """
    row, plane = nk, ny * nk
    wide = size // nk
    for w in range(2):
        if first[w] <= i < first[w] + count[w]:
            n = i - first[w]
            up = (ONE - back) * plane
            for j in range(NONE, ny):
                o = i * plane + j * row
                m1 = base[w] + n * plane + j * row
                m2 = m1 + count[w] * plane
                a1, a2 = U(rows[wide + i * ny + j]) * nk, U(rows[wide + wide + i * ny + j]) * nk
                u1, u2, y, z = size + size + o + up, size + o + up, size + o, size + size + o
                _layer_row(f, g, psi, table, m1, u1, plane, y, a1, b[w, n], c[w, n], sign, nk)
                _layer_row(f, g, psi, table, m2, u2, plane, z, a2, b[w, n], c[w, n], -sign, nk)
    slabs = wide // ny
    for w in range(2, 4):
        up = (ONE - back) * row
        for n in range(NONE, count[w]):
            j = first[w] + n
            o = i * plane + j * row
            m1 = base[w] + (i * count[w] + n) * row
            m2 = m1 + slabs * count[w] * row
            a1, a2 = U(rows[wide + wide + i * ny + j]) * nk, U(rows[i * ny + j]) * nk
            u1, u2, z = o + up, size + size + o + up, size + size + o
            _layer_row(f, g, psi, table, m1, u1, row, z, a1, b[w, n], c[w, n], sign, nk)
            _layer_row(f, g, psi, table, m2, u2, row, o, a2, b[w, n], c[w, n], -sign, nk)
    for w in range(4, 6):
        if count[w]:
            for j in range(NONE, ny):
                o = i * plane + j * row + first[w]
                m1 = base[w] + (i * ny + j) * count[w]
                m2 = m1 + wide * count[w]
                a1, a2 = U(rows[i * ny + j]) * nk + first[w], U(rows[wide + i * ny + j]) * nk + first[w]
                u1, u2, y = size + o + (ONE - back), o + (ONE - back), size + o
                for k in range(NONE, count[w]):
                    p = b[w, k] * psi[m1 + k] + c[w, k] * (g[u1 + k] - g[u1 + k - ONE])
                    psi[m1 + k] = p
                    f[o + k] += sign * table[a1 + k] * p
                    p = b[w, k] * psi[m2 + k] + c[w, k] * (g[u2 + k] - g[u2 + k - ONE])
                    psi[m2 + k] = p
                    f[y + k] -= sign * table[a2 + k] * p


@njit(cache=True)  # type: ignore[untyped-decorator]
def _finish(flat: Any, at: Any, gain: Any, length: Any, port: Any, waves: Any, volts: Any, n: int) -> None:  # pragma: no cover - compiled
    """Adds the sources to their edges, and reads the voltages (ports,): −Σ E·l along the edges of each gap, from minus to plus."""
    for p in range(volts.shape[1]):
        volts[n, p] = 0.0
    for m in range(len(at)):
        flat[at[m]] += gain[m] * waves[n, port[m]]
        volts[n, port[m]] -= flat[at[m]] * length[m]


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def march(
    e: Any, h: Any, rows_e: Any, ca: Any, cb: Any, rows_h: Any, db: Any, ex: Any, ey: Any, ez: Any, hx: Any, hy: Any, hz: Any,
    psi_e: Any, base_e: Any, first_e: Any, count_e: Any, be: Any, ce: Any, psi_h: Any, base_h: Any, first_h: Any, count_h: Any, bh: Any, ch: Any,
    at: Any, gain: Any, length: Any, port: Any, waves: Any, volts: Any, shape: Any, chunks: int,
) -> None:  # pragma: no cover - compiled
    """``len(waves)`` time steps of flat fields of ``shape`` (nx + 1, ny + 1, nk). H and E follow each other slab by slab, while a slab is in cache.

    Each of ``chunks`` threads takes a stretch of slabs: it updates H of slab i and then E of slab i, whose neighbours H[i] and
    H[i − 1] are ready by then. The first E slab of a stretch waits until all H are done, as the stretch before still needs its old values.
    """
    slabs, ny, nk = shape[0], U(shape[1]), U(shape[2])
    size = U(slabs) * ny * nk
    minus, plus = np.float32(-1.0), np.float32(1.0)
    for n in range(len(waves)):
        for t in prange(chunks):
            start, stop = slabs * t // chunks, slabs * (t + 1) // chunks
            for s in range(start, stop):
                i = U(s)
                _h_slab(i, e, h, rows_h, db, hx, hy, hz, ny, nk, size, s == slabs - 1)
                _layer_slab(i, h, e, rows_h, db, psi_h, base_h, first_h, count_h, bh, ch, NONE, plus, ny, nk, size)
                if s > start:
                    _e_slab(i, e, h, rows_e, ca, cb, ex, ey, ez, ny, nk, size, s == slabs - 1)
                    _layer_slab(i, e, h, rows_e, cb, psi_e, base_e, first_e, count_e, be, ce, ONE, minus, ny, nk, size)
        for t in prange(chunks):
            i = U(slabs * t // chunks)
            _e_slab(i, e, h, rows_e, ca, cb, ex, ey, ez, ny, nk, size, False)
            _layer_slab(i, e, h, rows_e, cb, psi_e, base_e, first_e, count_e, be, ce, ONE, minus, ny, nk, size)
        _finish(e, at, gain, length, port, waves, volts, n)


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def energy(f: Any, weight_x: Any, weight_y: Any, weight_z: Any) -> float:  # pragma: no cover - compiled
    """Σ |f|² over cells weighted by their sizes along x, y, z."""
    total = 0.0
    for i in prange(len(weight_x)):
        own = 0.0
        for j in range(len(weight_y)):
            row = 0.0
            for k in range(len(weight_z)):
                row += weight_z[k] * (f[0, i, j, k] ** 2 + f[1, i, j, k] ** 2 + f[2, i, j, k] ** 2)
            own += weight_y[j] * row
        total += weight_x[i] * own
    return total
