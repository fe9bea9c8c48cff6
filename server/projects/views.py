"""An examination as the bench needs it."""

from __future__ import annotations

import base64
from collections.abc import Callable
from dataclasses import asdict
from itertools import pairwise
from typing import Any

import numpy as np
from django.http import HttpResponse
from pydantic import ValidationError

from heron.checks import Examination
from heron.checks.preflight import view_of
from heron.engines import ENGINES
from heron.errors import HeronError
from heron.excitation.waves import Beam, light_of
from heron.geometry import Geometry
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import capture_outline
from heron.geometry.tessellate import shapes
from heron.materials import Medium, fit_table
from heron.model import Evaluated
from heron.model.substances import conducting, conductors_of, media_of
from heron.model.surroundings import layers_of, periods_of
from heron.quantities import Quantity, Values, evaluate
from heron.quantities.constants import C0
from heron.quantities.units import si_symbol, unit
from heron.shapes.bodies import Body, cached
from heron.shapes.kernel import FACE, subshapes
from heron.shapes.mesh import FINE, SCENE, edge_lines, triangulate
from server.errors import Problem, not_found
from server.packets import packet

OUTLINE_EDGES, OUTLINE_BODIES = 60, 40
OUTLINE_FINE = 5e-3  # of a body's diagonal: distance of its drawn edges from the true ones


def _value(own: Quantity, parameter: Any, values: Values) -> dict[str, Any]:
    known = unit(parameter.unit) if parameter.unit else None
    return {
        "value": own.value,
        "unit": si_symbol(own.dimension),
        "low": _limit(parameter.low, own, values),
        "high": _limit(parameter.high, own, values),
        "shown": 1.0 if known is None else known[0],
    }


def _limit(text: str, of: Quantity, values: Values) -> float | None:
    """A limit of a parameter, where there is one that means something."""
    try:
        limit = evaluate(text, values) if text else None
    except HeronError:
        return None
    return limit.value if limit is not None and limit.dimension == of.dimension else None


def examination_view(e: Examination, have: set[str] | None = None) -> dict[str, Any]:
    """Values, shapes, marks, problems and forecast, as JSON values in SI units.

    ``meshes`` holds the triangles of bodies by key, without those the stage has already.
    """
    plan = e.model.plan
    bodies = e.geometry.placed.bodies if e.geometry.bodies else []
    scene = _scene(bodies)
    return {
        "bodies": [_body(e, b, scene) for b in bodies],
        "meshes": {
            mesh_key(b, scene): _mesh(b, scene)
            for b in bodies
            if mesh_key(b, scene) not in (have or set())
        },
        "contacts": [asdict(c) for c in e.contacts],
        "displaced": [list(pair) for pair in e.geometry.placed.taken] if e.geometry.bodies else [],
        "values": {
            p.name: _value(e.model.values[p.name], p, e.model.values)
            for p in e.model.document.parameters
            if p.name in e.model.values
        },
        "shapes": shapes(e.geometry),
        "feeds": [_mark(e, f) for f in e.model.feeds],
        "dipoles": [
            {
                "feed": i,
                "along": (np.array(f.along) / np.linalg.norm(f.along)).tolist(),
                "magnetic": f.moment == "magnetic",
            }
            for i, f in enumerate(e.model.feeds)
            if f is not None and f.kind == "dipole" and np.linalg.norm(f.along) > 0
        ],
        "loads": [_mark(e, s) for s in e.model.loads],
        "ground": (
            e.model.surround.height
            if e.model.surround and e.model.surround.kind == "ground"
            else None
        ),
        "illuminations": [_arrow(e, light) for light in e.model.illuminations],
        "captures": [_capture(e, c) for c in e.model.captures],
        "period": [periods_of(e.model).get(k) for k in range(3)],
        "layers": (
            [
                {"material": name, "top": top}
                for name, _, top in layers_of(e.model)
                if np.isfinite(top)
            ]
            if e.model.surround
            else []
        ),
        "frames": [
            {"name": n, "matrix": m.ravel().tolist()}
            for n, m in build_frames(e.model, []).items()
            if n
        ],
        "problems": [asdict(p) for p in e.problems],
        "offers": [asdict(p) for p in e.offers],
        "forecast": e.forecast.as_json() if e.forecast else None,
        "engine": e.engine,
        "engine_reason": e.engine_reason,
        **_staged(e),
        "band": [plan.f_start, plan.f_stop] if plan else None,
    }


