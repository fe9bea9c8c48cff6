"""Mie series for spheres in vacuum: Bohren and Huffman, *Absorption and Scattering of Light by
Small Particles*, ch. 4. Their time factor is exp(−iωt).
"""

from __future__ import annotations

import numpy as np
from scipy.special import spherical_jn, spherical_yn


def coefficients(x: float, m: complex | None) -> tuple[np.ndarray, np.ndarray]:
    """a_n and b_n of a sphere of size x = ka and relative index m = n + ik (k > 0 absorbs); a
    perfect conductor for ``None``.
    """
    order = int(x + 4.05 * x ** (1 / 3) + 4)
    n = np.arange(1, order + 1)
    j, dj = spherical_jn(n, x), spherical_jn(n, x, True)
    h, dh = j + 1j * spherical_yn(n, x), dj + 1j * spherical_yn(n, x, True)
    psi, dpsi, xi, dxi = x * j, j + x * dj, x * h, h + x * dh
    if m is None:
        return dpsi / dxi, psi / xi
    jm, djm = spherical_jn(n, m * x), spherical_jn(n, m * x, True)
    psim, dpsim = m * x * jm, jm + m * x * djm
    return (m * psim * dpsi - psi * dpsim) / (m * psim * dxi - xi * dpsim), (
        psim * dpsi - m * psi * dpsim
    ) / (psim * dxi - m * xi * dpsim)


def coated(x: float, y: float, m: complex) -> tuple[np.ndarray, np.ndarray]:
    """a_n and b_n of a conducting sphere of size x = ka in a coat of relative index m up to y = kb
    (the same, ch. 8, with the fields of a conductor at the inner sphere).
    """
    order = int(y + 4.05 * y ** (1 / 3) + 4)
    n = np.arange(1, order + 1)

    def riccati(z: complex) -> tuple[np.ndarray, ...]:
        j, dj = spherical_jn(n, z), spherical_jn(n, z, True)
        c, dc = -spherical_yn(n, z), -spherical_yn(n, z, True)
        return z * j, j + z * dj, z * c, c + z * dc

    psi, dpsi, chi, dchi = riccati(m * x)
    outer, douter, other, dother = riccati(m * y)
    te, dte = outer - psi / chi * other, douter - psi / chi * dother
    tm, dtm = outer - dpsi / dchi * other, douter - dpsi / dchi * dother
    psi, dpsi, chi, dchi = riccati(y)
    xi, dxi = psi - 1j * chi, dpsi - 1j * dchi
    return (psi * dtm - m * dpsi * tm) / (xi * dtm - m * dxi * tm), (m * psi * dte - dpsi * te) / (
        m * xi * dte - dxi * te
    )


def efficiencies(x: float, m: complex | None) -> tuple[float, float, float]:
    """Cross-sections over πa²: extinction, scattered, back."""
    a, b = coefficients(x, m)
    n = np.arange(1, len(a) + 1)
    extinction = 2 / x**2 * float(((2 * n + 1) * (a + b).real).sum())
    scattered = 2 / x**2 * float(((2 * n + 1) * (abs(a) ** 2 + abs(b) ** 2)).sum())
    return (
        extinction,
        scattered,
        float(abs(((2 * n + 1) * (-1.0) ** n * (a - b)).sum()) ** 2) / x**2,
    )


def amplitudes(x: float, m: complex | None, angle: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """S1 (field across the plane of scattering) and S2 (in it) at angles from the forward
    direction, rad; the cross-section is 4π|S|²/k².
    """
    return summed(*coefficients(x, m), angle)


def summed(a: np.ndarray, b: np.ndarray, angle: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The same of a_n and b_n."""
    mu = np.cos(angle)
    before, pi = np.zeros_like(mu), np.ones_like(mu)
    s1, s2 = np.zeros_like(mu, dtype=complex), np.zeros_like(mu, dtype=complex)
    for n in range(1, len(a) + 1):
        tau = n * mu * pi - (n + 1) * before
        share = (2 * n + 1) / (n * (n + 1))
        s1 += share * (a[n - 1] * pi + b[n - 1] * tau)
        s2 += share * (a[n - 1] * tau + b[n - 1] * pi)
        before, pi = pi, ((2 * n + 1) * mu * pi - (n + 1) * before) / n
    return s1, s2
