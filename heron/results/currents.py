"""Currents on surfaces, and what each part absorbs, under the drive of a dataset."""

from __future__ import annotations

import json
from dataclasses import dataclass

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.fields.planes import Plane

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class SurfaceCurrent:
    """Rectangles of the grid on metal, from ``low`` to ``high`` (n, 3) in m, and the current per
    width on them: ``k`` (n, 3), A/m, peak.
    """

    frequency_hz: float
    low: Floats
    high: Floats
    normal: NDArray[np.int64]
    k: Complexes

    @property
    def middle(self) -> Floats:
        """(n, 3) m."""
        return np.asarray((self.low + self.high) / 2)


def along_wires(results: xr.Dataset, index: int, spans: Floats) -> Complexes:
    """Current (parts, spans) in A peak at fractions of the lengths of wires, under the drive at a
    sweep point.
    """
    current = np.einsum("p,psi->si", results["drive"].values, results["current"].values[index])
    part, at = results["segment_part"].values, results["segment_span"].values
    out = np.zeros((len(np.ravel(results.attrs["part_names"])), len(spans)), dtype=complex)
    for k in range(len(out)):
        x, y = at[part == k].ravel(), current[part == k].ravel()
        if len(x):
            order = np.argsort(x, kind="stable")
            out[k] = np.interp(spans, x[order], y[order].real) + 1j * np.interp(
                spans, x[order], y[order].imag
            )
    return out


def frequencies(results: xr.Dataset, name: str) -> list[float]:
    """Hz, of a capture of surface currents."""
    return [
        float(f) for f in results[f"surface {surface_names(results).index(name)} frequency"].values
    ]


def surface_names(results: xr.Dataset) -> list[str]:
    """Names of the surface currents that were recorded."""
    return [str(n) for n in np.ravel(results.attrs.get("surfaces", [])) if n]


def surface_current(results: xr.Dataset, name: str, frequency: float) -> SurfaceCurrent:
    """A capture of surface currents at its frequency nearest to one in Hz, with what lies beyond
    mirror planes.

    :raises LookupError: the run has none of that name.
    """
    if name not in surface_names(results):
        raise LookupError(f"the run has no surface current “{name}”")
    at = surface_names(results).index(name)
    own = {n: results[f"surface {at}_{n}"].values for n in ("k", "low", "high", "normal")}
    frequencies = results[f"surface {at} frequency"].values
    index = int(np.abs(frequencies - frequency).argmin())
    low, high, normal = own["low"], own["high"], own["normal"].astype(np.int64)
    sides = np.einsum("p,pns->ns", results["drive"].values, own["k"][index])
    k = np.zeros((len(normal), 3), dtype=complex)
    rows = np.arange(len(normal))
    for side in (0, 1):
        k[rows, (normal + 1 + side) % 3] = sides[:, side]
    for plane in (Plane(*p) for p in json.loads(results.attrs["planes"])):
        if plane.doubles:
            # carries the current of both sides and has no image
            within = (normal == plane.axis) & (low[:, plane.axis] == plane.at)
            k[within] *= 1 + plane.signs(not plane.magnetic)
            image = [corner[~within] for corner in (low, high)]
            for corner in image:
                corner[:, plane.axis] = 2 * plane.at - corner[:, plane.axis]
            low, high = np.vstack((low, np.minimum(*image))), np.vstack((high, np.maximum(*image)))
            normal, k = (
                np.concatenate((normal, normal[~within])),
                np.vstack((k, k[~within] * plane.signs(not plane.magnetic))),
            )
    return SurfaceCurrent(float(frequencies[index]), low, high, normal, k)


def absorbed(results: xr.Dataset) -> dict[str, Floats]:
    """Power (f,) in W that each part absorbs, of those that do."""
    if "part_loss_form" not in results:
        return {}
    a = results["drive"].values
    power = np.einsum("p,nfpq,q->nf", a.conj(), results["part_loss_form"].values, a).real
    return {str(name): power[n] for n, name in enumerate(results["lossy_part"].values)}
