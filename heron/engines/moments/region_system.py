"""The linear system of metal and media: currents on the boundaries of regions of one medium each.

Tangential E and H of all regions that meet are made equal with the functions of the currents
themselves, summed over regions, so that what is singular in it cancels (Poggio and Miller; Chang
and Harrington; Wu and Tsai). Magnetic currents are in units of η0, so that all unknowns are in A/m.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.engines.lumped import Element, Networks
from heron.engines.moments import triangle_curls, triangle_static, triangle_waves
from heron.engines.moments.linear import solved
from heron.engines.moments.region_basis import region_basis
from heron.engines.moments.surface_basis import SurfaceBasis
from heron.engines.moments.surface_system import Surface, SurfaceSystem, members_of
from heron.excitation.waves import PlaneWave
from heron.fields.regions import Boundary, Regions
from heron.fields.triangles import RULE_3, RULE_7
from heron.materials import Medium
from heron.quantities.constants import C0, EPS0, ETA0, MU0

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]


class RegionSystem(SurfaceSystem):
    """As that of metal alone, with ``media`` (those of the mesh, in their order)."""

    def __init__(
        self,
        mesh: SurfaceMesh,
        conductors: Sequence[Surface],
        media: Sequence[Medium],
        feeds: Sequence[SurfaceGap],
        loads: Sequence[tuple[SurfaceGap, Element]],
        networks: Networks | None = None,
    ) -> None:
        self.media = media
        self.regions = region_basis(mesh)
        self.gaps = [gap for gap, _ in loads]
        super().__init__(mesh, conductors, feeds, loads, networks)
        self.drives = self._driven(feeds, self.ports)
        self.load_drives = self._driven(self.gaps, np.array([v for v, _ in self.loads]))
        _, edge, corner = triangle_static.touching_rules()
        self.curls = []
        for near in self.near:
            values = np.empty((len(near.partner), triangle_curls.CURLS))
            triangle_curls.near_curls(
                mesh.corners,
                mesh.triangles,
                mesh.grounded,
                mesh.centre,
                mesh.radius,
                near.offsets,
                near.partner,
                mesh.ground or 0.0,
                near.image,
                edge,
                corner,
                RULE_7,
                values,
            )
            self.curls.append(values)

    def functions(self) -> SurfaceBasis:
        return self.regions.total()

    def _driven(self, gaps: Sequence[SurfaceGap], currents: Floats) -> Floats:
        """(n, m) right-hand sides of 1 V at each of ``gaps``, and what is known of magnetic
        functions in the places of those. Of a gap between two regions each has half of the voltage,
        as the other half is in the magnetic current.
        """
        out = np.zeros((len(gaps), self.size))
        for n, gap in enumerate(gaps):
            out[n] = 0.5 * (currents[n] + self.basis.gap(self.mesh, self._inner(gap)))
            for function, of, amount in self.regions.known:
                if of is gap:
                    out[n, function] = amount
        return out

    def _inner(self, gap: SurfaceGap) -> SurfaceGap:
        """What of a gap is not between two regions."""
        within = self.mesh.sides[:, 0] == self.mesh.sides[:, 1]
        return replace(gap, triangles=gap.triangles[within[gap.triangles]])

    def constants(self, frequency: float) -> list[tuple[complex, complex]]:
        """Relative permittivity and permeability of each region, that outside first."""
        own = [(complex(m.epsilon(frequency)[0]), complex(m.mu(frequency)[0])) for m in self.media]
        return [(1.0 + 0j, 1.0 + 0j), *own]

    def outer(self, frequency: float) -> Complexes:
        """(m, m) symmetric matrix, Ω, of metal that conducts perfectly, unloaded."""
        omega, mesh = 2 * np.pi * frequency, self.mesh
        out = np.zeros((self.size, self.size), dtype=complex)
        for region, (epsilon, mu) in enumerate(self.constants(frequency)):
            electric, magnetic = self.regions.electric[region], self.regions.magnetic[region]
            offsets, members = self._members[region]
            index = np.sqrt(epsilon) * np.sqrt(mu)  # losses are in negative imaginary parts
            along, charge = 1j * omega * MU0 * mu, 1 / (1j * omega * EPS0 * epsilon)
            turned, pole = 1j * omega * EPS0 * epsilon, 1 / (1j * omega * MU0 * mu)
            factors = [along, charge, -(ETA0**2) * turned, -(ETA0**2) * pole, ETA0]
            for near, curls in zip(self.near, self.curls, strict=True):
                triangle_curls.fill_region(
                    mesh.corners,
                    mesh.area,
                    mesh.centre,
                    mesh.radius,
                    np.unique(members),
                    electric.uses,
                    electric.function,
                    electric.factor,
                    magnetic.uses,
                    magnetic.function,
                    magnetic.factor,
                    self.shares,
                    offsets,
                    members,
                    near.offsets,
                    near.partner,
                    near.values,
                    curls,
                    omega / C0 * index,
                    np.array(factors) / (4 * np.pi),
                    mesh.ground or 0.0,
                    near.image,
                    RULE_7,
                    RULE_3,
                    out,
                )
        triangle_waves.add_transpose(out)
        return out

    @cached_property
    def shares(self) -> Ints:
        """Where each thread's own columns begin."""
        shares = np.sqrt(np.arange(get_num_threads() + 1) / get_num_threads())
        return np.asarray((self.size * shares).round(), dtype=np.int64)

    @cached_property
    def _members(self) -> list[tuple[Ints, Ints]]:
        """Of each region, which triangles have functions of each thread's columns."""
        return [
            members_of(
                np.concatenate((e.triangle, m.triangle)),
                np.concatenate((e.function, m.function)),
                self.shares,
            )
            for e, m in zip(self.regions.electric, self.regions.magnetic, strict=True)
        ]

    @cached_property
    def _overlaps(self) -> tuple[Ints, Ints, Ints, Floats]:
        found = [b.overlaps(self.mesh) for b in self.regions.electric]
        row, column, triangle, weight = (np.concatenate(x) for x in zip(*found, strict=True))
        metal = self.mesh.metal[triangle]
        return row[metal], column[metal], triangle[metal], weight[metal]

    def sheet_impedance(self, frequency: float) -> Complexes:
        """(T,) Ω: tangential field over current per width; of a sheet between two regions, whose
        currents on either side are two, that of a side.
        """
        between = self.mesh.sides[:, 0] != self.mesh.sides[:, 1]
        own = np.zeros((2, len(self.conductors)), dtype=complex)
        for i, c in enumerate(self.conductors):
            own[:, i] = c.impedance(frequency), c.side(frequency)
        out = np.zeros(len(between), dtype=complex)
        metal = self.mesh.metal
        out[metal] = own[between[metal].astype(int), self.mesh.part[metal]]
        return out

    def _solved(self, frequency: float, right: Complexes, combined: bool = False) -> Complexes:
        """Coefficients (m, c) of right-hand sides, which have known ones in the places of those;
        with the loads in their gaps.
        """
        matrix, count = self.unloaded(frequency), right.shape[1]
        every: Complexes = np.hstack((right, self.load_drives.T)).astype(complex)
        known = np.array([n for n, _, _ in self.regions.known], dtype=np.int64)
        amounts, scale = every[known], np.abs(matrix.diagonal()).max()
        every -= matrix[:, known] @ amounts
        matrix[known] = matrix[:, known] = 0.0
        matrix[known, known] = scale
        every[known] = scale * amounts
        found = solved(matrix, every)
        driven, loaded = found[:, :count], found[:, count:]
        if not self.loads:
            return driven
        through = np.array([vector for vector, _ in self.loads])
        z = self.load_impedances(frequency)
        voltage = -np.linalg.solve(
            np.eye(len(z)) + z[:, None] * (through @ loaded), z[:, None] * (through @ driven)
        )
        return np.asarray(driven + loaded @ voltage)

    @cached_property
    def lowest_resonance(self) -> float:
        """Hz: closed surfaces of metal are not told apart, and one equation is all there is."""
        return float("inf")

    def _incident(
        self, frequency: float, waves: Sequence[PlaneWave], rows: NDArray[np.bool_]
    ) -> Complexes:
        """∫ f·E and −η0 ∫ g·H of waves (m, waves) on what is outside, V."""
        mesh, k = self.mesh, 2 * np.pi * frequency / C0
        points = np.einsum("gi,tia->tga", RULE_7[:, :3], mesh.corners)
        out = np.zeros((self.size, len(waves)), dtype=complex)
        electric, magnetic = self.regions.electric[0], self.regions.magnetic[0]
        for q, wave in enumerate(waves):
            turned = np.cross(wave.travels, wave.electric)
            for basis, along in ((electric, wave.electric), (magnetic, -turned)):
                t = basis.triangle
                arms = points[t] - mesh.corners[t, basis.corner][:, None]
                weight = 0.5 * basis.factor[:, None] * RULE_7[:, 3] * mesh.area[t][:, None]
                phase = np.exp(-1j * k * points[t] @ wave.travels)
                total = np.einsum("hg,hga,a,hg->h", weight, arms, along, phase)
                np.add.at(out[:, q], basis.function, total)
        return out

    def _sources(self, c: Complexes) -> Regions:
        outside = self.regions.electric[0], self.regions.magnetic[0]
        electric, magnetic = (b.densities(self.mesh, c.T) for b in outside)
        return Regions([Boundary(self.mesh.corners, electric, magnetic)], self.mesh.ground)

    @cached_property
    def _parts(self) -> list[_Part]:
        """What the powers of each medium need."""
        out = []
        for region in range(1, len(self.media) + 1):
            e, m = self.regions.electric[region], self.regions.magnetic[region]
            row, column, triangle, weight = e.overlaps(self.mesh)
            metal = self.mesh.metal[triangle]
            out.append(
                _Part(
                    self._through(e, self.feeds),
                    self._through(e, self.gaps),
                    (row[metal], column[metal], triangle[metal], weight[metal]),
                    _crossing(self.mesh, e, m, region),
                )
            )
        return out

    def _through(self, basis: SurfaceBasis, gaps: Sequence[SurfaceGap]) -> Floats:
        """(n, m) currents of functions through what of gaps is within a region."""
        own = [basis.gap(self.mesh, self._inner(gap)) for gap in gaps]
        return np.array(own).reshape(len(gaps), self.size)

    def dielectric_loss(self, c: Complexes, frequency: float, gap_voltage: Complexes) -> Complexes:
        """Power form (P, P) in W of what media take, of coefficients (P, m) and voltages (gaps, P)
        at the gaps of ports: what flows into each through its boundary and from gaps in it, less
        what loads and metal in it take.
        """
        out = np.zeros((len(c), len(c)), dtype=complex)
        impedance, loads = self.sheet_impedance(frequency), self.load_impedances(frequency)
        through = self.load_currents(c)
        for part, medium in zip(self._parts, self.media, strict=True):
            if medium.lossless:
                continue
            row, column, weight = part.crossing
            flow = ETA0 * (c[:, row].conj() * weight) @ c[:, column].T
            flow += (c @ part.gaps.T).conj() @ gap_voltage
            flow -= (c @ part.loads.T).conj() @ (through * loads).T
            row, column, triangle, weight = part.overlaps
            flow -= (c[:, row].conj() * (weight * impedance.real[triangle])) @ c[:, column].T
            out += 0.25 * (flow + flow.conj().T)
        return out

    def variables(self, currents: Complexes) -> dict[str, Any]:
        """What a dataset keeps of coefficients (f, P, m)."""
        out = super().variables(currents)
        for sort, of in (("electric", self.regions.electric), ("magnetic", self.regions.magnetic)):
            table = [
                np.concatenate([getattr(b, name) for b in of])
                for name in ("function", "triangle", "corner", "factor")
            ]
            region = np.repeat(np.arange(len(of)), [len(b.function) for b in of])
            names = ("function", "triangle", "corner", "factor", "region")
            for name, values in zip(names, (*table, region), strict=True):
                out[f"{sort}_{name}"] = ((f"{sort}_half",), values)
        return out | {"triangle_sides": (("triangle", "side"), self.mesh.sides)}

    def of_media(
        self, frequency: Floats, currents: Complexes, gap_voltage: Complexes
    ) -> dict[str, Any]:
        """Relative constants of the regions, that outside first, and what media take."""
        own = np.array([self.constants(float(hz)) for hz in frequency])
        loss = np.array(
            [
                self.dielectric_loss(c, float(hz), v)
                for c, hz, v in zip(currents, frequency, gap_voltage, strict=True)
            ]
        )
        power = {"units": "W", "long_name": "Hermitian form over incident waves a: power = aᴴ M a"}
        return {
            "region_permittivity": (("frequency", "region"), own[..., 0]),
            "region_permeability": (("frequency", "region"), own[..., 1]),
            "dielectric_loss_form": (("frequency", "port", "port_in"), loss, power),
        }

    def attributes(self) -> dict[str, Any]:
        """What a dataset says of metal and media."""
        return super().attributes() | {
            "radiator": "triangles in media",
            "media": list(self.mesh.media),
        }


