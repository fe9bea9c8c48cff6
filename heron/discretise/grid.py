"""Grid lines for the time-domain scheme: they snap to what the model marks, and grade smoothly
between.

The wanted cell size at x is s(x) = min over places p of (s_p + g·|x − p|), which bounds the ratio
of neighbours by about 1 + g; lines are laid at equal steps of ∫ dx/s, so no cell is smaller than it
needs to be.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from heron.discretise.held import Laid, moved
from heron.errors import CapacityError

Floats = NDArray[np.float64]

RATIO = 1.35  # of neighbouring cells at most (common practice: 1.3 to 2)
NARROW = 1.5  # a cell at an edge is at most this part of the way to the next mark
SAMPLES = 4000  # places at which a size function is evaluated along an axis
MAX_LINES = 3000
INSIDE = 0.5**1.5  # of the cell at an edge, √2/4, that lies in the metal: see physics.md, "Edges"
THIN = 0.5  # of the cells asked for about it: a wall as thin is a sheet to the grid
CLOSE = 0.1  # larger than asked: what a cell between the faces of a wall may be
EVEN = 1.5  # cells to either side of an edge that are as large as the one at it
# of a cell: how much fewer cells than asked are enough, so that rounding makes no cell more
SLACK = 1e-3
SAME = 1e-3  # of the least distance of lines: marks nearer than this are one place


@dataclass
class Axis:
    """Wishes along one axis, m: ``marks`` are lines that must be there, as one where they are
    nearer than ``least``; ``sizes`` are (from, to, largest cell), ``floors`` (from, to, smallest
    cell asked for there, whatever the sizes); ``whole`` stretches stay one cell.

    ``edges`` are edges of thin metal, (place, side, largest cell): side 1 where the metal ends
    towards rising coordinates, −1 the other way. ``walls`` are marks (low, high) on both faces of a
    wall, which get one line where the cells asked for are far larger.
    """

    low: float
    high: float
    largest: float
    least: float
    marks: list[float] = field(default_factory=list)
    sizes: list[tuple[float, float, float]] = field(default_factory=list)
    floors: list[tuple[float, float, float]] = field(default_factory=list)
    whole: list[tuple[float, float]] = field(default_factory=list)
    edges: list[tuple[float, int, float]] = field(default_factory=list)
    walls: list[tuple[float, float]] = field(default_factory=list)


def _groups(marks: Sequence[float], least: float) -> list[list[float]]:
    """Marks in rising order, those nearer than ``least`` together."""
    out: list[list[float]] = []
    for m in sorted(marks):
        if out and m - out[-1][-1] < least:
            out[-1].append(m)
        else:
            out.append([m])
    return out


def merged(marks: Sequence[float], least: float) -> Floats:
    """Marks in rising order, those nearer than ``least`` as one: their mean."""
    return np.array([float(np.mean(group)) for group in _groups(marks, least)])


def crowds(marks: Sequence[float], least: float) -> list[tuple[float, float]]:
    """(place, width) in m of marks that become one line though they are not one place: details
    finer than the grid.
    """
    return [
        (float(np.mean(group)), group[-1] - group[0])
        for group in _groups(marks, least)
        if group[-1] - group[0] > SAME * least
    ]


def settle_walls(axis: Axis) -> None:
    """Marks both faces of every wall, with one cell between where no smaller ones are asked for, as
    there is no field; where it is far thinner, the face that something else has a mark on, or its
    middle.
    """
    near = SAME * axis.least
    for low, high in sorted(set(axis.walls)):
        asked = min(
            (size for a, b, size in axis.sizes if a <= high and b >= low), default=axis.largest
        )
        if high - low <= (1 + CLOSE) * asked:
            axis.whole.append((low, high))
        if high - low >= THIN * asked:
            axis.marks += [low, high]
            continue
        shared = [face for face in (low, high) if any(abs(m - face) <= near for m in axis.marks)]
        if len(shared) == 2:  # the hole that it fills in something else
            axis.marks = [m for m in axis.marks if min(abs(m - low), abs(m - high)) > near]
        if len(shared) != 1:
            axis.marks.append(0.5 * (low + high))


def settle_edges(axis: Axis) -> None:
    """Turns edges of thin metal into marks: the cell an edge lies in begins ``INSIDE`` of its size
    inside the metal.

    The field at an edge grows as 1/√r, and a grid whose lines end on the edge takes the metal for
    larger. An edge where something else has its mark stays a plain mark. The cell, and as much
    beside it, is no larger than what is asked there.
    """
    least = axis.least
    places = merged([*axis.marks, *(m for m, *_ in axis.edges)], least)
    wanted: dict[tuple[float, int], float] = {}
    for m, side, size in axis.edges:
        wanted[m, side] = min(size, wanted.get((m, side), np.inf))
    for (m, side), size in sorted(wanted.items()):
        others = np.abs(places - m)
        away = others[others > least].min(initial=np.inf)
        shared = any(abs(o - m) <= least for o in axis.marks) or any(
            abs(o - m) <= least and s != side for o, s in wanted
        )
        cell = min(
            size, away / NARROW, *(asked for low, high, asked in axis.sizes if low <= m <= high)
        )
        if any(abs(o - m - side * away) <= least and s == -side for o, s in wanted):
            cell = _across_gap(cell, away)
        if shared or cell < 3 * least:
            axis.marks.append(m)
            axis.sizes.append((m, m, size))
            continue
        ends = sorted((m - side * INSIDE * cell, m + side * (1 - INSIDE) * cell))
        axis.marks += ends
        axis.whole.append((ends[0], ends[1]))
        axis.sizes.append((m - EVEN * cell, m + EVEN * cell, cell))


def _across_gap(cell: float, gap: float) -> float:
    """m: the cell at an edge of thin metal that another faces across a ``gap`` in m, so that
    between their two cells there is no line's width, or that of a cell.
    """
    left = gap - 2 * (1 - INSIDE) * cell
    between = 0 if left < cell / 4 else 1 if left < cell / 2 else None
    return cell if between is None else gap / (2 * (1 - INSIDE) + between)


def lines(axis: Axis, cells_between: float, scale: float = 1.0, like: Laid | None = None) -> Laid:
    """Grid lines of an axis; those of another variant ``like`` this one, moved, if they fit.

    Every gap between marks gets at least ``cells_between`` cells, unless it is narrower than that
    many times its ``least``. Numbers of cells are rounded up; where cells are ``scale`` times as
    large as those of a finer grid that this one is to be compared with, they are as near as they
    can be to that part of its numbers.

    :raises CapacityError: more than some thousands of lines.
    """
    least = axis.least
    marks = merged(
        [axis.low, *(m for m in axis.marks if axis.low <= m <= axis.high), axis.high], least
    )
    marks[0], marks[-1] = axis.low, axis.high
    held = moved(like, marks)
    if held is not None:
        return held
    grade = RATIO - 1
    wishes = list(axis.sizes)
    if len(marks) > MAX_LINES:
        raise CapacityError(
            f"the model has {len(marks):,} edges and faces along one axis, more than the"
            f" {MAX_LINES} lines a grid may have; simplify it",
            ("plan",),
        )
    whole = [
        (a, b)
        for a, b in pairwise(marks)
        if any(abs(a - p) + abs(b - q) < least for p, q in axis.whole)
    ]
    starts, stops = {a for a, _ in whole}, {b for _, b in whole}
    for a, b in pairwise(marks):
        one = (a, b) in whole or (a in stops and b in starts)
        wishes.append((a, b, b - a if one else max((b - a) / cells_between, min(least, b - a))))
    # One long row of places, a stretch for every gap between marks; each wish then takes one pass
    # over it.
    spans = [
        np.linspace(a, b, max(16, int(SAMPLES * (b - a) / (axis.high - axis.low))))
        for a, b in pairwise(marks)
    ]
    x = np.concatenate(spans)
    size = np.concatenate(
        [
            np.full(len(span), min(axis.largest, b - a))
            for span, (a, b) in zip(spans, pairwise(marks), strict=True)
        ]
    )
    for low, high, wanted in sorted(set(wishes)):
        first, last = np.searchsorted(
            x, [low - (axis.largest - wanted) / grade, high + (axis.largest - wanted) / grade]
        )
        near = x[first:last]
        size[first:last] = np.minimum(
            size[first:last], wanted + grade * np.maximum(0, np.maximum(low - near, near - high))
        )
    for low, high, smallest in axis.floors:
        there = slice(*np.searchsorted(x, [low, high]))
        size[there] = np.maximum(size[there], smallest)
    out, at = [np.array([axis.low])], 0
    for span, (a, b) in zip(spans, pairwise(marks), strict=True):
        density = 1 / size[at : at + len(span)]
        at += len(span)
        total = np.concatenate(
            ([0.0], np.cumsum(0.5 * (density[1:] + density[:-1]) * np.diff(span)))
        )
        count = (
            1
            if (a, b) in whole
            else max(1, int(np.floor(np.ceil(scale * total[-1] - SLACK) / scale + 0.5)))
        )
        if count + sum(len(o) for o in out) > MAX_LINES:
            raise CapacityError(
                f"the grid needs more than {MAX_LINES} lines along one axis; ask for fewer cells"
                " per wavelength, or leave out the smallest details",
                ("plan",),
            )
        inner = np.interp(np.arange(1, count) / count * total[-1], total, span)
        out.append(np.concatenate((inner, [b])))
    return Laid(marks, np.concatenate(out))


def dual(steps: Floats) -> Floats:
    """Distances (n + 1,) between cell centres, half cells at both ends, from cell sizes (n,)."""
    padded = np.concatenate(([0.0], steps, [0.0]))
    return np.asarray(0.5 * (padded[1:] + padded[:-1]))
