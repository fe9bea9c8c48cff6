"""How fine the fields about conductors are: at straight edges, across gaps between round ones, and
about thin rods.

The field at an edge of metal falls off over the distance to what is nearest to it: the metal's
other edge, that of the next conductor across a gap, or the ground beneath. A grid that is to show
what a line of that width carries needs some cells in that distance, whatever the wavelength.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import partial
from itertools import combinations
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from heron.discretise import filling, grid

Floats = NDArray[np.float64]

SAME = 1e-6  # of the model's size: nearer than this is one place
AT = (0.12, 0.5, 0.88)  # of an edge's length: where its surroundings are looked at
# of one body: one with more is a platform, whose details are not what a line is
MOST_EDGES = 400
# cells to either side of an edge, along the metal and across it, that are as large as the one at
# it, where something is near
EVEN = 3.0
# largest cells at the edge of a tilted sheet, or of a tilted wall that is one to the grid
AT_RIM = 0.5
AROUND = 1.5  # the same of a sheet that ends far from anything
FEW = 1.5  # cells from an edge to what is nearest: fewer show the field there poorly
BETWEEN_ROUND = 2.0  # times as many cells between conductors of which one is round
ACROSS_ROUND = 2.5  # and across a round one
# and across one that is round all about: a ball of 6 cells scatters 5 % too little, one of 10 less
# than 2 %
ACROSS_BALL = 4.0
ALONG = 1 - 1e-6  # of a normal's length along an axis: the facet lies along the grid's planes
# of the surroundings of an edge: where as much is metal, the field hardly grows towards it
BLUNT = 3 / 8


class Edge(NamedTuple):
    """A straight edge of conductor number ``body`` along ``axis``, between the points ``start`` and
    ``stop`` (3,), m; ``thin`` if that is a sheet in the plane across ``across``, which ends there
    along the third axis in the direction of ``side`` (0: it goes on on both sides). A sheet that is
    tilted there ends along both axes across the edge, in the directions ``leads`` (3,).
    """

    body: int
    axis: int
    start: Floats
    stop: Floats
    thin: bool = False
    across: int = -1
    side: int = 0
    leads: tuple[int, ...] = ()

    @property
    def middle(self) -> Floats:
        """Its middle (3,), m."""
        return np.asarray(0.5 * (self.start + self.stop))

    @property
    def ends(self) -> int:
        """The axis along which a sheet ends at the edge."""
        return 3 - self.axis - self.across


def _level(body: int, lines: Sequence[Floats]) -> Iterator[Edge]:
    """Those of polylines (k, 3) in m that are straight and run along an axis."""
    for line in lines:
        start, stop = line[0], line[-1]
        length = np.abs(stop - start)
        if len(line) > 2 or not length.any() or (length > 1e-6 * length.max()).sum() != 1:
            continue
        axis = int(length.argmax())
        yield Edge(body, axis, *((start, stop) if start[axis] <= stop[axis] else (stop, start)))


def straight(
    body: int,
    lines: Sequence[Floats],
    corners: Floats,
    sheet: int | None,
    solids: Sequence[Floats] = (),
) -> list[Edge]:
    """The edges among polylines (k, 3) in m that run along an axis, but for blunt ones.

    ``corners`` (m, 3, 3) are the body's triangles, ``solids`` those of every solid of metal; a
    ``sheet`` lies across that axis.
    """
    reach = 1e-4 * float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    if sheet is None:
        return [e for e in _level(body, lines) if not _blunt(solids, e.axis, e.middle, reach)]
    plane = [k for k in range(3) if k != sheet]
    flat, out = corners[:, :, plane], []
    for e in (e for e in _level(body, lines) if e.axis != sheet):
        step = np.zeros(3)
        step[3 - e.axis - sheet] = reach
        behind, ahead = (
            bool(
                filling.covered(
                    flat, (e.middle + s * step)[plane[:1]], (e.middle + s * step)[plane[1:]], 0.0
                )[0, 0]
            )
            for s in (-1, 1)
        )
        out.append(e._replace(thin=True, across=sheet, side=int(behind) - int(ahead)))
    return out


def rims(body: int, lines: Sequence[Floats], corners: Floats) -> list[Edge]:
    """The edges among polylines (k, 3) in m of a bent or tilted sheet that run along an axis and at
    which it ends, and no other metal of triangles (m, 3, 3) begins.
    """
    out = []
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    reach = 1e-4 * float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    for edge in _level(body, lines):
        middle = edge.middle
        near = np.flatnonzero(
            (np.abs(((middle - corners[:, 0]) * normal).sum(axis=1)) < reach)
            & _beside(corners, normal, middle, reach)
        )
        behind = np.sign(np.round((corners[near].mean(axis=1) - middle) / reach).astype(int))
        if not len(near) or len({tuple(b) for b in behind.tolist()}) != 1:
            continue  # it goes on, or round a bend
        across = int(np.abs(normal[near[0]]).argmax())
        if abs(normal[near[0], across]) > ALONG:
            out.append(
                edge._replace(
                    thin=True, across=across, side=-int(behind[0, 3 - edge.axis - across])
                )
            )
        else:
            out.append(edge._replace(leads=tuple((-behind[0]).tolist())))
    return out


def _beside(corners: Floats, normal: Floats, point: Floats, reach: float) -> NDArray[np.bool_]:
    """Whether a point in the planes of triangles (m, 3, 3) lies in them, or within ``reach`` m of
    them.
    """
    inside = np.ones(len(corners), dtype=bool)
    for k in range(3):
        side = corners[:, (k + 1) % 3] - corners[:, k]
        inwards = np.cross(normal, side)
        inwards /= np.maximum(np.linalg.norm(inwards, axis=1), 1e-300)[:, None]
        inside &= ((point - corners[:, k]) * inwards).sum(axis=1) > -reach
    return inside


def _blunt(solids: Sequence[Floats], axis: int, middle: Floats, reach: float) -> bool:
    """Whether much of what is about a solid's edge is metal, of that or another body that touches
    it there: a corner that the field lies in, or hardly a bend at all, where the field is even and
    needs no more cells than elsewhere. About a right angle a quarter is metal.
    """
    around = reach * np.array([-3.0, -1.0, 1.0, 3.0])
    places = [middle[k : k + 1] if k == axis else middle[k] + around for k in range(3)]
    metal = np.zeros([len(p) for p in places], dtype=bool)
    for corners in solids:
        own = corners.reshape(-1, 3)
        if (own.min(axis=0) <= middle + 3 * reach).all() and (
            own.max(axis=0) >= middle - 3 * reach
        ).all():
            metal |= filling.inside(corners, *places)
    return float(metal.mean()) >= BLUNT


def scales(
    edges: Sequence[Edge],
    surfaces: Sequence[Floats],
    walls: Sequence[tuple[int, float]],
    periods: dict[int, float],
    reach: float,
    meet: Callable[[int, int], bool],
) -> tuple[Floats, Floats]:
    """m: the distance (edges,) from each edge to the nearest that its field ends on, infinite
    beyond ``reach``; and the thickness (edges,) of the oblique wall that ends in a level rim there,
    infinite where there is none.

    :param surfaces: triangles (m, 3, 3) of every conductor, in m, by its number.
    :param walls: (axis, place in m) of planes that conduct or mirror.
    :param periods: m, by axis along which all is repeated.
    :param meet: whether two conductors touch: near there the distance between what is oblique goes
        to nothing, and says nothing.
    """
    out, thickness = np.full((2, len(edges)), np.inf)
    if not edges:
        return out, thickness
    size = float(np.ptp(np.concatenate([s.reshape(-1, 3) for s in surfaces]), axis=0).max())
    same = SAME * size
    for axis in range(3):
        own = [n for n, e in enumerate(edges) if e.axis == axis]
        if not own:
            continue
        a, b = [k for k in range(3) if k != axis]
        places = np.array([edges[n].start for n in own])
        ends = np.array([edges[n].stop[axis] for n in own])
        shifts = [(0.0, 0.0)] + [
            (p * s if k == a else 0.0, p * s if k == b else 0.0)
            for k, p in periods.items()
            if k != axis
            for s in (-1, 1)
        ]
        bodies, thin = (
            np.array([edges[n].body for n in own]),
            np.array([edges[n].thin for n in own]),
        )
        for n, e in enumerate(edges[n] for n in own):
            beside = np.minimum(ends[n], ends) - np.maximum(places[n, axis], places[:, axis]) > same
            across: dict[int, float] = {}
            nearest = np.inf
            for sa, sb in shifts:
                da, db = (
                    np.abs(places[:, a] + sa - places[n, a]),
                    np.abs(places[:, b] + sb - places[n, b]),
                )
                away = np.hypot(da, db)
                good = beside & (away > same) & (away < reach)
                # Of a solid's own edges those across its faces: the wider face says how wide it is,
                # as a strip of some thickness is still a strip.
                faces = (
                    beside
                    & (away > same)
                    & (bodies == e.body)
                    & ~thin
                    & (np.minimum(da, db) <= same)
                    & (sa == sb == 0.0)
                )
                for k, distance in ((a, da), (b, db)):
                    mine = faces & (distance > same)
                    for m in np.flatnonzero(mine):
                        middle = 0.5 * (places[n] + places[m])
                        middle[axis] = 0.5 * (
                            max(places[n, axis], places[m, axis]) + min(ends[n], ends[m])
                        )
                        if _on(surfaces[e.body], middle, k, axis, same):
                            across[k] = min(across.get(k, np.inf), float(distance[m]))
                            good[m] = False
                nearest = min(nearest, float(away[good].min(initial=np.inf)))
            if len(across) == 2:  # the other face of an oblique wall says nothing of how wide it is
                nearest = min(nearest, max(across.values()))
            elif across:
                thickness[own[n]] = next(iter(across.values()))
            out[own[n]] = nearest
    for n, e in enumerate(edges):
        for at in AT:
            point = e.start + at * (e.stop - e.start)
            out[n] = min(out[n], _clear(e, point, surfaces, reach, same, meet))
        for axis, place in walls:
            if axis != e.axis and same < abs(e.start[axis] - place) < reach:
                out[n] = min(out[n], abs(e.start[axis] - place))
    return np.where(out < reach, out, np.inf), thickness


def _on(corners: Floats, point: Floats, k: int, axis: int, same: float) -> bool:
    """Whether a point lies on a face of triangles that holds the directions ``k`` and ``axis``."""
    upright = 3 - k - axis
    flat = np.ptp(corners[:, :, upright], axis=1) <= same
    level = flat & (np.abs(corners[:, 0, upright] - point[upright]) <= same)
    plane = [k, axis]
    return bool(
        level.any()
        and filling.covered(corners[level][:, :, plane], point[plane[:1]], point[plane[1:]], same)[
            0, 0
        ]
    )


def _clear(
    e: Edge,
    point: Floats,
    surfaces: Sequence[Floats],
    reach: float,
    same: float,
    meet: Callable[[int, int], bool],
) -> float:
    """From a point of an edge to the surface of another conductor, along the axes across the
    edge.
    """
    nearest = np.inf
    for number, corners in enumerate(surfaces):
        low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
        if number == e.body or (np.maximum(low - point, point - high) > reach).any():
            continue
        for k in (k for k in range(3) if k != e.axis):
            others = [q for q in range(3) if q != k]
            level = np.ptp(corners[:, :, k], axis=1) <= same
            for oblique, own in ((False, corners[level]), (True, corners[~level])):
                away = np.abs(
                    filling.heights(own[:, :, [*others, k]], point[others[:1]], point[others[1:]])
                    - point[k]
                )
                found = float(
                    away[(away > same) & (away < min(nearest, reach))].min(initial=np.inf)
                )
                if found < nearest and not (oblique and meet(e.body, number)):
                    nearest = found
    return nearest


class Conductor(NamedTuple):
    """A conducting body between the corners ``low`` and ``high`` (3,), its surface as triangles
    ``corners`` (m, 3, 3) and its edges as polylines (k, 3), all in m; ``sheet`` is the axis a flat
    sheet lies across; other sheets are ``bent``.
    """

    low: Floats
    high: Floats
    corners: Floats
    lines: Sequence[Floats]
    sheet: int | None
    bent: bool = False


class Wish(NamedTuple):
    """Cells of ``size`` m at most from ``low`` to ``high``, m, along an axis."""

    axis: int
    low: float
    high: float
    size: float


class End(NamedTuple):
    """Where a sheet ends along an axis, at ``place`` m in the direction of ``side`` (0: it has an
    edge there and goes on), with a cell of ``size`` m at most.
    """

    axis: int
    place: float
    side: int
    size: float


class Detail(NamedTuple):
    """Of conductor number ``body``: ``distance`` m from an edge at ``place`` (3,) to what is
    nearest to it, and the ``size`` of cells there, m.
    """

    body: int
    place: Floats
    distance: float
    size: float


@dataclass
class Features:
    """What the surroundings of conductors ask of a grid: ``near`` are the details among the wishes,
    whose cells do not follow from the wavelength.
    """

    wishes: list[Wish] = field(default_factory=list)
    ends: list[End] = field(default_factory=list)
    near: list[Wish] = field(default_factory=list)
    details: list[Detail] = field(default_factory=list)


@dataclass(frozen=True)
class Asked:
    """Cells of ``coarse`` m at edges far from anything, and of ``largest`` m in the open; so many
    ``cells`` in the distance from an edge to what is nearest, or none for its sake, and none below
    ``finest`` m.
    """

    largest: float
    coarse: float
    finest: float
    cells: float


def features_beside(
    conductors: Sequence[Conductor],
    walls: Sequence[tuple[int, float]],
    periods: dict[int, float],
    clearance: Callable[[int, int], float],
    onward: Sequence[tuple[int, float]],
    asked: Asked,
) -> Features:
    """What conductors ask of the grid; ``walls`` and ``periods`` as :func:`scales` has them,
    ``clearance`` in m between two of them by their numbers. In the planes ``onward``, (axis, place
    in m), metal ends in the model only.
    """
    out = Features()
    if not conductors:
        return out
    surfaces = [c.corners for c in conductors]
    low, high = (
        np.min([c.low for c in conductors], axis=0),
        np.max([c.high for c in conductors], axis=0),
    )
    same = SAME * float((high - low).max())
    platform = [len(c.lines) > MOST_EDGES for c in conductors]
    whole = np.concatenate(surfaces)
    shown = [n for n, c in enumerate(conductors) if c.sheet is not None or not platform[n]]
    solids = [c.corners for c in conductors if c.sheet is None and not c.bent]
    of_each = [
        rims(n, c.lines, whole) if c.bent else straight(n, c.lines, c.corners, c.sheet, solids)
        for n, c in ((n, conductors[n]) for n in shown)
    ]
    edges = [
        e
        for own in of_each
        for e in own
        if not any(axis != e.axis and abs(e.start[axis] - at) <= same for axis, at in onward)
    ]
    looked_at = [e for e in edges if not platform[e.body]]
    found = iter(
        np.transpose(
            scales(
                looked_at,
                surfaces,
                walls,
                periods,
                max(asked.cells, FEW) * asked.coarse,
                lambda a, b: clearance(a, b) < same,
            )
        )
    )
    for e in edges:
        distance, thickness = (np.inf, np.inf) if platform[e.body] else next(found)
        wanted = distance / asked.cells if asked.cells else np.inf
        thin_rim = np.isinf(distance) and thickness < grid.THIN * AT_RIM * asked.largest
        size = max(min(wanted, AT_RIM * asked.largest if thin_rim else asked.coarse), asked.finest)
        if np.isfinite(distance):
            out.details.append(Detail(e.body, e.middle, float(distance), size))
        for k in (k for k in range(3) if k != e.axis):
            place = round(float(e.start[k]), 12)
            if e.thin and k == e.ends:
                out.ends.append(End(k, place, e.side, size))
            elif e.leads:
                out.ends.append(
                    End(
                        k, place, e.leads[k], max(min(wanted, AT_RIM * asked.largest), asked.finest)
                    )
                )
                continue
            even = size * (EVEN if size < asked.coarse else AROUND if e.thin else 0.0)
            (out.near if size < asked.coarse else out.wishes).append(
                Wish(k, place - even, place + even, size)
            )
    if not asked.cells:
        return out
    for c in conductors:
        if c.sheet is None:
            out.near += _small_round(c, asked)
    around = [rounded(c.corners) for c in conductors]
    for first, second in combinations(range(len(conductors)), 2):
        out.near += _gap(
            conductors[first],
            conductors[second],
            sorted({*around[first], *around[second]}),
            partial(clearance, first, second),
            same,
            asked,
        )
    return out


def rounded(corners: Floats) -> list[int]:
    """The axes along which the curved or slanted facets of triangles (m, 3, 3) look."""
    normal = np.abs(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    slanted = normal[normal.max(axis=1) < ALONG * np.linalg.norm(normal, axis=1)]
    return [
        k
        for k in range(3)
        if len(slanted) and (slanted[:, k] > 1e-3 * np.linalg.norm(slanted, axis=1)).any()
    ]


def _small_round(c: Conductor, asked: Asked) -> list[Wish]:
    """Cells across a round conductor along the axes its curved sides look, where those of the open
    are too large; more if it is round all about, as a ball is.
    """
    axes = rounded(c.corners)
    cells = (ACROSS_BALL if len(axes) == 3 else ACROSS_ROUND) * asked.cells
    sizes = [(k, max(float(c.high[k] - c.low[k]) / cells, asked.finest)) for k in axes]
    return [
        Wish(k, float(c.low[k]), float(c.high[k]), size)
        for k, size in sizes
        if size < asked.largest
    ]


def _gap(
    one: Conductor,
    other: Conductor,
    axes: Sequence[int],
    clearance: Callable[[], float],
    same: float,
    asked: Asked,
) -> list[Wish]:
    """Cells between two conductors of which one is round, where they can be as near as they come to
    each other.
    """
    cells = BETWEEN_ROUND * asked.cells
    reach = cells * asked.largest
    if not axes or (np.maximum(one.low - other.high, other.low - one.high) > reach).any():
        return []
    apart = clearance()
    if not same < apart < reach:
        return []
    low, high = np.maximum(one.low, other.low) - apart, np.minimum(one.high, other.high) + apart
    return [
        Wish(k, float(low[k]), float(high[k]), max(apart / cells, asked.finest))
        for k in axes
        if high[k] >= low[k]
    ]
