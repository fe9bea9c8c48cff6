"""Rectangular parts of the matrix of triangles, and what few rows and columns say of them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from heron.engines.moments.triangle_static import KEPT
from heron.engines.moments.triangle_turns import SUMS, turned, turned_pair
from heron.engines.moments.triangle_waves import FAR, coupled, mirrored, points_of, smooth

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]


class Kernel(NamedTuple):
    """What the entries of a matrix are made of.

    ``order`` (m,): the functions in the order of rows and columns, ``place`` (m,) where each is;
    those of function f are on triangles ``on[on_offsets[f]:on_offsets[f + 1]]``. Near pairs of
    triangles, those with images too, are as of :mod:`triangle_static`. ``electric`` (m,) is the
    share of the electric-field equation in the rows of functions, ``magnetic`` the factor of the
    other one in those on closed triangles, 0 for none.
    """

    corners: Floats
    number: Ints
    area: Floats
    centre: Floats
    radius: Floats
    normal: Floats
    closed: NDArray[np.bool_]
    use_offsets: Ints
    use_basis: Ints
    use_factor: Floats
    on: Ints
    on_offsets: Ints
    order: Ints
    place: Ints
    near: Any  # (offsets, partner, values) of pairs, and of pairs with images
    near_image: Any
    ground: bool
    mirror: float
    fine: Floats
    coarse: Floats
    edge: Floats
    corner: Floats
    k: float
    along: complex
    charge: complex
    electric: Floats
    magnetic: float


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _static(
    p: int,
    q: int,
    offsets: Ints,
    partner: Ints,
    values: Floats,
    centre: Floats,
    mirror: float,
    image: bool,
    out: Floats,
) -> bool:
    """Adds the static numbers (8,) of a pair to ``out`` if it is a near one.

    They are kept for the pair's first triangle as the first in number. Of the other way round, with
    R the turn of the mirror, x' = R y + d and y' = R x + d from the other centre, where d leads
    from there to (the image of) the first one.
    """
    a, b = min(p, q), max(p, q)
    low, high = offsets[a], offsets[a + 1]
    while low < high:
        middle = (low + high) // 2
        if partner[middle] < b:
            low = middle + 1
        else:
            high = middle
    if low == offsets[a + 1] or partner[low] != b:
        return False
    kept = values[low]
    if p <= q:
        for n in range(KEPT):
            out[n] += kept[n]
        return True
    d, x, y = np.empty(3), np.empty(3), np.empty(3)
    mirrored(centre[q], mirror, image, d)
    both = kept[7]
    for c in range(3):
        turn = -1.0 if image and c == 2 else 1.0
        d[c] -= centre[p, c]
        x[c], y[c] = turn * kept[1 + c], turn * kept[4 + c]
        both += d[c] * (x[c] + y[c]) + d[c] * d[c] * kept[0]
    out[0] += kept[0]
    for c in range(3):
        out[1 + c] += y[c] + d[c] * kept[0]
        out[4 + c] += x[c] + d[c] * kept[0]
    out[7] += both
    return True


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def fill(
    kernel: Kernel,
    rows: tuple[int, int],
    columns: tuple[int, int],
    row_triangles: Ints,
    column_triangles: Ints,
    out: Complexes,
) -> None:
    """``out`` (rows, columns) from the first up to before the last place of each, whose functions
    are on the triangles given.
    """
    g = kernel
    out[:] = 0
    x, y = np.empty((len(g.fine), 3)), np.empty((len(g.fine), 3))
    wx, wy = np.empty(len(g.fine)), np.empty(len(g.fine))
    x3, y3 = np.empty((len(g.coarse), 3)), np.empty((len(g.coarse), 3))
    wx3, wy3 = np.empty(len(g.coarse)), np.empty(len(g.coarse))
    b, other, arm, shift = np.empty((3, 3)), np.empty(3), np.empty(3), np.empty(3)
    found, static = np.empty(2 * KEPT), np.empty(KEPT)
    sums, room = np.empty((2, SUMS)), np.empty((4, len(g.fine), 3))
    order = np.empty((2, 3), dtype=np.int64)
    for p in row_triangles:
        points_of(g.corners[p], g.area[p], g.centre[p], g.fine, x, wx)
        points_of(g.corners[p], g.area[p], g.centre[p], g.coarse, x3, wx3)
        turns = g.magnetic != 0.0 and g.closed[p]
        for q in column_triangles:
            for image in range(2 if g.ground else 1):
                offsets, partner, values = g.near_image if image else g.near
                for i in range(3):
                    mirrored(g.corners[q, i], g.mirror, image == 1, b[i])
                mirrored(g.centre[q], g.mirror, image == 1, other)
                square = 0.0
                for c in range(3):
                    square += (other[c] - g.centre[p, c]) ** 2
                reach = g.radius[p] + g.radius[q]
                if square < (FAR * reach) ** 2:
                    static[:] = 0
                    near = _static(
                        p, q, offsets, partner, values, g.centre, g.mirror, image == 1, static
                    )
                    points_of(b, g.area[q], g.centre[p], g.fine, y, wy)
                    smooth(x, y, wx, wy, g.k, near, found)
                    for n in range(KEPT):
                        found[n] += static[n]
                else:
                    points_of(b, g.area[q], g.centre[p], g.coarse, y3, wy3)
                    smooth(x3, y3, wx3, wy3, g.k, False, found)
                both = turns and image == 0 and p != q
                if both:
                    turned(
                        p,
                        q,
                        g.corners,
                        g.number,
                        g.area,
                        g.centre,
                        g.radius,
                        g.normal[p],
                        g.edge,
                        g.corner,
                        g.fine,
                        g.coarse,
                        g.k,
                        room,
                        order,
                        sums,
                    )
                sign = -1.0 if image else 1.0
                for i in range(3):
                    for c in range(3):
                        arm[c] = g.corners[p, i, c] - g.centre[p, c]
                    for m in range(g.use_offsets[3 * p + i], g.use_offsets[3 * p + i + 1]):
                        row = g.place[g.use_basis[m]] - rows[0]
                        if row < 0 or row >= rows[1] - rows[0]:
                            continue
                        for j in range(3):
                            first, last = g.use_offsets[3 * q + j], g.use_offsets[3 * q + j + 1]
                            if first == last:
                                continue
                            for c in range(3):
                                shift[c] = b[j, c] - g.centre[p, c]
                            value = sign * coupled(arm, shift, found, g.along, g.charge)
                            value *= g.electric[g.use_basis[m]]
                            if both:
                                value -= (
                                    0.25
                                    * g.magnetic
                                    * complex(
                                        turned_pair(arm, shift, g.normal[p], sums[0]),
                                        turned_pair(arm, shift, g.normal[p], sums[1]),
                                    )
                                )
                            for n in range(first, last):
                                column = g.place[g.use_basis[n]] - columns[0]
                                if 0 <= column < columns[1] - columns[0]:
                                    out[row, column] += g.use_factor[m] * g.use_factor[n] * value


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def crossed(
    kernel: Kernel,
    rows: tuple[int, int],
    columns: tuple[int, int],
    row_triangles: Ints,
    column_triangles: Ints,
    tolerance: float,
    u: Complexes,
    v: Complexes,
) -> int:
    """Adaptive cross approximation with partial pivoting (Bebendorf and Rjasanow, Computing 70, 1,
    2003): the block is u v with ``u`` (most, rows) transposed and ``v`` (most, columns), of as many
    terms as are returned, or −1 if so many do not do.

    Where a term says that it is done, rows that lie evenly between are looked at as well: parts of
    a block may be coupled by nothing that the pivots saw.
    """
    g = kernel
    count, width, most = rows[1] - rows[0], columns[1] - columns[0], len(u)
    row, column = (
        np.empty((1, width), dtype=np.complex128),
        np.empty((count, 1), dtype=np.complex128),
    )
    used_row, used_column = np.zeros(count, dtype=np.bool_), np.zeros(width, dtype=np.bool_)
    size, terms, pivot, looked = 0.0, 0, 0, 0
    while True:
        function = g.order[rows[0] + pivot]
        own = g.on[g.on_offsets[function] : g.on_offsets[function + 1]]
        at = rows[0] + pivot
        fill(g, (at, at + 1), columns, own, column_triangles, row)
        used_row[pivot] = True
        for t in range(terms):
            for n in range(width):
                row[0, n] -= u[t, pivot] * v[t, n]
        best, where, left = 0.0, -1, 0.0
        for n in range(width):
            now = abs(row[0, n])
            left += now * now
            if now > best and not used_column[n]:
                best, where = now, n
        # a row that is known well enough already is one of those that are looked at
        known = left * count <= tolerance**2 * size
        if where < 0 or (terms > 0 and known) or best < 1e-280:
            looked += 1
            if looked > 3 and terms > 0:
                return terms
            pivot = _between(used_row, looked)
            if pivot < 0:
                return terms
            continue
        if terms == most:
            return -1
        for n in range(width):
            v[terms, n] = row[0, n] / row[0, where]
        function = g.order[columns[0] + where]
        own = g.on[g.on_offsets[function] : g.on_offsets[function + 1]]
        at = columns[0] + where
        fill(g, rows, (at, at + 1), row_triangles, own, column)
        used_column[where] = True
        for t in range(terms):
            for m in range(count):
                column[m, 0] -= v[t, where] * u[t, m]
        own_u, own_v = 0.0, 0.0
        for m in range(count):
            u[terms, m] = column[m, 0]
            own_u += abs(column[m, 0]) ** 2
        for n in range(width):
            own_v += abs(v[terms, n]) ** 2
        for t in range(terms):
            one, two = 0j, 0j
            for m in range(count):
                one += u[t, m].conjugate() * u[terms, m]
            for n in range(width):
                two += v[t, n].conjugate() * v[terms, n]
            size += 2 * (one * two).real
        size += own_u * own_v
        terms += 1
        best, pivot = -1.0, -1
        for m in range(count):
            if not used_row[m] and abs(column[m, 0]) > best:
                best, pivot = abs(column[m, 0]), m
        if pivot < 0:
            return terms
        if own_u * own_v <= tolerance**2 * size:
            looked += 1
            if looked > 3:
                return terms
            pivot = _between(used_row, looked)
            if pivot < 0:
                return terms


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _between(used: NDArray[np.bool_], number: int) -> int:
    """A row that was not used yet: the first from a fraction of them on, −1 if there is none."""
    count = len(used)
    start = int(count * ((0.618034 * number) % 1.0))
    for step in range(count):
        at = (start + step) % count
        if not used[at]:
            return at
    return -1
