"""Wires along edges of the grid, and the gaps in them that feeds and loads stand across."""

from __future__ import annotations

from typing import Any

import numpy as np

from heron.discretise.grid import dual
from heron.engines.lumped import element
from heron.engines.transient.outlines import axes_along, stretches
from heron.engines.transient.structure import Gap, Lumped, Structure, WireEdge
from heron.errors import HeronError, ModelError
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.feeds import is_spread

# radius of a wire of zero edges over the cell size: Noda and Yokoyama, IEEE Trans. Power Delivery
# 17 (2002)
THIN_WIRE = 0.2298
# cells across a wire over its radius: a thicker one is taken as of this size
LEAST_ROOM = 1.6


def put_wires(s: Structure, model: Evaluated, geometry: Geometry, centre: float) -> None:
    """Puts wires along edges of the grid, with the gaps of their feeds and loads; ``centre`` Hz of
    the band.

    A wire thinner than a cell is metal edges whose neighbours are scaled (Noda and Yokoyama, IEEE
    Trans. Power Delivery 17, 2002).
    """
    s.ports = sorted(
        (i for i, f in enumerate(model.feeds) if f is not None and f.kind == "gap"),
        key=lambda i: model.feeds[i].number,
    )
    paths: dict[str, tuple[Any, list[Any]]] = {}
    spread = {f.part for f in model.feeds if is_spread(f)}
    buried = s.edge_owner.copy()  # edges that are metal of a body, before wires are there
    for part in geometry.parts:
        edges = _edges(s, part)
        paths[part.name] = part, edges
        if part.name in spread:
            continue
        s.wires[part.name] = edges
        per_length = part.conductor.surface_resistance(centre) / (2 * np.pi * part.radius)
        widths = [s.duals(k) for k in range(3)]
        for c, i, j, k, _, _ in edges:
            s.metal[c, i, j, k] = True
            s.edge_owner[c, i, j, k] = s.names.index(part.name) + 1
            area = float(np.prod([widths[o][(i, j, k)[o]] for o in range(3) if o != c]))
            s.conducts[c, i, j, k] = 1 / (per_length * area) if per_length > 0 else np.inf
            _thin(s, c, (i, j, k), part.radius)
    places = [("feeds", i, model.feeds[i]) for i in s.ports] + [
        ("loads", i, load) for i, load in enumerate(model.loads) if load is not None
    ]
    taken: dict[int, str] = {}
    for chapter, i, step in places:
        try:
            if step.part not in paths:
                raise ModelError(
                    f"there is no wire “{step.part}”; there are {', '.join(paths) or 'none'}",
                    ("part",),
                )
            place = _in_planes(s, chapter, step, paths[step.part][0])
            if place is None:
                continue
            gap = _gap(s, (chapter, i), step, *paths[step.part])
            owner = int(buried.reshape(-1)[gap.at].max())
            if owner:
                raise ModelError(
                    f"its gap lies in the metal of “{s.names[owner - 1]}”, which shorts it; a feed"
                    " or load stands in a gap between conductors",
                    ("at",),
                )
            gap.voltage, gap.current, gap.copies = place
            what = f"feed {i + 1}" if chapter == "feeds" else f"load “{step.name}”"
            for edge in gap.at.tolist():
                if edge in taken:
                    raise ModelError(
                        f"on the grid its gap is in the same cell as {taken[edge]}; move them apart"
                        " or refine the grid",
                        ("at",),
                    )
                taken[edge] = what
        except HeronError as error:
            s.errors.append(error.within(chapter, i))
            continue
        if chapter == "feeds":
            s.gaps.append(gap)
        else:
            s.loads.append(Lumped(gap, element(step)))
    # the current of an element runs along its edges as they are, and so does the field about them
    for gap in (*s.gaps, *(load.gap for load in s.loads)):
        for c, *node in np.transpose(np.unravel_index(gap.at, s.metal.shape)).tolist():
            s.free_edge[(c, *node)] = min(s.free_edge[(c, *node)], 1)
            for m in (m for m in range(3) if m != c):
                for back in (0, 1):
                    at = [n - back * (axis == m) for axis, n in enumerate(node)]
                    if min(at) >= 0:
                        s.free_face[(3 - c - m, *at)] = min(s.free_face[(3 - c - m, *at)], 1)


