"""Functions of the currents on the boundaries of regions of one medium each, that meet at edges.

In each region the field is that of currents on its boundary, J = n × H and M = −n × E with n into
it, and is nothing outside. Round an edge of the mesh its triangles part sectors, each within one
region. Along the edge H is the same in all sectors that only borders of media part, and E in all of
them, or nothing where metal meets the edge: that makes one electric function for each group of such
sectors and one magnetic one, each with a half on both of the sides of a sector (after
Ylä-Oijala, Taskinen and Sarvas, Prog. Electromagn. Res. 52, 81, 2005).
"""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.engines.moments.surface_basis import SurfaceBasis, edges_of, of_halves
from heron.errors import ModelError
from heron.quantities import engineering
from heron.quantities.constants import ETA0

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

NO_FACE = -1  # in the place of a triangle: the ground plane


@dataclass(frozen=True)
class RegionBasis:
    """``size`` functions, and their halves in each region, that outside first: ``electric`` ones of
    the electric current, ``magnetic`` ones of the magnetic current. Of the latter those at gaps are
    ``known``: how much there is of each, A/m, for 1 V.
    """

    size: int
    electric: list[SurfaceBasis]
    magnetic: list[SurfaceBasis]
    known: list[tuple[int, SurfaceGap, float]]

    def total(self) -> SurfaceBasis:
        """The electric current of all regions together: that of metal, and none elsewhere."""
        keys = np.concatenate(
            [np.column_stack((b.triangle, b.corner, b.function)) for b in self.electric]
        )
        factor = np.concatenate([b.factor for b in self.electric])
        keys, which = np.unique(keys, axis=0, return_inverse=True)
        both = np.bincount(which.ravel(), factor, len(keys))
        kept = np.abs(both) > 1e-9 * np.abs(factor).max()
        triangle, corner, function = keys[kept].T
        triangles = len(self.electric[0].uses) // 3
        return of_halves(self.size, triangles, function, triangle, corner, both[kept])


def region_basis(mesh: SurfaceMesh) -> RegionBasis:
    """The functions of a mesh with media.

    :raises ModelError: triangles at an edge contradict each other in what is between them.
    """
    size = 0
    electric: list[tuple[float, ...]] = []  # triangle, corner, function, length and sign, region
    magnetic: list[tuple[float, ...]] = []
    gaps = {int(t): gap for gap in (*mesh.feeds, *mesh.loads) for t in gap.triangles}
    known: list[tuple[int, SurfaceGap, float]] = []
    for (a, b), met in edges_of(mesh).items():
        way = mesh.vertices[b] - mesh.vertices[a]
        length = float(np.linalg.norm(way))
        grounded = bool(mesh.grounded[a] and mesh.grounded[b])
        opposite = dict(met)
        sectors = _sectors(mesh, a, way / length, met, grounded)
        own, through = _functions(mesh, sectors, grounded, gaps)
        if through:
            held = next((gaps[t] for t, _ in met if t in gaps), None)
            if held is not None:
                # the field in a gap is against the voltage, and M/η0 = −E
                amount = float(held.along @ way) / length / held.width / ETA0
                known.append((size + len(own), held, amount))
        for signs, table in ((own, electric), ([through] if through else [], magnetic)):
            for function in signs:
                table += [
                    (t, opposite[t], size, sign * length, r) for (r, t), sign in function.items()
                ]
                size += 1
    order = _first_met(electric + magnetic, size)
    regions = range(len(mesh.media) + 1)
    return RegionBasis(
        size,
        [_halves(mesh, electric, order, region) for region in regions],
        [_halves(mesh, magnetic, order, region) for region in regions],
        [(int(order[n]), gap, amount) for n, gap, amount in known],
    )


