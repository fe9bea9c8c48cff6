"""What is wrong with wires, and with captures that a solve at frequencies does not have."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.geometry import Geometry
from heron.model import Evaluated
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.steps import kind_of
from heron.steps.contract import WireKind

# radius over wavelength up to which tubes were measured (docs/accuracy.md)
THICK_WIRE = 0.02


def _near_misses(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    out = []
    for miss in mesh.near_misses:
        part = geometry.part(miss.part)
        assert part is not None
        repair = _join_repair(model, part.step, miss.end, miss.target)
        gap = engineering(miss.distance, "m", 3)
        out.append(
            Problem(
                "look",
                "near-miss",
                f"“{miss.part}” ends {gap} from “{miss.other}” without joining it",
                "no current flows across the gap",
                ("parts", part.step),
                miss.target,
                repair,
                "Join them" if repair else "",
            )
        )
    return out


def _join_repair(
    model: Evaluated, step: int, end: int, target: tuple[float, float, float]
) -> list[dict[str, Any]]:
    """Moves the end of a wire drawn in world coordinates onto the target."""
    source, values = model.document.parts[step], model.parts[step]
    if source.frame or values is None:
        return []
    value = [f"{c * 1e3:.9g} mm" for c in target]
    kind = kind_of("parts", source.kind)
    ends = kind.ends(source) if isinstance(kind, WireKind) else None
    return [] if ends is None else [{"path": ["parts", step, *ends[end]], "value": value}]


def _shared_places(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    out = []
    gaps = [(i, set(g.rows), g) for i, g in enumerate(mesh.feeds) if g.node >= 0]
    for k, (i, _, a) in enumerate(gaps):
        for j, _, b in gaps[k + 1 :]:
            if a.node == b.node or _overlap(a.rows, b.rows):
                out.append(
                    Problem(
                        "error",
                        "invalid",
                        f"feeds {i + 1} and {j + 1} are at one place; move one of them",
                        "their voltages would contradict each other",
                        ("feeds", j, "at"),
                    )
                )
    return out


def _overlap(a: list[tuple[int, float, float]], b: list[tuple[int, float, float]]) -> bool:
    return any(p == q and lo < hi2 and lo2 < hi for p, lo, hi in a for q, lo2, hi2 in b)


def _thickness(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    mesh = discretisation.mesh
    out = []
    wavelength = C0 / model.plan.f_stop
    for part in geometry.parts:
        if part.radius > THICK_WIRE * wavelength:
            out.append(
                Problem(
                    "look",
                    "thick-wire",
                    f"“{part.name}” is thick: its radius is {part.radius / wavelength:.3f} λ at the"
                    " top of the band",
                    f"above {THICK_WIRE} λ the current no longer flows evenly round the wire",
                    ("parts", part.step, "radius"),
                )
            )
    for part in mesh.parts:
        if (
            len(part.path.corners) <= 2
            or np.diff(part.path.corners).min() * part.path.length >= part.radius
        ):
            continue
        out.append(
            Problem(
                "look",
                "short-segment",
                f"“{part.name}” has stretches shorter than its radius",
                "bends or joints this close are not resolved by thin wires",
                ("parts", part.step),
            )
        )
    return out


IN_TIME = {
    "point_trace": "signals against time",
    "far_trace": "signals against time",
    "snapshots": "snapshots",
}


def of_wires(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures that wires do not have."""
    return not_recorded(model, IN_TIME | {"surface_current": "surfaces among wires alone"})


def of_surfaces(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Captures that a solve at frequencies does not have."""
    return not_recorded(model, IN_TIME)


def not_recorded(model: Evaluated, words: dict[str, str]) -> list[Problem]:
    """Captures of kinds that have ``words``, and those that are of a part of the time."""
    whole = [
        Problem(
            "look",
            "not-recorded",
            f"the moments engine solves at frequencies and knows no time, so “{c.name}” is of the"
            " whole signal",
            "choose the transient engine in the plan for it, or leave its times empty",
            ("captures", i),
        )
        for i, c in enumerate(model.captures)
        if c is not None
        and (getattr(c, "opens", None) is not None or getattr(c, "closes", None) is not None)
    ]
    return whole + [
        Problem(
            "look",
            "not-recorded",
            f"the moments engine has no {words[c.kind]}, so “{c.name}” will be empty",
            "choose the transient engine in the plan for it",
            ("captures", i),
        )
        for i, c in enumerate(model.captures)
        if c is not None and c.kind in words
    ]


def problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Of a model on its mesh."""
    return [
        problem
        for check in (_near_misses, _shared_places, _thickness, of_wires)
        for problem in check(model, geometry, discretisation)
    ]
