"""An examination as the bench needs it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from heron.checks import Examination
from heron.errors import HeronError
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.tessellate import shapes
from heron.geometry.transforms import apply
from heron.quantities.units import si_symbol
from heron.results.near import POINTS


def examination_view(e: Examination) -> dict[str, Any]:
    """Values, shapes, marks, problems and forecast, as JSON values in SI units."""
    mesh = e.discretisation.mesh if e.discretisation else None
    plan = e.model.plan
    return {
        "values": {n: {"value": q.value, "unit": si_symbol(q.dimension)} for n, q in e.model.values.items()},
        "shapes": shapes(e.geometry),
        "feeds": _marks(mesh, mesh.feeds if mesh else []),
        "loads": _marks(mesh, mesh.loads if mesh else []),
        "joints": [asdict(j) for j in mesh.joints] if mesh else [],
        "nodes": mesh.nodes.round(9).tolist() if mesh else [],
        "ground": e.model.surround.height if e.model.surround and e.model.surround.kind == "ground" else None,
        "captures": [_capture(e, c) for c in e.model.captures],
        "problems": [asdict(p) for p in e.problems],
        "forecast": asdict(e.forecast) if e.forecast else None,
        "engine": e.engine,
        "engine_reason": e.engine_reason,
        "band": [plan.f_start, plan.f_stop] if plan else None,
    }


def _marks(mesh: Any, gaps: list[Any]) -> list[list[float] | None]:
    return [mesh.nodes[g.node].tolist() if g.node >= 0 else None for g in gaps]


def _capture(e: Examination, capture: Any) -> dict[str, Any] | None:
    """Corner points of a near-field capture; ``None`` for what has no place or cannot be evaluated."""
    if capture is None or capture.kind not in POINTS:
        return None
    try:
        frame = frame_matrix(build_frames(e.model, []), capture.frame)
    except HeronError:
        return None
    if capture.kind == "near_point":
        local = np.array([capture.point])
    elif capture.kind == "near_line":
        local = np.array([capture.start, capture.end])
    else:
        c, a, b = (np.array(x) for x in (capture.corner, capture.along, capture.across))
        local = np.array([c, c + a, c + a + b, c + b])
    return {"name": capture.name, "kind": capture.kind, "points": apply(frame, local).tolist()}
