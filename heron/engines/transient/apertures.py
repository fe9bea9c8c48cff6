"""Openings that line and guide feeds look through: found on the grid, with a closed case behind
each that carries the line on and absorbs it.

In the case, cells go on as they are just before the feed's plane, between perfectly conducting
sides. What comes out of the model leaves there as down an endless line. The feed's wave enters at
the plane.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from heron.engines.transient.openings import DEEP, Aperture, Case
from heron.engines.transient.structure import Structure
from heron.errors import ModelError
from heron.quantities.constants import C0

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

# widths of a strip to either side of its middle (with HIGH: common practice, see physics.md)
WIDE = 3.0
# distances to the ground that an opening reaches beyond the strip; a ground farther away on the
# other side is none
HIGH = 5.0
FRINGE = 3.0  # the same at least beyond the edges of a strip
# times these, where the next mode stays clear of the band: nearer sides lower the impedance of a
# strip by a few per cent
GROWN = 2.0
# of the highest frequency: where the next mode should begin at the lowest, taken as c over twice
# the width
CLEAR = 1.5


class Span(NamedTuple):
    """From and to, m, along one axis of an opening, and whether a ground is there."""

    low: float
    high: float
    from_low: bool = False
    from_high: bool = False


# lines more than cells, of edges along a, along b and along the axis; of faces the other way round
MORE = ((0, 1), (1, 0), (1, 1))


def open_aperture(s: Structure, step: Any, case: Case, highest: float) -> Aperture:
    """Finds the opening of a feed on a filled structure and puts its case there; ``highest`` Hz of
    the band.

    :raises ModelError: nothing to feed at its centre; it is open to the sides; no room for its
        case, or something stands there.
    """
    d = case.axis
    line = int(np.abs(s.lines[d] - case.at).argmin())
    end = int(np.abs(s.lines[d] - case.back).argmin())
    if abs(end - line) < DEEP or abs(s.lines[d][end] - case.back) > 2 * case.step:
        raise ModelError(
            "there is no room behind its plane for the case that its wave comes from: a ground,"
            " mirror plane or wall is there",
            ("centre",),
        )
    return enclose(
        s,
        case.number,
        d,
        case.sign,
        line,
        end,
        *_opening(s, step, case, line, C0 / (2 * CLEAR * highest)),
    )


def enclose(
    s: Structure,
    number: int,
    axis: int,
    sign: int,
    line: int,
    end: int,
    low: tuple[int, int],
    high: tuple[int, int],
    inside: Bools | None,
) -> Aperture:
    """Puts the case of a window there, of which ``inside`` on the lattice belongs to it (all if
    ``None``).

    :raises ModelError: something else stands there.
    """
    found = Aperture(number, axis, sign, line, end, low, high, _shut(s, axis, low, high, inside))
    for k, q in enumerate(found.across):
        for p in s.planes:
            if (
                p.axis == q
                and p.doubles
                and (found.high[k] == s.shape[q] if p.side else found.low[k] == 0)
            ):
                found.share /= 2
                found.ratio *= 0.5 if p.magnetic else 2.0
    _build(s, found)
    return found


def _across(s: Structure, case: Case, line: int) -> tuple[Bools, Floats, Floats]:
    """Metal just before a plane on a lattice (2na + 1, 2nb + 1) of nodes, edges between them and
    cells; the lines of its two axes.
    """
    d, (a, b) = case.axis, ((case.axis + 1) % 3, (case.axis + 2) % 3)
    plane, layer = line + case.sign, line if case.sign > 0 else line - 1

    def flat(values: Any, index: int) -> Any:
        return np.moveaxis(values, (d, a, b), (0, 1, 2))[index]

    na, nb = s.shape[a], s.shape[b]
    out = np.zeros((2 * na + 1, 2 * nb + 1), dtype=bool)
    out[1::2, ::2], out[::2, 1::2] = flat(s.metal[a], plane)[:na], flat(s.metal[b], plane)[:, :nb]
    out[::2, ::2] = flat(s.metal[d], layer)
    padded = np.pad(out, 1)
    for di, dj in ((0, 1), (2, 1), (1, 0), (1, 2)):  # the ends of metal edges
        out[::2, ::2] |= padded[di : di + 2 * na + 1 : 2, dj : dj + 2 * nb + 1 : 2]
    for p in s.planes:
        if not p.magnetic and p.axis in (a, b):
            wall: list[Any] = [slice(None), slice(None)]
            wall[(a, b).index(p.axis)] = -1 if p.side else 0
            out[tuple(wall)] = True
    return out, s.lines[a], s.lines[b]


def _opening(
    s: Structure, step: Any, case: Case, line: int, clear: float
) -> tuple[tuple[int, int], tuple[int, int], Bools | None]:
    """Window of an opening, and which places of the lattice in it belong to it (all if
    ``None``).
    """
    metal, *lines = _across(s, case, line)
    a, b = (case.axis + 1) % 3, (case.axis + 2) % 3
    centre = np.array([step.centre[a], step.centre[b]])
    cell = [
        int(np.clip(np.searchsorted(x, c) - 1, 0, len(x) - 2))
        for x, c in zip(lines, centre, strict=True)
    ]
    regions = np.asarray(label(~metal)[0])
    # width along the earlier of the two axes in the order x, y, z, height along the later
    asked: list[float | None] = [None, None]
    for k, q in enumerate((a, b)):
        asked[k] = step.width if q == min(a, b) else step.height
    if step.kind == "guide":
        own = regions == regions[2 * cell[0] + 1, 2 * cell[1] + 1]
        if own.sum() == 1:  # a cell with metal all round
            raise ModelError(
                "its centre lies in metal; move it into the opening of the guide", ("centre",)
            )
        if any(x is not None for x in asked):
            return _asked(lines, asked, centre, [Span(x[0], x[-1]) for x in lines])
        if _reaches_out(s, (a, b), own):
            raise ModelError(
                "no closed metal wall surrounds its centre on this grid: the guide is open there,"
                " or its wall is thinner than the grid can see; close it, or give the width and"
                " height of the opening",
                ("centre",),
            )
        return _bounded(own)
    conductor = _nearest(metal, lines, centre, s.largest)
    if conductor is None:
        raise ModelError(
            "there is no conductor at its centre; move it onto the strip or the inner conductor",
            ("centre",),
        )
    grown = np.zeros_like(metal)
    grown[1:] |= conductor[:-1]
    grown[:-1] |= conductor[1:]
    grown[:, 1:] |= conductor[:, :-1]
    grown[:, :-1] |= conductor[:, 1:]
    beside = regions[grown & ~metal]
    own = regions == (np.bincount(beside[beside > 0]).argmax() if (beside > 0).any() else -1)
    if not _reaches_out(s, (a, b), own) and own.any() and all(x is None for x in asked):
        return _bounded(own | conductor)
    return _asked(lines, asked, centre, _rule(metal & ~conductor, conductor, lines, clear))


def _bounded(own: Bools) -> tuple[tuple[int, int], tuple[int, int], Bools]:
    """The window of a region of the lattice, one node beyond its cells, and the region in it."""
    at = [np.flatnonzero(own.any(axis=1 - k)) for k in (0, 1)]
    low = int(at[0][0]) // 2, int(at[1][0]) // 2
    high = (int(at[0][-1]) + 1) // 2, (int(at[1][-1]) + 1) // 2
    return low, high, own[2 * low[0] : 2 * high[0] + 1, 2 * low[1] : 2 * high[1] + 1]


def _reaches_out(s: Structure, across: tuple[int, int], own: Bools) -> bool:
    """Whether a region of the lattice reaches an absorbing layer."""
    return any(
        bool(np.take(own, -1 if side else 0, axis=k).any())
        for k, q in enumerate(across)
        for side in (0, 1)
        if s.walls[q, side]
    )


def _nearest(metal: Bools, lines: list[Floats], centre: Floats, reach: float) -> Bools | None:
    """The conductor nearest to a point and no farther than ``reach``, on the lattice."""
    nodes = metal[::2, ::2]
    distance = np.where(
        nodes, np.hypot(lines[0][:, None] - centre[0], lines[1][None, :] - centre[1]), np.inf
    )
    i, j = np.unravel_index(int(distance.argmin()), distance.shape)
    if not distance[i, j] <= reach:
        return None
    numbers = np.asarray(label(metal)[0])
    return np.asarray(numbers == numbers[2 * i, 2 * j])


def _rule(others: Bools, conductor: Bools, lines: list[Floats], clear: float) -> list[Span]:
    """The opening of an open line along both axes: up to the grounds that face its conductor from
    below or above, and some distances beyond.

    An opening wider than ``clear`` m is made no larger than the rule has it.

    :raises ModelError: no ground faces it.
    """
    at = [np.flatnonzero(conductor[::2, ::2].any(axis=1 - k)) for k in (0, 1)]
    ends = [(float(line[x[0]]), float(line[x[-1]])) for line, x in zip(lines, at, strict=True)]
    flat = int(np.argmax([hi - lo for lo, hi in ends]))
    facing = []
    for k in (0, 1):
        beside = others[::2, ::2] if k == 0 else others[::2, ::2].T
        hits = np.flatnonzero(beside[:, at[1 - k][0] : at[1 - k][-1] + 1].any(axis=1))
        below, above = hits[hits < at[k][0]], hits[hits > at[k][-1]]
        facing.append(
            (
                float(lines[k][below[-1]]) if len(below) else -np.inf,
                float(lines[k][above[0]]) if len(above) else np.inf,
            )
        )
    ground = min(
        abs(f - e)
        for own, end in zip(facing, ends, strict=True)
        for f, e in zip(own, end, strict=True)
    )
    if not np.isfinite(ground):
        raise ModelError(
            "no ground faces its conductor, so that there is no line to feed; put the ground beside"
            " or below it, or use a gap feed",
            ("centre",),
        )
    (lo, hi), up = ends[flat], ends[1 - flat]
    reach = max(WIDE * (hi - lo), 0.5 * (hi - lo) + FRINGE * ground)
    grown = float(np.clip(0.5 * clear / reach, 1, GROWN))
    reach, beyond = grown * reach, grown * HIGH * ground
    out = [Span(0.5 * (lo + hi) - reach, 0.5 * (lo + hi) + reach)] * 2
    near = [
        abs(f - e) < HIGH * max(ground, hi - lo) for f, e in zip(facing[1 - flat], up, strict=True)
    ]
    out[1 - flat] = Span(
        facing[1 - flat][0] if near[0] else up[0] - beyond,
        facing[1 - flat][1] if near[1] else up[1] + beyond,
        near[0],
        near[1],
    )
    return out


def _asked(
    lines: list[Floats], asked: list[float | None], centre: Floats, free: list[Span]
) -> tuple[Any, Any, None]:
    """The window of the sizes asked for: about the centre, or from the one ground there is; those
    not asked for as ``free`` has them.

    :raises ModelError: narrower than two cells.
    """
    low, high = [], []
    for line, size, middle, span in zip(lines, asked, centre, free, strict=True):
        lo, hi = span.low, span.high
        if size is not None:
            lo, hi = middle - size / 2, middle + size / 2
            if span.from_low != span.from_high:
                lo, hi = (
                    (span.low, span.low + size) if span.from_low else (span.high - size, span.high)
                )
        first, last = int(np.abs(line - lo).argmin()), int(np.abs(line - hi).argmin())
        if last - first < 2:
            raise ModelError(
                "its opening is narrower than two cells; make it larger, or the cells smaller",
                ("width",),
            )
        low.append(first)
        high.append(last)
    return tuple(low), tuple(high), None


def _shut(
    s: Structure, d: int, low: tuple[int, int], high: tuple[int, int], inside: Bools | None
) -> tuple[Bools, Bools, Bools]:
    """The frame of a window, but where a magnetic plane goes on as a mirror, and what lies outside
    its region.
    """
    na, nb = high[0] - low[0], high[1] - low[1]
    lattice = np.zeros((2 * na + 1, 2 * nb + 1), dtype=bool) if inside is None else ~inside
    for k, q in enumerate(((d + 1) % 3, (d + 2) % 3)):
        for side in (0, 1):
            at_plane = any(p.axis == q and p.side == side and p.magnetic for p in s.planes) and (
                high[k] == s.shape[q] if side else low[k] == 0
            )
            if not at_plane:
                wall: list[Any] = [slice(None), slice(None)]
                wall[k] = -1 if side else 0
                lattice[tuple(wall)] = True
    return lattice[1::2, ::2], lattice[::2, 1::2], lattice[::2, ::2]


def _build(s: Structure, p: Aperture) -> None:
    """The case: cells, metal and cut edges as in the first layer before the plane, closed at its
    sides and its end.

    :raises ModelError: something else stands there.
    """
    d, (a, b) = p.axis, p.across
    # the plane of lines and the layer of cells that are copied
    ahead, layer = p.line + p.sign, p.ahead
    planes = np.arange(min(p.line, p.end), max(p.line, p.end) + 1)
    layers = planes[:-1]
    owner = p.window(s.cell_owner, (0, 0))
    strange = (owner[layers] != 0) & (owner[layers] != owner[layer])
    if strange.any():
        name = s.names[int(owner[layers][strange][0]) - 1]
        raise ModelError(
            f"“{name}” stands behind its plane, where its wave comes from; put the feed at the end"
            " of its line or guide",
            ("centre",),
        )
    cells: list[Any] = [
        s.epsilon,
        s.sigma,
        s.mu,
        s.cell_owner,
        *(x.share for x in s.dispersions),
        *(s.means or ()),
        *([] if s.solid is None else [s.solid]),
    ]
    for values in cells:
        view = p.window(values, (0, 0))
        view[layers] = view[layer]
    for k, (c, more) in enumerate(zip((a, b, d), MORE, strict=True)):
        where, source = (layers, layer) if c == d else (planes, ahead)
        for whole in (
            s.metal,
            s.conducts,
            s.edge_owner,
            s.free_edge,
            *(() if s.averages is None else (s.averages.epsilon, s.averages.varies)),
        ):
            view = p.window(whole[c], more)
            view[where] = view[source]
        metal, conducts = p.window(s.metal[c], more), p.window(s.conducts[c], more)
        if s.averages is not None:
            p.window(s.averages.mixing[c], (1, 1))[planes] = 0
        for n in where:
            metal[n][p.shut[k]], conducts[n][p.shut[k]] = True, np.inf
        if c != d:
            metal[p.end], conducts[p.end] = True, np.inf
    for c, more in ((a, (1, 0)), (b, (0, 1)), (d, (0, 0))):
        where, source = (planes, ahead) if c == d else (layers, layer)
        view = p.window(s.free_face[c], more)
        view[where] = view[source]


def in_cases(s: Structure) -> Bools:
    """(3, nx+1, ny+1, nz+1): edges in the cases of feeds, their planes included."""
    out = np.zeros(s.metal.shape, dtype=bool)
    for p in s.apertures:
        low, high = min(p.line, p.end), max(p.line, p.end)
        for c, more in zip((*p.across, p.axis), MORE, strict=True):
            p.window(out[c], more)[low : high + (c != p.axis)] = True
    return out