def _staged(e: Examination) -> dict[str, Any]:
    """What the stage draws of the engine's layout."""
    engine = ENGINES.get(e.engine)
    none: dict[str, Any] = {"grid": None, "mesh": None}
    if engine is None or e.discretisation is None:
        return none
    return none | engine.stage(e.model, e.discretisation)


def _arrow(e: Examination, light: Any) -> dict[str, Any] | None:
    """Which way a wave travels and its electric field points, unit vectors, and of a beam its
    focus, its waist and how far from there it is √2 times as wide in the middle of the band, in m;
    ``None`` for one that cannot be evaluated.
    """
    try:
        wave = light_of(light) if light is not None else None
    except HeronError:
        return None
    if wave is None:
        return None
    beam = None
    if isinstance(wave, Beam) and e.model.plan is not None:
        depth = np.pi * wave.waist**2 * (e.model.plan.f_start + e.model.plan.f_stop) / 2 / C0
        beam = {"focus": wave.focus.tolist(), "waist": wave.waist, "depth": float(depth)}
    return {
        "name": light.name,
        "travels": wave.travels.tolist(),
        "electric": wave.electric.tolist(),
        "beam": beam,
    }


def engine_view(examined: Callable[[], Examination], name: str, asked: Any) -> HttpResponse:
    """A view of an examination as its engine lays it out, as a packet.

    :raises Problem: 404 when no engine has such a view, 422 what was asked is not of its schema,
        409 when there is nothing to see.
    """
    schemas = [engine.views[name].asks for engine in ENGINES.values() if name in engine.views]
    if not schemas:
        raise not_found("view of that name")
    try:
        question = schemas[0].model_validate(asked)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(map(str, first["loc"]))
        raise Problem(422, f"{where}: {first['msg']}") from None
    examination = examined()
    try:
        seen = view_of(examination, name, question)
    except HeronError as error:
        raise Problem(409, error.message) from None
    return packet(seen.header, **seen.arrays)


def _mark(e: Examination, step: Any) -> list[float] | None:
    """Where a feed or load stands on its wire; of a line or guide feed or a dipole, its centre."""
    if getattr(step, "kind", "") in ("line", "guide", "dipole"):
        return [float(c) for c in step.centre]
    part = None if step is None else e.geometry.part(step.part)
    if part is None or not 0 <= step.at <= 1:
        return None
    return [float(c) for c in part.path.at(np.array([step.at]))[0]]


def _scene(bodies: list[Body]) -> float:
    """Diagonal of everything in m, as a power of two, so that small changes keep all meshes."""
    if not bodies:
        return 0.0
    low, high = (np.array(side) for side in zip(*(b.bounds for b in bodies), strict=True))
    return float(
        2.0
        ** np.floor(np.log2(max(float(np.linalg.norm(high.max(axis=0) - low.min(axis=0))), 1e-12)))
    )


def mesh_key(body: Body, scene: float) -> str:
    """Names a body's mesh: the scene counts only for parts small in it."""
    low, high = body.bounds
    small = float(np.linalg.norm(high - low)) * FINE < SCENE * scene
    return f"{body.key}@{scene:.3g}" if small else body.key


def _metallic(e: Examination, name: str) -> bool:
    """Whether a material looks like metal: a conductor, or a medium whose permittivity is negative
    in the middle of the band, as that of metals at optical frequencies.
    """
    if conducting(e.model, name):
        return True
    medium, plan = media_of(e.model)[0].get(name), e.model.plan
    if medium is None or plan is None:
        return False
    middle = np.array([(plan.f_start + plan.f_stop) / 2])
    return bool(medium.epsilon(middle)[0].real < 0)


def _body(e: Examination, body: Body, scene: float) -> dict[str, Any]:
    low, high = body.bounds
    return {
        "name": body.name,
        "step": body.step,
        "key": mesh_key(body, scene),
        "solid": body.solid,
        "material": body.material,
        "conductor": conducting(e.model, body.material),
        "metallic": _metallic(e, body.material),
        "colour": body.colour,
        "low": low.tolist(),
        "high": high.tolist(),
        "faces": len(subshapes(body.shape, FACE)),
    }


