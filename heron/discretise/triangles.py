"""Surfaces of metal to triangles."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from heron.errors import HeronError

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class SurfaceGap:
    """Triangles (k,) with a uniform impressed field ``along`` (3,) over ``width`` m of the way of
    the current; ``point`` (3,) m is its middle.
    """

    triangles: Ints
    along: Floats
    width: float
    point: Floats


@dataclass
class SurfaceMesh:
    """``vertices`` (V, 3) m; ``triangles`` (T, 3), those of closed bodies with their corners
    counterclockwise as seen from outside; ``part`` (T,) index into ``parts``, names; ``closed``
    (T,) bool; ``grounded`` (V,) bool, on the ground plane at height ``ground`` m.

    Where there are ``media``, names of materials, ``sides`` (T, 2) is what is on either side of a
    triangle, that against its normal first: 0 outside of them, from 1 on their numbers, −1 inside
    of metal; ``metal`` (T,) bool are those which are not between two of them.
    """

    parts: list[str]
    vertices: Floats
    triangles: Ints
    part: Ints
    closed: NDArray[np.bool_]
    grounded: NDArray[np.bool_]
    ground: float | None = None
    feeds: list[SurfaceGap] = field(default_factory=list)
    loads: list[SurfaceGap] = field(default_factory=list)
    errors: list[HeronError] = field(default_factory=list)
    held: bool = False
    media: list[str] = field(default_factory=list)
    sides: Ints = field(default_factory=lambda: np.empty((0, 2), dtype=np.int64))
    metal: NDArray[np.bool_] = field(default_factory=lambda: np.empty(0, dtype=bool))

    @cached_property
    def corners(self) -> Floats:
        """(T, 3, 3) m."""
        return np.ascontiguousarray(self.vertices[self.triangles])

    @cached_property
    def area(self) -> Floats:
        """(T,) m²."""
        c = self.corners
        cross = np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])
        return np.asarray(0.5 * np.linalg.norm(cross, axis=1))

    @cached_property
    def normal(self) -> Floats:
        """(T, 3), of length 1."""
        c = self.corners
        cross = np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])
        return np.asarray(cross / (2 * self.area[:, None]))

    @cached_property
    def centre(self) -> Floats:
        """(T, 3) m."""
        return np.asarray(self.corners.mean(axis=1))

    @cached_property
    def radius(self) -> Floats:
        """(T,) m from the centre to the farthest corner."""
        return np.asarray(np.linalg.norm(self.corners - self.centre[:, None], axis=2).max(axis=1))

    @cached_property
    def longest_side(self) -> Floats:
        """(T,) m."""
        sides = self.corners - np.roll(self.corners, 1, axis=1)
        return np.asarray(np.linalg.norm(sides, axis=2).max(axis=1))

    @cached_property
    def quality(self) -> Floats:
        """(T,) 4√3 times the area over the sum of the squares of the sides: from 0, a line, to 1,
        of three equal sides (common practice).
        """
        sides = self.corners - np.roll(self.corners, 1, axis=1)
        return np.asarray(4 * np.sqrt(3) * self.area / (sides**2).sum(axis=(1, 2)))
