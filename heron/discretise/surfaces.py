"""Metal of any shape as triangles: solids and sheets, wires beside them as strips, and gaps."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Sequence
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise.strips import WIDTH, Strip, meetings, strip
from heron.discretise.triangles import SurfaceGap, SurfaceMesh
from heron.errors import CapacityError, HeronError, ModelError
from heron.geometry import BuiltPart, Geometry
from heron.geometry.contacts import contacts
from heron.model.feeds import is_spread
from heron.shapes.bodies import Body
from heron.shapes.surface_mesh import INSIDE, Filled, Meshed, Piece, Rectangle, triangulated

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SAME = 1e-6  # of the model's size: points nearer than this are one
MOST_TRIANGLES = 30_000  # a compressed matrix of 3 GB
FULL = 0.433  # area of a triangle over the square of its side
ALIKE = 0.01  # relative difference of radii up to which wires can be joined as strips
_GAP = "\x00gap "


def expected_triangles(bodies: Sequence[Body], longest: float) -> float:
    """About how many triangles bodies take, of sides of ``longest`` m."""
    return sum(b.area for b in bodies) / (FULL * longest**2)


def mesh_surfaces(
    geometry: Geometry,
    bodies: Sequence[Body],
    feeds: Sequence[Any],
    loads: Sequence[Any],
    ground: float | None,
    longest: float,
    size: float = 1.0,
    media: Sequence[tuple[Body, float]] = (),
) -> SurfaceMesh:
    """Triangles whose sides are no longer than about ``longest`` m, of bodies of metal, of all
    wires, and of bodies of ``media`` with longest sides of their own, conforming where they meet.

    :param feeds, loads: evaluated steps (``part``, ``at``, ``width`` or none, ``across`` or none);
        ``None`` entries are passed over.
    :param size: of triangles that follow widths and bends, over those of a mesh as fine as it is
        made.
    :returns: the mesh; faults are in its ``errors`` with paths into the document.
    :raises CapacityError: more triangles than any machine here can solve.
    """
    expected = expected_triangles(bodies, longest)
    expected += sum(expected_triangles([body], most) for body, most in media)
    if expected > MOST_TRIANGLES:
        raise CapacityError(
            f"the surfaces need about {expected:.3g} triangles; at most {MOST_TRIANGLES} can be"
            " solved"
        )
    errors: list[HeronError] = []
    spread = {i: f for i, f in enumerate(feeds) if f is not None and is_spread(f)}
    hidden = {f.part for f in spread.values()}  # wires that only carry a gap that is spread
    parts = [p for p in geometry.parts if p.name not in hidden]
    strips = _strips(geometry, parts, bodies, feeds, loads, longest, size, errors)
    unit = geometry.unit
    pieces = [
        Piece(p.name, corners / unit)
        for s, p in zip(strips, parts, strict=True)
        if s is not None
        for corners in _pieces(s)
    ]
    by_name = {p.name: p for p in geometry.parts}
    wide = [
        Rectangle(f"{_GAP}{i}", _rectangle(by_name[f.part], f) / unit) for i, f in spread.items()
    ]
    if media:  # which a strip may be in, or beside, or pass through
        wide += [
            Rectangle(p.name, corners / unit, strip=True)
            for s, p in zip(strips, parts, strict=True)
            if s is not None
            for corners in _stretches(s)
        ]
    filled = [Filled(body.name, body.shape, most / unit) for body, most in media]
    try:
        meshed = _bodies_meshed(bodies, wide, pieces, filled, longest / unit, size)
    except ModelError as error:
        errors.append(error)
        meshed = Meshed(
            np.empty((0, 3)), np.empty((0, 3), np.int64), [], np.empty((0, 2), np.int64)
        )
    builder = _Builder(meshed, unit, longest)
    for s, p in zip(strips, parts, strict=True):
        if s is not None and not media:
            builder.add_strip(p.name, s)
    names = [b.name for b in bodies] + [p.name for p in geometry.parts]
    means = {f"{_GAP}{i}": f.part for i, f in spread.items()}
    mesh = builder.mesh(names, [body for body, _ in media], means, ground)
    mesh.errors += errors
    of = {p.name: s for s, p in zip(strips, parts, strict=True)}
    for i, f in enumerate(feeds):
        if f is None:
            mesh.feeds.append(_no_gap())
        elif i in spread:
            mesh.feeds.append(builder.wide_gap(f"{_GAP}{i}", by_name[f.part]))
        else:
            mesh.feeds.append(_gap(mesh, builder, by_name, of, f, ("feeds", i)))
    for i, s in enumerate(loads):
        mesh.loads.append(
            _no_gap() if s is None else _gap(mesh, builder, by_name, of, s, ("loads", i))
        )
    return mesh


def _bodies_meshed(
    bodies: Sequence[Body],
    wide: Sequence[Rectangle],
    pieces: list[Piece],
    filled: list[Filled],
    longest: float,
    size: float,
) -> Meshed:
    return triangulated(
        [(b.name, b.shape) for b in bodies if b.solid],
        [(b.name, b.shape) for b in bodies if not b.solid],
        wide,
        pieces,
        filled,
        longest,
        size,
    )


def _rectangle(part: BuiltPart, feed: Any) -> Floats:
    """The corners (4, 3) of a gap that is spread, in m: the first two at its start."""
    start, end = part.path.at(np.array([0.0, 1.0]))
    half = np.asarray(feed.across, dtype=float) / 2
    return np.array([start - half, start + half, end + half, end - half])


def _stretches(s: Strip) -> list[Floats]:
    """Rectangles (4, 3), m, between rows of a strip but for those at surfaces."""
    ended = _ended(s)
    steps = [k for k in range(1, len(s.rows)) if (k - 1, k) not in ended]
    return [np.array([*s.edge(k - 1), *s.edge(k)[::-1]]) for k in steps]


def _ended(s: Strip) -> set[tuple[int, int]]:
    """Rows between which a piece of a strip ends at a surface."""
    return {(min(r, r + d), max(r, r + d)) for r in s.meets for d in (-1, 1)}


def _pieces(s: Strip) -> list[Floats]:
    """Rectangles (4, 3), m, from beyond where a strip meets a surface to its next rows."""
    out = []
    for row in s.meets:
        for beside in (row - 1, row + 1):
            if 0 <= beside < len(s.rows):
                a, b = s.edge(row)
                c, d = s.edge(beside)
                beyond = 0.5 * (s.points[row] - s.points[beside])
                out.append(np.array([a + beyond, b + beyond, d, c]))
    return out


def _strips(
    geometry: Geometry,
    parts: Sequence[BuiltPart],
    bodies: Sequence[Body],
    feeds: Sequence[Any],
    loads: Sequence[Any],
    longest: float,
    size: float,
    errors: list[HeronError],
) -> list[Strip | None]:
    found = contacts(geometry) if bodies else []
    marks: list[set[float]] = [set() for _ in parts]
    names = {p.name: i for i, p in enumerate(parts)}
    for step in (*feeds, *loads):
        if step is not None and step.part in names and 0 <= step.at <= 1:
            i = names[step.part]
            marks[i] |= set(_gap_range(parts[i], step))
    normals = _joined(parts, marks, errors)
    out: list[Strip | None] = []
    for i, part in enumerate(parts):
        try:
            met = meetings(part, bodies, found)
            out.append(strip(i, part, sorted(marks[i]), met, longest, size, normals.get(i)))
        except HeronError as error:
            errors.append(error)
            out.append(None)
    return out


def _gap_range(part: BuiltPart, step: Any) -> tuple[float, float]:
    """Where the gap of a feed or load begins and ends, fractions of the wire's length."""
    asked = getattr(step, "width", None)  # loads have none
    width = (2 * part.radius if asked is None else asked) / part.path.length
    width = min(max(width, 1e-4), 1.0)
    low = min(max(0.0, step.at - width / 2), 1 - width)
    return low, low + width


