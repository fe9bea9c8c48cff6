"""Functions of the current on triangles: one across each edge, as many as meet there less one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.fields.triangles import densities

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True)
class SurfaceBasis:
    """Halves of functions: on triangle ``triangle`` (h,) that of ``function`` is
    ``factor``/2 (r − v), v its corner ``corner``, and has the divergence ``factor``, in the order
    of triangles and corners; ``uses`` (3T + 1) is where those of each corner begin.
    """

    size: int
    function: Ints
    triangle: Ints
    corner: Ints
    factor: Floats
    uses: Ints

    def densities(self, mesh: SurfaceMesh, coefficients: Complexes) -> Complexes:
        """Current at the corners of triangles, A/m: (T, 3, 3, c) from coefficients (m, c); the
        current is linear between them.
        """
        half = self.factor[:, None] * coefficients[self.function]
        return densities(mesh.corners, self.triangle, self.corner, half)

    def overlaps(self, mesh: SurfaceMesh) -> tuple[Ints, Ints, Ints, Floats]:
        """Rows, columns and triangles (k,) where two functions overlap, and ∫ of their product.

        With corners from the centre, linear terms vanish: ∫ (r − v)·(r − w) dS =
        A (Σ|corner|²/12 + v·w).
        """
        one, other = self.pairs(self)
        arms = mesh.corners - mesh.centre[:, None]
        t = self.triangle[one]
        square = (arms**2).sum(axis=(1, 2))[t] / 12
        dots = (arms[t, self.corner[one]] * arms[t, self.corner[other]]).sum(axis=1)
        weight = self.factor[one] * self.factor[other] / 4 * mesh.area[t] * (square + dots)
        return self.function[one], self.function[other], t, weight

    def pairs(self, others: SurfaceBasis) -> tuple[Ints, Ints]:
        """Halves (k,) and those of ``others`` on the same triangles."""
        first = others.uses[::3]
        count = (first[1:] - first[:-1])[self.triangle]
        one = np.repeat(np.arange(len(self.triangle)), count)
        within = np.arange(len(one)) - np.repeat(np.cumsum(count) - count, count)
        return one, first[self.triangle][one] + within

    def gap(self, mesh: SurfaceMesh, gap: SurfaceGap) -> Floats:
        """(m,) mean current through a gap of each function: voltage per function, too."""
        out = np.zeros(self.size)
        within = np.isin(self.triangle, gap.triangles)
        t, v = self.triangle[within], self.corner[within]
        arm = mesh.centre[t] - mesh.corners[t, v]
        own = self.factor[within] / 2 * (arm @ gap.along) * mesh.area[t] / gap.width
        np.add.at(out, self.function[within], own)
        return out


def of_halves(
    size: int, triangles: int, function: Ints, triangle: Ints, corner: Ints, factor: Floats
) -> SurfaceBasis:
    """Of ``size`` functions on so many ``triangles``, with halves in the order of triangles and
    corners.
    """
    place = 3 * triangle + corner
    uses = np.searchsorted(place, np.arange(3 * triangles + 1)).astype(np.int64)
    return SurfaceBasis(size, function, triangle, corner, factor, uses)


def edges_of(mesh: SurfaceMesh) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """Triangles at each edge, by its vertices in order, with their corners across from it."""
    out: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for t, corners in enumerate(mesh.triangles.tolist()):
        for v in range(3):
            a, b = corners[(v + 1) % 3], corners[(v + 2) % 3]
            out.setdefault((min(a, b), max(a, b)), []).append((t, v))
    return out


def surface_basis(mesh: SurfaceMesh) -> SurfaceBasis:
    """Positive out of the first triangle at an edge into each of the others; at an edge on the
    ground plane, whose image goes on with the current, one half for each triangle.
    """
    size = 0
    halves: list[tuple[int, int, int, float]] = []  # triangle, corner, function, length and sign
    for (a, b), met in edges_of(mesh).items():
        length = float(np.linalg.norm(mesh.vertices[a] - mesh.vertices[b]))
        if mesh.grounded[a] and mesh.grounded[b]:
            for t, v in met:
                halves.append((t, v, size, length))
                size += 1
            continue
        for t, v in met[1:]:
            halves += [(*met[0], size, length), (t, v, size, -length)]
            size += 1
    halves.sort()
    table = np.array(halves, dtype=float).reshape(-1, 4)
    triangle, corner = table[:, 0].astype(np.int64), table[:, 1].astype(np.int64)
    # numbered as they are first met, so that the columns of neighbours are neighbours
    first = np.full(size, len(halves))
    np.minimum.at(first, table[:, 2].astype(np.int64), np.arange(len(halves)))
    rank = np.empty(size, dtype=np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(size)
    return of_halves(
        size,
        len(mesh.triangles),
        rank[table[:, 2].astype(np.int64)],
        triangle,
        corner,
        table[:, 3] / mesh.area[triangle],
    )