def _sectors(
    mesh: SurfaceMesh,
    vertex: int,
    along: Floats,
    met: list[tuple[int, int]],
    grounded: bool,
) -> list[tuple[int, int, int]]:
    """Triangles before and behind each sector round an edge, and its region."""
    triangles = [t for t, _ in met]
    arms = np.array([mesh.corners[t, v] for t, v in met]) - mesh.vertices[vertex]
    arms -= (arms @ along)[:, None] * along
    level = np.cross([0.0, 0.0, 1.0], along) if grounded else arms[0] / np.linalg.norm(arms[0])
    up = np.cross(along, level)
    angle = np.arctan2(arms @ up, arms @ level)
    order = np.argsort(np.where(angle < -1e-9, angle + 2 * np.pi, angle), kind="stable")
    turned = [triangles[i] for i in order]
    ahead = np.einsum("ti,ti->t", mesh.normal[turned], np.cross(along, arms[order])) > 0
    beyond = mesh.sides[turned, ahead.astype(int)].tolist()
    before = mesh.sides[turned, 1 - ahead.astype(int)].tolist()
    if before[1:] != beyond[:-1] or (not grounded and before[0] != beyond[-1]):
        place = ", ".join(engineering(c, "m", 3) for c in mesh.vertices[vertex])
        raise ModelError(
            f"surfaces do not fit together at ({place}), where it is not clear which medium is"
            " between them; look for parts that nearly touch"
        )
    if grounded:
        first = before[0]
        return list(zip([NO_FACE, *turned], [*turned, NO_FACE], [first, *beyond], strict=True))
    return list(zip(turned, [*turned[1:], turned[0]], beyond, strict=True))


def _functions(
    mesh: SurfaceMesh,
    sectors: list[tuple[int, int, int]],
    grounded: bool,
    gaps: Container[int],
) -> tuple[list[dict[tuple[int, int], int]], dict[tuple[int, int], int]]:
    """Signs of halves by regions and triangles: of each electric function at an edge, and of the
    magnetic one, empty where there is none, as at metal that is not in one of the ``gaps``.
    """
    groups: list[list[tuple[int, int, int]]] = []
    for sector in sectors:
        before = sector[0]
        joins = groups and before != NO_FACE and not mesh.metal[before]
        if joins:
            groups[-1].append(sector)
        else:
            groups.append([sector])
    last, first = sectors[-1][1], sectors[0][0]
    if not grounded and len(groups) > 1 and last == first and not mesh.metal[first]:
        groups[0] = groups.pop() + groups[0]
    found: list[dict[tuple[int, int], int]] = []
    every: dict[tuple[int, int], int] = {}
    for group in groups:
        own: dict[tuple[int, int], int] = {}
        for before, behind, region in group:
            for t, sign in ((before, -1), (behind, 1)):
                if t != NO_FACE and region >= 0:
                    own[region, t] = own.get((region, t), 0) + sign
        own = {key: sign for key, sign in own.items() if sign}
        for key, sign in own.items():
            every[key] = every.get(key, 0) + sign
        if own and _independent(found, own):
            found.append(own)
    whole = not grounded and not any(mesh.metal[t] and t not in gaps for t, _, _ in sectors)
    return found, {key: sign for key, sign in every.items() if sign} if whole else {}


def _independent(known: list[dict[tuple[int, int], int]], own: dict[tuple[int, int], int]) -> bool:
    """Whether a function is none of sums of those known, as what flows on either side of a sheet
    within a region is one current.
    """
    if not any(set(own) & set(k) for k in known):
        return True
    keys = sorted({key for k in (*known, own) for key in k})
    table = np.array([[k.get(key, 0) for key in keys] for k in (*known, own)])
    return int(np.linalg.matrix_rank(table)) > len(known)


def _first_met(halves: list[tuple[float, ...]], size: int) -> Ints:
    """(m,) numbers of functions in the order in which triangles meet them, so that the columns of
    neighbours are neighbours.
    """
    table = np.array(halves, dtype=float).reshape(-1, 5)
    first = np.full(size, np.inf)
    np.minimum.at(first, table[:, 2].astype(np.int64), 3 * table[:, 0] + table[:, 1])
    rank = np.empty(size, dtype=np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(size)
    return rank


def _halves(
    mesh: SurfaceMesh, halves: list[tuple[float, ...]], order: Ints, region: int
) -> SurfaceBasis:
    table = np.array(sorted(h for h in halves if h[4] == region), dtype=float).reshape(-1, 5)
    triangle = table[:, 0].astype(np.int64)
    return of_halves(
        len(order),
        len(mesh.triangles),
        order[table[:, 2].astype(np.int64)],
        triangle,
        table[:, 1].astype(np.int64),
        table[:, 3] / mesh.area[triangle],
    )
