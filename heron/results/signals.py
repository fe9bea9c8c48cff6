"""Fields against time: captures of points and of pictures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Signals:
    """E (t, n, 3) in V/m, H likewise in A/m or none, at points (n, 3) and times (t,), while one
    port is driven by the incident wave ``pulse`` (t,), √W.
    """

    time: Floats
    pulse: Floats
    points: Floats
    e: Floats
    h: Floats | None


def trace_names(results: xr.Dataset) -> list[str]:
    """Names of the signals that were recorded."""
    return [str(n) for n in np.ravel(results.attrs.get("traces", [])) if n]


def signals(results: xr.Dataset, name: str, port: int = 0) -> Signals:
    """A capture against time while the port in that place is driven.

    :raises LookupError: the run has none of that name.
    """
    if name not in trace_names(results):
        raise LookupError(f"the run has no signals “{name}”")
    own = f"trace {trace_names(results).index(name)}"
    h = results[f"{own}_h"].values[port] if f"{own}_h" in results else None
    pulse = np.atleast_2d(results[f"{own}_pulse"].values)
    return Signals(
        results[f"{own}_time"].values,
        pulse[min(port, len(pulse) - 1)],
        results[f"{own}_at"].values,
        results[f"{own}_e"].values[port],
        h,
    )


def spectrum(time: Floats, values: Floats, frequency: Floats) -> Floats:
    """Magnitude (f, c) in dB below the largest of all, of signals (t, c) at times (t,) in s:
    Fourier integrals by the trapezoidal rule, floored at -120 dB.
    """
    weight = np.gradient(time)
    weight[[0, -1]] *= 0.5
    size = np.abs(np.exp(-2j * np.pi * np.outer(frequency, time)) @ (weight[:, None] * values))
    return np.asarray(20 * np.log10(np.maximum(size / max(float(size.max()), 1e-300), 1e-6)))
