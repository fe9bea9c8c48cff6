"""Whether a model has the symmetry planes it claims, and which it could claim."""

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
        for name, step in _without_image(geometry, k):
            out.append(
                Problem(
                    "error",
                    "not-symmetric",
                    f"“{name}” has no mirror image in {'xyz'[k]} = 0, a symmetry plane of the"
                    " surround",
                    REASON,
                    ("parts", step),
                    repair=[{"path": ["surround", "mirror", k], "value": "none"}],
                    repair_label="Solve the whole model",
                )
            )
    return out


def _without_image(geometry: Geometry, k: int) -> list[tuple[str, int]]:
    """Names and steps of parts without an image in the plane across axis ``k``."""
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
    return alone


def symmetry_offers(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Symmetry planes that a model has and does not claim, with the kind that its feeds ask for:
    PMC where the current of a gap lies in the plane, PEC where it crosses it squarely.
    """
    surround = model.surround
    if surround is None or model.document.loads or model.document.illuminations:
        return []
    out = []
    for k, axis in enumerate("xyz"):
        taken = surround.mirror[k] != "none" or any(
            w != "open" for w in surround.walls[2 * k : 2 * k + 2]
        )
        if taken or (k == 2 and (surround.kind == "ground" or surround.layers)):
            continue
        kind = _asked_kind(model, geometry, k)
        if not kind or _without_image(geometry, k):
            continue
        out.append(
            Problem(
                "offer",
                "symmetry",
                f"{axis} = 0 is a symmetry plane of the model: as {kind} it halves the cells",
                "all parts are their own images in it, and "
                + (
                    "the feeds lie in it" if kind == "PMC" else "the feeds cross it at right angles"
                ),
                ("surround", "mirror", k),
                repair=[{"path": ["surround", "mirror", k], "value": kind}],
                repair_label=f"Solve one side, {axis} = 0 {kind}",
            )
        )
    return out


def _asked_kind(model: Evaluated, geometry: Geometry, k: int) -> str:
    """The kind of plane across axis ``k`` that all feeds ask for; none where they differ, or are
    not known to be symmetric.
    """
    ways: list[NDArray[np.float64]] = []
    for feed in model.feeds:
        part = geometry.part(feed.part) if feed is not None and feed.kind == "gap" else None
        if part is None:
            return ""
        before, at, after = part.path.at(np.clip([feed.at - 1e-3, feed.at, feed.at + 1e-3], 0, 1))
        if abs(at[k]) > CLOSE * part.path.length:
            return ""
        ways.append(after - before)
    shares = {round(float(abs(way[k]) / max(np.linalg.norm(way), 1e-30)), 4) for way in ways}
    return {0.0: "PMC", 1.0: "PEC"}.get(shares.pop(), "") if len(shares) == 1 else ""


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
