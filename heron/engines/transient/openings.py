"""Where line and guide feeds stand in the grid, each with the case behind it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise.grid import Axis

Bools = NDArray[np.bool_]

DEEP = 16  # cells of a case that absorb
BEFORE = 2  # cells of it that do not, behind the plane


@dataclass(frozen=True)
class Case:
    """Where a line or guide feed stands before there is a grid: its plane ``at`` m across ``axis``,
    waves going in along ``sign``; cells of ``step`` m.
    """

    number: int
    axis: int
    sign: int
    at: float
    step: float

    @property
    def back(self) -> float:
        """Where its case ends, m."""
        return self.at - self.sign * (DEEP + BEFORE) * self.step

    @property
    def reach(self) -> tuple[float, float]:
        """From there to the cell before the plane."""
        return self.back, self.at + self.sign * self.step

    def wish(self, axis: Axis) -> None:
        """Even cells about the plane and through the case; ends of metal at the plane go on and
        need no cells of their own.
        """
        axis.edges = [edge for edge in axis.edges if abs(edge[0] - self.at) > axis.least]
        axis.sizes = [
            (a, b, size)
            for a, b, size in axis.sizes
            if not (a == b and abs(a - self.at) <= axis.least)
        ]
        ahead, behind = self.at + self.sign * self.step, self.at - self.sign * self.step
        axis.marks += [self.at, ahead, behind, self.back]
        for other in (ahead, behind):
            ends = min(self.at, other), max(self.at, other)
            axis.whole.append(ends)
        axis.sizes.append((min(self.at, self.back), max(self.at, self.back), self.step))


def case_of(step: Any, number: int, cell: float) -> Case:
    """That of an evaluated feed, number ``number`` of the document; ``cell`` in m of the largest
    size its media allow.
    """
    axis = "xyz".index(step.towards[1])
    return Case(number, axis, 1 if step.towards[0] == "+" else -1, float(step.centre[axis]), cell)


@dataclass
class Aperture:
    """An opening on the grid: feed ``number`` of the document, its plane at ``line`` of ``axis``;
    the case ends at line ``end``.

    Its window lies between lines ``low`` and ``high`` (2,) of the next two axes in turn; of its
    transverse edges (along a (na, nb + 1), along b (na + 1, nb)) and its nodes (na + 1, nb + 1),
    ``shut`` are those that its case closes. ``share`` is the part of the opening that is on the
    grid, and ``ratio`` the impedance of a whole line over that part's: half with a magnetic mirror
    plane along it, which takes half of its current, twice with an electric one, which takes half of
    its voltage.
    """

    number: int
    axis: int
    sign: int
    line: int
    end: int
    low: tuple[int, int]
    high: tuple[int, int]
    shut: tuple[Bools, Bools, Bools]
    share: float = 1.0
    ratio: float = 1.0

    @property
    def across(self) -> tuple[int, int]:
        """The next two axes in turn."""
        return (self.axis + 1) % 3, (self.axis + 2) % 3

    @property
    def behind(self) -> int:
        """Number of the layer of cells behind the plane."""
        return self.line - 1 if self.sign > 0 else self.line

    @property
    def ahead(self) -> int:
        """Number of the layer of cells before it."""
        return self.line if self.sign > 0 else self.line - 1

    def places(self, more: tuple[int, int], layer: int) -> tuple[Any, Any, Any]:
        """Numbers along x, y, z of the window's places in a layer, each (…, …) with as many lines
        more than cells.
        """
        index: list[Any] = [None, None, None]
        a, b = self.across
        index[a], index[b] = np.meshgrid(
            *(np.arange(lo, hi + m) for lo, hi, m in zip(self.low, self.high, more, strict=True)),
            indexing="ij",
        )
        index[self.axis] = np.full_like(index[a], layer)
        return index[0], index[1], index[2]

    def window(self, values: Any, more: tuple[int, int]) -> Any:
        """Views (lines or cells of the axis, …, …) of an array by x, y, z, with as many lines more
        than cells.
        """
        (a0, b0), (a1, b1) = self.low, self.high
        return np.moveaxis(values, (self.axis, *self.across), (0, 1, 2))[
            :, a0 : a1 + more[0], b0 : b1 + more[1]
        ]
