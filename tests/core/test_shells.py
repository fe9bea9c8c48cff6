"""Walls of hardly any thickness about sheets."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from heron.discretise import filling
from heron.discretise.shells import walls

THIN = 1e-3


def volume(corners: np.ndarray) -> float:
    return float(
        np.einsum("ni,ni->n", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6
    )


def strip(*points: tuple[float, float]) -> np.ndarray:
    """A sheet between points (x, z), one unit wide along y, its triangles in no common sense."""
    out = []
    for n, ((x0, z0), (x1, z1)) in enumerate(pairwise(points)):
        a, b, c, d = (x0, 0, z0), (x1, 0, z1), (x1, 1, z1), (x0, 1, z0)
        out += [(a, b, c), (a, c, d)] if n % 2 else [(c, b, a), (a, c, d)]
    return np.array(out, dtype=float)


def of(corners: np.ndarray) -> list[np.ndarray]:
    return walls(corners, lambda points: np.full(len(points), THIN))


@pytest.mark.parametrize("fold", [(1.0, 1.0), (2.0, 0.0), (1.3, -0.8)])
def test_a_folded_strip_is_one_closed_wall(fold: tuple[float, float]) -> None:
    """Closed: its volume does not depend on where the origin is; outwards: it is positive, the area
    times the thickness.
    """
    own = strip((0, 0), (1, 0), fold)
    (wall,) = of(own)
    length = 1 + np.hypot(fold[0] - 1, fold[1])
    assert volume(wall) == pytest.approx(2 * THIN * length, rel=0.01)
    assert volume(wall + 5.0) == pytest.approx(volume(wall), rel=1e-6)


def test_points_of_the_sheet_lie_inside_also_at_the_fold() -> None:
    (wall,) = of(strip((0, 0), (1, 0.5), (1.4, 1.7)))
    for x, z in ((0.5, 0.25), (1.0, 0.5), (1.2, 1.1)):
        assert filling.inside(wall, np.array([x]), np.array([0.37]), np.array([z]))[0, 0, 0]
        assert not filling.inside(wall, np.array([x + 0.02]), np.array([0.37]), np.array([z]))[
            0, 0, 0
        ]


def test_where_three_sheets_meet_two_are_one_wall() -> None:
    found = of(np.concatenate((strip((0, 0), (1, 0), (2, 0)), strip((1, 0), (1, 1)))))
    assert sorted(round(volume(w) / (2 * THIN), 2) for w in found) == [1.0, 2.0]


def test_a_closed_sheet_has_two_sides_and_no_rim() -> None:
    ends = [(np.cos(t), np.sin(t)) for t in np.linspace(0, 2 * np.pi, 41)]
    ends[-1] = ends[0]
    (wall,) = of(strip(*ends))
    assert volume(wall) == pytest.approx(2 * THIN * 40 * 2 * np.sin(np.pi / 40), rel=0.01)
    assert len(wall) == 4 * 80 // 2 + 4 * 40
