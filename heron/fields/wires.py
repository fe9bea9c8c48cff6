"""Fields of wire currents: far and near, with the ground plane's images."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.discretise import WireMesh
from heron.quantities.constants import C0, EPS0, ETA0, MU0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FOUR_PI = 4.0 * np.pi
_G2, _W2 = (
    0.5 * (np.polynomial.legendre.leggauss(2)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(2)[1],
)
_G4, _W4 = (
    0.5 * (np.polynomial.legendre.leggauss(4)[0] + 1),
    0.5 * np.polynomial.legendre.leggauss(4)[1],
)


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _far_vector(
    start: Floats,
    end: Floats,
    radius: Floats,
    currents: NDArray[np.complex128],
    directions: Floats,
    k: float,
    out: NDArray[np.complex128],
) -> None:
    """∫ I t e^(+jk r̂·r') ds' for directions (d, 3) and end currents (c, n, 2) that flow evenly
    round their tubes: fills ``out`` (c, d, 3).

    Round a tube the mean of the phase is J0(k a sin α), α between the direction and the tube.
    """
    for d in prange(len(directions)):
        for c in range(len(currents)):
            out[c, d] = 0j
        for s in range(len(start)):
            dx, dy, dz = end[s, 0] - start[s, 0], end[s, 1] - start[s, 1], end[s, 2] - start[s, 2]
            along = directions[d, 0] * dx + directions[d, 1] * dy + directions[d, 2] * dz
            turned = (
                0.25
                * (k * radius[s]) ** 2
                * max(0.0, 1 - along * along / (dx * dx + dy * dy + dz * dz))
            )
            ring = 1 - turned * (1 - 0.25 * turned)
            for g in range(2):
                t = _G2[g]
                phase = k * (
                    directions[d, 0] * (start[s, 0] + t * dx)
                    + directions[d, 1] * (start[s, 1] + t * dy)
                    + directions[d, 2] * (start[s, 2] + t * dz)
                )
                wave = ring * _W2[g] * complex(np.cos(phase), np.sin(phase))
                for c in range(len(currents)):
                    value = wave * (currents[c, s, 0] * (1 - t) + currents[c, s, 1] * t)
                    out[c, d, 0] += value * dx
                    out[c, d, 1] += value * dy
                    out[c, d, 2] += value * dz


@njit(cache=True, parallel=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _near_fields(
    start: Floats,
    end: Floats,
    radius: Floats,
    currents: NDArray[np.complex128],
    points: Floats,
    k: float,
    e_factor: complex,
    charge_factor: complex,
    e: NDArray[np.complex128],
    h: NDArray[np.complex128],
) -> None:
    """E and H (c, n, 3) at points (n, 3), added to what is there.

    E = -jωμ ∫ I t G ds' - (1/jωε)·(-1)·∫ (dI/ds') ∇G ds' with ``e_factor`` = -jωμ/4π and
    ``charge_factor`` = 1/(jωε 4π); H = (1/4π) ∫ ∇G × t I ds'. Panels are halved towards the point.
    """
    for n in prange(len(points)):
        for s in range(len(start)):
            d = end[s] - start[s]
            length = np.sqrt(np.dot(d, d))
            t = d / length
            r0 = points[n] - start[s]
            along = np.dot(r0, t)
            lateral = np.sqrt(max(0.0, np.dot(r0, r0) - along * along))
            foot = min(length, max(0.0, along))
            distance = np.sqrt(lateral * lateral + (along - foot) ** 2 + radius[s] ** 2)
            # Panels grow geometrically from the foot of the perpendicular.
            for side in range(2):
                span = length - foot if side == 0 else foot
                direction = 1.0 if side == 0 else -1.0
                low = 0.0
                while low < span * (1 - 1e-12):
                    high = min(span, low + max(2.0 * distance, 1.5 * low))
                    for g in range(4):
                        at = foot + direction * (low + (high - low) * _G4[g])
                        w = (high - low) * _W4[g]
                        x = r0[0] - at * t[0]
                        y = r0[1] - at * t[1]
                        z = r0[2] - at * t[2]
                        rr = x * x + y * y + z * z + radius[s] ** 2
                        r = np.sqrt(rr)
                        wave = complex(np.cos(k * r), -np.sin(k * r)) / r
                        slope = -(1 + 1j * k * r) * wave / rr  # (1/R) dG/dR · 4π
                        for c in range(len(currents)):
                            i0, i1 = currents[c, s, 0], currents[c, s, 1]
                            current = i0 + (i1 - i0) * (at / length)
                            axial = w * e_factor * current * wave
                            charge = w * charge_factor * (i1 - i0) / length * slope
                            e[c, n, 0] += axial * t[0] + charge * x
                            e[c, n, 1] += axial * t[1] + charge * y
                            e[c, n, 2] += axial * t[2] + charge * z
                            turn = w * current * slope / FOUR_PI
                            h[c, n, 0] += turn * (y * t[2] - z * t[1])
                            h[c, n, 1] += turn * (z * t[0] - x * t[2])
                            h[c, n, 2] += turn * (x * t[1] - y * t[0])
                    low = high


class Sources:
    """Segments with end currents, images appended.

    :param currents: (c, n, 2) A along the segments.
    """

    def __init__(
        self, start: Floats, end: Floats, radius: Floats, currents: Complexes, ground: float | None
    ) -> None:
        self.start, self.end, self.radius = start, end, radius
        self.currents = np.ascontiguousarray(currents)
        if ground is not None:
            flip = np.array([1.0, 1.0, -1.0])
            up = np.array([0.0, 0.0, 2 * ground])
            self.start = np.vstack((start, start * flip + up))
            self.end = np.vstack((end, end * flip + up))
            self.radius = np.concatenate((radius, radius))
            self.currents = np.concatenate((self.currents, -self.currents), axis=1)

    def reach(self) -> tuple[Floats, float]:
        """Centre (3,) and radius of what radiates, m."""
        ends = np.vstack((self.start, self.end))
        centre = (ends.min(axis=0) + ends.max(axis=0)) / 2
        return centre, float(np.linalg.norm(ends - centre, axis=1).max())

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        """r·E e^(jkr) as (c, d, 2): θ and φ components in V, for directions θ, φ (d,) in
        radians.
        """
        omega = 2 * np.pi * frequency
        st, ct, sp, cp = np.sin(theta), np.cos(theta), np.sin(phi), np.cos(phi)
        directions = np.column_stack((st * cp, st * sp, ct))
        vector = np.empty((len(self.currents), len(directions), 3), dtype=complex)
        _far_vector(
            self.start, self.end, self.radius, self.currents, directions, omega / C0, vector
        )
        factor = -1j * omega * MU0 / (4 * np.pi)
        e_theta = vector[..., 0] * ct * cp + vector[..., 1] * ct * sp - vector[..., 2] * st
        e_phi = -vector[..., 0] * sp + vector[..., 1] * cp
        return np.asarray(factor * np.stack((e_theta, e_phi), axis=-1))

    def near_field(self, points: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """E (V/m) and H (A/m), each (c, n, 3), at points (n, 3)."""
        omega = 2 * np.pi * frequency
        e = np.zeros((len(self.currents), len(points), 3), dtype=complex)
        h = np.zeros_like(e)
        _near_fields(
            self.start,
            self.end,
            self.radius,
            self.currents,
            np.ascontiguousarray(points),
            omega / C0,
            -1j * omega * MU0 / (4 * np.pi),
            1 / (1j * omega * EPS0 * 4 * np.pi),
            e,
            h,
        )
        return e, h


@lru_cache(maxsize=256)
def _gauss(count: int) -> tuple[Floats, Floats]:
    """Nodes and weights from −1 to 1, the same for most frequencies of a sweep."""
    return np.polynomial.legendre.leggauss(count)


def sphere_rule(radius: float, frequency: float, half: bool) -> tuple[Floats, Floats, Floats]:
    """θ, φ (d,) and weights (d,) of a product rule exact for the power pattern of a source within
    ``radius``.

    A field of size a has spherical harmonics up to about ka + 6 + 2 (ka)^(1/3) (Hansen, *Spherical
    Near-Field Antenna Measurements*, ch. 2, with a margin); its power twice that.
    """
    ka = 2 * np.pi * frequency / C0 * radius
    order = int(np.ceil(ka + 6 + 2 * np.cbrt(ka)))
    nodes, weights = _gauss(order + 1)
    if half:
        nodes, weights = 0.5 * (nodes + 1), 0.5 * weights
    count = 2 * order + 2
    phi = 2 * np.pi * np.arange(count) / count
    theta = np.arccos(nodes)
    return (
        np.repeat(theta, count),
        np.tile(phi, len(theta)),
        np.repeat(weights, count) * 2 * np.pi / count,
    )


def radiated_power(mesh: WireMesh, currents: Complexes, frequency: float) -> NDArray[np.complex128]:
    """Hermitian form (P, P) in W: aᴴ M a is the power radiated under incident waves a.

    :param currents: (P, n, 2) A for unit incident waves.
    """
    extent = mesh.nodes - mesh.nodes.mean(axis=0)
    radius = float(np.linalg.norm(extent, axis=1).max())
    if mesh.ground is not None:
        radius += float(np.abs(mesh.nodes[:, 2] - mesh.ground).max())
    theta, phi, weight = sphere_rule(radius, frequency, mesh.ground is not None)
    sources = Sources(mesh.start, mesh.end, mesh.radius, currents, mesh.ground)
    field = sources.far_field(theta, phi, frequency)
    return np.asarray(np.einsum("pdc,d,qdc->pq", field.conj(), weight, field) / (2 * ETA0))


def read(results: xr.Dataset, index: int, incident: Complexes) -> Sources:
    """The currents of a run under incident waves (P,) at sweep point ``index``."""
    currents = np.einsum("p,psi->si", incident, results["current"].values[index])[None]
    ground = None if results.attrs["ground"] == "none" else float(results.attrs["ground"])
    return Sources(
        results["segment_start"].values,
        results["segment_end"].values,
        results["segment_radius"].values,
        currents,
        ground,
    )
