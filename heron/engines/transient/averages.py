"""Permittivity of the grid's edges where surfaces of media cut them at an angle, to second order in
the cell.

Each edge stands for a voxel of its own: as long as it is, and as wide as the cells around it are on
average. E along a surface in it sees the mean of ε, E across it the inverse of the mean of 1/ε, so
that E = ξ D with ξ = n nᵀ ⟨1/ε⟩ + (1 − n nᵀ)/⟨ε⟩, n being the surface's normal (Kottke, Farjadpour
and Johnson, Phys. Rev. E 77, 036611, 2008). The terms that mix components belong to nodes, where
they are a positive form of the mean D of the two edges that meet there, so that the scheme keeps an
energy (Werner and Cary, J. Comput. Phys. 226, 2007). Means are taken over what is not metal.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from heron.discretise import filling
from heron.engines.transient.structure import Averages, Structure

Floats = NDArray[np.float64]
Singles = NDArray[np.float32]
Complexes = NDArray[np.complex128]

MIXED = 1e-4  # of ⟨ε⟩⟨1/ε⟩ above 1: more than one medium is in a voxel
SLANTED = 1e-6  # of a facet's area: less than that across an axis lies along the grid's planes
HELD = 0.95  # of what keeps the form of a node positive: mixing terms are no larger
LATTICES = (0, 1, 2, None)  # voxels of the edges along x, y and z, and of nodes


class Substance(NamedTuple):
    """Of a medium in the middle of the band: relative ε, and how much of it is not there at every
    frequency alike: what it loses and how it changes.
    """

    epsilon: complex
    varies: float


@dataclass
class Voxels:
    """Sums over shares of media in the voxels of a lattice: of the shares, and of ε − 1, 1/ε − 1
    and, times what ``varies``, of 1 and of 1/|ε|²; and metal's share.
    """

    lines: tuple[Floats, Floats, Floats]
    more: NDArray[np.complex64]
    less: NDArray[np.complex64]
    varies: Singles
    across: Singles
    solid: Singles

    @classmethod
    def between(cls, lines: tuple[Floats, Floats, Floats]) -> Voxels:
        """Voxels between lines, empty."""
        shape = tuple(len(line) - 1 for line in lines)
        more, less = (np.zeros(shape, dtype=np.complex64) for _ in range(2))
        varies, across, solid = (np.zeros(shape, dtype=np.float32) for _ in range(3))
        return cls(lines, more, less, varies, across, solid)

    def put(self, where: Any, share: Any, medium: Substance) -> None:
        """Adds a medium that has a share (…) of the voxels at ``where``."""
        self.more[where] += share * (medium.epsilon - 1)
        self.less[where] += share * (1 / medium.epsilon - 1)
        self.varies[where] += share * medium.varies
        self.across[where] += share * medium.varies / abs(medium.epsilon) ** 2

    @property
    def means(self) -> tuple[Complexes, Complexes]:
        """⟨ε⟩ and ⟨1/ε⟩ of what is not metal."""
        rest = np.maximum(1.0 - self.solid, 1e-3)
        mean, inverse = (1.0 + (x / rest).astype(complex) for x in (self.more, self.less))
        return np.maximum(mean.real, 1e-3) + 1j * mean.imag, np.maximum(
            inverse.real, 1e-6
        ) + 1j * inverse.imag

    def normals(self, mean: Floats) -> Any:
        """(3, …) unit normals of the surfaces where ``mean`` changes."""
        slopes = []
        for k, line in enumerate(self.lines):
            at = 0.5 * (line[1:] + line[:-1])
            slopes.append(np.gradient(mean, at, axis=k) if len(at) > 1 else np.zeros_like(mean))
        size = np.sqrt(sum(g**2 for g in slopes))
        return np.array([g / np.maximum(size, 1e-300) for g in slopes])


@dataclass
class Lattices:
    """The voxels that a structure's media and metal are put into while it is filled."""

    voxels: list[Voxels] = field(default_factory=list)

    @classmethod
    def of(cls, s: Structure) -> Lattices:
        """Those of a structure, empty."""
        wide = [
            np.concatenate((line[:1], 0.5 * (line[1:] + line[:-1]), line[-1:])) for line in s.lines
        ]
        lines: list[Any] = [
            tuple(s.lines[k] if k == c else wide[k] for k in range(3)) for c in LATTICES
        ]
        return cls([Voxels.between(own) for own in lines])

    def put_body(self, corners: Floats, medium: Substance) -> None:
        """Adds a body of a medium, by facets (m, 3, 3) m."""
        for own in self.voxels:
            own.put(*filling.fractions(corners, *own.lines), medium)

    def put_layer(self, bottom: float, top: float, medium: Substance, bodies: list[Any]) -> None:
        """A layer between two heights, in what bodies, as triangles, leave of it."""
        for own in self.voxels:
            z = own.lines[2]
            share = np.clip(
                (np.minimum(z[1:], top) - np.maximum(z[:-1], bottom)) / np.diff(z), 0, 1
            ) * np.ones(own.more.shape)
            for corners in bodies:
                where, taken = filling.fractions(corners, *own.lines)
                share[where] = np.minimum(share[where], 1 - taken)
            own.put(..., share, medium)

    def put_metal(self, corners: Floats) -> None:
        """Adds solid metal, by facets (m, 3, 3) m."""
        for own in self.voxels:
            where, share = filling.fractions(corners, *own.lines)
            own.solid[where] = np.minimum(own.solid[where] + share, 1)

    def finished(self, around: list[Floats]) -> Averages:
        """What edges and nodes see; ``around`` (3, …) is the mean of what varies over the cells
        around each edge.
        """
        shape = tuple(n for n in self.voxels[3].more.shape)
        epsilon, varies = (
            np.ones((3, *shape), dtype=np.float32),
            np.ones((3, *shape), dtype=np.float32),
        )
        for c in range(3):
            own = self.voxels[c]
            mean, inverse = own.means
            share = own.normals(mean.real)[c] ** 2
            mixed = (mean * inverse).real > 1 + MIXED
            effective = np.where(mixed, 1 / (share * inverse + (1 - share) / mean), mean).real
            rest = np.maximum(1.0 - own.solid, 1e-3)
            part: Any = (c, *(slice(0, n) for n in effective.shape))
            # In a medium of ε₁ E across its surface is 1/(ε₁⟨1/ε⟩) of the mean. Whatever the
            # direction of the field in it, on average over directions edges that do not mix their
            # losses lose what it does if each counts for this.
            of_all, across = own.varies.astype(float), own.across.astype(float)
            squeezed = np.where(
                across > 0, np.abs(inverse) ** 2 * of_all / np.where(across > 0, across, 1.0), 1.0
            )
            lost = np.where(mixed, of_all / (1 - share + share * squeezed), of_all) / rest
            epsilon[part] = effective
            varies[part] = np.where(
                around[c][part[1:]] > 0, lost / np.maximum(around[c][part[1:]], 1e-30), 1
            )
        return Averages(epsilon, varies, self._mixing(epsilon))

    def _mixing(self, epsilon: Singles) -> Singles:
        nodes = self.voxels[3]
        mean, inverse = nodes.means
        out = np.zeros((3, *mean.shape), dtype=np.float32)
        inner = np.zeros(mean.shape, dtype=bool)
        inner[1:-1, 1:-1, 1:-1] = True
        at = np.nonzero(((mean * inverse).real > 1 + MIXED) & inner)
        if not len(at[0]):
            return out
        n = nodes.normals(mean.real)[(slice(None), *at)]
        spread = (inverse[at] - 1 / mean[at]).real
        size = []
        # what two edges on either side of the node make of their mean: the harmonic mean
        for c in range(3):
            before = tuple(i - (k == c) for k, i in enumerate(at))
            size.append(2 / (epsilon[c][at] + epsilon[c][before]))
        form = np.zeros((len(at[0]), 3, 3))
        for a, b in ((1, 2), (2, 0), (0, 1)):
            form[:, a, b] = form[:, b, a] = n[a] * n[b] * spread / np.sqrt(size[a] * size[b])
        least = np.linalg.eigvalsh(form)[:, 0]
        held = np.minimum(1.0, HELD / np.maximum(-least, 1e-12))
        for c, (a, b) in enumerate(((1, 2), (2, 0), (0, 1))):
            out[c][at] = n[a] * n[b] * spread * held
        return out


