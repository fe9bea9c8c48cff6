"""The linear system of a wire mesh: basis functions, matrix, right-hand sides, circuit elements.

Galerkin's method on the mixed-potential integral equation,
Z_mn = jωμ ∫∫ f_m·f_n G + 1/(jωε) ∫∫ f_m' f_n' G, with piecewise-linear currents that obey
Kirchhoff's law at every joint (Harrington, *Field Computation by Moment Methods*, ch. 4).
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

from heron.discretise import Gap, WireMesh
from heron.engines.lumped import Element, Networks
from heron.engines.moments import static_integrals, wave_integrals
from heron.engines.moments.linear import port_solution, solved
from heron.fields.radiated import radiated_power
from heron.fields.wires import Sources
from heron.quantities.constants import C0, EPS0, MU0

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class Basis:
    """Halves of each basis function, and for each segment shape the bases that use it.

    ``shape`` (2n, m) maps basis coefficients to segment end currents, along the segment.
    """

    offsets: Ints
    segment: Ints
    end: Ints
    sign: Floats
    use_offsets: Ints
    use_basis: Ints
    use_sign: Floats

    @property
    def size(self) -> int:
        """Number of basis functions."""
        return len(self.offsets) - 1

    def end_currents(self, coefficients: Complexes) -> Complexes:
        """(n, 2, c) currents at the segments' ends from coefficients (m, c)."""
        shapes = len(self.use_offsets) - 1
        out = np.zeros((shapes, coefficients.shape[1]), dtype=complex)
        shape = np.repeat(np.arange(shapes), np.diff(self.use_offsets))
        np.add.at(out, shape, self.use_sign[:, None] * coefficients[self.use_basis])
        return out.reshape(shapes // 2, 2, -1)

    def project(self, weights: Floats) -> Floats:
        """(m,) inner products with a weight on segment shapes (n, 2)."""
        out = np.zeros(self.size)
        shape = np.repeat(np.arange(len(self.use_offsets) - 1), np.diff(self.use_offsets))
        np.add.at(out, self.use_basis, self.use_sign * weights.ravel()[shape])
        return out


def build_basis(mesh: WireMesh) -> Basis:
    """One function per pair of segments at a node (degree - 1 at a joint), one half per grounded
    end.
    """
    incident: dict[int, list[tuple[int, int]]] = defaultdict(list)
    for s, (a, b) in enumerate(mesh.segments):
        incident[int(a)].append((s, 0))
        incident[int(b)].append((s, 1))
    functions: list[list[tuple[int, int, float]]] = []
    for node in sorted(incident):
        ends = incident[node]
        if mesh.grounded[node]:
            functions += [[(s, e, 1.0)] for s, e in ends]
            continue
        p, i = ends[0]
        into = 1.0 if i == 1 else -1.0
        functions += [[(p, i, into), (q, j, 1.0 if j == 0 else -1.0)] for q, j in ends[1:]]
    halves = [h for f in functions for h in f]
    offsets = np.cumsum([0, *(len(f) for f in functions)])
    owner = np.repeat(np.arange(len(functions)), np.diff(offsets))
    segment = np.array([h[0] for h in halves], dtype=np.int64)
    end = np.array([h[1] for h in halves], dtype=np.int64)
    sign = np.array([h[2] for h in halves])
    shape = 2 * segment + end
    order = np.argsort(shape, kind="stable")
    use_offsets = np.concatenate(
        ([0], np.cumsum(np.bincount(shape, minlength=2 * len(mesh.segments))))
    )
    return Basis(
        offsets.astype(np.int64),
        segment,
        end,
        sign,
        use_offsets.astype(np.int64),
        owner[order].astype(np.int64),
        sign[order],
    )


def gap_weights(mesh: WireMesh, gap: Gap) -> Floats:
    """(n, 2) mean of each segment shape over the gap: voltage per shape, or the port's current from
    end currents.
    """
    out = np.zeros((len(mesh.segments), 2))
    length = mesh.length
    for segment, low, high in gap.rows:
        part = (high - low) * length[segment] / gap.width
        middle = 0.5 * (low + high)
        out[segment] += part * np.array([1 - middle, middle])
    return out


@dataclass(frozen=True)
class _NearTable:
    image: bool
    offsets: Ints
    partner: Ints
    values: Floats


class WireSystem:
    """Geometry tables made once; ``solve`` gives the port solution at one frequency.

    :param feeds: ports in the order of their numbers; ``loads`` with what stands in them;
        ``networks`` between ports and feeds.
    """

    def __init__(
        self,
        mesh: WireMesh,
        feeds: list[Gap],
        loads: list[tuple[Gap, Element]],
        networks: Networks | None = None,
    ) -> None:
        self.mesh = mesh
        self.networks = networks or Networks([None] * len(feeds))
        self.feeds = feeds
        self.basis = build_basis(mesh)
        self.start, self.end, self.length = mesh.start, mesh.end, mesh.length
        self.feed_weights = np.array([gap_weights(mesh, g) for g in feeds]).reshape(
            len(feeds), -1, 2
        )
        self.ports = np.array([self.basis.project(w) for w in self.feed_weights]).reshape(
            len(feeds), self.basis.size
        )
        self.loads = [
            (self.basis.project(gap_weights(mesh, g)), gap_weights(mesh, g), what)
            for g, what in loads
        ]
        grounded_parts = np.unique(mesh.part[mesh.grounded[mesh.segments].any(axis=1)])
        self.anchored = np.isin(mesh.part, grounded_parts)
        self.mirror = 0.0 if mesh.ground is None else mesh.ground
        self.near = [self._near_table(False)]
        if mesh.ground is not None:
            self.near.append(self._near_table(True))

    def _near_table(self, image: bool) -> _NearTable:
        counts = static_integrals.count_near(
            self.start, self.end, self.length, self.mesh.radius, self.mirror, image
        )
        offsets = np.concatenate(([0], np.cumsum(counts))).astype(np.int64)
        partner = np.empty(offsets[-1], dtype=np.int64)
        values = np.empty((offsets[-1], 4))
        static_integrals.near_static(
            self.start,
            self.end,
            self.length,
            self.mesh.radius,
            self.mesh.part,
            self.mesh.segments,
            self.mesh.grounded,
            self.anchored,
            offsets,
            self.mirror,
            image,
            partner,
            values,
        )
        static_integrals.mirror_static(offsets, partner, values)
        return _NearTable(image, offsets, partner, values)

    def wire_impedance(self, frequency: float) -> Complexes:
        """(n,) internal impedance per length, Ω/m."""
        cache: dict[int, complex] = {
            i: p.conductor.wire_impedance(frequency, p.radius)
            for i, p in enumerate(self.mesh.parts)
        }
        return np.array([cache[int(i)] for i in self.mesh.part], dtype=complex)

    def load_impedances(self, frequency: float) -> Complexes:
        """(number of loads,) their impedances, Ω."""
        return np.array(
            [what.impedance(np.array([frequency]))[0] for _, _, what in self.loads], dtype=complex
        )

    def matrix(self, frequency: float) -> Complexes:
        """(m, m) symmetric impedance matrix, Ω."""
        omega = 2 * np.pi * frequency
        b = self.basis
        out = np.zeros((b.size, b.size), dtype=complex)
        for near in self.near:
            wave_integrals.fill_matrix(
                self.start,
                self.end,
                self.length,
                self.mesh.radius,
                self.mesh.part,
                self.anchored,
                omega / C0,
                1j * omega * MU0,
                1 / (1j * omega * EPS0),
                near.offsets,
                near.partner,
                near.values,
                self.mirror,
                near.image,
                b.offsets,
                b.segment,
                b.end,
                b.sign,
                b.use_offsets,
                b.use_basis,
                b.use_sign,
                get_num_threads(),
                out,
            )
        self._add_losses(out, frequency)
        for (vector, *_), z in zip(self.loads, self.load_impedances(frequency), strict=True):
            used = np.flatnonzero(vector)
            out[np.ix_(used, used)] += z * np.outer(vector[used], vector[used])
        return out

    def _add_losses(self, out: Complexes, frequency: float) -> None:
        """Internal impedance of the wires: Z'h/6 · [[2, 1], [1, 2]] between the shapes of each
        segment.
        """
        impedance = self.wire_impedance(frequency) * self.length / 6
        row, column, segment, weight = self._overlaps
        np.add.at(out, (row, column), weight * impedance[segment])

    @cached_property
    def _overlaps(self) -> tuple[Ints, Ints, Ints, Floats]:
        """Rows, columns and segments (k,) where two shapes overlap, and their weights: twice the
        product of their signs at one end of the segment, once at two.
        """
        b = self.basis
        end = np.repeat(np.arange(len(b.use_offsets) - 1), np.diff(b.use_offsets))
        first = b.use_offsets[2 * (end // 2)]
        count = b.use_offsets[2 * (end // 2) + 2] - first
        one = np.repeat(np.arange(len(end)), count)
        other = np.arange(len(one)) - np.repeat(np.cumsum(count) - count - first, count)
        weight = np.where(end[one] == end[other], 2.0, 1.0) * b.use_sign[one] * b.use_sign[other]
        return b.use_basis[one], b.use_basis[other], end[one] // 2, weight

    @property
    def size(self) -> int:
        """Number of unknowns."""
        return self.basis.size

    def solve(self, frequency: float) -> tuple[Complexes, Complexes]:
        """Admittance matrix (P, P) in S and coefficients (m, P) for 1 V at each port, the others
        shorted.
        """
        found = solved(self.matrix(frequency), self.ports.T.astype(complex))
        return port_solution(found, self.ports, self.networks, frequency)

    def currents(self, coefficients: Complexes) -> Complexes:
        """(n, 2, P) A at the ends of segments."""
        return self.basis.end_currents(coefficients)

    def radiated(self, c: Complexes, frequency: float) -> Complexes:
        """Power form (P, P) in W of currents (P, n, 2)."""
        mesh = self.mesh
        sources = Sources(mesh.start, mesh.end, mesh.radius, c, mesh.ground)
        return radiated_power(sources, mesh.ground is not None, frequency)

    def conductor_loss(self, c: Complexes, frequency: float) -> Complexes:
        """Power form (P, P) in W of currents (P, n, 2)."""
        mass = np.array([[2.0, 1.0], [1.0, 2.0]]) / 6
        resistance = self.wire_impedance(frequency).real * self.mesh.length
        return np.asarray(0.5 * np.einsum("psi,ij,s,qsj->pq", c.conj(), mass, resistance, c))

    def of_media(
        self, frequency: Floats, currents: Complexes, gap_voltage: Complexes
    ) -> dict[str, Any]:
        """Nothing: all is metal."""
        return {}

    def load_currents(self, c: Complexes) -> Complexes:
        """(P, loads) A of currents (P, n, 2)."""
        weights = np.array([w for _, w, _ in self.loads]).reshape(-1, *self.feed_weights.shape[1:])
        return np.asarray(np.einsum("psi,lsi->pl", c, weights))

    def gap_currents(self, c: Complexes) -> Complexes:
        """(gaps, P) A of currents (P, n, 2)."""
        return np.asarray(np.einsum("psi,nsi->np", c, self.feed_weights))

    def variables(self, currents: Complexes) -> dict[str, Any]:
        """What a dataset keeps of currents (f, P, n, 2)."""
        mesh = self.mesh
        return {
            "current": (
                ("frequency", "port_in", "segment", "end"),
                currents,
                {
                    "units": "A",
                    "long_name": (
                        "current at segment ends for unit incident wave, others terminated"
                    ),
                },
            ),
            "segment_start": (("segment", "axis"), mesh.start, {"units": "m"}),
            "segment_end": (("segment", "axis"), mesh.end, {"units": "m"}),
            "segment_radius": (("segment",), mesh.radius, {"units": "m"}),
            "segment_part": (("segment",), mesh.part),
            "segment_span": (
                ("segment", "end"),
                mesh.span,
                {"units": "1", "long_name": "fractions of the part's length"},
            ),
            "feed_point": (
                ("port", "axis"),
                mesh.nodes[[g.node for g in self.feeds]],
                {"units": "m"},
            ),
        }

    def attributes(self) -> dict[str, Any]:
        """What a dataset says of the wires."""
        return {
            "radiator": "wires",
            "part_names": [p.name for p in self.mesh.parts],
            "ground": "none" if self.mesh.ground is None else repr(self.mesh.ground),
        }
