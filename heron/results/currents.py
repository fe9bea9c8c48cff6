"""Currents on surfaces, and what each part absorbs, under the drive of a dataset."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.fields.planes import Plane
from heron.fields.triangles import Triangles, of_edges, read

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

LOOKED = 5  # frequencies at which currents on triangles are compared
FACINGS = 8  # directions to either side of an axis that are told apart


@dataclass(frozen=True)
class SurfaceCurrent:
    """Pieces of metal, triangles or rectangles, by their ``corners`` (n, 3 or 4, 3) in m, which go
    round them, and the current per width on them: ``k`` (n, 3), A/m, peak. Pieces of one ``facing``
    (n,) lie in planes alike; of rectangles that is the axis across them. ``under`` says what goes
    with it, where that is not the drive.
    """

    frequency_hz: float
    corners: Floats
    facing: NDArray[np.int64]
    k: Complexes
    under: str = ""

    @property
    def middle(self) -> Floats:
        """(n, 3) m."""
        return np.asarray(self.corners.mean(axis=1))

    @property
    def low(self) -> Floats:
        """Lowest corners of rectangles (n, 3), m."""
        return np.asarray(self.corners.min(axis=1))

    @property
    def high(self) -> Floats:
        """Highest corners of rectangles (n, 3), m."""
        return np.asarray(self.corners.max(axis=1))


def _rectangles(low: Floats, high: Floats, normal: NDArray[np.int64]) -> Floats:
    """Corners (n, 4, 3) of rectangles across axes."""
    out = np.repeat(low[:, None], 4, axis=1)
    rows = np.arange(len(low))
    for side, corners in ((1, (1, 2)), (2, (2, 3))):
        along = (normal + side) % 3
        for corner in corners:
            out[rows, corner, along] = high[rows, along]
    return out


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
    """Hz, of a capture of surface currents; of triangles, some of the many."""
    if "edge_current" in results:
        f = results["frequency"].values
        picks = np.linspace(0, len(f) - 1, LOOKED).round().astype(int)
        return [float(f[i]) for i in sorted(set(picks.tolist()))]
    return [
        float(f) for f in results[f"surface {surface_names(results).index(name)} frequency"].values
    ]


def surface_names(results: xr.Dataset) -> list[str]:
    """Names of the surface currents that were recorded."""
    return [str(n) for n in np.ravel(results.attrs.get("surfaces", [])) if n]


def mode_names(results: xr.Dataset) -> list[str]:
    """Names by which the currents of characteristic modes are asked for."""
    return [f"mode {n + 1}" for n in range(results.sizes.get("mode", 0))]


def _of_mode(results: xr.Dataset, mode: int, frequency: float) -> SurfaceCurrent:
    """The current of a mode on all metal, radiating 1 W, where it was found next to a frequency."""
    f = results["mode_frequency"].values
    at = int(np.abs(f - frequency).argmin())
    edge = results["mode_current"].values[at, mode].astype(complex)
    own = of_edges(results, edge, np.zeros(results["drive"].size, dtype=complex))
    return replace(_pieces(results, own, "", float(f[at])), under="radiating 1 W")


def _on_triangles(results: xr.Dataset, at: int, frequency: float) -> SurfaceCurrent:
    """The current in the middles of triangles, of the part that capture number ``at`` asks for, or
    of all.
    """
    index = int(np.abs(results["frequency"].values - frequency).argmin())
    own = read(results, index, results["drive"].values)
    part = str(np.ravel(results.attrs["surface_parts"])[at])
    return _pieces(results, own, part, float(results["frequency"].values[index]))


def _pieces(results: xr.Dataset, own: Triangles, part: str, frequency: float) -> SurfaceCurrent:
    """Triangles of a part, or of all that carry a current, with it, and without images."""
    count = results.sizes["triangle"]
    kept = np.isin(np.arange(count), results["half_triangle"].values)
    if part:
        names = [str(n) for n in np.ravel(results.attrs["part_names"])]
        kept &= results["triangle_part"].values == names.index(part)
    corners = own.corners[:count][kept]
    k = own.density[:count, :, :, 0].mean(axis=1)[kept]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    # two sides of one plane are alike
    leads = np.abs(normal).argmax(axis=1)
    normal *= np.sign(normal[np.arange(len(normal)), leads])[:, None]
    facing = np.round(FACINGS * normal).astype(np.int64) @ np.array([1, 32, 1024])
    return SurfaceCurrent(frequency, corners, facing, k)


def surface_current(results: xr.Dataset, name: str, frequency: float) -> SurfaceCurrent:
    """A capture of surface currents at its frequency nearest to one in Hz, with what lies beyond
    mirror planes.

    Names of characteristic modes give theirs.

    :raises LookupError: the run has none of that name.
    """
    if name in mode_names(results):
        return _of_mode(results, mode_names(results).index(name), frequency)
    if name not in surface_names(results):
        raise LookupError(f"the run has no surface current “{name}”")
    at = surface_names(results).index(name)
    if "edge_current" in results:
        return _on_triangles(results, at, frequency)
    own = {n: results[f"surface {at}_{n}"].values for n in ("k", "low", "high", "normal")}
    known = results[f"surface {at} frequency"].values
    index = int(np.abs(known - frequency).argmin())
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
    return SurfaceCurrent(float(known[index]), _rectangles(low, high, normal), normal, k)


def absorbed(results: xr.Dataset) -> dict[str, Floats]:
    """Power (f,) in W that each part absorbs, of those that do."""
    if "part_loss_form" not in results:
        return {}
    a = results["drive"].values
    power = np.einsum("p,nfpq,q->nf", a.conj(), results["part_loss_form"].values, a).real
    return {str(name): power[n] for n, name in enumerate(results["lossy_part"].values)}