def _joined(
    parts: Sequence[BuiltPart], marks: list[set[float]], errors: list[HeronError]
) -> dict[int, Floats]:
    """The normals of the planes of wires that are joined to each other, by their numbers; where
    they are joined is marked.
    """
    group = list(range(len(parts)))
    points = [p.path.at(np.linspace(0, 1, 257)) for p in parts]
    for i, j in combinations(range(len(parts)), 2):
        near = 1e-4 * min(parts[i].path.length, parts[j].path.length)
        met = False
        for a, b in ((i, j), (j, i)):
            for end in parts[a].path.corners:
                at = parts[a].path.at(np.array([end]))[0]
                k = int(np.linalg.norm(points[b] - at, axis=1).argmin())
                if np.linalg.norm(points[b][k] - at) < max(near, parts[b].path.length / 300):
                    fraction, off = _foot(parts[b], at, k / 256)
                    if off < near:
                        marks[b].add(fraction)
                        met = True
        if not met:
            continue
        if abs(parts[i].radius / parts[j].radius - 1) > ALIKE:
            errors.append(
                ModelError(
                    f"“{parts[j].name}” is joined to “{parts[i].name}”, which is not as thick;"
                    " beside surfaces of triangles only wires of one radius are joined",
                    ("parts", parts[j].step, "radius"),
                )
            )
        group = [group[i] if g == group[j] else g for g in group]
    out: dict[int, Floats] = {}
    for own in set(group):
        members = [i for i, g in enumerate(group) if g == own]
        if len(members) < 2:
            continue
        cloud = np.vstack([points[i] for i in members])
        _, sizes, axes = np.linalg.svd(cloud - cloud.mean(axis=0), full_matrices=False)
        if sizes[2] > 1e-6 * sizes[0]:
            errors.append(
                ModelError(
                    f"“{parts[members[-1]].name}” and the wires that it is joined to do not lie in"
                    " a plane; beside surfaces of triangles they must",
                    ("parts", parts[members[-1]].step),
                )
            )
        elif sizes[1] > 1e-6 * sizes[0]:
            out |= {i: axes[2] for i in members}
        else:
            across = np.cross(axes[0], np.eye(3)[np.abs(axes[0]).argmin()])
            out |= {i: across / np.linalg.norm(across) for i in members}
    return out


