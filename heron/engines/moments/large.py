"""The functions of a large mesh in clusters: what its matrix needs to be compressed."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from heron.discretise.triangles import SurfaceMesh
from heron.engines.moments import triangle_static
from heron.engines.moments.clusters import tree
from heron.engines.moments.compressed import Compressed, Places
from heron.engines.moments.surface_basis import SurfaceBasis
from heron.engines.moments.triangle_blocks import Kernel
from heron.fields.triangles import RULE_3, RULE_7
from heron.quantities.constants import C0, EPS0, MU0

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Large:
    """Clusters of functions, made once for all frequencies.

    :param near: offsets, partners and values of near pairs of triangles, and, above a ground, of
        those with images; ``turns_order``: of rules for pairs that touch in the magnetic-field
        equation.
    """

    def __init__(
        self, mesh: SurfaceMesh, basis: SurfaceBasis, near: list[Any], turns_order: int
    ) -> None:
        self.mesh, self.basis, self.near, self.turns_order = mesh, basis, near, turns_order
        by_function = np.argsort(basis.function, kind="stable")
        self.on = basis.triangle[by_function]
        self.on_offsets = np.searchsorted(
            basis.function[by_function], np.arange(basis.size + 1)
        ).astype(np.int64)
        middle = np.zeros((basis.size, 3))
        np.add.at(middle, basis.function, mesh.centre[basis.triangle])
        middle /= np.diff(self.on_offsets)[:, None]
        reach = np.zeros(basis.size)
        arm = np.linalg.norm(mesh.centre[basis.triangle] - middle[basis.function], axis=1)
        np.maximum.at(reach, basis.function, arm + mesh.radius[basis.triangle])
        root, self.order = tree(middle, reach)
        self.place = np.empty_like(self.order)
        self.place[self.order] = np.arange(len(self.order))
        self.places = Places(root, middle[self.order], reach[self.order])

    def compressed(
        self,
        frequency: float,
        electric: Floats,
        magnetic: float,
        local: tuple[Ints, Ints, Complexes],
    ) -> Compressed:
        """The matrix at a frequency in Hz, with its ``local`` terms: rows, columns and values.

        :param electric: (m,) share of the electric-field equation in each row; ``magnetic``: the
            factor of the other one on closed surfaces, Ω, 0 for none.
        """
        mesh, b, omega = self.mesh, self.basis, 2 * np.pi * frequency
        _, edge, corner = triangle_static.touching_rules(self.turns_order)
        kernel = Kernel(
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
            self.on,
            self.on_offsets,
            self.order,
            self.place,
            self.near[0],
            self.near[-1],
            mesh.ground is not None,
            mesh.ground or 0.0,
            RULE_7,
            RULE_3,
            edge,
            corner,
            omega / C0,
            1j * omega * MU0 / (4 * np.pi),
            1 / (1j * omega * EPS0 * 4 * np.pi),
            electric,
            magnetic,
        )
        rows, columns, values = local
        own = csr_matrix((values, (self.place[rows], self.place[columns])), shape=(b.size, b.size))
        return Compressed(kernel, self.places, magnetic == 0, own)

    def solve(self, matrix: Compressed, right: Complexes, thorough: bool = True) -> Complexes:
        """The solution (m, c) in the functions' own order.

        :raises NotSolved: the residual is not reached.
        """
        out = np.empty_like(right)
        out[self.order] = matrix.solve(right[self.order], thorough)
        return out