def _edges(s: Structure, part: Any) -> list[WireEdge]:
    """Edges of a wire in its direction: component, node, sign, fraction of the wire's length at the
    edge's middle.
    """
    out = []
    travelled = 0.0
    for p, q in stretches(part):
        c = axes_along(p, q)[0]
        # its mirror image is on the grid
        hidden = any(
            plane.doubles and plane.beyond(np.array([p, q]), s.near).all() for plane in s.planes
        )
        node = [int(np.abs(s.lines[k] - p[k]).argmin()) for k in range(3)]
        last = int(np.abs(s.lines[c] - q[c]).argmin())
        sign = 1.0 if last > node[c] else -1.0
        for n in range(0 if hidden else min(node[c], last), 0 if hidden else max(node[c], last)):
            here = list(node)
            here[c] = n
            middle = 0.5 * (s.lines[c][n] + s.lines[c][n + 1])
            out.append((c, *here, sign, (travelled + abs(middle - p[c])) / part.path.length))
        travelled += float(np.abs(q - p).max())
    return sorted(out, key=lambda e: e[5])


def _thin(s: Structure, c: int, node: tuple[int, int, int], radius: float) -> None:
    """Scales ε and 1/μ around one edge of a wire, so that its field is that of its true radius."""
    a, b = (c + 1) % 3, (c + 2) % 3
    size = float(np.sqrt(s.duals(a)[node[a]] * s.duals(b)[node[b]]))
    m = float(np.log(1 / THIN_WIRE) / np.log(max(size / radius, LEAST_ROOM)))
    for k, other in ((a, b), (b, a)):
        for back in (0, 1):
            at = list(node)
            at[k] -= back
            if min(at) < 0:
                continue
            for end in (0, 1):
                edge = list(at)
                edge[c] += end
                key = (k, edge[0], edge[1], edge[2])
                # Radial E at either end of the edge stands for half of it, and half of what
                # follows.
                s.wire_e[key] = s.wire_e.get(key, 1.0) + (m - 1) / 2
            s.wire_h[other, at[0], at[1], at[2]] = 1 / m  # H that circles the edge


def _in_planes(s: Structure, chapter: str, step: Any, part: Any) -> tuple[float, float, int] | None:
    """What mirror planes do to the gap of a feed or load: voltage and current of the whole over
    those on the grid, and how often it is there.

    ``None`` for a load beyond one, whose mirror image is on the grid.
    """
    point = part.path.at(np.array([np.clip(step.at, 0, 1)]))[0]
    p, q = min(
        stretches(part),
        key=lambda ends: float(
            np.linalg.norm(ends[0] - point)
            + np.linalg.norm(ends[1] - point)
            - np.linalg.norm(ends[1] - ends[0])
        ),
    )
    along = axes_along(p, q)[0]
    voltage, current, copies = 1.0, 1.0, 1
    for plane in s.planes:
        if not plane.doubles:
            continue
        name = f"port {step.number}" if chapter == "feeds" else f"load “{step.name}”"
        if abs(point[plane.axis] - plane.at) > s.near:
            if chapter == "feeds":
                raise ModelError(
                    f"{name} does not lie in the mirror plane {plane.name}, so that driving it"
                    " alone is not symmetric; move it there, or leave the mirror out",
                    ("at",),
                )
            if plane.beyond(point):
                return None
            copies *= 2
        elif along == plane.axis and plane.magnetic:
            raise ModelError(
                f"a magnetic mirror plane across {name} lets no current through; where the gap"
                f" crosses {plane.name}, the plane is electric",
                ("at",),
            )
        elif along != plane.axis and not plane.magnetic:
            raise ModelError(
                f"an electric mirror plane along {name} would short it; where the gap lies in"
                f" {plane.name}, the plane is magnetic",
                ("at",),
            )
        elif plane.magnetic:
            current *= 2
        else:
            voltage *= 2
    return voltage, current, copies


