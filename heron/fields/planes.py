"""Reflecting planes at the sides of a grid: the ground, mirror planes of a model that is solved in
part, electric and magnetic walls.

Beyond an electric plane (tangential E is zero) currents have images whose tangential part is
reversed; beyond a magnetic one (tangential H is zero) whose normal part is: Balanis, *Advanced
Engineering Electromagnetics*, ch. 7.
"""

from __future__ import annotations

import json
from typing import Any, NamedTuple

import numpy as np
import xarray as xr
from numpy.typing import NDArray

from heron.errors import ModelError
from heron.model import Evaluated
from heron.quantities import engineering

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
AXES = "xyz"
NEAR = 1e-6  # of the model's size: nearer than this is in a plane


class Plane(NamedTuple):
    """A plane across ``axis`` (0 to 2) at ``at`` m, on the low (0) or high (1) ``side`` of the
    grid; ``doubles`` if the model goes on as its mirror image beyond.
    """

    axis: int
    side: int
    magnetic: bool
    at: float
    doubles: bool

    @property
    def name(self) -> str:
        """As sentences have it, such as “x = 0”."""
        return (
            f"{AXES[self.axis]} = 0"
            if self.doubles
            else f"{AXES[self.axis]} = {engineering(self.at, 'm')}"
        )

    def beyond(self, points: Any, reach: float = 0.0) -> Any:
        """Which points (…, 3) lie more than ``reach`` m beyond it."""
        outward = np.asarray(points)[..., self.axis] - self.at
        return (outward if self.side else -outward) > reach

    def signs(self, flips_along: bool) -> Floats:
        """(3,) factors of a vector's components in the image, ``flips_along`` the plane or across
        it.
        """
        out = np.full(3, -1.0 if flips_along else 1.0)
        out[self.axis] *= -1
        return out


def planes_of(model: Evaluated, low: Floats, high: Floats, margin: float) -> list[Plane]:
    """The planes of a model whose parts lie between ``low`` and ``high`` (3,); walls stand
    ``margin`` m away from them.

    :raises ModelError: two planes across one axis.
    """
    s = model.surround
    if s is None:
        return []
    out = [Plane(2, 0, False, float(s.height), False)] if s.kind == "ground" else []
    out += [
        Plane(k, 0, kind == "PMC", 0.0, True) for k, kind in enumerate(s.mirror) if kind != "none"
    ]
    for n, kind in enumerate(s.walls):
        axis, side = divmod(n, 2)
        if kind != "open":
            out.append(
                Plane(
                    axis,
                    side,
                    kind == "PMC",
                    float(high[axis] + margin if side else low[axis] - margin),
                    False,
                )
            )
    for k in range(3):
        own = [p for p in out if p.axis == k]
        if len(own) > 1:
            raise ModelError(
                f"along {AXES[k]} there are {len(own)} reflecting planes (ground, mirror or wall),"
                " and waves would go to and fro between them for ever; keep one, the other side"
                " stays open",
                ("surround", "mirror" if any(p.doubles for p in own) else "walls"),
            )
    return out


def planes_in(results: xr.Dataset) -> list[Plane]:
    """The planes of a run, whichever engine made it."""
    planes = [Plane(*p) for p in json.loads(results.attrs.get("planes", "[]"))]
    if not planes and results.attrs["ground"] != "none":
        planes = [Plane(2, 0, False, float(results.attrs["ground"]), False)]
    return planes


def copies(planes: list[Plane]) -> int:
    """How often the part of the model on the grid stands in the whole."""
    return int(2 ** sum(p.doubles for p in planes))


def mirrored(
    points: Floats, j: Complexes, m: Complexes, planes: list[Plane]
) -> tuple[Floats, Complexes, Complexes]:
    """Electric and magnetic moments (…, n, 3) at points (n, 3) together with their images in all
    planes.
    """
    for plane in planes:
        image = points.copy()
        image[:, plane.axis] = 2 * plane.at - image[:, plane.axis]
        points = np.vstack((points, image))
        j = np.concatenate((j, j * plane.signs(not plane.magnetic)), axis=-2)
        m = np.concatenate((m, m * plane.signs(plane.magnetic)), axis=-2)
    return points, j, m


def folded(points: Floats, planes: list[Plane]) -> tuple[Floats, Floats, Floats]:
    """Points (n, 3) beyond mirror planes brought back onto the grid; factors (n, 3) that give E and
    H there from those on the grid.
    """
    points, e, h = points.copy(), np.ones_like(points), np.ones_like(points)
    for plane in planes:
        if plane.doubles:
            far = plane.beyond(points)
            points[far, plane.axis] = 2 * plane.at - points[far, plane.axis]
            e[far] *= plane.signs(not plane.magnetic)  # E is reflected as electric currents are
            h[far] *= plane.signs(plane.magnetic)
    return points, e, h
