"""By how much edges that leave the end of metal are longer, from the equation of the lattice itself
about an edge whose field is known.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import spsolve

from heron.engines.transient.wedges import CORNER, FALLS, PLATE, POWER

N = 60  # cells from the edge to the sides of the square
NEAR, FAR = 6, 18  # between which the lattice's field is compared with the exact one


class Lattice:
    """Potentials on nodes (i, j) with cells of ``wide`` : 1, zero in ``metal`` and as the ``exact``
    ones on the sides of a large square.
    """

    def __init__(self, wide: float, metal: Any, exact: Any) -> None:
        i = np.arange(-N, N + 1)
        self.i, self.j = np.meshgrid(i, i, indexing="ij")
        self.wide, self.metal = wide, metal(self.i, self.j)
        self.exact = np.where(self.metal, 0.0, exact(self.i * wide, 1.0 * self.j, self.metal))
        self.along, self.up = (
            np.full((2 * N, 2 * N + 1), 1 / wide),
            np.full((2 * N + 1, 2 * N), wide),
        )

    def excess(self, power: float, angle: Any) -> float:
        """How much of r^(−power) sin(power·angle) there is in the solution over the exact one."""
        free = ~self.metal
        free[[0, -1]] = free[:, [0, -1]] = False
        number = np.full(free.shape, -1)
        number[free] = np.arange(free.sum())
        rows, columns, values, right = [], [], [], np.zeros(free.sum())
        for weights, first, second in (
            (self.along, np.s_[:-1], np.s_[1:]),
            (self.up, np.s_[:, :-1], np.s_[:, 1:]),
        ):
            for one, other in ((first, second), (second, first)):
                mine, there, w = number[one].ravel(), number[other].ravel(), weights.ravel()
                known = np.where(there < 0, self.exact[other].ravel(), 0.0)
                own, linked = mine >= 0, (mine >= 0) & (there >= 0)
                rows += [mine[own], mine[linked]]
                columns += [mine[own], there[linked]]
                values += [w[own], -w[linked]]
                np.add.at(right, mine[own], w[own] * known[own])
        matrix = csc_matrix(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
            shape=(len(right),) * 2,
        )
        found = np.zeros(free.shape)
        found[free] = spsolve(matrix, right)
        x, y = self.i * self.wide, self.j
        r = np.hypot(x, y)
        ring = free & (r > NEAR) & (r < FAR)
        wave = np.sin(power * angle(x, y))[ring]
        basis = np.column_stack((r[ring] ** -power * wave, r[ring] ** power * wave))
        return float(np.linalg.lstsq(basis, (found - self.exact)[ring], rcond=None)[0][0])


def around(x: Any, y: Any) -> Any:
    """The angle from the face along −y of metal where x < 0 and y < 0."""
    return (np.arctan2(y, x) + np.pi / 2) % (2 * np.pi)


@pytest.mark.parametrize("wide", [1.0, 2.0, 3.0])
def test_a_right_angle_of_metal(wide: float) -> None:
    """u = r^(2/3) sin(2φ/3) about it."""

    def excess(farther: float) -> float:
        lattice = Lattice(
            wide,
            lambda i, j: (i <= 0) & (j <= 0),
            lambda x, y, metal: np.hypot(x, y) ** (2 / 3) * np.sin(2 / 3 * around(x, y)),
        )
        lattice.along[N, N] /= 1 + farther / wide
        lattice.up[N, N] /= 1 + farther
        return lattice.excess(2 / 3, around)

    found = brentq(excess, 0.0, 1.5, xtol=1e-3) / np.hypot(wide, 1)
    print(
        f"cells {wide:g} : 1, right angle: {found:.4f} diagonals, taken {CORNER}; without,"
        f" {excess(0.0):.3f}, with {excess(CORNER * np.hypot(wide, 1)):+.4f}"
    )
    assert found == pytest.approx(CORNER, rel=0.02)


def blunt(x: Any, y: Any, metal: Any, thick: float) -> Any:
    """The potential about a plate of some thickness along +x that ends at x = 0: Im w, where dz/dw
    = A√(w² − 1), A = 2·thickness/π (Schwarz and Christoffel).
    """
    a, z = 2 * thick / np.pi, np.where(metal, -1, x + 1j * y)
    w = np.sqrt(2 * z / a + 0j)
    w = np.where(w.imag < 0, -w, w)
    for _ in range(40):
        root = np.sqrt(w - 1) * np.sqrt(w + 1)
        step = (a / 2 * (w * root - np.log(w + root)) + 0.5j * thick - z) / (a * root)
        most = 0.3 * np.abs(w) + 0.1
        w = w - step * np.minimum(1, most / np.maximum(np.abs(step), 1e-30))
        w = np.where(w.imag < 0, w.conj(), w)
    return w.imag * np.sqrt(a / 2)


@pytest.mark.parametrize(
    ("wide", "thick"),
    [
        (1.0, 0.02),
        (1.0, 0.1),
        (1.0, 0.3),
        (1.0, 0.5),
        (2.0, 0.1),
        (2.0, 0.3),
        (0.5, 0.1),
        (0.5, 0.3),
    ],
)
def test_a_plate_thinner_than_a_cell(wide: float, thick: float) -> None:
    """It lies about a line of nodes, and edges across it are shorter by half of its thickness."""
    diagonal = np.hypot(wide, 1)

    def excess(farther: float) -> float:
        lattice = Lattice(
            wide, lambda i, j: (i >= 0) & (j == 0), lambda x, y, metal: blunt(x, y, metal, thick)
        )
        lattice.along[N - 1, N] /= 1 + farther / wide
        for side in (N - 1, N):
            lattice.up[N + 1 :, side] /= 1 - thick / 2
            lattice.up[N, side] /= 1 - thick / 2 + farther
        return lattice.excess(1 / 2, lambda x, y: np.arctan2(y, x) % (2 * np.pi))

    found = brentq(excess, 0.0, 2.0, xtol=1e-3) / diagonal
    taken = PLATE * np.exp(-FALLS * (thick / np.cbrt(wide**2)) ** POWER)
    print(f"cells {wide:g} : 1, plate of {thick:g}: {found:.3f} diagonals, taken {taken:.3f}")
    assert taken == pytest.approx(found, abs=0.025), (
        "a hundredth of the width of a strip of 2.5 cells"
    )
