"""Functions of the current on triangles: one across each edge, as many as meet there less one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceMesh
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


def surface_basis(mesh: SurfaceMesh) -> SurfaceBasis:
    """Positive out of the first triangle at an edge into each of the others; at an edge on the
    ground plane, whose image goes on with the current, one half for each triangle.
    """
    edges: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for t, corners in enumerate(mesh.triangles.tolist()):
        for v in range(3):
            a, b = corners[(v + 1) % 3], corners[(v + 2) % 3]
            edges.setdefault((min(a, b), max(a, b)), []).append((t, v))
    size = 0
    halves: list[tuple[int, int, int, float]] = []  # triangle, corner, function, length and sign
    for (a, b), met in edges.items():
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
    place = 3 * triangle + corner
    # numbered as they are first met, so that the columns of neighbours are neighbours
    first = np.full(size, len(halves))
    np.minimum.at(first, table[:, 2].astype(np.int64), np.arange(len(halves)))
    rank = np.empty(size, dtype=np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(size)
    return SurfaceBasis(
        size,
        rank[table[:, 2].astype(np.int64)],
        triangle,
        corner,
        table[:, 3] / mesh.area[triangle],
        np.searchsorted(place, np.arange(3 * len(mesh.triangles) + 1)).astype(np.int64),
    )
