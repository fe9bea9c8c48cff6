"""The magnetic-field equation on closed surfaces, from pairs of triangles.

M_mn = ½ ∫ f_m·f_n − ∫ f_m·(n × ∫ ∇G × f_n dS') dS, the second integral without the point itself
(Rao and Wilton; Harrington, *Field Computation by Moment Methods*, ch. 3). Together with that of
the electric field it has one solution at every frequency, resonances of the inside included (Mautz
and Harrington, Arch. Elektron. Übertragung. 32, 157, 1978).
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from heron.engines.moments.triangle_static import filled_up
from heron.fields.phases import cos_sin

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]

FAR = 2.0  # between centres, over the sum of distances of corners from them
FOUR_PI = 4 * np.pi


SUMS = 11


@njit(inline="always")  # type: ignore[untyped-decorator]
def _add(
    n: Floats, xs: Floats, g: int, ys: Floats, e: int, w: float, k: float, out: Floats
) -> None:
    """Adds to ``out`` (2, 11) what points number ``g`` of ``xs`` and ``e`` of ``ys`` (k, 3), from
    one origin, give to the sums that :func:`turned_pair` is made of: real and imaginary parts.
    """
    x0, x1, x2, y0, y1, y2 = xs[g, 0], xs[g, 1], xs[g, 2], ys[e, 0], ys[e, 1], ys[e, 2]
    rx, ry, rz = x0 - y0, x1 - y1, x2 - y2
    rr = max(rx * rx + ry * ry + rz * rz, 1e-300)
    r = np.sqrt(rr)
    cosine, sine = cos_sin(k * r)
    scale = -w / (FOUR_PI * rr * r)
    hr, hi = scale * (cosine + k * r * sine), scale * (k * r * cosine - sine)
    height = n[0] * rx + n[1] * ry + n[2] * rz
    along = x0 * rx + x1 * ry + x2 * rz
    rise = n[0] * y0 + n[1] * y1 + n[2] * y2
    dot = x0 * y0 + x1 * y1 + x2 * y2
    both = along * rise - height * dot
    out[0, 0] += hr * both
    out[1, 0] += hi * both
    out[0, 1] += hr * along
    out[1, 1] += hi * along
    ux, uy, uz = rx * rise - height * y0, ry * rise - height * y1, rz * rise - height * y2
    out[0, 2] += hr * ux
    out[0, 3] += hr * uy
    out[0, 4] += hr * uz
    out[1, 2] += hi * ux
    out[1, 3] += hi * uy
    out[1, 4] += hi * uz
    hr_up, hi_up = hr * height, hi * height
    out[0, 5] += hr_up * x0
    out[0, 6] += hr_up * x1
    out[0, 7] += hr_up * x2
    out[1, 5] += hi_up * x0
    out[1, 6] += hi_up * x1
    out[1, 7] += hi_up * x2
    out[0, 8] += hr * rx
    out[0, 9] += hr * ry
    out[0, 10] += hr * rz
    out[1, 8] += hi * rx
    out[1, 9] += hi * ry
    out[1, 10] += hi * rz


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def turned_pair(a: Floats, b: Floats, n: Floats, s: Floats) -> float:
    """∫∫ f·(n × (∇G × g)) of the functions r − v of corners ``a`` and ``b`` (3,), from the origin
    of the sums: (f·R)(n·g) − (f·g)(n·R), multiplied out.
    """
    up = n[0] * s[8] + n[1] * s[9] + n[2] * s[10]
    rise = n[0] * b[0] + n[1] * b[1] + n[2] * b[2]
    return float(
        s[0]
        - rise * s[1]
        - (a[0] * s[2] + a[1] * s[3] + a[2] * s[4])
        + (b[0] * s[5] + b[1] * s[6] + b[2] * s[7])
        + (a[0] * s[8] + a[1] * s[9] + a[2] * s[10]) * rise
        - (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) * up
    )


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def turned(
    p: int,
    q: int,
    corners: Floats,
    number: Ints,
    area: Floats,
    centre: Floats,
    radius: Floats,
    up: Floats,
    edge: Floats,
    corner: Floats,
    fine: Floats,
    coarse: Floats,
    k: float,
    room: Floats,
    order: Ints,
    found: Floats,
) -> None:
    """The sums ``found`` (2, 11) of triangles ``p`` and ``q``, of which the first has the normal
    ``up``; leaves the corners of both from the centre of the first in ``room`` (4, 7, 3), which
    has place for as many points as a rule has, and writes to ``order`` (2, 3).
    """
    a, b, xs, ys = room[0], room[1], room[2], room[3]
    one, two = order[0], order[1]
    found[:] = 0
    shared = 0
    square = 0.0
    for c in range(3):
        square += (centre[p, c] - centre[q, c]) ** 2
    reach = radius[p] + radius[q]
    if square <= reach * reach:
        for i in range(3):
            for j in range(3):
                if number[p, i] == number[q, j]:
                    one[shared], two[shared] = i, j
                    shared += 1
    for i in range(3):
        for c in range(3):
            a[i, c] = corners[p, i, c] - centre[p, c]
            b[i, c] = corners[q, i, c] - centre[p, c]
    if shared:
        filled_up(one, shared)
        filled_up(two, shared)
        rule = edge if shared == 2 else corner
        for g in range(len(rule)):
            for c in range(3):
                xs[0, c] = (
                    a[one[0], c]
                    + rule[g, 0] * (a[one[1], c] - a[one[0], c])
                    + rule[g, 1] * (a[one[2], c] - a[one[1], c])
                )
                ys[0, c] = (
                    b[two[0], c]
                    + rule[g, 2] * (b[two[1], c] - b[two[0], c])
                    + rule[g, 3] * (b[two[2], c] - b[two[1], c])
                )
            w = 4 * area[p] * area[q] * rule[g, 4]
            _add(up, xs, 0, ys, 0, w, k, found)
    else:
        rule = fine if square < (FAR * reach) ** 2 else coarse
        for g in range(len(rule)):
            for c in range(3):
                xs[g, c] = rule[g, 0] * a[0, c] + rule[g, 1] * a[1, c] + rule[g, 2] * a[2, c]
                ys[g, c] = rule[g, 0] * b[0, c] + rule[g, 1] * b[1, c] + rule[g, 2] * b[2, c]
        for g in range(len(rule)):
            for e in range(len(rule)):
                w = area[p] * area[q] * rule[g, 3] * rule[e, 3]
                _add(up, xs, g, ys, e, w, k, found)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def fill_turns(
    corners: Floats,
    number: Ints,
    area: Floats,
    centre: Floats,
    radius: Floats,
    normal: Floats,
    closed: NDArray[np.bool_],
    use_offsets: Ints,
    use_basis: Ints,
    use_factor: Floats,
    blocks: Ints,
    block_offsets: Ints,
    members: Ints,
    edge: Floats,
    corner: Floats,
    fine: Floats,
    coarse: Floats,
    k: float,
    out: Complexes,
) -> None:
    """Subtracts the second integral from ``out`` (m, m), rows of functions on ``closed``
    triangles; ``blocks`` are each thread's own rows.
    """
    for block in prange(len(blocks) - 1):
        first, last = blocks[block], blocks[block + 1]
        found, room = np.empty((2, SUMS)), np.empty((4, len(fine), 3))
        order = np.empty((2, 3), dtype=np.int64)
        for p in members[block_offsets[block] : block_offsets[block + 1]]:
            if not closed[p]:
                continue
            up = normal[p]
            for q in range(len(corners)):
                if q == p:
                    continue
                turned(
                    p,
                    q,
                    corners,
                    number,
                    area,
                    centre,
                    radius,
                    up,
                    edge,
                    corner,
                    fine,
                    coarse,
                    k,
                    room,
                    order,
                    found,
                )
                a, b = room[0], room[1]
                for i in range(3):
                    for j in range(3):
                        value = complex(
                            turned_pair(a[i], b[j], up, found[0]),
                            turned_pair(a[i], b[j], up, found[1]),
                        )
                        for m in range(use_offsets[3 * p + i], use_offsets[3 * p + i + 1]):
                            row = use_basis[m]
                            if row < first or row >= last:
                                continue
                            for n in range(use_offsets[3 * q + j], use_offsets[3 * q + j + 1]):
                                out[row, use_basis[n]] -= (
                                    0.25 * use_factor[m] * use_factor[n] * value
                                )
