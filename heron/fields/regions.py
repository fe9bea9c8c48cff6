"""Fields of metal and media: in each region of one medium those of the electric and magnetic
currents on its boundary, as in that medium alone; far away those of the region outside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.fields.triangles import Triangles, densities
from heron.quantities.constants import C0, ETA0

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]

HALF = 0.5  # turn of the solid angle from which on a point is within a boundary


@dataclass(frozen=True)
class Boundary:
    """Triangles (T, 3, 3) in m, ``electric`` currents (T, 3, 3, c) in A/m at their corners,
    ``magnetic`` ones over η0, the medium's relative constants, and the triangles that close about
    it, their normals outwards.
    """

    corners: Floats
    electric: Complexes
    magnetic: Complexes
    epsilon: complex = 1.0
    mu: complex = 1.0
    shell: Floats | None = None


class Regions:
    """Boundaries of regions, that outside first; above a ground plane with images."""

    def __init__(self, boundaries: Sequence[Boundary], ground: float | None) -> None:
        self.boundaries, self.ground = boundaries, ground
        self.electric = [Triangles(b.corners, b.electric, ground) for b in boundaries]
        # a plane mirrors magnetic currents the other way
        self.magnetic = [Triangles(b.corners, b.magnetic, ground, True) for b in boundaries]

    def reach(self) -> tuple[Floats, float]:
        """Centre (3,) and radius of what radiates, m."""
        return self.electric[0].reach()

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        """r·E e^(jkr) as (c, d, 2): θ and φ components in V, for directions θ, φ (d,) in
        radians.
        """
        e = self.electric[0].far_field(theta, phi, frequency)
        # of a magnetic current M = η0 J: H as is E of J, over η0, and E = η0 H × r̂
        dual = self.magnetic[0].far_field(theta, phi, frequency)
        return np.asarray(e + np.stack((dual[..., 1], -dual[..., 0]), axis=-1))

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """E (V/m) and H (A/m), each (c, n, 3), at points (n, 3)."""
        within = self._within(points)
        e = np.empty((self.boundaries[0].electric.shape[3], len(points), 3), dtype=complex)
        h = np.empty_like(e)
        for region, of in enumerate(self.boundaries):
            here = within == region
            if not here.any():
                continue
            at, medium = points[here], (of.epsilon, of.mu)
            own = self.electric[region].near_field(at, frequency, *medium)
            # M = η0 J: its H is E of J with ε and μ exchanged, over η0; its E is −η0 H of J
            dual = self.magnetic[region].near_field(at, frequency, of.mu, of.epsilon)
            e[:, here] = own[0] - ETA0 * dual[1]
            h[:, here] = own[1] + dual[0] / ETA0
        return e, h

    def _within(self, points: Floats) -> Ints:
        """(n,) the region in which each point is."""
        out = np.zeros(len(points), dtype=np.int64)
        for region, of in enumerate(self.boundaries):
            if of.shell is None:
                continue
            shell = of.shell
            if self.ground is not None:
                image = shell[:, ::-1] * np.array([1.0, 1.0, -1.0])
                shell = np.concatenate((shell, image + np.array([0.0, 0.0, 2 * self.ground])))
            out[turns(np.ascontiguousarray(shell), np.ascontiguousarray(points)) > HALF] = region
        return out


class LitRegions(Regions):
    """The same under plane waves of ``level`` (q,) V/m at the origin, which travel along
    ``travels`` with fields along ``electric`` (q, 3): near fields outside are theirs and what is
    scattered.
    """

    def __init__(
        self,
        boundaries: Sequence[Boundary],
        level: Complexes,
        travels: Floats,
        electric: Floats,
    ) -> None:
        super().__init__(boundaries, None)
        self.level, self.travels, self.along = level, travels, electric

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        e, h = super().near_field(points, frequency)
        outside = self._within(points) == 0
        phase = self.level * np.exp(-2j * np.pi * frequency / C0 * points[outside] @ self.travels.T)
        e[:, outside] += phase @ self.along
        h[:, outside] += phase @ np.cross(self.travels, self.along) / ETA0
        return e, h


@njit(cache=True, parallel=True, nogil=True)  # type: ignore[untyped-decorator]
def turns(corners: Floats, points: Floats) -> Floats:
    """(n,) solid angle over 4π under which each point sees triangles (T, 3, 3) from inside (Van
    Oosterom and Strackee, IEEE Trans. Biomed. Eng. 30, 125, 1983).
    """
    out = np.zeros(len(points))
    for n in prange(len(points)):
        total = 0.0
        for t in range(len(corners)):
            ax = corners[t, 0, 0] - points[n, 0]
            ay = corners[t, 0, 1] - points[n, 1]
            az = corners[t, 0, 2] - points[n, 2]
            bx = corners[t, 1, 0] - points[n, 0]
            by = corners[t, 1, 1] - points[n, 1]
            bz = corners[t, 1, 2] - points[n, 2]
            cx = corners[t, 2, 0] - points[n, 0]
            cy = corners[t, 2, 1] - points[n, 1]
            cz = corners[t, 2, 2] - points[n, 2]
            a = np.sqrt(ax * ax + ay * ay + az * az)
            b = np.sqrt(bx * bx + by * by + bz * bz)
            c = np.sqrt(cx * cx + cy * cy + cz * cz)
            triple = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
            below = (
                a * b * c
                + (ax * bx + ay * by + az * bz) * c
                + (bx * cx + by * cy + bz * cz) * a
                + (cx * ax + cy * ay + cz * az) * b
            )
            total += 2 * np.arctan2(triple, below)
        out[n] = total / (4 * np.pi)
    return out


def read(results: xr.Dataset, index: int, incident: Complexes) -> Regions:
    """The currents of a run under incident waves (P,) at sweep point ``index``."""
    edge = incident @ results.variables["edge_current"].values[index]
    triangle = results.variables["triangle"].values
    corners = np.ascontiguousarray(results.variables["vertex"].values[triangle])
    sides = results.variables["triangle_sides"].values
    epsilon = results.variables["region_permittivity"].values[index]
    mu = results.variables["region_permeability"].values[index]
    boundaries = []
    for region in range(len(epsilon)):
        electric = _density(results, "electric", region, corners, edge)
        magnetic = _density(results, "magnetic", region, corners, edge)
        own = (sides == region).any(axis=1)
        out, inwards = sides[:, 0] == region, sides[:, 1] == region
        shell = np.concatenate((corners[out & ~inwards], corners[inwards & ~out][:, ::-1]))
        boundaries.append(
            Boundary(
                corners[own],
                electric[own],
                magnetic[own],
                complex(epsilon[region]),
                complex(mu[region]),
                shell if region else None,
            )
        )
    if "travels" in results:
        ways = (results.variables[name].values for name in ("travels", "electric"))
        return LitRegions(boundaries, incident, *ways)
    ground = None if results.attrs["ground"] == "none" else float(results.attrs["ground"])
    return Regions(boundaries, ground)


def _density(
    results: xr.Dataset, sort: str, region: int, corners: Floats, edge: Complexes
) -> Complexes:
    """Currents (T, 3, 3, 1) at the corners of triangles, of the functions of a region."""
    own = {
        name: results.variables[f"{sort}_{name}"].values
        for name in ("function", "triangle", "corner", "factor", "region")
    }
    here = own["region"] == region
    half = (own["factor"] * edge[own["function"]])[here, None]
    return densities(corners, own["triangle"][here], own["corner"][here], half)
