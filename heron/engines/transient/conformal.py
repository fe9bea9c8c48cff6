"""Metal on the grid: which edges lie in it, and what its curved and slanted surfaces leave of edges
and faces beside it.

A surface that cuts an edge or a face leaves a share of it: with E scaled by its edge's free share,
Faraday's law on a cut face needs only the face's free area (Dey and Mittra, IEEE Microw. Guided
Wave Lett. 7, 1997). A wall thinner than a cell may cut a face in two, and one H cannot stand for
the fields on both of its sides: the face then belongs to its larger piece, and the edges of the
other pieces become metal. After that every edge and every face belongs to one side of the wall, so
that nothing passes through it, however thin it is.
"""

from __future__ import annotations

from itertools import product
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from heron.discretise import filling
from heron.engines.transient.structure import Structure

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

# of what a ray has inside, that one four times nearer has of a surface that is not grazed
LASTS = 0.75
CUTS = 6  # rays through a face each way, for the area that metal covers
# free share of an edge: less is taken for this, as metal at that distance all along its face would
# resonate with it below ten cells per wavelength
LEAST_EDGE = 0.1
ON_SURFACE = 5e-3  # of the smaller cell beside: nearer than this to a surface is on it
APART = 0.02  # of an edge: a shorter stretch between metal is none
# places along either side of a face that walls cut into more than its corners tell
SAMPLED = 17
FILLED = 0.9  # of an edge whose ends are in metal: it is metal too; less leaves a slot
TOUCHED = 1e-9  # of an edge: less of it inside is none; of a face: less of it outside


class Block(NamedTuple):
    """The part of a grid about a body: its first and last lines along each axis, and the lines
    themselves.
    """

    ends: list[tuple[int, int]]
    lines: list[Floats]

    def of(self, values: Any, shape: tuple[int, ...]) -> Any:
        """The view of an array (nx+1, ny+1, nz+1) of as many places from the block's first ones
        on.
        """
        return values[tuple(slice(i0, i0 + n) for (i0, _), n in zip(self.ends, shape, strict=True))]


class Edges(NamedTuple):
    """Edges along one axis: the shares ``inside``, free from the lower end up (``below``) and from
    the upper end down (``above``); which are ``crossed`` by metal between ends that are free.
    """

    inside: Floats
    below: Floats
    above: Floats
    crossed: Bools


def conduct(s: Structure, corners: Floats, resistance: float, number: int) -> None:
    """Puts a solid conductor, whose surface are the triangles ``corners`` (m, 3, 3) in m, on the
    grid as number ``number``; ``resistance`` Ω of its surface.
    """
    block = _block(s, corners)
    within = _nodes(corners, block)
    edges = [_edges(corners, block, c, within) for c in range(3)]
    free = [_free_faces(corners, block, c) for c in range(3)]
    metal = [_both(within, c) & (own.inside > FILLED) for c, own in enumerate(edges)]
    killed, share, sides = _one_sided(within, metal, edges, free)
    _part_pockets(
        corners,
        block,
        within,
        [m | k for m, k in zip(metal, killed, strict=True)],
        edges,
        sides,
        killed,
        share,
        free,
    )
    widths = [s.duals(k) for k in range(3)]
    for c in range(3):
        a, b = _across(c)
        dead = metal[c] | killed[c]
        own = np.where(dead, 0.0, np.maximum(share[c], LEAST_EDGE))
        at = block.of(s.free_edge[c], own.shape)
        at[...] = np.minimum(at, own)
        block.of(s.metal[c], own.shape)[...] |= dead
        block.of(s.edge_owner[c], own.shape)[dead] = number
        width = np.sqrt(
            _along(widths[a], a, block, own.shape) * _along(widths[b], b, block, own.shape)
        )
        conducts = block.of(s.conducts[c], own.shape)
        conducts[...] = np.where(dead, sheet_conductivity(resistance, width), conducts)
        face = block.of(s.free_face[c], free[c].shape)
        face[...] = np.minimum(face, free[c])
    if s.solid is None:
        s.solid = np.zeros(s.shape, dtype=np.float32)
    where, share_of_cells = filling.fractions(corners, *s.lines)
    s.solid[where] = np.minimum(s.solid[where] + share_of_cells, 1)


def sheet_conductivity(resistance: float, width: Any) -> Any:
    """S/m of edges whose share of the grid across the surface is ``width`` m: a current per width K
    drops E = K·resistance.
    """
    return 1 / (resistance * width) if resistance > 0 else np.full_like(width, np.inf)


def _across(c: int) -> tuple[int, int]:
    a, b = [k for k in range(3) if k != c]
    return a, b


