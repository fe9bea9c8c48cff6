"""The smooth remainder of the integrals between wire segments at a frequency, compiled, and the
matrix of a system of wires that they fill with the static part.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from heron.engines.moments.static_integrals import (
    _C,
    _G2,
    _S,
    FOUR_PI,
    Floats,
    Ints,
    kernel_radius2,
    on_one_axis,
)

# beyond this many lengths between centres two Gauss points suffice (relative error about 1e-5)
FAR = 6.4
FAR_RADII = 100.0  # and beyond this many radii the radius does not count
_G4, _W4 = (
    0.5 * (np.polynomial.legendre.leggauss(4)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(4)[1],
)


@njit(cache=True, fastmath={"contract", "nsz", "arcp", "reassoc"}, error_model="numpy")  # type: ignore[untyped-decorator]
def _gauss_pair(
    p0: Floats,
    dp: Floats,
    q0: Floats,
    dq: Floats,
    scale: float,
    k: float,
    a2: float,
    both: float,
    g: Floats,
    w: Floats,
    subtract: bool,
    out: NDArray[np.complex128],
) -> None:
    """Ψ (4,) by a product rule with R² = distance² + ``a2``, in its imaginary part + ``both``; with
    ``subtract`` the remainder after the static part.
    """
    for c in range(4):
        out[c] = 0j
    for m in range(len(g)):
        x = p0[0] + g[m] * dp[0] - q0[0]
        y = p0[1] + g[m] * dp[1] - q0[1]
        z = p0[2] + g[m] * dp[2] - q0[2]
        s0, s1 = 0j, 0j
        for n in range(len(g)):
            ex, ey, ez = x - g[n] * dq[0], y - g[n] * dq[1], z - g[n] * dq[2]
            axial2 = ex * ex + ey * ey + ez * ez
            r = np.sqrt(axial2 + a2)
            if subtract:
                half = np.sin(0.5 * k * r)
                re = -2 * half * half / r if r > 0 else 0.0
            else:
                re = np.cos(k * r) / r
            # The imaginary part is regular and carries the radiated power: the mean of R² over two
            # rings is that of their axes and of both radii.
            kr = k * np.sqrt(axial2 + both)
            im = -k * (1 - kr * kr / 6) if kr < 1e-4 else -k * np.sin(kr) / kr
            value = w[n] * complex(re, im)
            s0 += value * (1 - g[n])
            s1 += value * g[n]
        out[0] += w[m] * (1 - g[m]) * s0
        out[1] += w[m] * (1 - g[m]) * s1
        out[2] += w[m] * g[m] * s0
        out[3] += w[m] * g[m] * s1
    for c in range(4):
        out[c] *= scale / FOUR_PI


_S0, _S1, _S2, _S3, _S4, _S5, _S6, _S7, _S8, _S9 = _S
_C0, _C1, _C2, _C3, _C4, _C5, _C6, _C7, _C8, _C9 = _C
_PI_HIGH = 3.141592653589793116
_PI_LOW = 1.2246467991473532e-16
# 1.5·2⁵²: adding and taking it away rounds to the nearest whole number, in SIMD
_ROUND = 6755399441055744.0


@njit(cache=True, fastmath={"contract", "nsz"}, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_waves(
    x0: float,
    y0: float,
    z0: float,
    px: Floats,
    py: Floats,
    pz: Floats,
    k: float,
    weight: float,
    re: Floats,
    im: Floats,
) -> None:
    """re + j·im += weight · e^(-jkR)/R for points p (n,).

    No calls and no branches, so that it compiles to SIMD.
    """
    for q in range(len(px)):
        dx, dy, dz = x0 - px[q], y0 - py[q], z0 - pz[q]
        r = np.sqrt(dx * dx + dy * dy + dz * dz)
        x = k * r
        turns = (x * (1.0 / np.pi) + _ROUND) - _ROUND
        t = (x - turns * _PI_HIGH) - turns * _PI_LOW
        u = t * t
        sine = t * (
            _S0
            + u
            * (
                _S1
                + u
                * (
                    _S2
                    + u
                    * (_S3 + u * (_S4 + u * (_S5 + u * (_S6 + u * (_S7 + u * (_S8 + u * _S9))))))
                )
            )
        )
        cosine = _C0 + u * (
            _C1
            + u
            * (
                _C2
                + u * (_C3 + u * (_C4 + u * (_C5 + u * (_C6 + u * (_C7 + u * (_C8 + u * _C9))))))
            )
        )
        even = 2.0 * ((0.5 * turns - 0.25 + _ROUND) - _ROUND)
        sign = 1.0 - 2.0 * (turns - even)
        f = sign * weight / r
        re[q] += f * cosine
        im[q] -= f * sine


@njit(cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _segment_row(
    p: int,
    start: Floats,
    end: Floats,
    length: Floats,
    radius: Floats,
    wire: Ints,
    anchored: NDArray[np.bool_],
    k: float,
    vector_factor: complex,
    charge_factor: complex,
    offsets: Ints,
    partner: Ints,
    values: Floats,
    mirror: float,
    image: bool,
    gauss: Floats,
    wave: Floats,
    row: NDArray[np.complex128],
) -> None:
    """Adds the interactions of segment p with all others to ``row`` (n, 4): shape pair ij at 2i +
    j.

    ``gauss`` (2, 3, n): the far rule's points on every (mirrored) segment. ``wave`` (8, n) is a
    work array, overwritten. Far pairs drop the radius.
    """
    n = len(start)
    sign = -1.0 if image else 1.0
    psi = np.empty(4, dtype=np.complex128)
    q0, dq, dp = np.empty(3), np.empty(3), end[p] - start[p]
    cp = 0.5 * (start[p] + end[p])
    wave[:] = 0.0
    for m in range(2):
        x, y, z = (
            start[p, 0] + _G2[m] * dp[0],
            start[p, 1] + _G2[m] * dp[1],
            start[p, 2] + _G2[m] * dp[2],
        )
        for g in range(2):
            at = 4 * m + 2 * g
            _add_waves(
                x,
                y,
                z,
                gauss[g, 0],
                gauss[g, 1],
                gauss[g, 2],
                k,
                0.25 / FOUR_PI,
                wave[at],
                wave[at + 1],
            )
    cursor, last = offsets[p], offsets[p + 1]
    hp = length[p]
    for q in range(n):
        hq = length[q]
        dx = dy = dz = 0.0
        for c in range(3):
            q0[c] = start[q, c]
            dq[c] = end[q, c] - start[q, c]
        if image:
            q0[2] = 2 * mirror - q0[2]
            dq[2] = -dq[2]
        same = wire[p] == wire[q] and (not image or anchored[p])
        both = radius[p] ** 2 + radius[q] ** 2
        # From some radii on the mean of a tube's kernel is that of points √2 radii apart.
        a2 = (
            both
            if same and on_one_axis(start[p], dp, hp, q0, dq, hq)
            else kernel_radius2(same, False, radius[p], radius[q])
        )
        if cursor < last and partner[cursor] == q:
            _gauss_pair(start[p], dp, q0, dq, hp * hq, k, a2, both, _G4, _W4, True, psi)
            for c in range(4):
                psi[c] += values[cursor, c]
            cursor += 1
        else:
            dx = cp[0] - q0[0] - 0.5 * dq[0]
            dy = cp[1] - q0[1] - 0.5 * dq[1]
            dz = cp[2] - q0[2] - 0.5 * dq[2]
            longer = max(hp, hq)
            if (
                dx * dx + dy * dy + dz * dz
                < max(FAR * longer, FAR_RADII * max(radius[p], radius[q])) ** 2
            ):
                _gauss_pair(start[p], dp, q0, dq, hp * hq, k, a2, both, _G4, _W4, False, psi)
            else:
                area = hp * hq
                for c in range(4):
                    psi[c] = 0j
                for m in range(2):
                    for g in range(2):
                        value = area * complex(wave[4 * m + 2 * g, q], wave[4 * m + 2 * g + 1, q])
                        psi[0] += (1 - _G2[m]) * (1 - _G2[g]) * value
                        psi[1] += (1 - _G2[m]) * _G2[g] * value
                        psi[2] += _G2[m] * (1 - _G2[g]) * value
                        psi[3] += _G2[m] * _G2[g] * value
        dot = (dp[0] * dq[0] + dp[1] * dq[1] + dp[2] * dq[2]) / (hp * hq)
        vector = sign * vector_factor * dot
        charge = sign * charge_factor * (psi[0] + psi[1] + psi[2] + psi[3]) / (hp * hq)
        row[q, 0] += vector * psi[0] + charge
        row[q, 1] += vector * psi[1] - charge
        row[q, 2] += vector * psi[2] - charge
        row[q, 3] += vector * psi[3] + charge


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def fill_matrix(
    start: Floats,
    end: Floats,
    length: Floats,
    radius: Floats,
    wire: Ints,
    anchored: NDArray[np.bool_],
    k: float,
    vector_factor: complex,
    charge_factor: complex,
    offsets: Ints,
    partner: Ints,
    values: Floats,
    mirror: float,
    image: bool,
    half_offsets: Ints,
    half_segment: Ints,
    half_end: Ints,
    half_sign: Floats,
    use_offsets: Ints,
    use_basis: Ints,
    use_sign: Floats,
    chunks: int,
    matrix: NDArray[np.complex128],
) -> None:
    """Adds all interactions of basis functions to ``matrix`` (m, m).

    ``vector_factor`` multiplies t_p·t_q Ψ_ij, ``charge_factor`` the charges ±1/h times ΣΨ. For
    an image both t_q and the sign of the source are those of the mirrored current. The halves
    of basis b are at ``half_offsets[b]``…; the bases that use shape (segment, end) are at
    ``use_offsets[2 segment + end]``…. Neighbouring bases share segments, so each thread keeps
    the last two segment rows.
    """
    n, m = len(start), len(half_offsets) - 1
    gauss = np.empty((2, 3, n))
    for q in range(n):
        for g in range(2):
            for c in range(3):
                gauss[g, c, q] = start[q, c] + _G2[g] * (end[q, c] - start[q, c])
            if image:
                gauss[g, 2, q] = 2 * mirror - gauss[g, 2, q]
    for chunk in prange(chunks):
        wave = np.empty((8, n))
        rows = np.empty((2, n, 4), dtype=np.complex128)
        held = np.full(2, -1)
        oldest = 0
        for b in range(chunk * m // chunks, (chunk + 1) * m // chunks):
            for h in range(half_offsets[b], half_offsets[b + 1]):
                p, i, s = half_segment[h], half_end[h], half_sign[h]
                slot = 0 if held[0] == p else 1 if held[1] == p else -1
                if slot < 0:
                    slot = oldest
                    held[slot] = p
                    rows[slot] = 0
                    _segment_row(
                        p,
                        start,
                        end,
                        length,
                        radius,
                        wire,
                        anchored,
                        k,
                        vector_factor,
                        charge_factor,
                        offsets,
                        partner,
                        values,
                        mirror,
                        image,
                        gauss,
                        wave,
                        rows[slot],
                    )
                oldest = 1 - slot
                for q in range(n):
                    for j in range(2):
                        value = s * rows[slot, q, 2 * i + j]
                        for u in range(use_offsets[2 * q + j], use_offsets[2 * q + j + 1]):
                            matrix[b, use_basis[u]] += use_sign[u] * value