def slanted(corners: Floats) -> bool:
    """Whether triangles (m, 3, 3) have facets that do not lie along the grid's planes."""
    normal = np.abs(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    return bool(
        (
            normal.sum(axis=1) - normal.max(axis=1) > SLANTED * normal.sum(axis=1).max(initial=0)
        ).any()
    )


class Mixing(NamedTuple):
    """How edges mix: E of ``source`` edges (m,) is ``saved`` before a step; after it, each
    ``target`` edge (n,) takes ``weight`` times the changes of its sources, number ``first[n]`` to
    ``first[n + 1]`` of ``of``. Flat numbers into the fields.
    """

    source: NDArray[np.uint64]
    saved: NDArray[np.float32]
    target: NDArray[np.uint64]
    first: NDArray[np.int64]
    of: NDArray[np.int64]
    weight: NDArray[np.float32]


def mixing(
    averages: Averages | None, live: Any, steps: list[Floats], widths: list[Floats], flat: Any
) -> Mixing:
    """The pairs of edges that mix, of those that are ``live`` (3, nx+1, ny+1, nz+1); ``steps`` are
    the sizes of cells along each axis and ``widths`` what lines stand for, m; ``flat`` turns
    numbers into such arrays into those of the fields.

    An edge takes from each of its two nodes half of ξ times the mean change of D of the two edges
    there, and as much more as the node's volume is larger than its.
    """
    nothing = np.zeros(0, dtype=np.int64)
    target, source, weight = [nothing], [nothing], [np.zeros(0)]
    if averages is not None and averages.mixing.any():
        nodes = averages.epsilon.shape[1:]
        for p, (a, b) in enumerate(((1, 2), (2, 0), (0, 1))):
            at = np.nonzero(averages.mixing[p])
            value = averages.mixing[p][at].astype(float)
            for one, other in ((a, b), (b, a)):
                for back in (0, 1):
                    to = tuple(i - (back if k == one else 0) for k, i in enumerate(at))
                    for behind in (0, 1):
                        of = tuple(i - (behind if k == other else 0) for k, i in enumerate(at))
                        good = live[(one, *to)] & live[(other, *of)]
                        target.append(
                            np.ravel_multi_index(
                                (np.full(good.sum(), one), *(i[good] for i in to)), (3, *nodes)
                            )
                        )
                        source.append(
                            np.ravel_multi_index(
                                (np.full(good.sum(), other), *(i[good] for i in of)), (3, *nodes)
                            )
                        )
                        volume = widths[one][at[one][good]] / steps[one][to[one][good]]
                        weight.append(
                            0.25 * value[good] * volume * averages.epsilon[(other, *of)][good]
                        )
    takers, givers = np.concatenate(target), np.concatenate(source)
    order = np.lexsort((givers, takers))
    sources, number = np.unique(givers[order], return_inverse=True)
    targets, first = np.unique(takers[order], return_index=True)
    return Mixing(
        flat(sources).astype(np.uint64),
        np.zeros(len(sources), dtype=np.float32),
        flat(targets).astype(np.uint64),
        np.append(first, len(takers)).astype(np.int64),
        number.astype(np.int64),
        np.concatenate(weight)[order].astype(np.float32),
    )
