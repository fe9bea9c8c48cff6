"""Round wires beside surfaces, as flat strips.

A strip whose current is even across it has the inductance of a wire of e^(−3/2) times its width,
the geometric mean distance of a line (Maxwell; Rosa and Grover, *Formulas and Tables for the
Calculation of Mutual and Self-Inductance*).

Where a wire meets a surface, the first piece of its strip is cut to it and divided with it; the
rest is divided along the wire only, as its current hardly changes across it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from heron.errors import ModelError
from heron.geometry import BuiltPart
from heron.geometry.contacts import Contact
from heron.shapes.bodies import Body
from heron.shapes.kernel import nearest
from heron.shapes.operations import edges_at

Floats = NDArray[np.float64]

WIDTH = float(np.exp(1.5))  # of a strip, over the radius of its wire
FINEST = 0.25  # of its width: pieces at gaps and open ends, where the current bends
SLIM = 8.0  # of its width: the longest pieces, for integrals over long triangles
GROWTH = 0.4  # of the distance from there
ANGLES = 12  # in which a strip is tried
# of the strip's width: further off than this a corner is not on the surface that a wire meets
ON = 0.05
# of the pieces at surfaces, over the strip's width; at most this part of what is between marks
PIECE, AT_MOST = 1.0, 0.2
LOOKED = 257  # points of a wire, between which a point is looked for
MEETS = 1e-4  # of a wire's length, or a quarter of its radius: nearer than this it meets a surface


@dataclass(frozen=True)
class Strip:
    """A wire's strip: ``rows`` are fractions of its length at which it is divided, at ``points``
    (k, 3) m, ``across`` (k, 3) the vectors in m to either side there, and ``meets`` the rows at
    which it meets a surface.
    """

    part: int
    rows: Floats
    points: Floats
    across: Floats
    meets: list[int]

    def edge(self, row: int) -> tuple[Floats, Floats]:
        """The ends of a row (3,), m."""
        return self.points[row] - self.across[row], self.points[row] + self.across[row]


def meetings(
    part: BuiltPart, bodies: Sequence[Body], contacts: Sequence[Contact]
) -> list[tuple[float, Body]]:
    """Fractions of a wire's length at which it meets bodies: ends, corners, and where it goes
    through one.
    """
    near = max(MEETS * part.path.length, 0.25 * part.radius)
    out: list[tuple[float, Body]] = []
    for body in bodies:
        at = part.path.corners.tolist()
        at += [
            _fraction(part, np.array(c.at))
            for c in contacts
            if c.joined and {c.first, c.second} == {part.name, body.name}
        ]
        low, high = body.bounds
        for fraction in at:
            point = part.path.at(np.array([fraction]))[0]
            if ((point < low - near) | (point > high + near)).any():
                continue
            if np.linalg.norm(nearest(body.shape, point, body.unit) - point) < near:
                out.append((fraction, body))
    merged: list[tuple[float, Body]] = []
    for fraction, body in sorted(out, key=lambda m: m[0]):
        if not merged or fraction - merged[-1][0] > 2 * near / part.path.length:
            merged.append((fraction, body))
    return merged


def _fraction(part: BuiltPart, point: Floats) -> float:
    """Where on a wire a point is."""
    at = np.linspace(0, 1, LOOKED)
    points = part.path.at(at)
    i = int(np.linalg.norm(points - point, axis=1).argmin())
    best, off = float(at[i]), np.inf
    for a, b in ((i - 1, i), (i, i + 1)):
        if a < 0 or b >= LOOKED:
            continue
        step = points[b] - points[a]
        t = float(np.clip((point - points[a]) @ step / (step @ step), 0, 1))
        gap = float(np.linalg.norm(points[a] + t * step - point))
        if gap < off:
            best, off = float(at[a] + t * (at[b] - at[a])), gap
    return best


def strip(
    number: int,
    part: BuiltPart,
    marks: Sequence[float],
    met: Sequence[tuple[float, Body]],
    longest: float,
    size: float,
    normal: Floats | None,
) -> Strip:
    """A wire's strip, divided at ``marks`` and into pieces no ``longest`` than that, m.

    :param size: of the smallest pieces over those of a mesh as fine as it is made.
    :param normal: (3,) that of the plane of wires that are joined, along which the strip is wide.
    :raises ModelError: no strip meets the surfaces that the wire meets.
    """
    length, width = part.path.length, WIDTH * part.radius
    corners = {0.0, 1.0, *part.path.corners.tolist()}
    fractions = sorted({*corners, *(m for m in marks if 0 <= m <= 1), *(f for f, _ in met)})
    kept = [fractions[0]]
    for f in fractions[1:]:
        if f - kept[-1] > 1e-6:
            kept.append(f)
    kept[-1] = 1.0
    touched = [f for f, _ in met]
    ends = [] if part.path.closed else [f for f in (0.0, 1.0) if not _among(f, touched)]
    fine = [*marks, *ends]
    rows: list[float] = [0.0]
    for a, b in pairwise(kept):
        piece = min(PIECE * width / length, AT_MOST * (b - a))
        low = a + piece if _among(a, touched) else a
        high = b - piece if _among(b, touched) else b
        middle = int(np.clip(np.searchsorted(part.path.corners, 0.5 * (a + b)) - 1, 0, None))
        curve = part.path.curves[min(middle, len(part.path.curves) - 1)]
        step = min(longest, curve.length / curve.least_segments, SLIM * width) / length
        rows += [low] if low > a else []
        rows += _graded(low, high, step, FINEST * size * width / length, fine)[1:]
        rows += [b] if high < b else []
    own = np.array(rows)
    points = part.path.at(own)
    tangent = np.gradient(points, axis=0) if len(points) > 2 else np.diff(points, axis=0)[[0, 0]]
    tangent /= np.linalg.norm(tangent, axis=1)[:, None]
    across = _sides(part, points, tangent, own, met, normal, 0.5 * width)
    return Strip(number, own, points, across, [int(np.abs(own - f).argmin()) for f in touched])


def _graded(
    low: float, high: float, step: float, finest: float, fine: Sequence[float]
) -> list[float]:
    """Fractions from ``low`` to ``high`` apart by ``step``, and by ``finest`` at those of ``fine``
    that are among the two.
    """
    at = np.linspace(low, high, 2001)
    off = np.min([np.abs(at - f) for f in fine] or [np.full(len(at), np.inf)], axis=0)
    own = np.minimum(step, finest + GROWTH * off)
    count = np.concatenate(([0.0], np.cumsum(np.diff(at) * 0.5 * (1 / own[1:] + 1 / own[:-1]))))
    whole = max(1, int(np.ceil(count[-1] - 1e-9)))
    return [float(v) for v in np.interp(np.linspace(0, count[-1], whole + 1), count, at)]


def _among(value: float, others: Sequence[float]) -> bool:
    return any(abs(value - o) < 1e-6 for o in others)


def _sides(
    part: BuiltPart,
    points: Floats,
    tangent: Floats,
    rows: Floats,
    met: Sequence[tuple[float, Body]],
    normal: Floats | None,
    half: float,
) -> Floats:
    """Vectors (k, 3) to either side at the rows, of the length ``half``."""
    if normal is None:
        spread = np.linalg.svd(points - points.mean(axis=0))
        flat, straight = spread[1][2] < 1e-6 * spread[1][0], spread[1][1] < 1e-6 * spread[1][0]
        if not flat:
            raise ModelError(
                f"the wire “{part.name}” is bent out of a plane; beside surfaces of triangles"
                " wires lie in a plane each",
                ("parts", part.step),
            )
        if not straight:
            normal = spread[2][2]
    if normal is not None:
        tried = [normal]
    else:
        one = np.cross(tangent[0], np.eye(3)[np.abs(tangent[0]).argmin()])
        one /= np.linalg.norm(one)
        two = np.cross(tangent[0], one)
        angles = np.pi * np.arange(ANGLES) / ANGLES
        tried = [np.cos(a) * one + np.sin(a) * two for a in angles]
        tried += [along for f, body in met for along in _rims(body, part, f, tangent[0])]
    found = [(_off(part, met, half * side), side) for side in tried]
    off, best = min(found, key=lambda f: f[0])
    if off > ON * 2 * half:
        raise ModelError(
            f"the wire “{part.name}” meets a surface too near to its rim: beside sheets and solids"
            f" it is a strip {1e3 * 2 * half:.3g} mm wide, which does not fit there; move the wire"
            " inwards by twice its radius, or make it thinner",
            ("parts", part.step),
        )
    return np.tile(half * best, (len(points), 1))


def _rims(body: Body, part: BuiltPart, fraction: float, tangent: Floats) -> list[Floats]:
    """Directions across a wire along edges of a body that it meets there."""
    point = part.path.at(np.array([fraction]))[0]
    out = []
    for along in edges_at(body.shape, point, 2 * part.radius, body.unit):
        flat = along - (along @ tangent) * tangent
        size = np.linalg.norm(flat)
        if size > 0.5:
            out.append(flat / size)
    return out


def _off(part: BuiltPart, met: Sequence[tuple[float, Body]], side: Floats) -> float:
    """How far the corners of a strip are off the surfaces that it meets, m, at most."""
    worst = 0.0
    for fraction, body in met:
        middle = part.path.at(np.array([fraction]))[0]
        for corner in (middle - side, middle + side):
            gap = np.linalg.norm(nearest(body.shape, corner, body.unit) - corner)
            worst = max(worst, float(gap))
    return worst
