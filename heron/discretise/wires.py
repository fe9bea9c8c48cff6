"""Wires to straight segments: nodes at corners, joints, feeds and loads; what joins, nearly joins
or touches.

Ends and crossings that coincide join by themselves. Distances are judged relative to the wires'
lengths and radii, never absolutely.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from heron.discretise.held import Laid, moved
from heron.discretise.proximity import close_pairs
from heron.errors import CapacityError, HeronError, ModelError
from heron.geometry import BuiltPart, Geometry
from heron.shapes.curves import COINCIDENT

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

LEAST_SEGMENTS = 8  # per part, so that a short wire still has a current shape
# ends within this many radii of another wire, but not joined, are reported
NEAR_MISS_RADII = 6.0
NEAR_MISS_LENGTH = 0.02  # or within this part of the shorter wire's length
# a segment of a bent wire is at least this many radii long, where the wire allows it
SEGMENT_OVER_RADIUS = 2.0
STRAIGHT_OVER_RADIUS = 0.02  # one of a straight wire, whose kernel is exactly that of a tube
# at feeds and open ends, where the current bends, segments shrink to this part of the others
GRADING_DEPTH = 128.0
GRADING_RATIO = 2.0  # from one segment to the next, the common upper limit
# a matrix of 4.6 GB; beyond this a dense solve takes hours, so it is refused before meshing
MAX_SEGMENTS = 16_000


@dataclass(frozen=True)
class Gap:
    """A stretch of wire with a uniform impressed field: rows (segment, from, to) in fractions of
    the segment.

    ``width`` is the total length in m after clipping to the wire; ``node`` the nearest mesh node.
    """

    part: int
    at: float
    rows: list[tuple[int, float, float]]
    width: float
    node: int


@dataclass(frozen=True)
class Joint:
    """Parts that meet at a point (m)."""

    point: tuple[float, float, float]
    parts: tuple[str, ...]


@dataclass(frozen=True)
class NearMiss:
    """An end (0 or 1) of ``part`` that stops ``distance`` m short of ``other`` at ``target``."""

    part: str
    end: int
    other: str
    distance: float
    target: tuple[float, float, float]


@dataclass
class WireMesh:
    """Straight segments.

    ``nodes`` (n, 3) m; ``segments`` (m, 2); ``radius`` (m,) m; ``part`` (m,) index into
    ``parts``; ``span`` (m, 2) fractions of the part's length; ``grounded`` (n,) bool.
    """

    parts: list[BuiltPart]
    nodes: Floats
    segments: Ints
    radius: Floats
    part: Ints
    span: Floats
    grounded: NDArray[np.bool_]
    ground: float | None
    tolerance: float = 0.0  # points nearer than this, in m, are one
    feeds: list[Gap] = field(default_factory=list)
    loads: list[Gap] = field(default_factory=list)
    joints: list[Joint] = field(default_factory=list)
    near_misses: list[NearMiss] = field(default_factory=list)
    errors: list[HeronError] = field(default_factory=list)
    # of every part, along its length
    laid: list[Laid] = field(default_factory=list)
    held: bool = False  # as those of another variant

    @property
    def start(self) -> Floats:
        """Where segments begin (n, 3), m."""
        return self.nodes[self.segments[:, 0]]

    @property
    def end(self) -> Floats:
        """Where segments end (n, 3), m."""
        return self.nodes[self.segments[:, 1]]

    @property
    def length(self) -> Floats:
        """Of segments (n,), m."""
        return np.asarray(np.linalg.norm(self.end - self.start, axis=1))

    def degree(self) -> Ints:
        """Segments that meet at each node (n,)."""
        return np.bincount(self.segments.ravel(), minlength=len(self.nodes))


@dataclass(frozen=True)
class Divided:
    """How wires are divided: by a ``ground`` plane at a height in m, into segments no ``longest``
    than that, ``size`` times as large as those of a mesh as fine as it is made; as those of another
    variant ``like`` this one.
    """

    ground: float | None
    longest: float
    size: float
    like: Sequence[Laid]

    def laid(self, number: int, part: BuiltPart, breaks: set[float], graded: set[float]) -> Laid:
        """Marks and ends of segments of part ``number`` along it; breakpoints closer than
        coincidence become one.
        """
        marks: list[float] = []
        for mark in sorted(breaks):
            if not marks or (mark - marks[-1]) > 2 * COINCIDENT:
                marks.append(mark)
        marks[-1] = 1.0
        own, length = np.array(marks), part.path.length
        like = self.like[number] if number < len(self.like) else None
        return moved(like, own, length) or Laid(
            own, _ends(part, marks, graded, self.longest, self.size), length
        )


def mesh_wires(
    geometry: Geometry,
    feeds: list[Any],
    loads: list[Any],
    ground: float | None,
    longest: float,
    size: float = 1.0,
    like: Sequence[Laid] = (),
) -> WireMesh:
    """Segments no longer than ``longest`` (m), with nodes at every joint, corner, feed and load.

    :param feeds, loads: evaluated steps (``part``, ``at``, ``width`` or none); ``None`` entries are
        passed over.
    :param ground: height of a ground plane, or ``None``; ``size`` of the smallest segments over
        those of a mesh as fine as it is made; ``like`` how the parts of another variant are
        divided, which these are held to where that fits.
    :returns: the mesh; faults are in its ``errors`` with paths into the document.
    :raises CapacityError: more segments than any machine here can solve.
    """
    parts = geometry.parts
    names = {p.name: i for i, p in enumerate(parts)}
    breaks = [set(p.path.corners.tolist()) for p in parts]
    graded: list[set[float]] = [set() for _ in parts]
    for steps, fine in ((feeds, True), (loads, False)):
        for step in steps:
            if step is not None and step.part in names and 0 <= step.at <= 1:
                breaks[names[step.part]].add(float(step.at))
                if fine:
                    graded[names[step.part]].add(float(step.at))
    expected = sum(p.path.length / longest for p in parts)
    if expected > MAX_SEGMENTS:
        raise CapacityError(
            f"the wires need about {expected:.3g} segments; this engine takes {MAX_SEGMENTS}"
        )
    divided = Divided(ground, longest, size, like)
    mesh = _mesh(parts, breaks, graded, divided)
    for _ in range(4):  # each pass can only reveal joints hidden by the pass before
        if not _add_joints(mesh, breaks):
            break
        mesh = _mesh(parts, breaks, graded, divided)
    if _grade_open_ends(mesh, graded):
        mesh = _mesh(parts, breaks, graded, divided)
    _find_joints(mesh)
    _find_faults(mesh)
    if ground is not None:
        _check_ground(mesh, ground)
    mesh.feeds = _gaps(mesh, names, feeds, "feeds")
    mesh.loads = _gaps(mesh, names, loads, "loads")
    return mesh


def _grade_open_ends(mesh: WireMesh, graded: list[set[float]]) -> bool:
    """Marks the open ends of all parts for grading."""
    if not len(mesh.segments):
        return False
    open_end = (mesh.degree() == 1) & ~mesh.grounded
    for segment, part in enumerate(mesh.part):
        for side in (0, 1):
            if open_end[mesh.segments[segment, side]]:
                graded[part].add(float(mesh.span[segment, side]))
    return bool(open_end.any())


def _mesh(
    parts: list[BuiltPart],
    breaks: list[set[float]],
    graded: list[set[float]],
    divided: Divided,
) -> WireMesh:
    ground = divided.ground
    laid = [divided.laid(i, p, breaks[i], graded[i]) for i, p in enumerate(parts)]
    points: list[Floats] = []
    segments: list[Ints] = []
    owner: list[int] = []
    spans: list[Floats] = []
    count = 0
    for i, part in enumerate(parts):
        fractions = laid[i].lines
        n = len(fractions)
        points.append(part.path.at(fractions))
        segments.append(
            np.column_stack((np.arange(count, count + n - 1), np.arange(count + 1, count + n)))
        )
        spans.append(np.column_stack((fractions[:-1], fractions[1:])))
        owner += [i] * (n - 1)
        count += n
    if not parts:
        empty = np.empty((0, 3))
        return WireMesh(
            [],
            empty,
            np.empty((0, 2), dtype=np.int64),
            np.empty(0),
            np.empty(0, dtype=np.int64),
            np.empty((0, 2)),
            np.empty(0, dtype=bool),
            ground,
        )
    all_points = np.vstack(points)
    shortest = min(
        float(np.diff(s, axis=1).min()) * p.path.length for s, p in zip(spans, parts, strict=True)
    )
    tolerance = min(COINCIDENT * min(p.path.length for p in parts), 0.1 * shortest)
    merged, index = _merge(all_points, tolerance)
    grounded = np.zeros(len(merged), dtype=bool)
    if ground is not None:
        grounded = np.abs(merged[:, 2] - ground) < tolerance
        merged[grounded, 2] = ground
    part_of = np.array(owner)
    return WireMesh(
        parts,
        merged,
        index[np.vstack(segments)],
        np.array([parts[i].radius for i in owner]),
        part_of,
        np.vstack(spans),
        grounded,
        ground,
        tolerance,
        laid=laid,
        held=all(own.held for own in laid),
    )


def _ends(
    part: BuiltPart, marks: Sequence[float], graded: set[float], longest: float, size: float
) -> Floats:
    """Ends of segments of one part between its marks, fractions of its length, rising."""
    length = part.path.length
    step = min(longest, size * length / LEAST_SEGMENTS)
    corners = part.path.corners
    out = [0.0]
    for a, b in pairwise(marks):
        curve = part.path.curves[
            int(np.clip(np.searchsorted(corners, 0.5 * (a + b)) - 1, 0, len(corners) - 2))
        ]
        stretch = (b - a) * length
        largest = min(step, curve.length / curve.least_segments)
        floor = (
            (STRAIGHT_OVER_RADIUS if curve.least_segments <= 1 else SEGMENT_OVER_RADIUS)
            * part.radius
            * size
        )
        smallest = max(floor, largest / GRADING_DEPTH)
        sizes = _sizes(
            stretch,
            largest,
            smallest,
            floor,
            any(abs(a - g) < COINCIDENT for g in graded),
            any(abs(b - g) < COINCIDENT for g in graded),
        )
        out.extend((a + (b - a) * np.cumsum(sizes) / sizes.sum())[:-1].tolist())
        out.append(b)
    return np.array(out)


def _sizes(
    stretch: float, largest: float, smallest: float, floor: float, fine_start: bool, fine_end: bool
) -> Floats:
    """Relative segment lengths along a stretch, growing from fine ends up to ``largest``, none
    under ``floor`` if it can be.
    """
    ramp: list[float] = []
    size = smallest
    while size < largest:
        ramp.append(size)
        size *= GRADING_RATIO
    ramps = fine_start + fine_end
    while ramp and ramps and ramps * sum(ramp) > stretch:
        ramp.pop()
    head, tail = ramp if fine_start else [], ramp[::-1] if fine_end else []
    middle = stretch - sum(head) - sum(tail)
    top = max(head[-1] * GRADING_RATIO, floor) if head else largest
    n = int(np.ceil(middle / min(largest, top) - 1e-9))
    n = max(
        0 if ramps and ramp and middle < 0.5 * floor else 1, min(n, max(1, int(middle / floor)))
    )
    return np.array([*head, *([middle / n] * n if n else []), *tail])


def _merge(points: Floats, tolerance: float) -> tuple[Floats, Ints]:
    """Unique points and, for every given point, the index of its unique one."""
    parent = np.arange(len(points))
    for a, b in cKDTree(points).query_pairs(tolerance):
        root = min(parent[a], parent[b])
        parent[parent == max(parent[a], parent[b])] = root
    unique, inverse = np.unique(parent, return_inverse=True)
    return points[unique].copy(), inverse.astype(np.int64)


def _add_joints(mesh: WireMesh, breaks: list[set[float]]) -> bool:
    """New breakpoints where wires coincide but have no common node yet."""
    if not len(mesh.segments):
        return False
    tolerance = mesh.tolerance
    sagitta = mesh.length * 0.05  # a chord of a 36-gon stands 2.2 % of its length off the circle
    added = False
    for row in close_pairs(mesh.nodes, mesh.segments, np.maximum(sagitta, tolerance)):
        p, q, distance, s, t = int(row[0]), int(row[1]), row[2], row[3], row[4]
        for one, two, at_one, at_two in ((p, q, s, t), (q, p, t, s)):
            end = _end_fraction(mesh, one, at_one)
            if end is None or distance < tolerance:
                continue
            # An open end near a chord: measure against the curve itself.
            point = mesh.parts[mesh.part[one]].path.at(np.array([end]))[0]
            fraction, miss = _nearest(mesh, two, at_two, point)
            if miss < tolerance:
                added |= _break_at(mesh, breaks, int(mesh.part[two]), fraction)
        if distance < tolerance:
            for segment, at in ((p, s), (q, t)):
                a, b = mesh.span[segment]
                added |= _break_at(mesh, breaks, int(mesh.part[segment]), a + at * (b - a))
    return added


def _break_at(mesh: WireMesh, breaks: list[set[float]], part: int, fraction: float) -> bool:
    if min(abs(fraction - b) for b in breaks[part]) <= 2 * COINCIDENT:
        return False
    breaks[part].add(float(fraction))
    return True


def _end_fraction(mesh: WireMesh, segment: int, at: float) -> float | None:
    """0 or 1 when ``at`` on the segment is an end of its part."""
    a, b = mesh.span[segment]
    if at == 0 and a == 0:
        return 0.0
    if at == 1 and b == 1:
        return 1.0
    return None


def _nearest(mesh: WireMesh, segment: int, at: float, point: Floats) -> tuple[float, float]:
    from scipy.optimize import (
        minimize_scalar,  # takes half a second to load, and few models need it
    )

    path = mesh.parts[mesh.part[segment]].path
    a, b = mesh.span[segment]
    half, centre = 0.5 * (b - a), a + at * (b - a)
    low, high = max(0.0, centre - half), min(1.0, centre + half)

    def distance(f: float) -> float:
        return float(np.linalg.norm(path.at(np.array([f]))[0] - point))

    found = minimize_scalar(
        distance, bounds=(low, high), method="bounded", options={"xatol": 1e-12}
    )
    return float(found.x), float(found.fun)


def _find_joints(mesh: WireMesh) -> None:
    parts_at: dict[int, set[int]] = defaultdict(set)
    for (a, b), part in zip(mesh.segments, mesh.part, strict=True):
        parts_at[int(a)].add(int(part))
        parts_at[int(b)].add(int(part))
    for node, owners in parts_at.items():
        if len(owners) > 1:
            x, y, z = mesh.nodes[node].tolist()
            mesh.joints.append(Joint((x, y, z), tuple(mesh.parts[i].name for i in sorted(owners))))


def _find_faults(mesh: WireMesh) -> None:
    """Ends that nearly meet; wires that touch without joining."""
    if not len(mesh.segments):
        return
    degree = mesh.degree()
    lengths = np.array([p.path.length for p in mesh.parts])
    reach = np.maximum(NEAR_MISS_RADII * mesh.radius, NEAR_MISS_LENGTH * lengths[mesh.part])
    best: dict[tuple[int, int], NearMiss] = {}
    touching: set[tuple[int, int]] = set()
    rows = close_pairs(mesh.nodes, mesh.segments, reach)
    along = _along(mesh, rows)
    first, second = rows[:, 0].astype(int), rows[:, 1].astype(int)
    both = mesh.radius[first] + mesh.radius[second]
    # close along one wire: closeness in space says nothing
    neighbours = along < np.maximum(4 * both, 2 * reach[first])
    folded = (
        neighbours & (rows[:, 2] < 0.5 * both) & (np.abs(first - second) > 1) & (along > 4 * both)
    )
    touching |= {(int(i), int(i)) for i in mesh.part[first[folded]]}
    for row in rows[~neighbours]:
        p, q, distance, s, t = int(row[0]), int(row[1]), float(row[2]), row[3], row[4]
        i, j = int(mesh.part[p]), int(mesh.part[q])
        radii = mesh.radius[p] + mesh.radius[q]
        missed = False
        for one, two, at_one, at_two in ((p, q, s, t), (q, p, t, s)):
            end = _end_fraction(mesh, one, at_one)
            node = mesh.segments[one, int(at_one)] if end is not None else -1
            if end is None or degree[node] != 1 or mesh.grounded[node]:
                continue
            limit = max(
                NEAR_MISS_RADII * max(mesh.radius[p], mesh.radius[q]),
                NEAR_MISS_LENGTH * min(lengths[i], lengths[j]),
            )
            if distance > limit:
                continue
            a, b = mesh.start[two], mesh.end[two]
            x, y, z = (a + at_two * (b - a)).tolist()
            key = (int(mesh.part[one]), int(end))
            if key not in best or distance < best[key].distance:
                best[key] = NearMiss(
                    mesh.parts[mesh.part[one]].name,
                    int(end),
                    mesh.parts[mesh.part[two]].name,
                    distance,
                    (x, y, z),
                )
            missed = True
        if distance < radii and not missed and not _beside_joint(mesh, p, q, s, t, 4 * radii):
            touching.add((min(i, j), max(i, j)))
    mesh.near_misses = list(best.values())
    for i, j in sorted(touching):
        a, b = mesh.parts[i], mesh.parts[j]
        what = f"“{a.name}” touches itself" if i == j else f"“{a.name}” and “{b.name}” touch"
        mesh.errors.append(
            ModelError(
                f"{what} without being joined: the surfaces overlap but the axes do not meet; move"
                " them apart or let the axes meet",
                ("parts", b.step),
            )
        )


def _beside_joint(mesh: WireMesh, p: int, q: int, s: float, t: float, reach: float) -> bool:
    """Whether the closest points of two segments both lie within ``reach`` (m) of a joint of their
    parts.
    """
    names = {mesh.parts[mesh.part[p]].name, mesh.parts[mesh.part[q]].name}
    a, b = (mesh.start[i] + f * (mesh.end[i] - mesh.start[i]) for i, f in ((p, s), (q, t)))
    joints = [np.array(j.point) for j in mesh.joints if names <= set(j.parts)]
    return any(max(np.linalg.norm(a - j), np.linalg.norm(b - j)) < reach for j in joints)


def _along(mesh: WireMesh, rows: Floats) -> Floats:
    """Distances (n,) in m along their common part between the closest points of pairs (n, 5);
    infinite between two parts.

    The shorter way round if the part is closed.
    """
    at = []
    for side in (0, 1):
        low, high = mesh.span[rows[:, side].astype(int)].T
        at.append(low + rows[:, 3 + side] * (high - low))
    one, two = (mesh.part[rows[:, side].astype(int)] for side in (0, 1))
    apart = np.abs(at[0] - at[1])
    closed = np.array([p.path.closed for p in mesh.parts])[one]
    apart = np.where(closed, np.minimum(apart, 1 - apart), apart)
    lengths = np.array([p.path.length for p in mesh.parts])[one]
    return np.where(one == two, apart * lengths, np.inf)


def _check_ground(mesh: WireMesh, ground: float) -> None:
    for i, part in enumerate(mesh.parts):
        own = mesh.segments[mesh.part == i]
        if (mesh.nodes[own.ravel(), 2] < ground - COINCIDENT * part.path.length).any():
            mesh.errors.append(
                ModelError(
                    f"“{part.name}” reaches below the ground plane; raise it or lower the ground",
                    ("parts", part.step),
                )
            )
        elif mesh.grounded[own].all(axis=1).any():
            mesh.errors.append(
                ModelError(
                    f"“{part.name}” lies in the ground plane, which shorts it; raise it",
                    ("parts", part.step),
                )
            )


def _gaps(mesh: WireMesh, names: dict[str, int], steps: list[Any], chapter: str) -> list[Gap]:
    """The gap of each step; a fault leaves an error and an empty gap in its place."""
    gaps: list[Gap] = []
    degree = mesh.degree()
    what = "feed" if chapter == "feeds" else "load"
    for i, step in enumerate(steps):
        gap = Gap(-1, 0.0, [], 0.0, -1)
        if step is not None:
            try:
                gap = _gap(mesh, names, step, what, degree)
            except ModelError as error:
                mesh.errors.append(error.within(chapter, i))
        gaps.append(gap)
    return gaps


def _gap(mesh: WireMesh, names: dict[str, int], step: Any, what: str, degree: Ints) -> Gap:
    if step.part not in names:
        known = ", ".join(names) or "none"
        raise ModelError(
            f"the {what} is on no wire: there is no part “{step.part}” (there are {known})",
            ("part",),
        )
    if not 0 <= step.at <= 1:
        raise ModelError(f"the position on a wire runs from 0 to 1, not {step.at:g}", ("at",))
    part = names[step.part]
    built = mesh.parts[part]
    length = built.path.length
    given = getattr(step, "width", None)
    width = 2 * built.radius if given is None else given
    if not 0 < width < length:
        raise ModelError(
            "the gap must be wider than zero and narrower than the wire is long", ("width",)
        )
    own = np.flatnonzero(mesh.part == part)
    spans = mesh.span[own]
    nearest = int(np.argmin(np.abs(spans - step.at).min(axis=1)))
    end = int(np.argmin(np.abs(spans[nearest] - step.at)))
    node = int(mesh.segments[own[nearest], end])
    if degree[node] == 1 and not mesh.grounded[node]:
        raise ModelError(
            f"the {what} stands at an open end, where no current flows; move it along the wire",
            ("at",),
        )
    half = 0.5 * width / length
    intervals = [(max(0.0, step.at - half), min(1.0, step.at + half))]
    if built.path.closed:  # the gap runs on past the seam
        if step.at < half:
            intervals.append((1 + step.at - half, 1.0))
        if step.at > 1 - half:
            intervals.append((0.0, step.at + half - 1))
    rows, total = [], 0.0
    for low, high in intervals:
        for segment, (a, b) in zip(own, spans, strict=True):
            lo, hi = max(low, a), min(high, b)
            if hi > lo:
                rows.append((int(segment), float((lo - a) / (b - a)), float((hi - a) / (b - a))))
                total += (hi - lo) * length
    return Gap(part, float(step.at), rows, total, node)