@dataclass(frozen=True)
class _Part:
    """Of a medium: currents of functions through ``gaps`` and ``loads`` within it (n, m), overlaps
    of electric functions on its metal, and of electric with magnetic ones on its boundary, gaps
    there included.
    """

    gaps: Floats
    loads: Floats
    overlaps: tuple[Ints, Ints, Ints, Floats]
    crossing: tuple[Ints, Ints, Floats]


def _crossing(
    mesh: SurfaceMesh, electric: SurfaceBasis, magnetic: SurfaceBasis, region: int
) -> tuple[Ints, Ints, Floats]:
    """Electric and magnetic functions (k,) on the same triangles of a region's boundary, and
    ∫ g·(n × f), n into it: with corners from the centre A n·(v × w), v that of f and w of g.
    """
    one, other = electric.pairs(magnetic)
    t = electric.triangle[one]
    arms = mesh.corners - mesh.centre[:, None]
    v, w = arms[t, electric.corner[one]], arms[t, magnetic.corner[other]]
    inwards = np.where(mesh.sides[t, 1] == region, 1.0, -1.0)
    dot = inwards * np.einsum("ka,ka->k", mesh.normal[t], np.cross(v, w))
    weight = electric.factor[one] * magnetic.factor[other] / 4 * mesh.area[t] * dot
    return electric.function[one], magnetic.function[other], weight
