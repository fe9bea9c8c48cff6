"""Good conductors and the impedance per length of a round wire."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.quantities.constants import MU0


@dataclass(frozen=True)
class Conductor:
    """A non-magnetic conductor; ``conductivity`` in S/m, infinite for a perfect one.

    ``thickness`` (m) of sheets made of it, infinite for thick ones; rms ``roughness`` (m) of its
    surface.
    """

    name: str
    conductivity: float
    source: str = ""
    thickness: float = float("inf")
    roughness: float = 0.0

    def surface_resistance(self, frequency: float) -> float:
        """Resistance per square of one side, Ω; 0 for a perfect conductor.

        Re γ/σ coth(γt) of a sheet with a field on one side (Ramo, Whinnery, Van Duzer, plane
        conductors), times 1 + 2/π atan(1.4 (Δ/δ)²) for a surface of rms roughness Δ (Hammerstad and
        Jensen 1980).
        """
        if not np.isfinite(self.conductivity):
            return 0.0
        depth = 1 / np.sqrt(np.pi * frequency * MU0 * self.conductivity)
        gamma = (1 + 1j) / depth
        plain = (
            gamma / self.conductivity
            if not np.isfinite(self.thickness)
            else gamma / self.conductivity / np.tanh(gamma * self.thickness)
        )
        return float(plain.real * (1 + 2 / np.pi * np.arctan(1.4 * (self.roughness / depth) ** 2)))

    def wire_impedance(self, frequency: float, radius: float) -> complex:
        """Internal impedance per length of a round wire, Ω/m, exp(+jωt).

        Z' = γ I0(γa) / (2πaσ I1(γa)) with γ = √(jωμ0σ): Ramo, Whinnery, Van Duzer,
        *Fields and Waves in Communication Electronics*, round wires. Scaled Bessel
        functions keep the ratio finite when the radius is many skin depths.
        """
        from scipy.special import ive

        if not np.isfinite(self.conductivity):
            return 0j
        gamma = np.sqrt(2j * np.pi * frequency * MU0 * self.conductivity)
        argument: NDArray[np.complex128] = np.asarray(gamma * radius)
        ratio = ive(0, argument) / ive(1, argument)
        return complex(gamma * ratio / (2 * np.pi * radius * self.conductivity))


PERFECT = Conductor("perfect conductor", float("inf"), "by definition")

# Conductivities at 20 °C; from memory, as tabulated in Pozar, Microwave Engineering, appendix F.
LIBRARY: dict[str, Conductor] = {
    c.name: c
    for c in (
        PERFECT,
        Conductor("copper", 5.813e7, "Pozar, appendix F, from memory"),
        Conductor("silver", 6.173e7, "Pozar, appendix F, from memory"),
        Conductor("gold", 4.098e7, "Pozar, appendix F, from memory"),
        Conductor("aluminium", 3.816e7, "Pozar, appendix F, from memory"),
        Conductor("brass", 2.564e7, "Pozar, appendix F, from memory"),
        Conductor("stainless steel", 1.1e6, "Pozar, appendix F, from memory"),
    )
}
