"""Plane waves that make up a wave that illuminates a model: one, or the many of a beam."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.quantities.constants import ETA0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class Rays:
    """Plane waves that make up a wave: unit vectors ``travels`` and ``electric`` (q, 3), sines
    ``tilt`` (q,) of their angles with the middle one, number ``middle``, at even distances
    ``spacing`` along both ways across it; a radius ``waist`` in m (1/e of the field) at ``focus``
    (3,) m. A plane wave is one ray.
    """

    travels: Floats
    electric: Floats
    tilt: Floats
    middle: int
    spacing: float
    focus: Floats
    waist: float

    def amplitudes(self, k: float) -> Complexes:
        """(q,) V/m at the origin, for 1 V/m and phase zero at the focus, at a wave number in
        rad/m.
        """
        level = np.exp(-((k * self.tilt * self.waist / 2) ** 2))
        level = level / (level @ (self.electric @ self.electric[self.middle]))
        return np.asarray(level * np.exp(1j * k * (self.travels @ self.focus)))

    def power(self, k: float, admittance: float) -> float:
        """W in all of the beam, at a wave number in rad/m and in a medium of relative
        ``admittance``: Parseval's theorem. Infinite of a plane wave.
        """
        if not self.waist:
            return float("inf")
        period = 2 * np.pi / (k * self.spacing)
        return float(
            (np.abs(self.amplitudes(k)) ** 2 * np.sqrt(1 - self.tilt**2)).sum()
            * period**2
            * admittance
            / (2 * ETA0)
        )


def one_ray(travels: Floats, electric: Floats) -> Rays:
    """A plane wave, of 1 V/m at the origin."""
    return Rays(travels[None], electric[None], np.zeros(1), 0, 0.0, np.zeros(3), 0.0)


def kept_rays(rays: Rays, number: int) -> dict[str, Any]:
    """What a dataset holds of the rays of illumination ``number``."""
    own = (f"beam {number} ray",)
    note = json.dumps(
        {
            "focus": rays.focus.tolist(),
            "waist": rays.waist,
            "spacing": rays.spacing,
            "middle": rays.middle,
        }
    )
    return {
        f"beam {number}_travels": ((*own, "axis"), rays.travels, {"of": note}),
        f"beam {number}_electric": ((*own, "axis"), rays.electric),
    }


def rays_in(results: xr.Dataset, light: int) -> Rays:
    """The rays of an illumination of a run."""
    if f"beam {light}_travels" not in results:
        return one_ray(results["travels"].values[light], results["electric"].values[light])
    travels, of = (
        results[f"beam {light}_travels"].values,
        json.loads(results[f"beam {light}_travels"].attrs["of"]),
    )
    tilt = np.sqrt(np.clip(1 - (travels @ travels[of["middle"]]) ** 2, 0, 1))
    return Rays(
        travels,
        results[f"beam {light}_electric"].values,
        tilt,
        of["middle"],
        of["spacing"],
        np.array(of["focus"]),
        of["waist"],
    )
