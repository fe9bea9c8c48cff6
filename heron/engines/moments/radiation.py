"""Fields of wire currents: far and near, with the ground plane's images."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from heron.discretise import WireMesh
from heron.engines.moments import kernels
from heron.engines.moments.system import Complexes, Floats
from heron.quantities.constants import C0, EPS0, ETA0, MU0


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
        kernels.far_vector(
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
        kernels.near_fields(
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


def sphere_rule(radius: float, frequency: float, half: bool) -> tuple[Floats, Floats, Floats]:
    """θ, φ (d,) and weights (d,) of a product rule exact for the power pattern of a source within
    ``radius``.

    A field of size a has spherical harmonics up to about ka + 6 + 2 (ka)^(1/3) (Hansen, *Spherical
    Near-Field Antenna Measurements*, ch. 2, with a margin); its power twice that.
    """
    ka = 2 * np.pi * frequency / C0 * radius
    order = int(np.ceil(ka + 6 + 2 * np.cbrt(ka)))
    nodes, weights = np.polynomial.legendre.leggauss(order + 1)
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
