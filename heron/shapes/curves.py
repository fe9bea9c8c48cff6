"""Curves of wires, parametrised by the fraction of their own length, and paths made of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from heron.errors import ModelError
from heron.shapes.transforms import Matrix, apply

Points = NDArray[np.float64]

COINCIDENT = 1e-5  # of a length: points nearer than this are one point
SEGMENTS_PER_TURN = 36  # polygon of a full turn: perimeter short by 0.13 %


class Curve(Protocol):
    """A smooth stretch: ``at`` maps fractions (n,) to points (n, 3); ``length`` in m."""

    @property
    def length(self) -> float: ...
    @property
    def least_segments(self) -> float: ...
    def at(self, t: NDArray[np.float64]) -> Points: ...


@dataclass(frozen=True)
class Line:
    start: tuple[float, float, float]
    end: tuple[float, float, float]

    @property
    def length(self) -> float:
        """m."""
        return float(np.linalg.norm(np.subtract(self.end, self.start)))

    @property
    def least_segments(self) -> float:
        """So many straight pieces follow it well."""
        return 1.0

    def at(self, t: NDArray[np.float64]) -> Points:
        """Points (n, 3) m at fractions (n,) of its length."""
        return np.outer(1 - t, self.start) + np.outer(t, self.end)


@dataclass(frozen=True)
class Spiral:
    """A circular helix about +z through ``centre``; ``rise`` per radian; rise 0 is an arc."""

    centre: tuple[float, float, float]
    bend: float
    start: float
    stop: float
    rise: float = 0.0

    @property
    def length(self) -> float:
        """m."""
        return abs(self.stop - self.start) * float(np.hypot(self.bend, self.rise))

    @property
    def least_segments(self) -> float:
        """So many straight pieces follow it well."""
        return abs(self.stop - self.start) / (2 * np.pi) * SEGMENTS_PER_TURN

    def at(self, t: NDArray[np.float64]) -> Points:
        """Points (n, 3) m at fractions (n,) of its length."""
        turn = (self.stop - self.start) * t
        angle = self.start + turn
        offset = np.column_stack(
            (self.bend * np.cos(angle), self.bend * np.sin(angle), self.rise * np.abs(turn))
        )
        return np.asarray(offset + np.asarray(self.centre))


@dataclass(frozen=True)
class Mapped:
    """A curve seen through a rigid map."""

    curve: Curve
    map: Matrix

    @property
    def length(self) -> float:
        """m."""
        return self.curve.length

    @property
    def least_segments(self) -> float:
        """So many straight pieces follow it well."""
        return self.curve.least_segments

    def at(self, t: NDArray[np.float64]) -> Points:
        """Points (n, 3) m at fractions (n,) of its length."""
        return apply(self.map, self.curve.at(t))


@dataclass(frozen=True)
class Path:
    """Curves end to end; fractions run over the whole length."""

    curves: tuple[Curve, ...]

    @cached_property
    def length(self) -> float:
        """m."""
        return sum(c.length for c in self.curves)

    @cached_property
    def closed(self) -> bool:
        """Whether the path ends where it begins."""
        start, end = self.at(np.array([0.0, 1.0]))
        return bool(np.linalg.norm(start - end) < COINCIDENT * self.length)

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """Fractions (number of curves + 1,) at which curves begin and end."""
        lengths = np.array([c.length for c in self.curves])
        return np.concatenate(([0.0], np.cumsum(lengths) / lengths.sum()))

    def at(self, fractions: NDArray[np.float64]) -> Points:
        """Points (n, 3) at fractions (n,) of the length."""
        corners = self.corners
        which = np.clip(
            np.searchsorted(corners, fractions, side="right") - 1, 0, len(self.curves) - 1
        )
        out = np.empty((len(fractions), 3))
        for i, curve in enumerate(self.curves):
            mask = which == i
            if mask.any():
                local = (fractions[mask] - corners[i]) / (corners[i + 1] - corners[i])
                out[mask] = curve.at(np.clip(local, 0, 1))
        return out

    def mapped(self, m: Matrix) -> Path:
        """Moved by a matrix (4, 4)."""
        return Path(tuple(Mapped(c, m) for c in self.curves))


def straight(
    a: tuple[float, float, float], b: tuple[float, float, float], where: tuple[str | int, ...]
) -> Line:
    """A stretch of a wire.

    :raises ModelError: at ``where``, when it has no length.
    """
    line = Line(a, b)
    if line.length == 0:
        raise ModelError("the wire has no length: its two ends are the same point", where)
    return line


def bend_of(step: Any) -> float:
    """The bend radius of a wire, m.

    :raises ModelError: when it is not more than the wire's own.
    """
    if step.bend <= 0:
        raise ModelError("the bend radius must be above zero", ("bend",))
    if step.bend <= step.radius:
        raise ModelError("the bend radius must be more than the wire's radius", ("bend",))
    return float(step.bend)