def _gap(s: Structure, place: tuple[str, int], feed: Any, part: Any, edges: list[Any]) -> Gap:
    """The edges of the gap of a feed or load, taken out of the metal."""
    if not 0 <= feed.at <= 1:
        raise ModelError("the place is a fraction of the wire's length, from 0 to 1", ("at",))
    if not edges:
        raise ModelError(
            f"the wire “{part.name}” is shorter than a cell; refine the grid there or make it"
            " longer",
            ("part",),
        )
    if is_spread(feed):
        return _joined(s, place, _rows(s, feed, part, edges))
    length = part.path.length
    width = getattr(feed, "width", None) or 2 * part.radius
    chosen = [e for e in edges if abs(e[5] - feed.at) * length < width / 2 * (1 + 1e-6)]
    if not chosen:
        chosen = [min(edges, key=lambda e: abs(e[5] - feed.at))]
    for c, i, j, k, _, _ in chosen:
        s.metal[c, i, j, k] = False
    return _joined(s, place, [(chosen, 1.0)])


def _joined(s: Structure, place: tuple[str, int], rows: list[tuple[list[WireEdge], float]]) -> Gap:
    """A gap of rows of edges side by side, each with its share of the current."""
    shape = s.metal.shape
    at, lengths, areas, row, share = [], [], [], [], []
    for number, (edges, own) in enumerate(rows):
        for c, i, j, k, sign, _ in edges:
            at.append(int(np.ravel_multi_index((c, i, j, k), shape)))
            node = (i, j, k)
            lengths.append(sign * float(s.lines[c][node[c] + 1] - s.lines[c][node[c]]))
            areas.append(
                float(np.prod([dual(np.diff(s.lines[o]))[node[o]] for o in range(3) if o != c]))
            )
            row.append(number)
            share.append(own)
    c, *middle = (int(v) for v in np.unravel_index(at[len(at) // 2], shape))
    point = np.array([lines[n] for lines, n in zip(s.lines, middle, strict=True)])
    point[c] += 0.5 * (s.lines[c][middle[c] + 1] - s.lines[c][middle[c]])
    edge = np.array(at), np.array(lengths), np.array(areas)
    return Gap(place, *edge, point, np.array(row), np.array(share))


def _rows(
    s: Structure, feed: Any, part: Any, edges: list[WireEdge]
) -> list[tuple[list[WireEdge], float]]:
    """Rows of edges side by side that a wide gap is, with the share of its width that each has.

    Where conductors end within a cell of its sides, only rows between conductors count.
    """
    along, across = {e[0] for e in edges}, axes_along(np.zeros(3), np.array(feed.across))
    if len(along) > 1 or len(across) != 1 or along == set(across):
        raise ModelError(
            "a gap that is spread over an edge runs along one axis and is spread along another one",
            ("across",),
        )
    k = across[0]
    middle = float(part.path.at(np.array([0.5]))[0][k])
    low, high = middle + np.array([-0.5, 0.5]) * abs(feed.across[k])
    lines = s.lines[k]
    borders = np.concatenate((lines[:1], 0.5 * (lines[1:] + lines[:-1]), lines[-1:]))
    room = np.minimum(borders[1:], high) - np.maximum(borders[:-1], low)
    within = (lines > low - s.near) & (lines < high + s.near) & (room > 0)
    if not within.any():
        within[int(np.abs(lines - middle).argmin())] = True
    rows = []
    for n, width in zip(np.flatnonzero(within), np.maximum(room[within], s.near), strict=True):
        own: list[WireEdge] = []
        for c, x, y, z, sign, at in edges:
            node = [x, y, z]
            node[k] = int(n)
            own.append((c, node[0], node[1], node[2], sign, at))
        rows.append((own, float(width)))
    rows = [r for r in rows if _between_metal(s, r[0])] or rows
    total = sum(width for _, width in rows)
    return [(row, width / total) for row, width in rows]


def _between_metal(s: Structure, edges: list[WireEdge]) -> bool:
    """Whether something conducts at both ends of a row of edges, which lie in order."""
    c = edges[0][0]
    nodes = [list(edges[k][1:4]) for k in (0, -1)]
    nodes[0 if nodes[0][c] > nodes[1][c] else 1][c] += 1
    return all(s.metal_at(node) for node in nodes)
