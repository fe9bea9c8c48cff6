"""Directivity of pyramidal horns by Fresnel integrals over their aperture (Balanis, *Antenna
Theory*, ch. 13).
"""

from __future__ import annotations

import numpy as np
from scipy.special import fresnel

C0 = 299792458.0
WR90 = 22.86e-3, 10.16e-3  # IEC 60153: R 100


def pyramidal_dbi(
    frequency: float,
    a1: float,
    b1: float,
    flare: float,
    guide: tuple[float, float] = WR90,
) -> float:
    """dBi along the axis, of a horn on a guide, WR-90 by default, that opens to ``a1`` by ``b1``
    over ``flare``, m.
    """
    wavelength = C0 / frequency
    far_h, far_e = flare * a1 / (a1 - guide[0]), flare * b1 / (b1 - guide[1])
    root = np.sqrt(wavelength * far_h)
    (s1, c1), (s2, c2), (s3, c3) = (
        fresnel(x)
        for x in (
            (root / a1 + a1 / root) / np.sqrt(2),
            (root / a1 - a1 / root) / np.sqrt(2),
            b1 / np.sqrt(2 * wavelength * far_e),
        )
    )
    return float(
        10
        * np.log10(
            8
            * np.pi
            * far_e
            * far_h
            / (a1 * b1)
            * ((c1 - c2) ** 2 + (s1 - s2) ** 2)
            * (c3**2 + s3**2)
        )
    )