def _block(s: Structure, corners: Floats) -> Block:
    low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
    ends = []
    for line, lo, hi in zip(s.lines, low, high, strict=True):
        i0, i1 = np.searchsorted(line, [lo, hi])
        ends.append((max(0, int(i0) - 1), min(len(line) - 1, int(i1) + 1)))
    return Block(ends, [line[i0 : i1 + 1] for line, (i0, i1) in zip(s.lines, ends, strict=True)])


def _reach(line: Floats) -> Floats:
    """How near to a surface a line is on it, m."""
    steps = np.diff(line)
    return ON_SURFACE * np.minimum(
        np.concatenate(([np.inf], steps)), np.concatenate((steps, [np.inf]))
    )


def _nodes(corners: Floats, block: Block) -> Bools:
    """Which nodes are in metal, or on its surface."""
    within = np.zeros([len(line) for line in block.lines], dtype=bool)
    for signs in product((-1, 1), repeat=3):
        within |= filling.inside(
            corners,
            *(line + sign * _reach(line) for line, sign in zip(block.lines, signs, strict=True)),
        )
    return within


def _edges(corners: Floats, block: Block, c: int, within: Bools) -> Edges:
    """What lies on the surface is metal: rays a hair to either side of the edges decide."""
    a, b = _across(c)
    found: list[Any] = []
    lasting: list[Floats] = []
    for da, db in product((-1, 1), repeat=2):
        there, nearer = (
            filling.lengths(
                corners[:, :, [a, b, c]],
                block.lines[a] + share * da * _reach(block.lines[a]),
                block.lines[b] + share * db * _reach(block.lines[b]),
                block.lines[c],
            )
            for share in (1.0, 0.25)
        )
        found.append(there)
        lasting.append(np.where(nearer[0] > LASTS * there[0], there[0], 0.0))
    inside, below, above = (
        np.moveaxis(way([f[n] for f in found], axis=0), 2, c)
        for n, way in enumerate((np.max, np.min, np.min))
    )
    neither = ~np.delete(within, -1, axis=c) & ~np.delete(within, 0, axis=c)
    # What only grazes an edge, as a cylinder does along its sides, parts nothing: it takes less of
    # it the nearer the ray. A wall that ends in the edge's plane does.
    certain = np.moveaxis(np.max(lasting, axis=0), 2, c)
    return Edges(inside, below, above, neither & (certain > TOUCHED))


def _free_faces(corners: Floats, block: Block, c: int) -> Floats:
    """The shares of faces across an axis that are not in metal; of those on its surface, as seen
    from the free side.
    """
    out: list[Floats] = []
    for d in (-1, 1):
        sides = []
        for a, b in (_across(c), _across(c)[::-1]):
            places = (
                block.lines[c] + d * _reach(block.lines[c]),
                filling.between(block.lines[b], CUTS),
            )
            inside = filling.lengths(corners[:, :, [c, b, a]], *places, block.lines[a])[0]
            n = inside.shape
            rays = inside.reshape(n[0], n[1] // CUTS, CUTS, n[2])
            order = np.argsort([c, b, a])
            sides.append(
                (np.transpose(rays.mean(axis=2), order), np.transpose(rays.var(axis=2), order))
            )
        out.append(1 - filling.weighed(sides))
    free = np.maximum(*out)
    return np.asarray(np.where(free > TOUCHED, free, 0.0))


def _both(within: Bools, c: int) -> Bools:
    return np.asarray(np.delete(within, -1, axis=c) & np.delete(within, 0, axis=c))


def _one_sided(
    within: Bools, metal: list[Bools], edges: list[Edges], free: list[Floats]
) -> tuple[list[Bools], list[Floats], list[NDArray[np.int8]]]:
    """Edges that become metal, the free shares of all others, and from which end those are where a
    wall crosses them (0 lower, 1 upper, −1 either), so that no face and no edge sees both sides of
    a wall; ``free`` areas of faces that a wall cuts in two become those of their larger pieces.
    """
    killed = [np.zeros_like(m) for m in metal]
    from_low, from_high = ([np.zeros_like(m) for m in metal] for _ in range(2))
    for c in range(3):
        a, b = _across(c)
        corner = [_shifted(within, {a: i, b: j}) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1))]
        if (
            not any((own.crossed).any() for own in (edges[a], edges[b]))
            and not (
                (corner[0] == corner[2]) & (corner[1] == corner[3]) & (corner[0] != corner[1])
            ).any()
        ):
            continue
        # Round the face: the edge after each corner, and which of its ends that corner is.
        round_ = [(a, {b: 0}, True), (b, {a: 1}, True), (a, {b: 1}, False), (b, {a: 0}, False)]
        own = [
            tuple(_at(values, place) for values in (*edges[k], metal[k])) for k, place, _ in round_
        ]
        joined = [~corner[n] & ~corner[(n + 1) % 4] & ~own[n][3] & ~own[n][4] for n in range(4)]
        pieces = sum((~x).astype(int) for x in corner) - sum(x.astype(int) for x in joined)
        split = np.argwhere(pieces >= 2)
        if not len(split):
            continue
        at = tuple(split.T)
        corners_free = np.array([~x[at] for x in corner]).T
        links = np.array([x[at] for x in joined]).T
        # free from a corner on, along its edge
        ahead = np.array(
            [
                np.where(rising, o[1][at], o[2][at])
                for o, (_, _, rising) in zip(own, round_, strict=True)
            ]
        ).T
        # of the same edge from its other end
        behind = np.array(
            [
                np.where(rising, o[2][at], o[1][at])
                for o, (_, _, rising) in zip(own, round_, strict=True)
            ]
        ).T
        label, area = _pieces(corners_free, links, ahead, behind)
        best = area.argmax(axis=1)
        mine = corners_free & (label == best[:, None])
        others = area.sum(axis=1) - area[np.arange(len(best)), best]
        free[c][at] = np.clip(free[c][at] - others, 0, 1)
        for n, (k, place, rising) in enumerate(round_):
            one, two, link = mine[:, n], mine[:, (n + 1) % 4], links[:, n]
            index = _index(at, place)
            lost = np.where(
                link, ~one, ~one & ~two & (corners_free[:, n] | corners_free[:, (n + 1) % 4])
            )
            killed[k][tuple(i[lost] for i in index)] = True
            low, high = (one, two) if rising else (two, one)
            crossed = edges[k].crossed[index] & (low != high)
            from_low[k][tuple(i[crossed & low] for i in index)] = True
            from_high[k][tuple(i[crossed & high] for i in index)] = True
    shares = []
    for k, own_edges in enumerate(edges):
        killed[k] |= from_low[k] & from_high[k]
        shares.append(
            np.where(
                from_low[k],
                own_edges.below,
                np.where(from_high[k], own_edges.above, 1 - own_edges.inside),
            )
        )
    sides = [
        np.where(low, 0, np.where(high, 1, -1)).astype(np.int8)
        for low, high in zip(from_low, from_high, strict=True)
    ]
    return killed, shares, sides


