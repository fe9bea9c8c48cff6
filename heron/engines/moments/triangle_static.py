"""Integrals of 1/R over pairs of triangles that are near each other or touch.

Of each pair eight numbers are kept, with x from the centre of the first triangle to a point of it
and y from the same centre to a point of the second: ∫∫ 1/R, ∫∫ x/R (3), ∫∫ y/R (3), ∫∫ x·y/R. All
products of linear functions on the two follow from them.

Triangles that touch: the substitutions of Sauter and Schwab (*Boundary Element Methods*, 2011,
section 5.2), after which the integrand is smooth. Others: the potential of a linear charge on one
in closed form (Wilton et al., IEEE Trans. Antennas Propag. 32, 276, 1984), by Gauss's rule over the
other, which is divided the finer the nearer they are.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

KEPT = 8
# between centres, over the sum of the distances of corners from them: nearer pairs are near
NEAR = 1.6
ORDER = 5  # of Gauss's rule along each of the four variables of a pair that touches
DEEPEST = 3  # a triangle is divided into so many times four, where another is close by
CLOSE = 0.6  # of its size: a triangle this near is looked at more finely


@cache
def touching_rules(order: int = ORDER) -> tuple[Floats, Floats, Floats]:
    """Points (k, 5) of pairs that are one, share an edge, or share a corner: two coordinates in
    each of the triangles (0, 0), (1, 0), (1, 1), and weights, of sum 1/4. The shared edge is from
    the first corner to the second, the shared corner is the first.
    """
    at, weight = np.polynomial.legendre.leggauss(order)
    at, weight = 0.5 * (at + 1), 0.5 * weight
    x, a, b, c = (g.ravel() for g in np.meshgrid(at, at, at, at, indexing="ij"))
    w = np.prod(np.meshgrid(weight, weight, weight, weight, indexing="ij"), axis=0).ravel()

    def points(*regions: tuple[Floats, Floats, Floats, Floats, Floats]) -> Floats:
        return np.vstack([np.column_stack(r) for r in regions])

    def swapped(r: tuple[Floats, ...]) -> tuple[Floats, Floats, Floats, Floats, Floats]:
        return r[2], r[3], r[0], r[1], r[4]

    own = w * x**3 * a**2 * b
    one = (x, x * (1 - a + a * b), x * (1 - a * b * c), x * (1 - a), own)
    two = (x, x * a * (1 - b + b * c), x * (1 - a * b), x * a * (1 - b), own)
    three = (x * (1 - a * b * c), x * a * (1 - b * c), x, x * a * (1 - b), own)
    same = points(one, swapped(one), two, swapped(two), three, swapped(three))
    edge = points(
        (x, x * a * c, x * (1 - a * b), x * a * (1 - b), w * x**3 * a**2),
        (x, x * a, x * (1 - a * b * c), x * a * b * (1 - c), own),
        (x * (1 - a * b), x * a * (1 - b), x, x * a * b * c, own),
        (x * (1 - a * b * c), x * a * b * (1 - c), x, x * a, own),
        (x * (1 - a * b * c), x * a * (1 - b * c), x, x * a * b, own),
    )
    half = (x, x * a, x * b, x * b * c, w * x**3 * b)
    return same, edge, points(half, swapped(half))


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def potential(r: Floats, corners: Floats, out: Floats) -> None:
    """∫ 1/R dS', ∫ (r' − r)/R dS' (3) and ∇ ∫ 1/R dS' (3) of a triangle (3, 3) at a point (3,):
    fills ``out`` (7,); the last in its plane is the mean of both sides.
    """
    ax, ay, az = corners[0, 0] - r[0], corners[0, 1] - r[1], corners[0, 2] - r[2]
    ex, ey, ez = (
        corners[1, 0] - corners[0, 0],
        corners[1, 1] - corners[0, 1],
        corners[1, 2] - corners[0, 2],
    )
    fx, fy, fz = (
        corners[2, 0] - corners[0, 0],
        corners[2, 1] - corners[0, 1],
        corners[2, 2] - corners[0, 2],
    )
    nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    nx, ny, nz = nx / size, ny / size, nz / size
    height = -(nx * ax + ny * ay + nz * az)
    above = abs(height)
    total, vx, vy, vz = 0.0, 0.0, 0.0, 0.0
    angle, gx, gy, gz = 0.0, 0.0, 0.0, 0.0
    for e in range(3):
        f = (e + 1) % 3
        lx, ly, lz = (
            corners[f, 0] - corners[e, 0],
            corners[f, 1] - corners[e, 1],
            corners[f, 2] - corners[e, 2],
        )
        length = np.sqrt(lx * lx + ly * ly + lz * lz)
        lx, ly, lz = lx / length, ly / length, lz / length
        ux, uy, uz = ly * nz - lz * ny, lz * nx - lx * nz, lx * ny - ly * nx
        px, py, pz = corners[e, 0] - r[0], corners[e, 1] - r[1], corners[e, 2] - r[2]
        first = lx * px + ly * py + lz * pz
        last = first + length
        beside = ux * px + uy * py + uz * pz
        square = beside * beside + height * height
        near, far = np.sqrt(square + first * first), np.sqrt(square + last * last)
        if first + last > 0:
            log = np.log((far + last) / max(near + first, 1e-300))
        else:
            log = np.log((near - first) / max(far - last, 1e-300))
        if square < 1e-24 * length * length:
            log = 0.0  # multiplied by what vanishes
        total += beside * log
        gx, gy, gz = gx - ux * log, gy - uy * log, gz - uz * log
        if above > 0:
            turn = np.arctan2(beside * last, square + above * far) - np.arctan2(
                beside * first, square + above * near
            )
            total -= above * turn
            angle += turn
        along = 0.5 * (square * log + last * far - first * near)
        vx, vy, vz = vx + ux * along, vy + uy * along, vz + uz * along
    out[0] = total
    out[1] = vx - height * nx * total
    out[2] = vy - height * ny * total
    out[3] = vz - height * nz * total
    if height > 0:
        angle = -angle
    out[4], out[5], out[6] = gx + angle * nx, gy + angle * ny, gz + angle * nz


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def double_area(t: Floats) -> float:
    x, y, z = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    u, v, w = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    return float(np.sqrt((y * w - z * v) ** 2 + (z * u - x * w) ** 2 + (x * v - y * u) ** 2))


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _apart(a: Floats, b: Floats, centre: Floats, rule: Floats, swap: bool, out: Floats) -> None:
    """The eight numbers of triangles (3, 3) that do not touch, in closed form over ``b``; added to
    ``out``. With ``swap`` the second is the one that comes first.
    """
    area = 0.5 * double_area(a)
    own = np.empty(7)
    x, y = np.empty(3), np.empty(3)
    for g in range(len(rule)):
        for c in range(3):
            x[c] = rule[g, 0] * a[0, c] + rule[g, 1] * a[1, c] + rule[g, 2] * a[2, c]
        potential(x, b, own)
        w = rule[g, 3] * area
        both = 0.0
        for c in range(3):
            x[c] -= centre[c]
            y[c] = own[1 + c] + x[c] * own[0]
            both += x[c] * y[c]
        out[0] += w * own[0]
        for c in range(3):
            if swap:
                out[1 + c] += w * y[c]
                out[4 + c] += w * x[c] * own[0]
            else:
                out[1 + c] += w * x[c] * own[0]
                out[4 + c] += w * y[c]
        out[7] += w * both


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def gap_between(a: Floats, b: Floats) -> float:
    """How near two triangles (3, 3) are, about: from corners, middles of edges and the centre of
    one to those of the other.
    """
    least = 1e300
    for i in range(7):
        for j in range(7):
            square = 0.0
            for c in range(3):
                p = _place(a, i, c) - _place(b, j, c)
                square += p * p
            least = min(least, square)
    return float(np.sqrt(least))


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _place(a: Floats, i: int, c: int) -> float:
    if i < 3:
        return float(a[i, c])
    if i < 6:
        return float(0.5 * (a[i - 3, c] + a[(i - 2) % 3, c]))
    return float((a[0, c] + a[1, c] + a[2, c]) / 3)


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _divided(a: Floats, b: Floats, centre: Floats, rule: Floats, swap: bool, out: Floats) -> None:
    """As :func:`_apart`, with ``a`` divided where ``b`` is close."""
    stack = np.empty((3 * DEEPEST + 4, 3, 3))
    depth = np.zeros(len(stack), dtype=np.int64)
    stack[0] = a
    count = 1
    while count > 0:
        count -= 1
        own, level = stack[count].copy(), depth[count]
        size = 0.0
        for e in range(3):
            square = 0.0
            for c in range(3):
                square += (own[e, c] - own[(e + 1) % 3, c]) ** 2
            size = max(size, np.sqrt(square))
        if level >= DEEPEST or gap_between(own, b) > CLOSE * size:
            _apart(own, b, centre, rule, swap, out)
            continue
        middle = np.empty((3, 3))
        for e in range(3):
            middle[e] = 0.5 * (own[e] + own[(e + 1) % 3])
        for k in range(4):
            depth[count + k] = level + 1
        stack[count, 0], stack[count, 1], stack[count, 2] = own[0], middle[0], middle[2]
        stack[count + 1, 0], stack[count + 1, 1] = middle[0], own[1]
        stack[count + 1, 2] = middle[1]
        stack[count + 2, 0], stack[count + 2, 1] = middle[2], middle[1]
        stack[count + 2, 2] = own[2]
        stack[count + 3] = middle
        count += 4


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _touching(a: Floats, b: Floats, centre: Floats, rule: Floats, out: Floats) -> None:
    """The eight numbers of triangles (3, 3) whose corners are in the order of the rule."""
    fold = double_area(a) * double_area(b)
    x, y = np.empty(3), np.empty(3)
    for g in range(len(rule)):
        square, both = 0.0, 0.0
        for c in range(3):
            p = a[0, c] + rule[g, 0] * (a[1, c] - a[0, c]) + rule[g, 1] * (a[2, c] - a[1, c])
            q = b[0, c] + rule[g, 2] * (b[1, c] - b[0, c]) + rule[g, 3] * (b[2, c] - b[1, c])
            square += (p - q) ** 2
            x[c], y[c] = p - centre[c], q - centre[c]
            both += x[c] * y[c]
        w = fold * rule[g, 4] / np.sqrt(square)
        out[0] += w
        for c in range(3):
            out[1 + c] += w * x[c]
            out[4 + c] += w * y[c]
        out[7] += w * both


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def is_near(centre: Floats, radius: Floats, p: int, q: int, mirror: float, image: bool) -> bool:
    """Whether triangle ``q``, or its image, is near ``p``."""
    square = 0.0
    for c in range(3):
        other = 2 * mirror - centre[q, c] if image and c == 2 else centre[q, c]
        square += (centre[p, c] - other) ** 2
    return bool(square < (NEAR * (radius[p] + radius[q])) ** 2)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def count_near(centre: Floats, radius: Floats, mirror: float, image: bool) -> Ints:
    """(T,) how many triangles from each on, itself included, are near it."""
    out = np.zeros(len(centre), dtype=np.int64)
    for p in prange(len(centre)):
        for q in range(p, len(centre)):
            if is_near(centre, radius, p, q, mirror, image):
                out[p] += 1
    return out


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def near_static(
    corners: Floats,
    number: Ints,
    grounded: NDArray[np.bool_],
    centre: Floats,
    radius: Floats,
    offsets: Ints,
    mirror: float,
    image: bool,
    same: Floats,
    edge: Floats,
    corner: Floats,
    rule: Floats,
    partner: Ints,
    values: Floats,
) -> None:
    """Fills ``partner`` and ``values`` (n, 8) of triangles (T, 3, 3), whose corners have a
    ``number`` (T, 3), or of the images of the second: those touch where corners are ``grounded``
    (vertices,).
    """
    for p in prange(len(corners)):
        place = offsets[p]
        a, b = np.empty((3, 3)), np.empty((3, 3))
        first, second = np.empty(3, dtype=np.int64), np.empty(3, dtype=np.int64)
        for q in range(p, len(corners)):
            if not is_near(centre, radius, p, q, mirror, image):
                continue
            partner[place] = q
            shared = 0
            for i in range(3):
                for j in range(3):
                    if number[p, i] == number[q, j] and (not image or grounded[number[p, i]]):
                        first[shared], second[shared] = i, j
                        shared += 1
            # those that are shared come first
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
            if shared == 3:
                _touching(a, b, centre[p], same, out)
            elif shared == 2:
                _touching(a, b, centre[p], edge, out)
            elif shared == 1:
                _touching(a, b, centre[p], corner, out)
            elif radius[p] <= radius[q]:
                _divided(a, b, centre[p], rule, False, out)
            else:
                _divided(b, a, centre[p], rule, True, out)
            place += 1


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def filled_up(order: Ints, used: int) -> None:
    """The numbers 0 to 2 that are not among the first ones, after them."""
    count = used
    for i in range(3):
        found = False
        for k in range(used):
            found = found or order[k] == i
        if not found:
            order[count] = i
            count += 1
