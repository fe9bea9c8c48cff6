"""The matrix of triangles at one frequency, from pairs of them.

Z_mn = jωμ ∫∫ f_m·f_n G + 1/(jωε) ∫∫ ∇·f_m ∇·f_n G with functions f that are linear on each
triangle: c/2 (r − v), of divergence c, v the corner across from the edge that they cross (Rao,
Wilton and Glisson, IEEE Trans. Antennas Propag. 30, 409, 1982).
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from heron.engines.moments.triangle_static import KEPT
from heron.fields.phases import cos_sin

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]

# between centres, over the sum of distances of corners from them: from here on three points in
# each of a pair are enough
FAR = 4.0
FOUR_PI = 4 * np.pi


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def smooth(
    x: Floats, y: Floats, weight_x: Floats, weight_y: Floats, k: float, less: bool, out: Floats
) -> None:
    """The eight numbers of a pair by Gauss's rule with the kernel e^(−jkR)/R, or with that ``less``
    1/R; points from the centre of the first. Fills ``out`` (16,): real parts, then imaginary ones.
    """
    out[:] = 0.0
    for g in range(len(x)):
        re, im = 0.0, 0.0
        xr, yr, zr, xi, yi, zi = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for h in range(len(y)):
            dx, dy, dz = x[g, 0] - y[h, 0], x[g, 1] - y[h, 1], x[g, 2] - y[h, 2]
            r = np.sqrt(dx * dx + dy * dy + dz * dz)
            if less and k * r < 1e-4:
                w_re, w_im = -0.5 * k * k * r, -k
            else:
                cosine, sine = cos_sin(k * r)
                w_re, w_im = (cosine - 1) / r if less else cosine / r, -sine / r
            w_re, w_im = w_re * weight_y[h], w_im * weight_y[h]
            re, im = re + w_re, im + w_im
            xr, yr, zr = xr + w_re * y[h, 0], yr + w_re * y[h, 1], zr + w_re * y[h, 2]
            xi, yi, zi = xi + w_im * y[h, 0], yi + w_im * y[h, 1], zi + w_im * y[h, 2]
        w = weight_x[g]
        re, im = w * re, w * im
        out[0] += re
        out[8] += im
        for c in range(3):
            out[1 + c] += re * x[g, c]
            out[9 + c] += im * x[g, c]
        out[4], out[5], out[6] = out[4] + w * xr, out[5] + w * yr, out[6] + w * zr
        out[12], out[13], out[14] = out[12] + w * xi, out[13] + w * yi, out[14] + w * zi
        out[7] += w * (xr * x[g, 0] + yr * x[g, 1] + zr * x[g, 2])
        out[15] += w * (xi * x[g, 0] + yi * x[g, 1] + zi * x[g, 2])


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def points_of(
    corners: Floats, area: float, centre: Floats, rule: Floats, x: Floats, weight: Floats
) -> None:
    """Points of a rule on a triangle (3, 3), from ``centre``, and their weights."""
    for g in range(len(rule)):
        weight[g] = rule[g, 3] * area
        for c in range(3):
            x[g, c] = (
                rule[g, 0] * corners[0, c] + rule[g, 1] * corners[1, c] + rule[g, 2] * corners[2, c]
            ) - centre[c]


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def mirrored(point: Floats, mirror: float, image: bool, out: Floats) -> None:
    """A point (3,), or its image in a plane z = ``mirror``."""
    out[0], out[1] = point[0], point[1]
    out[2] = 2 * mirror - point[2] if image else point[2]


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def coupled(
    first: Floats, second: Floats, found: Floats, along: complex, charge: complex
) -> complex:
    """What the numbers (16,) of a pair come to for the functions of corners ``first`` and
    ``second`` (3,), from the same origin.
    """
    re, im, dots = found[7], found[15], 0.0
    for c in range(3):
        re -= first[c] * found[4 + c] + second[c] * found[1 + c]
        im -= first[c] * found[12 + c] + second[c] * found[9 + c]
        dots += first[c] * second[c]
    re += dots * found[0]
    im += dots * found[8]
    return 0.25 * along * complex(re, im) + charge * complex(found[0], found[8])


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def fill_matrix(
    corners: Floats,
    area: Floats,
    centre: Floats,
    radius: Floats,
    use_offsets: Ints,
    use_basis: Ints,
    use_factor: Floats,
    blocks: Ints,
    block_offsets: Ints,
    members: Ints,
    offsets: Ints,
    partner: Ints,
    values: Floats,
    k: float,
    along: complex,
    charge: complex,
    mirror: float,
    image: bool,
    fine: Floats,
    coarse: Floats,
    out: Complexes,
) -> None:
    """Adds to ``out`` what pairs p ≤ q of triangles couple, so that the matrix is that and its
    transpose: pairs of a triangle with itself by half. With ``image`` the second of each pair is
    mirrored, and its current and charge are turned.

    :param use_offsets, use_basis, use_factor: the functions c of each corner (3T + 1) of triangles.
    :param blocks, block_offsets, members: each thread's own columns, from ``blocks[i]`` on, and the
        triangles on which those functions are.
    :param along, charge: jωμ/4π and 1/(jωε 4π).
    """
    turned = -1.0 if image else 1.0
    for block in prange(len(blocks) - 1):
        first, last = blocks[block], blocks[block + 1]
        own = members[block_offsets[block] : block_offsets[block + 1]]
        x, y = np.empty((len(fine), 3)), np.empty((len(fine), 3))
        wx, wy = np.empty(len(fine)), np.empty(len(fine))
        x3, y3 = np.empty((len(coarse), 3)), np.empty((len(coarse), 3))
        wx3, wy3 = np.empty(len(coarse)), np.empty(len(coarse))
        b, shift, arm = np.empty((3, 3)), np.empty(3), np.empty(3)
        found = np.empty(2 * KEPT)
        for p in range(len(corners)):
            points_of(corners[p], area[p], centre[p], fine, x, wx)
            points_of(corners[p], area[p], centre[p], coarse, x3, wx3)
            near = offsets[p]
            for q in own:
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
                    smooth(x, y, wx, wy, k, True, found)
                    for n in range(KEPT):
                        found[n] += values[near, n]
                elif square < (FAR * (radius[p] + radius[q])) ** 2:
                    points_of(b, area[q], centre[p], fine, y, wy)
                    smooth(x, y, wx, wy, k, False, found)
                else:
                    points_of(b, area[q], centre[p], coarse, y3, wy3)
                    smooth(x3, y3, wx3, wy3, k, False, found)
                share = turned * (0.5 if p == q else 1.0)
                for j in range(3):
                    first_use, last_use = use_offsets[3 * q + j], use_offsets[3 * q + j + 1]
                    if first_use == last_use:
                        continue
                    for c in range(3):
                        shift[c] = b[j, c] - centre[p, c]
                    for i in range(3):
                        if use_offsets[3 * p + i] == use_offsets[3 * p + i + 1]:
                            continue
                        for c in range(3):
                            arm[c] = corners[p, i, c] - centre[p, c]
                        value = share * coupled(arm, shift, found, along, charge)
                        for n in range(first_use, last_use):
                            column = use_basis[n]
                            if column < first or column >= last:
                                continue
                            for m in range(use_offsets[3 * p + i], use_offsets[3 * p + i + 1]):
                                out[column, use_basis[m]] += use_factor[m] * use_factor[n] * value


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def add_transpose(a: Complexes) -> None:
    """A square matrix plus its transpose, in place."""
    step = 64
    for block in prange((len(a) + step - 1) // step):
        for i in range(block * step, min(len(a), (block + 1) * step)):
            for j in range(i + 1):
                a[i, j] += a[j, i]
    for block in prange((len(a) + step - 1) // step):
        for j in range(block * step, min(len(a), (block + 1) * step)):
            for i in range(j):
                a[i, j] = a[j, i]
