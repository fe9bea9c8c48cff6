"""Integrals between wire segments, compiled. SI units, exp(+jωt).

Segments p and q carry linear shape functions N0 = 1 - s/h and N1 = s/h. All kernels are of
Ψ_ij = ∫∫ N_i(s) N_j(s') e^(-jkR) / (4πR) ds' ds. The static part 1/R of near pairs does not
depend on frequency and is integrated once: exactly, with the kernel averaged round the wire,
where two segments lie on one axis; with R² = distance² + a² and an analytic inner integral
elsewhere. The smooth remainder (e^(-jkR) - 1)/R is integrated numerically at each frequency,
see :mod:`heron.engines.moments.wave_integrals`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
FOUR_PI = 4.0 * np.pi
# not a whole number, so that equal meshes are judged alike; pairs whose clear distance is under
# this many of the longer segment are near
NEAR = 2.3
# and pairs nearer than this many radii, where the tube's kernel is not yet that of two points √2
# radii apart
NEAR_RADII = 8.0
_G2, _W2 = (
    0.5 * (np.polynomial.legendre.leggauss(2)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(2)[1],
)
_G8, _W8 = (
    0.5 * (np.polynomial.legendre.leggauss(8)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(8)[1],
)
_G12, _W12 = (
    0.5 * (np.polynomial.legendre.leggauss(12)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(12)[1],
)
# Cubic grading towards both ends, which tames logarithmic end singularities.
_GRADED = _G12**2 * (3 - 2 * _G12)
_GRADED_W = _W12 * 6 * _G12 * (1 - _G12)


@njit(cache=True)  # type: ignore[untyped-decorator]
def ring_kernel(u: float, a: float) -> float:
    """1/R averaged round a wire of radius a, for axial distance u: 2 K(m) / (π √(u²+4a²)), m =
    4a²/(u²+4a²).

    K by the arithmetic-geometric mean (Abramowitz & Stegun 17.6).
    """
    far = np.sqrt(u * u + 4 * a * a)
    x, y = 1.0, abs(u) / far
    y = max(y, 1e-300)
    for _ in range(60):
        if abs(x - y) <= 1e-15 * x:
            break
        x, y = 0.5 * (x + y), np.sqrt(x * y)
    return float(1.0 / (x * far))


@njit(cache=True)  # type: ignore[untyped-decorator]
def _overlap_weights(
    u: float, hp: float, hq: float, offset: float, sign: float, out: Floats
) -> None:
    """∫ N_i(s) N_j(s') ds over all s with s' the point at axial distance u from s: exact two-point
    Gauss.
    """
    # Position of q's parameter: z = offset + sign * s'. We need z - s = u, so s' = sign * (s + u -
    # offset).
    low, high = 0.0, hp
    edge0, edge1 = offset - u, offset - u + sign * hq
    low = max(low, min(edge0, edge1))
    high = min(high, max(edge0, edge1))
    out[:] = 0.0
    if high <= low:
        return
    for g in range(2):
        s = low + (high - low) * _G2[g]
        w = (high - low) * _W2[g]
        t = sign * (s + u - offset)
        n1, m1 = s / hp, t / hq
        out[0] += w * (1 - n1) * (1 - m1)
        out[1] += w * (1 - n1) * m1
        out[2] += w * n1 * (1 - m1)
        out[3] += w * n1 * m1


@njit(cache=True)  # type: ignore[untyped-decorator]
def coaxial_static(hp: float, hq: float, offset: float, sign: float, a: float, out: Floats) -> None:
    """Static Ψ (4,) of two segments on one axis with the exact kernel; q starts at ``offset`` and
    runs along ``sign``.
    """
    out[:] = 0.0
    weights = np.empty(4)
    far_end = offset + sign * hq
    marks = np.array(
        [
            min(offset, far_end) - hp,
            offset,
            far_end,
            max(offset, far_end),
            offset - hp,
            far_end - hp,
            0.0,
        ]
    )
    low, high = min(offset, far_end) - hp, max(offset, far_end)
    marks = np.sort(marks)
    for piece in range(len(marks) - 1):
        left, right = max(marks[piece], low), min(marks[piece + 1], high)
        if right - left <= 1e-14 * (hp + hq):
            continue
        # Each piece lies on one side of u = 0. Panels grow geometrically away from it.
        side = 1.0 if 0.5 * (left + right) > 0 else -1.0
        near, far = (left, right) if side > 0 else (-right, -left)
        start = near
        while start < far * (1 - 1e-14):
            if start < 0.2 * a:
                stop = min(far, 0.2 * a)
                width = stop - start
                for g in range(8):  # u = start + width t³: removes the logarithm at u = 0
                    t = _G8[g]
                    u = start + width * t * t * t
                    f = _W8[g] * 3 * t * t * width * ring_kernel(u, a)
                    _overlap_weights(side * u, hp, hq, offset, sign, weights)
                    for c in range(4):
                        out[c] += f * weights[c]
            else:
                stop = min(far, 3.0 * start)
                width = stop - start
                for g in range(8):
                    u = start + width * _G8[g]
                    f = _W8[g] * width * ring_kernel(u, a)
                    _overlap_weights(side * u, hp, hq, offset, sign, weights)
                    for c in range(4):
                        out[c] += f * weights[c]
            start = stop
    for c in range(4):
        out[c] /= FOUR_PI


@njit(cache=True)  # type: ignore[untyped-decorator]
def _line_potential(x: float, h: float, rho: float) -> float:
    """∫_0^h ds / √((s - x)² + rho²), finite on the extension of the axis (rho = 0) as well."""
    if x > h:
        x = h - x
    if x < 0:
        return float(
            np.log((h - x + np.sqrt((h - x) ** 2 + rho * rho)) / (np.sqrt(x * x + rho * rho) - x))
        )
    return float(np.arcsinh((h - x) / rho) + np.arcsinh(x / rho))


@njit(cache=True)  # type: ignore[untyped-decorator]
def skew_static(p0: Floats, p1: Floats, q0: Floats, q1: Floats, a2: float, out: Floats) -> None:
    """Static Ψ (4,) with R² = distance² + a2: graded outer Gauss, analytic inner integral."""
    out[:] = 0.0
    dp, dq = p1 - p0, q1 - q0
    hp, hq = np.sqrt(np.dot(dp, dp)), np.sqrt(np.dot(dq, dq))
    tq = dq / hq
    # Grade the outer integral towards the point of closest approach as well as the ends.
    d, e = np.dot(dp, tq) / hp, np.dot(dp, p0 - q0) / hp
    f = np.dot(tq, p0 - q0)
    split = 0.0
    if 1 - d * d > 1e-10:
        split = (d * f - e) / (1 - d * d) / hp
    lows = np.array([0.0, 1.0])
    pieces = 1
    if 0.02 < split < 0.98:
        lows = np.array([0.0, split, 1.0])
        pieces = 2
    for piece in range(pieces):
        low, high = lows[piece], lows[piece + 1]
        for g in range(12):
            s = low + (high - low) * _GRADED[g]
            w = (high - low) * _GRADED_W[g] * hp
            r = p0 + s * dp - q0
            x = np.dot(r, tq)
            lateral = np.dot(r, r) - x * x
            if lateral < 0:
                lateral = 0.0
            rho = np.sqrt(lateral + a2)
            i0 = _line_potential(x, hq, rho)
            i1 = (np.sqrt((hq - x) ** 2 + rho * rho) - np.sqrt(x * x + rho * rho) + x * i0) / hq
            out[0] += w * (1 - s) * (i0 - i1)
            out[1] += w * (1 - s) * i1
            out[2] += w * s * (i0 - i1)
            out[3] += w * s * i1
    for c in range(4):
        out[c] /= FOUR_PI


@njit(cache=True)  # type: ignore[untyped-decorator]
def is_near(cp: Floats, cq: Floats, hp: float, hq: float, radius: float) -> bool:
    """Whether two segments with these centres and lengths, the thicker of ``radius``, need the
    static part extracted.
    """
    d2 = (cp[0] - cq[0]) ** 2 + (cp[1] - cq[1]) ** 2 + (cp[2] - cq[2]) ** 2
    reach = 0.5 * (hp + hq) + max(NEAR * max(hp, hq), NEAR_RADII * radius)
    return bool(d2 < reach * reach)


@njit(cache=True)  # type: ignore[untyped-decorator]
def on_one_axis(p: Floats, dp: Floats, hp: float, q: Floats, dq: Floats, hq: float) -> bool:
    """Whether two segments from p and q along dp and dq, hp and hq long, lie on one line."""
    cosine = (dp[0] * dq[0] + dp[1] * dq[1] + dp[2] * dq[2]) / (hp * hq)
    rx, ry, rz = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    axial = (rx * dp[0] + ry * dp[1] + rz * dp[2]) / hp
    lateral2 = rx * rx + ry * ry + rz * rz - axial * axial
    return bool(abs(abs(cosine) - 1) < 1e-12 and lateral2 < (1e-6 * (hp + abs(axial))) ** 2)


@njit(cache=True)  # type: ignore[untyped-decorator]
def kernel_radius2(same_wire: bool, shared: bool, ap: float, aq: float) -> float:
    """a² of the reduced kernel off one axis: the larger radius within one wire or at a joint, none
    between separate wires.

    The potential of a uniformly charged ring, averaged over another that it does not enclose, is
    that of their axes; averaged over itself or one inside it, that of the larger radius.
    """
    return max(ap, aq) ** 2 if same_wire or shared else 0.0


@njit(cache=True)  # type: ignore[untyped-decorator]
def _static_pair(
    p0: Floats, p1: Floats, q0: Floats, q1: Floats, ap: float, aq: float, a2: float, out: Floats
) -> None:
    dp, dq, r = p1 - p0, q1 - q0, q0 - p0
    hp, hq = np.sqrt(np.dot(dp, dp)), np.sqrt(np.dot(dq, dq))
    cosine = np.dot(dp, dq) / (hp * hq)
    axial = np.dot(r, dp) / hp
    coaxial = on_one_axis(p0, dp, hp, q0, dq, hq)
    if coaxial and abs(ap - aq) < 1e-12 * ap:
        coaxial_static(hp, hq, axial, np.sign(cosine), ap, out)
    elif coaxial:
        skew_static(p0, p1, q0, q1, max(ap, aq) ** 2, out)
    else:
        skew_static(p0, p1, q0, q1, a2, out)


@njit(cache=True)  # type: ignore[untyped-decorator]
def count_near(
    start: Floats, end: Floats, length: Floats, radius: Floats, mirror: float, image: bool
) -> Ints:
    """Near partners of each segment p, (n,); with ``image`` q is mirrored in the plane z =
    ``mirror``.
    """
    n = len(start)
    centre = 0.5 * (start + end)
    other = centre.copy()
    if image:
        other[:, 2] = 2 * mirror - other[:, 2]
    counts = np.zeros(n, dtype=np.int64)
    for p in range(n):
        for q in range(n):
            if is_near(centre[p], other[q], length[p], length[q], max(radius[p], radius[q])):
                counts[p] += 1
    return counts


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def near_static(
    start: Floats,
    end: Floats,
    length: Floats,
    radius: Floats,
    wire: Ints,
    nodes: Ints,
    grounded: NDArray[np.bool_],
    anchored: NDArray[np.bool_],
    offsets: Ints,
    mirror: float,
    image: bool,
    partner: Ints,
    values: Floats,
) -> None:
    """Static Ψ of all near pairs, row p at ``offsets[p]``: fills ``partner`` (k,) and ``values``
    (k, 4).
    """
    n = len(start)
    for p in prange(n):
        at = offsets[p]
        cp = 0.5 * (start[p] + end[p])
        q0, q1 = np.empty(3), np.empty(3)
        for q in range(n):
            q0[:] = start[q]
            q1[:] = end[q]
            if image:
                q0[2] = 2 * mirror - q0[2]
                q1[2] = 2 * mirror - q1[2]
            if not is_near(cp, 0.5 * (q0 + q1), length[p], length[q], max(radius[p], radius[q])):
                continue
            shared = False
            for i in range(2):
                for j in range(2):
                    if nodes[p, i] == nodes[q, j] and (not image or grounded[nodes[p, i]]):
                        shared = True
            same = wire[p] == wire[q] and (not image or anchored[p])
            a2 = kernel_radius2(same, shared, radius[p], radius[q])
            if q >= p:
                _static_pair(start[p], end[p], q0, q1, radius[p], radius[q], a2, values[at])
            partner[at] = q
            at += 1


@njit(cache=True)  # type: ignore[untyped-decorator]
def mirror_static(offsets: Ints, partner: Ints, values: Floats) -> None:
    """Copies ``values`` of pairs (p, q), q ≥ p, to (q, p), so that the table is symmetric to the
    last bit.
    """
    for p in range(len(offsets) - 1):
        for at in range(offsets[p], offsets[p + 1]):
            q = partner[at]
            if q > p:
                low, high = offsets[q], offsets[q + 1]
                other = low + np.searchsorted(partner[low:high], p)
                values[other, 0] = values[at, 0]
                values[other, 1] = values[at, 2]
                values[other, 2] = values[at, 1]
                values[other, 3] = values[at, 3]


# Taylor coefficients on |r| ≤ π/2: the first terms left out are under 4e-15.
_S = np.array([(-1.0) ** i / float(math.factorial(2 * i + 1)) for i in range(10)])
_C = np.array([(-1.0) ** i / float(math.factorial(2 * i)) for i in range(10)])