def _foot(part: BuiltPart, point: Floats, guess: float) -> tuple[float, float]:
    """Fraction and distance of the place of a wire that is nearest to a point."""
    at = np.clip(guess + np.linspace(-1, 1, 2001) / 256, 0, 1)
    off = np.linalg.norm(part.path.at(at) - point, axis=1)
    k = int(off.argmin())
    return float(at[k]), float(off[k])


def _no_gap() -> SurfaceGap:
    return SurfaceGap(np.empty(0, dtype=np.int64), np.zeros(3), 1.0, np.zeros(3))


def _gap(
    mesh: SurfaceMesh,
    builder: _Builder,
    parts: dict[str, BuiltPart],
    strips: dict[str, Strip | None],
    step: Any,
    where: tuple[str | int, ...],
) -> SurfaceGap:
    """The triangles of a wire's strip between the marks of a gap."""
    part = parts.get(step.part)
    if part is None:
        known = ", ".join(parts) or "none"
        mesh.errors.append(
            ModelError(f"there is no wire “{step.part}”; there are {known}", (*where, "part"))
        )
        return _no_gap()
    if not 0 <= step.at <= 1:
        mesh.errors.append(
            ModelError("“at” is a fraction of the wire's length, from 0 to 1", (*where, "at"))
        )
        return _no_gap()
    if strips.get(step.part) is None:
        return _no_gap()
    low, high = _gap_range(part, step)
    point, start, end = part.path.at(np.array([0.5 * (low + high), low, high]))
    along = end - start
    width = float(np.linalg.norm(along))
    along /= width
    own = np.flatnonzero(np.array(builder.names) == step.part)
    offset = (mesh.centre[own] - point) @ along
    beside = (
        np.linalg.norm(mesh.centre[own] - point - offset[:, None] * along, axis=1)
        < WIDTH * part.radius
    )
    return SurfaceGap(own[(np.abs(offset) < width / 2) & beside], along, width, point)