def _mesh(body: Body, scene: float) -> dict[str, Any]:
    """Triangles and edges in m as base64 of little-endian float32 and uint32."""
    view: dict[str, Any] = cached(("view", mesh_key(body, scene)), lambda: _encoded(body, scene))
    return view


def _encoded(body: Body, scene: float) -> dict[str, Any]:
    found = triangulate(body.shape, scene=scene / body.unit)
    lines = found.edges
    return {
        "points": _base64(found.points * body.unit, "<f4"),
        "triangles": _base64(found.triangles, "<u4"),
        "face": _base64(found.face, "<u4"),
        "edges": _base64(np.vstack(lines) * body.unit if lines else np.empty((0, 3)), "<f4"),
        "edge_sizes": [len(line) for line in lines],
    }


def outline(geometry: Geometry) -> list[list[list[float]]]:
    """Edge lines of the largest bodies for a small drawing: the longest ones, a few hundred points
    in all.
    """
    sizes = {b.name: float(np.linalg.norm(np.subtract(*b.bounds))) for b in geometry.bodies}
    largest = sorted(geometry.bodies, key=lambda b: -sizes[b.name])[:OUTLINE_BODIES]
    lines = []
    for b in largest:
        own = [line * b.unit for line in edge_lines(b.shape, OUTLINE_FINE * sizes[b.name] / b.unit)]
        lines += [*own, *_sides(own)]
    lines.sort(key=lambda line: -float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()))
    return [
        [*line[:: max(1, len(line) // 24)].round(9).tolist(), line[-1].round(9).tolist()]
        for line in lines[:OUTLINE_EDGES]
    ]


def _sides(edges: list[Any]) -> list[Any]:
    """Lines between the rims of a round body, which has no edges along its sides."""
    if len(edges) < 2 or any(np.linalg.norm(e[0] - e[-1]) > 1e-9 for e in edges):
        return []
    return [
        np.array([one[k * len(one) // 4], other[k * len(other) // 4]])
        for one, other in pairwise(edges)
        for k in range(4)
    ]


def _base64(values: Any, kind: str) -> str:
    return base64.b64encode(np.ascontiguousarray(values, dtype=kind).tobytes()).decode()


def curves(model: Evaluated, name: str, f: Any) -> dict[str, Any]:
    """What a material does over frequencies (n,) Hz.

    :raises Problem: 404 for an unknown one.
    """
    media, conductors = media_of(model)[0], conductors_of(model)[0]
    if name in conductors:
        c = conductors[name]
        medium = Medium(
            c.name,
            conductivity=c.conductivity if np.isfinite(c.conductivity) else 1e30,
            source=c.source,
        )
    elif name in media:
        medium = media[name]
    else:
        raise not_found("material of that name")
    eps, mu, depth = medium.epsilon(f), medium.mu(f), medium.skin_depth(f)
    return {
        "source": medium.source,
        "frequency_hz": f.tolist(),
        "conductivity": medium.effective_conductivity(f).tolist(),
        "epsilon_real": eps.real.tolist(),
        "epsilon_imag": (-eps.imag).tolist(),
        "mu_real": mu.real.tolist(),
        "mu_imag": (-mu.imag).tolist(),
        "skin_depth_m": [d if np.isfinite(d) else None for d in depth.tolist()],
        "fit": _fit(medium, f) if medium.table else None,
    }


def _fit(medium: Medium, f: Any) -> dict[str, Any]:
    best, error = fit_table(medium)
    eps = best.epsilon(f)
    return {
        "epsilon_real": eps.real.tolist(),
        "epsilon_imag": (-eps.imag).tolist(),
        "error": error,
        "poles": len(best.poles),
    }


def _capture(e: Examination, capture: Any) -> dict[str, Any] | None:
    """The outline of a capture that has a place; ``None`` for one that has none or cannot be
    evaluated.
    """
    if capture is None:
        return None
    try:
        frame = frame_matrix(build_frames(e.model, []), getattr(capture, "frame", ""))
    except HeronError:
        return None
    points = capture_outline(capture, frame)
    if points is None:
        return None
    return {"name": capture.name, "kind": capture.kind, "points": points.tolist()}
