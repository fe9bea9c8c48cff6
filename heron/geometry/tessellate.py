"""What the stage draws: parts as polylines, with the marks of feeds, loads and captures.

Lengths in m.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.geometry.build import BuiltPart, Geometry


def polyline(part: BuiltPart) -> list[list[float]]:
    """Points (n, 3) along a part: the ends of straight stretches, finely along curves."""
    corners = part.path.corners
    fractions = [0.0]
    for i, curve in enumerate(part.path.curves):
        n = 1 if curve.least_segments <= 1 else int(np.ceil(max(4.0, curve.least_segments * 2)))
        fractions += np.linspace(corners[i], corners[i + 1], n + 1)[1:].tolist()
    return [[float(c) for c in point] for point in part.path.at(np.array(fractions))]


def shapes(geometry: Geometry) -> list[dict[str, Any]]:
    """Every part with its name, step, radius, conductor and polyline."""
    return [
        {
            "name": p.name,
            "step": p.step,
            "radius": p.radius,
            "material": p.conductor.name,
            "points": polyline(p),
        }
        for p in geometry.parts
    ]
