"""The matrix of a region of one medium: what electric and magnetic currents on its boundary couple,
from pairs of triangles.

With functions f, g that are linear on each triangle, G = e^(−jkR)/(4πR), R = x − y and k of a
medium with losses:

- electric and electric: Z = jωμ ∫∫ f·g G + 1/(jωε) ∫∫ ∇·f ∇·g G
- magnetic and magnetic: −(jωε ∫∫ f·g G + 1/(jωμ) ∫∫ ∇·f ∇·g G)
- electric and magnetic, either way: K = ∫∫ f·(∇G × g)

so that it is symmetric (Poggio and Miller; Chang and Harrington; Wu and Tsai: Harrington, J.
Electromagn. Waves Appl. 3, 1, 1989). For f = x − a and g = y − b, f·(R × g) = (b − a)·(R × x) +
R·(b × a): all of K follows from S = ∫∫ h R and T = ∫∫ h R × x, where ∇G = h R/4π.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from heron.engines.moments.triangle_static import (
    CLOSE,
    DEEPEST,
    KEPT,
    double_area,
    filled_up,
    gap_between,
    potential,
)
from heron.engines.moments.triangle_waves import FAR, coupled, mirrored, points_of
from heron.fields.phases import cos_sin

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]

CURLS = 6  # numbers of a pair: S and T
FLAT = 1e-9  # of the size of a pair: triangles so nearly in a plane couple nothing by K
SMALL = 0.02  # |kR| below which what is left of h is a series


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _added(v: Floats, x: Floats, w: float, out: Floats) -> None:
    """``w`` v and ``w`` v × x, to ``out`` (6,)."""
    for c in range(3):
        out[c] += w * v[c]
    out[3] += w * (v[1] * x[2] - v[2] * x[1])
    out[4] += w * (v[2] * x[0] - v[0] * x[2])
    out[5] += w * (v[0] * x[1] - v[1] * x[0])


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _apart(a: Floats, b: Floats, centre: Floats, rule: Floats, sign: float, out: Floats) -> None:
    """The numbers of triangles (3, 3) that do not touch, times ``sign``: in closed form over ``b``,
    by Gauss's rule over ``a``, which is divided where ``b`` is close.
    """
    stack = np.empty((3 * DEEPEST + 4, 3, 3))
    depth = np.zeros(len(stack), dtype=np.int64)
    x, own = np.empty(3), np.empty(7)
    stack[0] = a
    count = 1
    while count > 0:
        count -= 1
        t, level = stack[count].copy(), depth[count]
        size = 0.0
        for e in range(3):
            square = 0.0
            for c in range(3):
                square += (t[e, c] - t[(e + 1) % 3, c]) ** 2
            size = max(size, np.sqrt(square))
        if level >= DEEPEST or gap_between(t, b) > CLOSE * size:
            area = 0.5 * double_area(t)
            for g in range(len(rule)):
                for c in range(3):
                    x[c] = rule[g, 0] * t[0, c] + rule[g, 1] * t[1, c] + rule[g, 2] * t[2, c]
                potential(x, b, own)
                for c in range(3):
                    x[c] -= centre[c]
                _added(own[4:], x, sign * rule[g, 3] * area, out)
            continue
        for part in range(4):
            depth[count + part] = level + 1
            for c in range(3):
                for i in range(3):
                    if part == 3:
                        value = 0.5 * (t[i, c] + t[(i + 1) % 3, c])
                    else:
                        value = 0.5 * (t[i, c] + t[part, c])
                    stack[count + part, i, c] = value
        count += 4


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _touching(a: Floats, b: Floats, centre: Floats, rule: Floats, out: Floats) -> None:
    """The numbers of triangles (3, 3) whose corners are in the order of the rule."""
    fold = double_area(a) * double_area(b)
    x, own = np.empty(3), np.empty(3)
    for g in range(len(rule)):
        square = 0.0
        for c in range(3):
            p = a[0, c] + rule[g, 0] * (a[1, c] - a[0, c]) + rule[g, 1] * (a[2, c] - a[1, c])
            q = b[0, c] + rule[g, 2] * (b[1, c] - b[0, c]) + rule[g, 3] * (b[2, c] - b[1, c])
            own[c] = p - q
            x[c] = p - centre[c]
            square += own[c] ** 2
        _added(own, x, -fold * rule[g, 4] / (square * np.sqrt(square)), out)


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _flat(a: Floats, b: Floats) -> bool:
    """Whether two triangles (3, 3) lie in a plane."""
    n = np.cross(a[1] - a[0], a[2] - a[0])
    size = np.sqrt((n * n).sum())
    most, reach = 0.0, np.sqrt(size)
    for i in range(3):
        off = 0.0
        for c in range(3):
            off += n[c] * (b[i, c] - a[0, c])
            reach = max(reach, abs(b[i, c] - a[0, c]))
        most = max(most, abs(off))
    return bool(most <= FLAT * size * reach)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def near_curls(
    corners: Floats,
    number: Ints,
    grounded: NDArray[np.bool_],
    centre: Floats,
    radius: Floats,
    offsets: Ints,
    partner: Ints,
    mirror: float,
    image: bool,
    edge: Floats,
    corner: Floats,
    rule: Floats,
    values: Floats,
) -> None:
    """Fills ``values`` (n, 6), S and T with h = −1/R³, of triangles (T, 3, 3) and their near
    ``partner``, or its image, as in :func:`heron.engines.moments.triangle_static.near_static`.
    """
    for p in prange(len(corners)):
        a, b = np.empty((3, 3)), np.empty((3, 3))
        first, second = np.empty(3, dtype=np.int64), np.empty(3, dtype=np.int64)
        swapped = np.empty(CURLS)
        for place in range(offsets[p], offsets[p + 1]):
            q = partner[place]
            shared = 0
            for i in range(3):
                for j in range(3):
                    if number[p, i] == number[q, j] and (not image or grounded[number[p, i]]):
                        first[shared], second[shared] = i, j
                        shared += 1
            filled_up(first, shared)
            filled_up(second, shared)
            for i in range(3):
                for c in range(3):
                    a[i, c] = corners[p, first[i], c]
                    b[i, c] = corners[q, second[i], c]
                if image:
                    b[i, 2] = 2 * mirror - b[i, 2]
            out = values[place]
            out[:] = 0.0
            if shared == 3 or _flat(a, b):
                continue
            if shared == 2:
                _touching(a, b, centre[p], edge, out)
            elif shared == 1:
                _touching(a, b, centre[p], corner, out)
            elif radius[p] <= radius[q]:
                _apart(a, b, centre[p], rule, 1.0, out)
            else:
                # the same seen from the other, whose f and g change places
                swapped[:] = 0.0
                _apart(b, a, centre[p], rule, -1.0, swapped)
                out[:] = swapped


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _smooth(
    x: Floats,
    y: Floats,
    weight_x: Floats,
    weight_y: Floats,
    k: complex,
    less: bool,
    found: Complexes,
    curls: Complexes,
) -> None:
    """The numbers of a pair by Gauss's rule, or what is left of them ``less`` those of k = 0: the
    eight of :mod:`heron.engines.moments.triangle_static` in ``found`` and S and T in ``curls``;
    points from the centre of the first.
    """
    found[:] = 0.0
    curls[:] = 0.0
    for g in range(len(x)):
        total, sx, sy, sz = 0j, 0j, 0j, 0j
        vx, vy, vz = 0j, 0j, 0j
        for h in range(len(y)):
            dx, dy, dz = x[g, 0] - y[h, 0], x[g, 1] - y[h, 1], x[g, 2] - y[h, 2]
            rr = dx * dx + dy * dy + dz * dz
            r = np.sqrt(rr)
            z = 1j * k * r
            if less and abs(z) < SMALL:
                wave = 1j * k * (-1 + z * (0.5 + z * (-1 / 6 + z / 24)))
                fall = -k * k * (-0.5 + z * (1 / 3 + z * (-1 / 8 + z / 30)))
                slope = -fall / r if r > 0 else 0j
            else:
                cosine, sine = cos_sin(k.real * r)
                fade = np.exp(k.imag * r) if k.imag != 0 else 1.0
                e = complex(fade * cosine, -fade * sine)
                wave = (e - 1) / r if less else e / r
                slope = -((1 + z) * e - 1) / (rr * r) if less else -(1 + z) * e / (rr * r)
            w = weight_y[h] * wave
            s = weight_y[h] * slope
            total += w
            sx, sy, sz = sx + w * y[h, 0], sy + w * y[h, 1], sz + w * y[h, 2]
            vx, vy, vz = vx + s * dx, vy + s * dy, vz + s * dz
        w = weight_x[g]
        found[0] += w * total
        for c in range(3):
            found[1 + c] += w * total * x[g, c]
        found[4], found[5], found[6] = found[4] + w * sx, found[5] + w * sy, found[6] + w * sz
        found[7] += w * (sx * x[g, 0] + sy * x[g, 1] + sz * x[g, 2])
        curls[0], curls[1], curls[2] = curls[0] + w * vx, curls[1] + w * vy, curls[2] + w * vz
        curls[3] += w * (vy * x[g, 2] - vz * x[g, 1])
        curls[4] += w * (vz * x[g, 0] - vx * x[g, 2])
        curls[5] += w * (vx * x[g, 1] - vy * x[g, 0])


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _curled(a: Floats, b: Floats, s: Complexes) -> complex:
    """∫∫ f·(h R × g) of the functions of corners ``a`` and ``b`` (3,), with their halves."""
    cx, cy, cz = b[1] * a[2] - b[2] * a[1], b[2] * a[0] - b[0] * a[2], b[0] * a[1] - b[1] * a[0]
    across = (b[0] - a[0]) * s[3] + (b[1] - a[1]) * s[4] + (b[2] - a[2]) * s[5]
    return complex(0.25 * (across + s[0] * cx + s[1] * cy + s[2] * cz))


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def fill_region(
    corners: Floats,
    area: Floats,
    centre: Floats,
    radius: Floats,
    own: Ints,
    electric: Ints,
    electric_basis: Ints,
    electric_factor: Floats,
    magnetic: Ints,
    magnetic_basis: Ints,
    magnetic_factor: Floats,
    blocks: Ints,
    block_offsets: Ints,
    members: Ints,
    offsets: Ints,
    partner: Ints,
    values: Floats,
    curled: Floats,
    k: complex,
    factors: Complexes,
    mirror: float,
    image: bool,
    fine: Floats,
    coarse: Floats,
    out: Complexes,
) -> None:
    """Adds to ``out`` what pairs p ≤ q of the triangles ``own`` of a region couple, so that the
    matrix is that and its transpose; with ``image`` the second of each pair is mirrored, with its
    electric current and charge turned, and its magnetic current turned the other way.

    :param electric, electric_basis, electric_factor: the functions of each corner (3T + 1) of
        triangles in this region; the same for ``magnetic`` ones.
    :param blocks, block_offsets, members: each thread's own columns, and triangles with those.
    :param factors: (5,) of current and charge with electric ones, of both with magnetic ones, and
        of K, for kernels without 4π.
    """
    turned = -1.0 if image else 1.0
    for block in prange(len(blocks) - 1):
        first, last = blocks[block], blocks[block + 1]
        mine = members[block_offsets[block] : block_offsets[block + 1]]
        x, y = np.empty((len(fine), 3)), np.empty((len(fine), 3))
        wx, wy = np.empty(len(fine)), np.empty(len(fine))
        x3, y3 = np.empty((len(coarse), 3)), np.empty((len(coarse), 3))
        wx3, wy3 = np.empty(len(coarse)), np.empty(len(coarse))
        b, shift, arm = np.empty((3, 3)), np.empty(3), np.empty(3)
        found, curls = np.empty(KEPT, dtype=np.complex128), np.empty(CURLS, dtype=np.complex128)
        parts = np.empty(2 * KEPT)
        for p in own:
            points_of(corners[p], area[p], centre[p], fine, x, wx)
            points_of(corners[p], area[p], centre[p], coarse, x3, wx3)
            near = offsets[p]
            for q in mine:
                if q < p:
                    continue
                square = 0.0
                for i in range(3):
                    mirrored(corners[q, i], mirror, image, b[i])
                mirrored(centre[q], mirror, image, shift)
                for c in range(3):
                    square += (shift[c] - centre[p, c]) ** 2
                while near < offsets[p + 1] and partner[near] < q:
                    near += 1
                if near < offsets[p + 1] and partner[near] == q:
                    points_of(b, area[q], centre[p], fine, y, wy)
                    _smooth(x, y, wx, wy, k, True, found, curls)
                    for n in range(KEPT):
                        found[n] += values[near, n]
                    for n in range(CURLS):
                        curls[n] += curled[near, n]
                elif square < (FAR * (radius[p] + radius[q])) ** 2:
                    points_of(b, area[q], centre[p], fine, y, wy)
                    _smooth(x, y, wx, wy, k, False, found, curls)
                else:
                    points_of(b, area[q], centre[p], coarse, y3, wy3)
                    _smooth(x3, y3, wx3, wy3, k, False, found, curls)
                for n in range(KEPT):
                    parts[n], parts[KEPT + n] = found[n].real, found[n].imag
                share = 0.5 if p == q else 1.0
                for j in range(3):
                    to = 3 * q + j
                    if electric[to] == electric[to + 1] and magnetic[to] == magnetic[to + 1]:
                        continue
                    for c in range(3):
                        shift[c] = b[j, c] - centre[p, c]
                    for i in range(3):
                        tm = 3 * p + i
                        if electric[tm] == electric[tm + 1] and magnetic[tm] == magnetic[tm + 1]:
                            continue
                        for c in range(3):
                            arm[c] = corners[p, i, c] - centre[p, c]
                        ee = share * turned * coupled(arm, shift, parts, factors[0], factors[1])
                        mm = share * coupled(arm, shift, parts, factors[2], factors[3])
                        em = share * factors[4] * _curled(arm, shift, curls)
                        for n in range(electric[to], electric[to + 1]):
                            column = electric_basis[n]
                            if column < first or column >= last:
                                continue
                            f = electric_factor[n]
                            for m in range(electric[tm], electric[tm + 1]):
                                out[column, electric_basis[m]] += electric_factor[m] * f * ee
                            for m in range(magnetic[tm], magnetic[tm + 1]):
                                out[column, magnetic_basis[m]] += (
                                    magnetic_factor[m] * f * turned * em
                                )
                        for n in range(magnetic[to], magnetic[to + 1]):
                            column = magnetic_basis[n]
                            if column < first or column >= last:
                                continue
                            f = magnetic_factor[n]
                            for m in range(electric[tm], electric[tm + 1]):
                                out[column, electric_basis[m]] += electric_factor[m] * f * em
                            for m in range(magnetic[tm], magnetic[tm + 1]):
                                out[column, magnetic_basis[m]] += magnetic_factor[m] * f * mm
