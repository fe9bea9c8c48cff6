"""Where the power goes, under the drive of a dataset or any other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class Budget:
    """Powers (f,) in W. Accepted is net over all ports, so power that leaves by a terminated port
    is not accepted.
    """

    available: Floats
    accepted: Floats
    radiated: Floats
    conductor: Floats
    dielectric: Floats
    loads: Floats

    @property
    def balance_error(self) -> Floats:
        """(accepted - radiated - losses) / accepted; NaN where nothing is accepted."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(
                (self.accepted - self.radiated - self.conductor - self.dielectric - self.loads)
                / self.accepted
            )

    @property
    def radiation_efficiency(self) -> Floats:
        """Radiated over accepted (IEEE Std 145)."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(self.radiated / self.accepted)

    @property
    def total_efficiency(self) -> Floats:
        """Radiated over available."""
        return np.asarray(self.radiated / self.available)


def budget(results: xr.Dataset, incident: Complexes | None = None) -> Budget:
    """Power budget for incident waves (P,), those of the feeds by default."""
    a = results["drive"].values if incident is None else incident
    b = results["s"].values @ a
    n = len(b)

    def form(name: str) -> Floats:
        return np.asarray(np.einsum("p,fpq,q->f", a.conj(), results[name].values, a).real)

    available = float(0.5 * np.vdot(a, a).real)
    return Budget(
        np.full(n, available),
        available - 0.5 * (np.abs(b) ** 2).sum(axis=1),
        form("radiated_form"),
        form("conductor_loss_form"),
        form("dielectric_loss_form") if "dielectric_loss_form" in results else np.zeros(n),
        form("load_loss_form"),
    )
