"""Closed outlines of DXF drawings as flat sheets, one body per layer."""

from __future__ import annotations

import io
from collections import defaultdict
from math import comb
from typing import Any

import numpy as np
from ezdxf import path as paths
from ezdxf.enums import InsertUnits
from ezdxf.filemanagement import read as read_drawing
from ezdxf.lldxf.const import DXFError
from ezdxf.units import conversion_factor
from OCP.gp import gp_Pnt

from heron.errors import ModelError
from heron.shapes import outlines
from heron.shapes.exchange import Named
from heron.shapes.kernel import FACE, Floats, combined, compound, guarded, subshapes

SAME = 1e-4  # of the drawing's size: ends nearer than this meet
PIECES = 16  # Bézier pieces of a whole circle: within 1e-8 of its radius
MAX_CURVES = 20_000
ENTITIES = "LINE ARC CIRCLE ELLIPSE SPLINE LWPOLYLINE POLYLINE"
# pieces (2, 3) straight or (3…4, 3) Bézier, each starting where the one before ends
Run = list[Floats]


@guarded("the drawing's outlines")
def read_dxf(data: bytes, unit: float) -> list[Named]:
    """Sheets in the x-y plane (mm), one per layer; an outline inside another is a hole, one inside
    a hole is metal again.

    Lines and curves whose ends meet make the outlines; notes and curves that close nothing are
    passed over.

    :param unit: metres per unit of drawings that do not state theirs.
    :raises ModelError: not a drawing, nothing closed in it, or curves that do not lie flat.
    """
    document = _opened(data)
    stated = int(document.header.get("$INSUNITS", 0))
    known = stated in {u.value for u in InsertUnits} - {0}
    scale = conversion_factor(InsertUnits(stated), InsertUnits.Millimeters) if known else unit * 1e3
    entities = document.modelspace().query(ENTITIES)
    if len(entities) > MAX_CURVES:
        raise ModelError(
            f"the drawing has {len(entities):,} curves; up to {MAX_CURVES:,} can become sheets"
        )
    layers: dict[str, list[Run]] = defaultdict(list)
    for entity in entities:
        run = _pieces(
            paths.make_path(entity, segments=PIECES)
            if entity.dxftype() in ("ARC", "CIRCLE", "ELLIPSE")
            else paths.make_path(entity),
            scale,
        )
        if run:
            layers[str(entity.dxf.layer)].append(run)
    if not layers:
        raise ModelError("the drawing has no lines, arcs, polylines or splines in its model space")
    everything = np.vstack([piece for runs in layers.values() for run in runs for piece in run])
    if not np.isfinite(everything).all():
        raise ModelError("the drawing has coordinates that are no numbers")
    size = float(np.ptp(everything, axis=0).max())
    if np.ptp(everything[:, 2]) > SAME * size:
        raise ModelError(
            "the drawing has curves that do not lie flat across z; only flat outlines become sheets"
        )
    closed = {layer: _loops(runs, SAME * size) for layer, runs in layers.items()}
    out = [Named(layer, _sheet(loops)) for layer, loops in closed.items() if loops]
    if not out:
        raise ModelError("no outline in the drawing closes; join its ends where it was drawn")
    return out


def _opened(data: bytes) -> Any:
    try:
        return read_drawing(io.StringIO(data.decode("utf-8", "replace")))
    except (DXFError, ValueError, IndexError, KeyError, AttributeError, TypeError) as error:
        raise ModelError(
            "this is not a DXF drawing, or it is cut off; export it again as text DXF"
        ) from error


def _pieces(path: Any, scale: float) -> Run:
    at, out = path.start, []
    for command in path.commands():
        inner = [
            getattr(command, name) for name in ("ctrl", "ctrl1", "ctrl2") if hasattr(command, name)
        ]
        piece = np.array([tuple(p) for p in (at, *inner, command.end)]) * scale
        if np.ptp(piece, axis=0).max() > 0:
            out.append(piece)
        at = command.end
    return out


def _loops(runs: list[Run], near: float) -> list[Run]:
    """Closed runs from runs whose ends meet within ``near``; a meeting end is moved onto the
    other.
    """
    loops: list[Run] = []
    rest = list(runs)
    while rest:
        chain = list(rest.pop())
        while np.linalg.norm(chain[0][0] - chain[-1][-1]) > near:
            end = chain[-1][-1]
            found = next(
                (
                    (i, flip)
                    for i, other in enumerate(rest)
                    for flip in (False, True)
                    if np.linalg.norm(end - (other[-1][-1] if flip else other[0][0])) <= near
                ),
                None,
            )
            if found is None:
                break
            other = rest.pop(found[0])
            following = (
                [p[::-1].copy() for p in reversed(other)] if found[1] else [p.copy() for p in other]
            )
            following[0][0] = end
            chain += following
        if np.linalg.norm(chain[0][0] - chain[-1][-1]) <= near and len(chain) > 1:
            chain[-1] = chain[-1].copy()
            chain[-1][-1] = chain[0][0]
            loops.append(chain)
    return loops


def _sheet(loops: list[Run]) -> Any:
    """Faces by the even-odd rule."""
    corners = [_polygon(loop) for loop in loops]
    depth = [sum(_inside(c[0], other) for other in corners if other is not c) for c in corners]
    pieces = []
    for k, level in enumerate(depth):
        if level % 2:
            continue
        holes = [
            h
            for h, deeper in enumerate(depth)
            if deeper == level + 1 and _inside(corners[h][0], corners[k])
        ]
        outer = outlines.face(_wire(loops[k]))
        pieces += (
            subshapes(combined("cut", outer, [outlines.face(_wire(loops[h])) for h in holes]), FACE)
            if holes
            else [outer]
        )
    return pieces[0] if len(pieces) == 1 else compound(pieces)


def _polygon(loop: Run) -> Floats:
    """Corners (n, 3) of a polygon near enough to a loop to tell inside from outside: eight to a
    Bézier piece.
    """
    out = []
    for piece in loop:
        t = np.linspace(0, 1, 2 if len(piece) == 2 else 9)[:-1, None]
        n = len(piece) - 1
        out.append(sum(comb(n, k) * t**k * (1 - t) ** (n - k) * piece[k] for k in range(n + 1)))
    return np.vstack(out)


def _wire(loop: Run) -> Any:
    runs = [[gp_Pnt(*(float(c) for c in p)) for p in piece] for piece in loop]
    return outlines.wire(
        [outlines.line(*points) if len(points) == 2 else outlines.bezier(points) for points in runs]
    )


def _inside(p: Floats, loop: Floats) -> bool:
    """Whether a point lies inside a polygon (n, 3) in the x-y plane (crossing number)."""
    x, y = loop[:, 0], loop[:, 1]
    x2, y2 = np.roll(x, -1), np.roll(y, -1)
    crosses = (y > p[1]) != (y2 > p[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        at = x + (p[1] - y) / (y2 - y) * (x2 - x)
    return bool(np.count_nonzero(crosses & (p[0] < at)) % 2)
