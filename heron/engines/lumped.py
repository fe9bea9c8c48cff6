"""Lumped R, L and C as the engines see them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Element:
    """R (Ω), L (H) and C (F) in series, or ``parallel``; ``None`` for what is not there: a short in
    series, a break in parallel.
    """

    resistance: float | None
    inductance: float | None
    capacitance: float | None
    parallel: bool = False

    def impedance(self, frequency: NDArray[np.float64]) -> NDArray[np.complex128]:
        """Ω at frequencies (f,) above zero."""
        s = 2j * np.pi * np.asarray(frequency, dtype=float)
        r, ind, c = (
            np.zeros_like(s) if v is None else np.full_like(s, v)
            for v in (self.resistance, self.inductance, self.capacitance)
        )
        if not self.parallel:
            return np.asarray(r + s * ind + (0 if self.capacitance is None else 1 / (s * c)))
        admittance = (
            s * c
            + (0 if self.resistance is None else 1 / r)
            + (0 if self.inductance is None else 1 / (s * ind))
        )
        return np.asarray(1 / admittance)


class Networks:
    """What stands between ports and their gaps: nothing, or an element in series with the gap, or
    one across it.
    """

    def __init__(self, elements: list[Element | None]) -> None:
        self.elements = elements

    def series(self, frequency: NDArray[np.float64]) -> NDArray[np.complex128]:
        """Impedances (f, P) in series with the gaps, Ω."""
        return self._each(frequency, False)

    def shunt(self, frequency: NDArray[np.float64]) -> NDArray[np.complex128]:
        """Admittances (f, P) across the gaps, S."""
        return self._each(frequency, True)

    def _each(self, frequency: NDArray[np.float64], parallel: bool) -> NDArray[np.complex128]:
        out = np.zeros((len(frequency), len(self.elements)), dtype=complex)
        for p, what in enumerate(self.elements):
            if what is not None and what.parallel == parallel:
                z = what.impedance(frequency)
                out[:, p] = 1 / z if parallel else z
        return out

    def loss(
        self,
        frequency: NDArray[np.float64],
        gap_current: NDArray[np.complex128],
        port_voltage: NDArray[np.complex128],
    ) -> NDArray[np.complex128]:
        """Hermitian form (f, P, P) in W of what their resistors take, from currents in the gaps and
        voltages at the ports (f, P, waves) for unit incident waves.
        """
        in_series = np.einsum(
            "fnp,fn,fnq->fpq", gap_current.conj(), self.series(frequency).real, gap_current
        )
        return np.asarray(
            0.5
            * (
                in_series
                + np.einsum(
                    "fnp,fn,fnq->fpq", port_voltage.conj(), self.shunt(frequency).real, port_voltage
                )
            )
        )


def networks(feeds: list[Any]) -> Networks:
    """Those of evaluated feeds in the order of their ports."""
    return Networks(
        [
            None
            if f.network == "none"
            else Element(f.resistance, f.inductance, f.capacitance, f.network == "parallel")
            for f in feeds
        ]
    )


def element(step: Any) -> Element:
    """The element of an evaluated load."""
    return Element(step.resistance, step.inductance, step.capacitance, step.kind == "parallel")