def _part_pockets(
    corners: Floats,
    block: Block,
    within: Bools,
    metal: list[Bools],
    edges: list[Edges],
    sides: list[NDArray[np.int8]],
    killed: list[Bools],
    share: list[Floats],
    free: list[Floats],
) -> None:
    """Where two walls meet, the space between them may reach a face along an edge whose nearest
    corners are in metal, while the free corners belong to the other side. Such an edge belongs to
    its longest free stretch, such a face to its largest piece, and the edges of other pieces become
    metal.
    """
    stretches, alone = [], []
    for k, (own, dead, side) in enumerate(zip(edges, metal, sides, strict=True)):
        cut = own.inside > TOUCHED
        found = np.array(
            [
                own.below,
                own.above,
                np.where(cut, np.clip(1 - own.inside - own.below - own.above, 0, 1), 0.0),
            ]
        )
        low, high = _shifted(within, {k: 0}), _shifted(within, {k: 1})
        # whether such a stretch ends in metal on both sides
        parted = np.array([cut & low | low & high, cut & high | low & high, cut])
        alone.append(~dead & (parted & (found > APART)).any(axis=0))
        stretches.append(np.where(side >= 0, side, found.argmax(axis=0)))
        share[k] = np.where(alone[k] & cut & (side < 0), found.max(axis=0), share[k])
    bounds = corners.min(axis=1), corners.max(axis=1)
    # where along an edge, of those that stand alone, all faces about it have their own piece
    seen: dict[tuple[int, ...], Bools] = {}
    for c in range(3):
        a, b = _across(c)
        round_ = [(a, {b: 0}), (a, {b: 1}), (b, {a: 0}), (b, {a: 1})]
        for place in np.argwhere(np.any([_at(alone[k], end) for k, end in round_], axis=0)):
            pieces = _pieces_of_face(corners, bounds, block, c, tuple(place))
            counts = np.bincount(pieces.ravel())[1:]
            if not len(counts):
                continue
            largest = int(counts.argmax()) + 1
            free[c][tuple(place)] = min(free[c][tuple(place)], counts[largest - 1] / pieces.size)
            for (k, end), own in zip(
                round_, (pieces[:, 0], pieces[:, -1], pieces[0], pieces[-1]), strict=True
            ):
                at = tuple(_index(tuple(place), end))
                if (
                    not metal[k][at]
                    and _of_stretch(
                        own,
                        int(stretches[k][at]),
                        float(edges[k].below[at]),
                        float(edges[k].above[at]),
                    )
                    != largest
                ):
                    killed[k][at] = True
                elif alone[k][at]:
                    seen[(k, *at)] = seen.get((k, *at), np.ones(SAMPLED, dtype=bool)) & (
                        own == largest
                    )
    for (k, *own_place), common in seen.items():
        killed[k][tuple(own_place)] |= not common.any()