class _Builder:
    """Triangles as they come together, points welded."""

    def __init__(self, meshed: Meshed, unit: float, longest: float) -> None:
        self.vertices = [*(meshed.vertices * unit)]
        self.triangles: list[tuple[int, int, int]] = [tuple(t) for t in meshed.triangles.tolist()]
        self.names = list(meshed.names)
        self.sides = meshed.sides
        size = float(np.ptp(np.array(self.vertices), axis=0).max()) if self.vertices else longest
        self.near = SAME * max(size, longest)

    def row(self, a: Floats, b: Floats) -> list[int]:
        """Points on the way from ``a`` to ``b`` (3,), those made where there are none."""
        step = b - a
        out: dict[int, float] = {}
        if self.vertices:
            at = np.array(self.vertices) - a
            along = at @ step / (step @ step)
            off = np.linalg.norm(at - along[:, None] * step, axis=1)
            slack = self.near / float(np.linalg.norm(step))
            found = (off < self.near) & (along > -slack) & (along < 1 + slack)
            out = {int(k): float(along[k]) for k in np.flatnonzero(found)}
        for t, point in ((0.0, a), (1.0, b)):
            if not any(abs(v - t) * np.linalg.norm(step) < 2 * self.near for v in out.values()):
                out[len(self.vertices)] = t
                self.vertices.append(point)
        return sorted(out, key=lambda k: out[k])

    def add_strip(self, name: str, s: Strip) -> None:
        """All of a strip but for the pieces at surfaces."""
        ended = _ended(s)
        before: list[int] = []
        for k in range(len(s.rows)):
            if before and (k - 1, k) not in ended:
                now = self.row(*s.edge(k))
                self._between(name, before, now)
                before = now
            else:
                before = self.row(*s.edge(k)) if k not in s.meets else [-1]

    def _between(self, name: str, one: list[int], two: list[int]) -> None:
        """Triangles between two rows of points."""
        i = j = 0
        while i + 1 < len(one) or j + 1 < len(two):
            first = j + 1 == len(two) or (
                i + 1 < len(one) and (i + 1) * (len(two) - 1) <= (j + 1) * (len(one) - 1)
            )
            if first:
                self.triangles.append((one[i], one[i + 1], two[j]))
                i += 1
            else:
                self.triangles.append((one[i], two[j + 1], two[j]))
                j += 1
            self.names.append(name)

    def wide_gap(self, name: str, part: BuiltPart) -> SurfaceGap:
        """The triangles of a gap that is spread over a rectangle."""
        start, end = part.path.at(np.array([0.0, 1.0]))
        width = float(np.linalg.norm(end - start))
        own = np.flatnonzero(np.array(self.names) == name)
        return SurfaceGap(own, (end - start) / width, width, 0.5 * (start + end))

    def mesh(
        self, parts: list[str], media: Sequence[Body], means: dict[str, str], ground: float | None
    ) -> SurfaceMesh:
        """What was added, without what lies on the ground plane, or is within a medium."""
        vertices = np.array(self.vertices).reshape(-1, 3)
        triangles = np.array(self.triangles, dtype=np.int64).reshape(-1, 3)
        grounded = np.zeros(len(vertices), dtype=bool)
        if ground is not None:
            grounded = np.abs(vertices[:, 2] - ground) < self.near
            vertices[grounded, 2] = ground
            kept = np.flatnonzero((~grounded[triangles]).any(axis=1))
            triangles = triangles[kept]
            self.names = [self.names[k] for k in kept]
            if media:
                self.sides = self.sides[kept]
        materials = list(dict.fromkeys(b.material for b in media))
        own = {b.name for b in media}
        metal = np.array([n not in own for n in self.names], dtype=bool)
        if media:
            of = np.array([0, *(materials.index(b.material) + 1 for b in media), INSIDE])
            self.sides = of[self.sides]
            kept = np.flatnonzero(metal | (self.sides[:, 0] != self.sides[:, 1]))
            triangles, self.sides, metal = triangles[kept], self.sides[kept], metal[kept]
            self.names = [self.names[k] for k in kept]
        parts = [*parts, *(b.name for b in media)]
        number = {n: i for i, n in enumerate(parts)}
        part = np.array([number[means.get(n, n)] for n in self.names], dtype=np.int64)
        turned, closed = oriented(vertices, triangles)
        order = _sorted(vertices, turned)
        self.names = [self.names[k] for k in order]
        if media:
            flipped = (turned[:, 0] != triangles[:, 0])[:, None]
            self.sides = np.where(flipped, self.sides[:, ::-1], self.sides)[order]
        return SurfaceMesh(
            parts,
            vertices,
            turned[order],
            part[order],
            closed[order],
            grounded,
            ground,
            media=materials,
            sides=self.sides,
            metal=metal[order],
        )


