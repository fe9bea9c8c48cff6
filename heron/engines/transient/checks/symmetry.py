"""Whether a model has the mirror planes it claims."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.shapes.bodies import Body, cached

CLOSE = 1e-5  # of the model's size: differences below are rounding
SAMPLES = np.linspace(0, 1, 33)
REASON = (
    "what is solved on one side is taken for both: a model or a feed that differs would give"
    " another antenna's result"
)


def mirror_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Parts without an image in a mirror plane: bodies by area, centre and moments of their
    surfaces, wires by points along them.
    """
    out = []
    for k, kind in enumerate(model.surround.mirror if model.surround is not None else ()):
        if kind == "none":
            continue
        alone = [
            (b.name, b.step)
            for b in geometry.bodies
            if not any(_twins(b, other, k) for other in geometry.bodies)
        ]
        wires = [(p, p.path.at(SAMPLES)) for p in geometry.parts]
        for part, points in wires:
            image = points * _flip(k)
            reach = CLOSE * max(part.path.length, part.radius)
            same = (
                other
                for other, _ in wires
                if other.radius == part.radius and other.conductor.name == part.conductor.name
            )
            if not any(_along(image, other.path.at(SAMPLES), reach) for other in same):
                alone.append((part.name, part.step))
        for name, step in alone:
            out.append(
                Problem(
                    "error",
                    "not-symmetric",
                    f"“{name}” has no mirror image in {'xyz'[k]} = 0, a mirror plane of the"
                    " surround",
                    REASON,
                    ("parts", step),
                    repair=[{"path": ["surround", "mirror", k], "value": "none"}],
                    repair_label="Solve the whole model",
                )
            )
    return out


def _flip(k: int) -> NDArray[np.float64]:
    return np.where(np.arange(3) == k, -1.0, 1.0)


def _along(a: NDArray[np.float64], b: NDArray[np.float64], reach: float) -> bool:
    return bool(np.abs(a - b).max() < reach or np.abs(a - b[::-1]).max() < reach)


def _twins(a: Body, b: Body, k: int) -> bool:
    """Whether ``b`` looks like the image of ``a``."""
    if a.material != b.material or a.solid != b.solid:
        return False
    (area, centre, moments), (other, at, spread) = _surface(a), _surface(b)
    size = float(np.sqrt(area)) + float(np.abs(centre).max())
    flip = _flip(k)
    return bool(
        abs(area - other) < CLOSE * area
        and np.abs(centre * flip - at).max() < CLOSE * size
        and np.abs(moments * np.outer(flip, flip) - spread).max() < CLOSE * area * size**2
    )


def _surface(body: Body) -> Any:
    from heron.shapes.kernel import surface_moments

    return cached(("moments", body.key), lambda: surface_moments(body.shape))