def _of_stretch(pieces: NDArray[np.int64], which: int, below: float, above: float) -> int:
    """The piece that the free stretch of an edge belongs to, of those along it (n,): the one from
    its lower end, its upper end, or in its middle; 0 if in metal.
    """
    at = np.linspace(0, 1, len(pieces))
    own = pieces[(at <= below, at >= 1 - above, (at > below) & (at < 1 - above))[which]]
    return int(np.bincount(own[own > 0]).argmax()) if (own > 0).any() else 0


def _pieces_of_face(
    corners: Floats, bounds: tuple[Floats, Floats], block: Block, c: int, place: tuple[int, ...]
) -> NDArray[np.int64]:
    """Which piece of a face across an axis its sampled places (a, b) belong to, 0 in metal; what
    lies on the surface is seen from its freer side.

    Two neighbours are of one piece where the line between them meets no metal, however thin.
    """
    a, b = _across(c)
    at, reach = block.lines, [_reach(line) for line in block.lines]
    u, v = (
        np.linspace(
            at[k][place[k]] + reach[k][place[k]],
            at[k][place[k] + 1] - reach[k][place[k] + 1],
            SAMPLED,
        )
        for k in (a, b)
    )
    sides = at[c][place[c]] + np.array([-1, 1]) * reach[c][place[c]]

    def rays(along: int, across: int, beside: Floats, places: Floats) -> tuple[Bools, Bools]:
        """Of both sides, which places are in metal and which neighbours along the rays have metal
        between them.
        """
        low, high = bounds
        near = (
            (low[:, c] <= sides[1])
            & (high[:, c] >= sides[0])
            & (low[:, across] <= beside[-1])
            & (high[:, across] >= beside[0])
        )
        own = corners[near][:, :, [c, across, along]]
        return filling.inside(own, sides, beside, places), filling.lengths(
            own, sides, beside, places
        )[0] > TOUCHED

    within, along_a = rays(a, b, v, u)
    along_b = rays(b, a, u, v)[1]
    side = int(within.mean(axis=(1, 2)).argmin())
    lattice = np.zeros((2 * SAMPLED - 1, 2 * SAMPLED - 1), dtype=bool)
    lattice[::2, ::2] = ~within[side].T
    lattice[1::2, ::2], lattice[::2, 1::2] = ~along_a[side].T, ~along_b[side]
    return np.asarray(label(lattice)[0][::2, ::2], dtype=np.int64)


def _pieces(free: Bools, links: Bools, ahead: Floats, behind: Floats) -> tuple[Any, Floats]:
    """Of faces (n,) the piece that each corner (n, 4) belongs to, numbered by its first corner, and
    the areas of the four possible ones (n, 4), from what is free on the edges from each corner on.
    """
    n = len(free)
    label = np.tile(np.arange(4), (n, 1))
    for _ in range(3):
        for k in range(4):
            m = (k + 1) % 4
            low = np.minimum(label[:, k], label[:, m])
            label[:, k], label[:, m] = (
                np.where(links[:, k], low, label[:, k]),
                np.where(links[:, k], low, label[:, m]),
            )
    area = np.zeros((n, 4))
    for k in range(4):
        before = (k - 1) % 4
        on, back = (
            np.where(links[:, k], 0.5, ahead[:, k]),
            np.where(links[:, before], 0.5, behind[:, before]),
        )
        tip = np.where(links[:, k] | links[:, before], 1.0, 0.5)
        np.add.at(area, (np.arange(n), label[:, k]), np.where(free[:, k], on * back * tip, 0))
    return label, area


def _shifted(nodes: Bools, to: dict[int, int]) -> Bools:
    """Values at the lower (0) or upper (1) ends of cells along some axes."""
    for k, end in to.items():
        nodes = np.delete(nodes, 0 if end else -1, axis=k)
    return nodes


def _at(values: Any, place: dict[int, int]) -> Any:
    return _shifted(values, place)


def _index(at: tuple[Any, ...], place: dict[int, int]) -> tuple[Any, ...]:
    return tuple(i + place.get(k, 0) for k, i in enumerate(at))


def _along(values: Floats, axis: int, block: Block, shape: tuple[int, ...]) -> Floats:
    """Values of an axis' lines in a block, spread over an array of that shape."""
    spread = [1, 1, 1]
    spread[axis] = shape[axis]
    first = block.ends[axis][0]
    return np.broadcast_to(values[first : first + shape[axis]].reshape(spread), shape)