def _sorted(vertices: Floats, triangles: Ints) -> Ints:
    """An order in which neighbours are near each other: along a curve through a lattice's cells."""
    if not len(triangles):
        return np.empty(0, dtype=np.int64)
    centre = vertices[triangles].mean(axis=1)
    size = max(float(np.ptp(centre, axis=0).max()), 1e-300)
    cell = ((centre - centre.min(axis=0)) / size * 1023).astype(np.int64)
    code = np.zeros(len(cell), dtype=np.int64)
    for bit in range(10):
        for axis in range(3):
            code |= ((cell[:, axis] >> bit) & 1) << (3 * bit + axis)
    return np.argsort(code, kind="stable")


def oriented(vertices: Floats, triangles: Ints) -> tuple[Ints, NDArray[np.bool_]]:
    """Triangles (T, 3) turned alike across edges at which two meet, and which of them (T,) are of
    closed surfaces; those are turned counterclockwise as seen from outside.
    """
    edges: dict[tuple[int, int], list[tuple[int, bool]]] = defaultdict(list)
    for t, (a, b, c) in enumerate(triangles.tolist()):
        for p, q in ((a, b), (b, c), (c, a)):
            edges[min(p, q), max(p, q)].append((t, p < q))
    beside: list[list[tuple[int, bool]]] = [[] for _ in triangles]
    open_at = np.zeros(len(triangles), dtype=bool)
    for met in edges.values():
        if len(met) == 2:
            (one, up), (other, way) = met
            beside[one].append((other, up == way))
            beside[other].append((one, up == way))
        else:
            for t, _ in met:
                open_at[t] = True
    seen, turn = np.zeros(len(triangles), dtype=bool), np.zeros(len(triangles), dtype=bool)
    closed = np.zeros(len(triangles), dtype=bool)
    out = triangles.copy()
    for start in range(len(triangles)):
        if seen[start]:
            continue
        seen[start] = True
        component, waiting, sound = [start], deque([start]), True
        while waiting:
            t = waiting.popleft()
            for other, against in beside[t]:
                if not seen[other]:
                    seen[other], turn[other] = True, turn[t] ^ against
                    component.append(other)
                    waiting.append(other)
                elif turn[other] != turn[t] ^ against:
                    sound = False
        own = np.array(component)
        out[own[turn[own]]] = out[own[turn[own]]][:, ::-1]
        if sound and not open_at[own].any():
            closed[own] = True
            c = vertices[out[own]]
            if np.einsum("ti,ti->", c[:, 0], np.cross(c[:, 1], c[:, 2])) < 0:
                out[own] = out[own][:, ::-1]
    return out, closed
