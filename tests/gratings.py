"""Thin perfectly conducting strips without end, illuminated from straight above: Galerkin's method
with Chebyshev functions that have the edges' own singularities.

The spectral domain over Floquet modes: Mittra and Chan in Wait (ed.) and Richmond, IEEE Trans.
Antennas Propag. AP-28 (1980), from memory; the two polarisations are each other's complements
(Babinet), which the tests check first.
"""

from __future__ import annotations

import numpy as np
from scipy.special import jv


def reflection(
    period: float, width: float, wavelength: float, along: bool, order: int = 10, waves: int = 3000
) -> complex:
    """r at the strips' plane of a wave with E ``along`` the strips or across them; lengths in any
    one unit, the period below the wavelength.
    """
    k, m, half = 2 * np.pi / wavelength, np.arange(-waves, waves + 1), width / 2
    transverse = 2 * np.pi * m / period
    upright = np.sqrt((k**2 - transverse**2).astype(complex))
    upright = np.where(upright.imag > 0, -upright, upright)
    x = np.where(m == 0, 1e-9, transverse * half)
    if along:
        basis, green = [np.pi * half * 1j**n * jv(n, x) for n in range(order)], k / (2 * upright)
    else:
        basis, green = (
            [np.pi * half * (n + 1) * 1j**n * jv(n + 1, x) / x for n in range(order)],
            upright / (2 * k),
        )
    own = np.array(basis)
    current = np.linalg.solve((own * green) @ own.conj().T / period, own[:, waves])
    return complex(-green[waves] * (current @ own[:, waves].conj()) / period)
