"""What a model without a feed could be fed at."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import conducting
from heron.problems import Problem
from heron.steps import kind_of

if TYPE_CHECKING:
    from heron.shapes.bodies import Body

Floats = NDArray[np.float64]

STRIP = 0.5  # of a sheet's longer side: an edge at its end is no longer, if it is a strip's
NEAR = 0.25  # of a sheet's longer side: what lies below it is nearer
LEVEL = 1e-6  # of it: what lies straight below is no more aside
MOST_BODIES, MOST_EDGES = 60, 400  # among which strips are looked for


@dataclass(frozen=True)
class StripEnd:
    """Where a strip ends over another conductor, m (3,), and the vector ``edge`` along its end."""

    strip: str
    ground: str
    end: Floats
    foot: Floats
    edge: Floats


def no_feed(model: Evaluated, geometry: Geometry) -> Problem:
    """Nothing feeds the model: with a feed for the end of a strip, or for the first wire."""
    why = "without a feed, or a wave that illuminates it, there is no power and no result"
    feed: dict[str, Any] | None = None
    label = ""
    found = strip_end(model, geometry)
    wires = [
        p
        for p in model.document.parts
        if not p.suspended and kind_of("parts", p.kind).makes == "wire"
    ]
    if found is not None:
        place = ", ".join(f"{1e3 * c + 0:.4g}".replace("-", "−") for c in found.end)
        why = f"{why}; “{found.strip}” ends over “{found.ground}” at ({place}) mm"
        ends = {"start": _text(found.foot), "end": _text(found.end)}
        feed, label = {"kind": "between", "number": 1, **ends}, "Feed there"
        if np.count_nonzero(found.edge) == 1:
            feed["across"] = _text(np.abs(found.edge))
    elif wires:
        ground = model.document.surround.kind == "ground"
        feed = {"kind": "gap", "number": 1, "part": wires[0].name, "at": "0" if ground else "0.5"}
        label = "Feed the first wire"
    return Problem(
        "error",
        "no-feed",
        "nothing feeds the antenna",
        why,
        ("feeds",),
        None if found is None else (found.end[0], found.end[1], found.end[2]),
        [] if feed is None else [{"path": ["feeds", 0], "value": feed}],
        label,
    )


def _text(point: Floats) -> list[str]:
    return [f"{1e3 * c + 0:.9g} mm" if abs(c) > 0 else "0" for c in point.round(12)]


def strip_end(model: Evaluated, geometry: Geometry) -> StripEnd | None:
    """The end of a strip straight above or below another conductor, the farthest from the middle of
    all bodies; of a model of many bodies, as a platform is, none is looked for.
    """
    metal = [b for b in geometry.bodies if conducting(model, b.material)]
    if not 2 <= len(metal) <= MOST_BODIES:
        return None
    lows, highs = zip(*(b.bounds for b in geometry.bodies), strict=True)
    centre = (np.min(lows, axis=0) + np.max(highs, axis=0)) / 2
    found = [
        end
        for sheet in metal
        if not sheet.solid
        for ends in _rims(sheet)
        for other in metal
        if other is not sheet and (end := _over(sheet, ends, other)) is not None
    ]
    return max(found, key=lambda e: round(float(np.linalg.norm(e.end - centre)), 9), default=None)


def _flat(sheet: Body) -> tuple[Any, float]:
    """Across which axes (3,) a sheet has no thickness, and its longer side, m."""
    low, high = sheet.bounds
    longest = float((high - low).max())
    return (high - low) < LEVEL * longest, longest


def _rims(sheet: Body) -> Iterator[Floats]:
    """Ends (2, 3) m of the short edges at the ends of a sheet."""
    from heron.shapes.mesh import edge_lines

    flat, longest = _flat(sheet)
    for line in edge_lines(sheet.shape, longest / sheet.unit)[:MOST_EDGES]:
        ends = line[[0, -1]] * sheet.unit
        at_rim = [
            (np.abs(ends - limit) < LEVEL * longest).all(axis=0) & ~flat for limit in sheet.bounds
        ]
        if np.any(at_rim) and np.linalg.norm(ends[1] - ends[0]) <= STRIP * longest:
            yield ends


def _over(sheet: Body, ends: Floats, other: Body) -> StripEnd | None:
    """An edge (2, 3) m at the end of a strip, if another conductor is straight above or below it
    and near.
    """
    from heron.shapes.kernel import nearest

    middle = ends.mean(axis=0)
    flat, longest = _flat(sheet)
    low, high = other.bounds
    if (np.maximum(low - middle, middle - high) > np.where(flat, NEAR, LEVEL) * longest).any():
        return None  # by its box, which costs nothing
    foot = nearest(other.shape, middle, other.unit)
    apart = np.abs(foot - middle)
    straight = (apart[~flat] <= LEVEL * longest).all()
    if not straight or not LEVEL * longest < apart[flat].sum() < NEAR * longest:
        return None
    edge = ends[1] - ends[0]
    edge[np.abs(edge) < LEVEL * longest] = 0.0
    return StripEnd(sheet.name, other.name, middle, foot, edge)
