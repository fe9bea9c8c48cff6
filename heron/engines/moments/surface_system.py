"""The linear system of triangles: matrix, right-hand sides, circuit elements."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.engines.lumped import Element, Networks
from heron.engines.moments import triangle_static, triangle_turns, triangle_waves
from heron.engines.moments.compressed import NotSolved
from heron.engines.moments.large import Large
from heron.engines.moments.linear import port_solution, solved
from heron.engines.moments.surface_basis import SurfaceBasis, surface_basis
from heron.errors import ModelError
from heron.excitation.waves import PlaneWave
from heron.fields.radiated import radiated_power
from heron.fields.source import FieldSource
from heron.fields.triangles import RULE_3, RULE_7, Triangles
from heron.materials import Conductor
from heron.quantities.constants import C0, EPS0, ETA0, MU0

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]


TURNS_ORDER = 4  # of rules for pairs that touch in the magnetic-field equation
# share of the electric-field equation where both are combined: with more of the other one, the
# power that spheres scatter is further off what they take
ELECTRIC = 0.8
COMPRESSED_FROM = 8000  # unknowns: a whole matrix is quicker below
COMBINED_FROM = 14_000  # the same of both equations, whose compressed matrix is not symmetric
FEW, FINEST = 0.1, 40.0  # of the triangles; sides of them to the wavelength
MOST_WHOLE = 18_000  # unknowns of a matrix of 5 GB
MARGIN = 0.8  # of the lowest resonance of the inside: from there on both are combined


@dataclass(frozen=True)
class Surface:
    """What a part is made of: a solid, whose current flows on one side, a sheet, whose current is
    taken to flow on both alike, or the strip of a wire of ``radius`` m and ``width`` m.
    """

    conductor: Conductor
    solid: bool = False
    radius: float = 0.0
    width: float = 0.0

    def impedance(self, frequency: float) -> complex:
        """Tangential field over current per width, Ω."""
        return self.side(frequency) * (1.0 if self.solid else 0.5)

    def side(self, frequency: float) -> complex:
        """The same of the current on one side alone."""
        if self.radius:
            return 2 * self.width * self.conductor.wire_impedance(frequency, self.radius)
        return self.conductor.surface_resistance(frequency)


def compresses(mesh: SurfaceMesh, unknowns: int, frequency: float, combined: bool) -> bool:
    """Whether a matrix is worth compressing: there are many unknowns, and few of the triangles are
    far smaller than the wave asks for, as then steps towards the solution go slowly, unless there
    is no other way.
    """
    if unknowns < (COMBINED_FROM if combined else COMPRESSED_FROM):
        return False
    small = float(np.quantile(mesh.longest_side, FEW))
    return unknowns > MOST_WHOLE or small > C0 / frequency / FINEST


class _Near:
    """Pairs of near triangles, or of triangles and images."""

    def __init__(self, mesh: SurfaceMesh, image: bool) -> None:
        self.image = image
        mirror = mesh.ground or 0.0
        counts = triangle_static.count_near(mesh.centre, mesh.radius, mirror, image)
        self.offsets = np.concatenate(([0], np.cumsum(counts))).astype(np.int64)
        self.partner = np.empty(self.offsets[-1], dtype=np.int64)
        self.values = np.empty((self.offsets[-1], triangle_static.KEPT))
        triangle_static.near_static(
            mesh.corners,
            mesh.triangles,
            mesh.grounded,
            mesh.centre,
            mesh.radius,
            self.offsets,
            mirror,
            image,
            *triangle_static.touching_rules(),
            RULE_7,
            self.partner,
            self.values,
        )


class SurfaceSystem:
    """Geometry tables made once; ``solve`` gives the port solution at one frequency.

    :param conductors: of the mesh's parts, in their order, and the widths in m of those that are
        strips in the place of wires (0: none).
    :param feeds: ports in the order of their numbers; ``loads`` with what stands in them;
        ``networks`` between ports and feeds.
    """

    def __init__(
        self,
        mesh: SurfaceMesh,
        conductors: Sequence[Surface],
        feeds: Sequence[SurfaceGap],
        loads: Sequence[tuple[SurfaceGap, Element]],
        networks: Networks | None = None,
    ) -> None:
        self.mesh, self.conductors = mesh, conductors
        self.networks = networks or Networks([None] * len(feeds))
        self.feeds = feeds
        self.basis = self.functions()
        self.ports = np.array([self.basis.gap(mesh, g) for g in feeds]).reshape(
            len(feeds), self.basis.size
        )
        self.drives = self.ports  # right-hand sides of 1 V at each
        self.loads = [(self.basis.gap(mesh, g), what) for g, what in loads]
        self.near = [_Near(mesh, False)]
        if mesh.ground is not None:
            self.near.append(_Near(mesh, True))
        self.compresses = True  # until that is found not to do
        self.matrix_error = self.residual = 0.0  # of compressed matrices so far
        self.blocks, self.block_offsets, self.members = _blocks(self.basis, get_num_threads())

    def functions(self) -> SurfaceBasis:
        """The unknowns' functions."""
        return surface_basis(self.mesh)

    def outer(self, frequency: float) -> Complexes:
        """(m, m) symmetric impedance matrix, Ω, of surfaces that conduct perfectly, unloaded."""
        omega = 2 * np.pi * frequency
        b, mesh = self.basis, self.mesh
        out = np.zeros((b.size, b.size), dtype=complex)
        for near in self.near:
            triangle_waves.fill_matrix(
                mesh.corners,
                mesh.area,
                mesh.centre,
                mesh.radius,
                b.uses,
                b.function,
                b.factor,
                self.blocks,
                self.block_offsets,
                self.members,
                near.offsets,
                near.partner,
                near.values,
                omega / C0,
                1j * omega * MU0 / (4 * np.pi),
                1 / (1j * omega * EPS0 * 4 * np.pi),
                mesh.ground or 0.0,
                near.image,
                RULE_7,
                RULE_3,
                out,
            )
        triangle_waves.add_transpose(out)
        return out

    def matrix(self, frequency: float, combined: bool = False) -> Complexes:
        """(m, m) impedance matrix, Ω: symmetric, or ``combined`` with the magnetic-field equation
        in the rows of functions on closed surfaces.
        """
        out = self.unloaded(frequency)
        for (vector, _), z in zip(self.loads, self.load_impedances(frequency), strict=True):
            used = np.flatnonzero(vector)
            out[np.ix_(used, used)] += z * np.outer(vector[used], vector[used])
        return self._combined(out, 2 * np.pi * frequency / C0) if combined else out

    def unloaded(self, frequency: float) -> Complexes:
        """(m, m) symmetric impedance matrix, Ω, without loads."""
        out = self.outer(frequency)
        row, column, triangle, weight = self._overlaps
        np.add.at(out, (row, column), weight * self.sheet_impedance(frequency)[triangle])
        return out

    @cached_property
    def on_closed(self) -> NDArray[np.bool_]:
        """(m,) of functions: whether they are on closed surfaces."""
        out = np.zeros(self.size, dtype=bool)
        out[self.basis.function[self.mesh.closed[self.basis.triangle]]] = True
        return out

    @cached_property
    def lowest_resonance(self) -> float:
        """Hz, below which the inside of closed surfaces cannot ring: that of a box about them."""
        if not self.mesh.closed.any():
            return float("inf")
        own = self.mesh.corners[self.mesh.closed].reshape(-1, 3)
        sides = np.sort(np.ptp(own, axis=0))
        return float(C0 / 2 * np.hypot(1 / sides[2], 1 / sides[1]))

    def _combined(self, electric: Complexes, k: float) -> Complexes:
        """With the magnetic-field equation in the place of a part of the electric one."""
        b, mesh, rows = self.basis, self.mesh, self.on_closed
        _, edge, corner = triangle_static.touching_rules(TURNS_ORDER)
        electric[rows] *= ELECTRIC
        magnetic = np.zeros_like(electric)
        edges, offsets, members = _blocks(b, get_num_threads(), even=True)
        triangle_turns.fill_turns(
            mesh.corners,
            mesh.triangles,
            mesh.area,
            mesh.centre,
            mesh.radius,
            mesh.normal,
            mesh.closed,
            b.uses,
            b.function,
            b.factor,
            edges,
            offsets,
            members,
            edge,
            corner,
            RULE_7,
            RULE_3,
            k,
            magnetic,
        )
        row, column, triangle, weight = self._overlaps
        own = mesh.closed[triangle]
        np.add.at(magnetic, (row[own], column[own]), 0.5 * weight[own])
        electric[rows] += (1 - ELECTRIC) * ETA0 * magnetic[rows]
        return electric

    def lit(self, frequency: float, waves: Sequence[PlaneWave]) -> tuple[Complexes, Complexes]:
        """Currents (m, waves) under plane waves of 1 V/m at the origin, in open space, with all
        gaps shorted, and those (m, P) of 1 V at each gap.
        """
        combined = frequency > MARGIN * self.lowest_resonance
        rows = self.on_closed if combined else np.zeros(self.size, dtype=bool)
        right = self._incident(frequency, waves, rows)
        gaps = self.drives.T.astype(complex)
        gaps[rows] *= ELECTRIC
        found = self._solved(frequency, np.hstack((right, gaps)), combined)
        return found[:, : len(waves)], found[:, len(waves) :]

    def _incident(
        self, frequency: float, waves: Sequence[PlaneWave], rows: NDArray[np.bool_]
    ) -> Complexes:
        """∫ f·E of waves (m, waves), V, and with it η ∫ f·(n × H) in the ``rows`` of closed
        surfaces.
        """
        mesh, b, k = self.mesh, self.basis, 2 * np.pi * frequency / C0
        points = np.einsum("gi,tia->tga", RULE_7[:, :3], mesh.corners)
        weight = RULE_7[:, 3] * mesh.area[:, None]
        arms = points[b.triangle] - mesh.corners[b.triangle, b.corner][:, None]
        own = b.factor[:, None, None] / 2 * weight[b.triangle][..., None] * arms  # (h, g, 3)
        share = np.where(rows[b.function], ELECTRIC, 1.0)
        out = np.zeros((self.size, len(waves)), dtype=complex)
        for q, wave in enumerate(waves):
            phase = np.exp(-1j * k * points @ wave.travels)[b.triangle]
            total = share * np.einsum("hga,a,hg->h", own, wave.electric, phase)
            if rows.any():
                magnetic = np.cross(mesh.normal, np.cross(wave.travels, wave.electric))
                turned = np.einsum("hga,ha,hg->h", own, magnetic[b.triangle], phase)
                total = total + (1 - ELECTRIC) * np.where(rows[b.function], turned, 0.0)
            np.add.at(out[:, q], b.function, total)
        return out

    def sheet_impedance(self, frequency: float) -> Complexes:
        """(T,) Ω: tangential field over current per width."""
        own = np.array([c.impedance(frequency) for c in self.conductors], dtype=complex)
        return np.asarray(own[self.mesh.part])

    def load_impedances(self, frequency: float) -> Complexes:
        """(number of loads,) their impedances, Ω."""
        return np.array(
            [what.impedance(np.array([frequency]))[0] for _, what in self.loads], dtype=complex
        )

    @cached_property
    def _overlaps(self) -> tuple[Ints, Ints, Ints, Floats]:
        """Rows, columns and triangles (k,) where two functions overlap on metal, and ∫ of their
        product.
        """
        return self.basis.overlaps(self.mesh)

    @property
    def size(self) -> int:
        """Number of unknowns."""
        return self.basis.size

    def solve(self, frequency: float) -> tuple[Complexes, Complexes]:
        """Admittance matrix (P, P) in S and coefficients (m, P) for 1 V at each port, the others
        shorted.
        """
        found = self._solved(frequency, self.drives.T.astype(complex))
        return port_solution(found, self.ports, self.networks, frequency)

    @cached_property
    def large(self) -> Large:
        """The functions in clusters."""
        near = [(n.offsets, n.partner, n.values) for n in self.near]
        return Large(self.mesh, self.basis, near, TURNS_ORDER)

    def _solved(self, frequency: float, right: Complexes, combined: bool = False) -> Complexes:
        """Coefficients (m, c) of right-hand sides.

        :raises ModelError: there are too many unknowns for a whole matrix, and the compressed one
            is not solved in reasonable time.
        """
        if self.compresses and compresses(self.mesh, self.size, frequency, combined):
            found = self.large.compressed(frequency, *self.rows(frequency, combined))
            try:
                own = self.large.solve(found, right, thorough=self.size > MOST_WHOLE)
                self.matrix_error = max(self.matrix_error, found.error())
                self.residual = max(self.residual, found.residual)
                return own
            except NotSolved:
                self.compresses = False
                if self.size > MOST_WHOLE:
                    raise ModelError(
                        f"the compressed matrix of {self.size} unknowns is not solved in reasonable"
                        " time, as where triangles are far smaller than the wavelength; use fewer"
                        " segments per wavelength, or simplify fine details"
                    ) from None
        return solved(self.matrix(frequency, combined), right, symmetric=not combined)

    def rows(
        self, frequency: float, combined: bool = False
    ) -> tuple[Floats, float, tuple[Ints, Ints, Complexes]]:
        """How both equations are shared out among rows, and the local terms of the matrix: of the
        sheets, the loads, and half the current in the magnetic-field equation.
        """
        row, column, triangle, weight = self._overlaps
        share = np.where(self.on_closed, ELECTRIC, 1.0) if combined else np.ones(self.size)
        values = weight * self.sheet_impedance(frequency)[triangle] * share[row]
        magnetic = (1 - ELECTRIC) * ETA0 if combined else 0.0
        values = values + 0.5 * magnetic * weight * self.mesh.closed[triangle]
        rows, columns, all_values = [row], [column], [values]
        for (vector, _), z in zip(self.loads, self.load_impedances(frequency), strict=True):
            used = np.flatnonzero(vector)
            one, other = (x.ravel() for x in np.meshgrid(used, used, indexing="ij"))
            rows.append(one)
            columns.append(other)
            all_values.append(z * vector[one] * vector[other] * share[one])
        return (
            share,
            magnetic,
            (np.concatenate(rows), np.concatenate(columns), np.concatenate(all_values)),
        )

    def currents(self, coefficients: Complexes) -> Complexes:
        """(m, P) A/m across edges: the coefficients themselves."""
        return coefficients

    def radiated(self, c: Complexes, frequency: float) -> Complexes:
        """Power form (P, P) in W of coefficients (P, m)."""
        return radiated_power(self._sources(c), self.mesh.ground is not None, frequency)

    def _sources(self, c: Complexes) -> FieldSource:
        return Triangles(self.mesh.corners, self.basis.densities(self.mesh, c.T), self.mesh.ground)

    def conductor_loss(self, c: Complexes, frequency: float) -> Complexes:
        """Power form (P, P) in W of coefficients (P, m)."""
        row, column, triangle, weight = self._overlaps
        own = 0.5 * weight * self.sheet_impedance(frequency).real[triangle]
        return np.asarray((c.conj()[:, row] * own) @ c[:, column].T)

    def of_media(
        self, frequency: Floats, currents: Complexes, gap_voltage: Complexes
    ) -> dict[str, Any]:
        """Nothing: all is metal."""
        return {}

    def load_currents(self, c: Complexes) -> Complexes:
        """(P, loads) A of coefficients (P, m)."""
        vectors = np.array([v for v, _ in self.loads]).reshape(-1, self.size)
        return np.asarray(c @ vectors.T)

    def gap_currents(self, c: Complexes) -> Complexes:
        """(gaps, P) A of coefficients (P, m)."""
        return np.asarray(self.ports @ c.T)

    def variables(self, currents: Complexes) -> dict[str, Any]:
        """What a dataset keeps of coefficients (f, P, m)."""
        mesh, b = self.mesh, self.basis
        return {
            "edge_current": (
                ("frequency", "port_in", "unknown"),
                currents,
                {"units": "A/m", "long_name": "across edges for unit incident wave"},
            ),
            "vertex": (("point", "axis"), mesh.vertices, {"units": "m"}),
            "triangle": (("triangle", "corner"), mesh.triangles),
            "triangle_part": (("triangle",), mesh.part),
            "half_function": (("half",), b.function),
            "half_triangle": (("half",), b.triangle),
            "half_corner": (("half",), b.corner),
            "half_factor": (("half",), b.factor, {"units": "1/m"}),
            "feed_point": (
                ("port", "axis"),
                np.array([g.point for g in self.feeds]).reshape(-1, 3),
                {"units": "m"},
            ),
        }

    def attributes(self) -> dict[str, Any]:
        """What a dataset says of the surfaces."""
        return {
            "radiator": "triangles",
            "part_names": list(self.mesh.parts),
            "ground": "none" if self.mesh.ground is None else repr(self.mesh.ground),
            "matrix_error": self.matrix_error,
            "residual": self.residual,
        }


def _blocks(basis: SurfaceBasis, count: int, even: bool = False) -> tuple[Ints, Ints, Ints]:
    """Columns shared out among so many threads, so that each has as many pairs with triangles
    that come before, or with all where they are ``even``; and the triangles of each share.
    """
    shares = np.arange(count + 1) / count
    edges = (basis.size * (shares if even else np.sqrt(shares))).round().astype(np.int64)
    return edges, *members_of(basis.triangle, basis.function, edges)


def members_of(triangle: Ints, function: Ints, edges: Ints) -> tuple[Ints, Ints]:
    """Where the triangles of each share of functions begin, and those triangles, from halves (h,);
    shares begin at ``edges``.
    """
    members = [np.unique(triangle[(function >= a) & (function < b)]) for a, b in pairwise(edges)]
    offsets = np.concatenate(([0], np.cumsum([len(m) for m in members]))).astype(np.int64)
    return offsets, np.concatenate(members).astype(np.int64)
