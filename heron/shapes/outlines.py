"""Flat outlines: corners reached straight, on arcs or smoothly, and curves from formulas."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeWire,
)
from OCP.GC import GC_MakeArcOfCircle
from OCP.Geom import Geom_BezierCurve
from OCP.GeomAPI import GeomAPI_Interpolate
from OCP.gp import gp_Pnt
from OCP.TColgp import TColgp_Array1OfPnt, TColgp_HArray1OfPnt

from heron.errors import HeronError, ModelError, QuantityError
from heron.shapes.kernel import Shape, valid

Flat = tuple[float, float]
Place = Callable[[Flat], gp_Pnt]
SAME = 1e-9  # relative to the outline's extent: points nearer than this are one
MAX_SAMPLES = 2000


def spline(points: Sequence[gp_Pnt]) -> Shape:
    """An edge through all points (interpolating cubic B-spline)."""
    array = TColgp_HArray1OfPnt(1, len(points))
    for i, p in enumerate(points):
        array.SetValue(i + 1, p)
    made = GeomAPI_Interpolate(array, False, 1e-9)
    made.Perform()
    return BRepBuilderAPI_MakeEdge(made.Curve()).Edge()


def bezier(points: Sequence[gp_Pnt]) -> Shape:
    """A Bézier edge with these poles."""
    poles = TColgp_Array1OfPnt(1, len(points))
    for i, p in enumerate(points):
        poles.SetValue(i + 1, p)
    return BRepBuilderAPI_MakeEdge(Geom_BezierCurve(poles)).Edge()


def line(a: gp_Pnt, b: gp_Pnt) -> Shape:
    """An edge from a point to another, in document units."""
    return BRepBuilderAPI_MakeEdge(a, b).Edge()


def closed_wire(corners: Sequence[Any], place: Place) -> Shape:
    """A closed wire through evaluated corners; ``place`` puts (x, y) in m into model space.

    :raises ModelError: with the path of the corner.
    """
    points = [c.to for c in corners]
    extent = float(np.ptp(np.array(points), axis=0).max())
    if extent == 0:
        raise ModelError("the outline has no extent", ("outline",))
    edges: list[Shape] = []
    run: list[Flat] = []
    count = len(corners)
    for k in range(1, count + 1):
        i = k % count
        here, before = points[i], points[k - 1]
        corner = corners[i]
        if corner.smooth and corner.via is None and k < count:
            run = run or [before]
            run.append(here)
            continue
        if run:
            edges.append(spline([place(p) for p in [*run, here]]))
            run = []
            continue
        gap = float(np.hypot(here[0] - before[0], here[1] - before[1]))
        if gap < SAME * extent:
            if k == count:
                continue  # closed by hand
            raise ModelError(
                "two corners of the outline are the same point; remove one", ("outline", i, "to")
            )
        if corner.via is None:
            edges.append(line(place(before), place(here)))
            continue
        arc = GC_MakeArcOfCircle(place(before), place(corner.via), place(here))
        if not arc.IsDone():
            raise ModelError(
                "no arc goes through these three points; they are in line or coincide",
                ("outline", i, "via"),
            )
        edges.append(BRepBuilderAPI_MakeEdge(arc.Value()).Edge())
    return wire(edges)


def formula_wire(pieces: Sequence[Any], place: Place) -> Shape:
    """A closed wire of formula pieces, with straight lines between one's end and the next's start.

    :raises ModelError: with the path of the piece and field.
    """
    runs = [_sampled(piece, i) for i, piece in enumerate(pieces)]
    extent = float(max(np.ptp(np.vstack(runs), axis=0)))
    edges: list[Shape] = []
    for i, run in enumerate(runs):
        edges.append(
            spline([place((float(x), float(y))) for x, y in run])
            if len(run) > 2
            else line(place(tuple(run[0])), place(tuple(run[-1])))
        )
        following = runs[(i + 1) % len(runs)][0]
        if np.hypot(*(following - run[-1])) > SAME * extent:
            edges.append(line(place(tuple(run[-1])), place(tuple(following))))
    return wire(edges)


def _sampled(piece: Any, i: int) -> Any:
    here = ("pieces", i)
    n = int(piece.points) if np.isfinite(piece.points) else 0
    if not 2 <= n <= MAX_SAMPLES:
        raise ModelError(f"a piece has 2 to {MAX_SAMPLES} points", (*here, "points"))
    if piece.start == piece.stop:
        raise ModelError("t must run: start and stop are equal", (*here, "stop"))
    ts = np.linspace(piece.start, piece.stop, n)
    columns = []
    for name in ("x", "y"):
        try:
            columns.append([getattr(piece, name)(float(t)) for t in ts])
        except QuantityError as error:
            raise ModelError(f"{error.message} (t is a plain number)", (*here, name)) from error
    run = np.column_stack(columns)
    if not np.isfinite(run).all():
        raise ModelError(
            "the formula has no finite value everywhere between start and stop", (*here, "x")
        )
    if np.hypot(*np.diff(run, axis=0).T).min() == 0:
        raise ModelError(
            "the curve stands still: two neighbouring points coincide", (*here, "points")
        )
    return run


def wire(edges: Sequence[Shape]) -> Shape:
    """Edges that follow one another as one."""
    made = BRepBuilderAPI_MakeWire()
    for edge in edges:
        made.Add(edge)
        if not made.IsDone():
            raise ModelError("the outline does not hang together", ("outline",))
    return made.Wire()


def face(outer: Shape, *holes: Shape) -> Shape:
    """A flat face.

    :raises ModelError: the outline crosses itself or is not flat.
    """
    made = BRepBuilderAPI_MakeFace(outer, True)
    if not made.IsDone():
        raise ModelError("the outline does not bound a flat sheet", ("outline",))
    for hole in holes:
        made.Add(hole)
    out = made.Face()
    if not valid(out):
        raise ModelError(
            "the outline crosses or touches itself; reorder or move its corners", ("outline",)
        )
    return out


def placed(error: HeronError, field: str) -> ModelError:
    """An outline's error under another field name."""
    return ModelError(error.message, tuple(field if k == "outline" else k for k in error.path))
