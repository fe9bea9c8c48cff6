"""What parts, layers and refinements ask of the grid lines along each axis."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from heron.discretise import features
from heron.discretise.grid import Axis
from heron.engines.transient.outlines import facets, mesh_of, off_grid, stretches
from heron.engines.transient.room import index_of, interfaces_of
from heron.engines.transient.structure import Floats, Unresolved
from heron.errors import ModelError
from heron.geometry import Geometry
from heron.materials import Medium
from heron.model import Evaluated
from heron.model.surroundings import layers_of, periods_of
from heron.quantities.constants import C0
from heron.shapes.bodies import Body

ACROSS = 3  # cells across a dielectric that is thin against its cell size
FINEST = 1 / 60  # of the largest cell: marks nearer than this become one line
AT_METAL = 0.15  # cells at edges of metal against the largest
FILM_PHASE = 0.006  # rad: what films and layers may add to the phase of waves in them
USUAL_CELLS = 20  # per wavelength, at which that holds
PARTED = 0.15  # of the smallest cell asked for: marks nearer than this become one line
SAME = 1e-5  # of a body's extent: its bounds are an edge's place
# largest cells across: round metal larger than this gets no lines at its ends
ROUND = 6.0
# cosine of the slope of a surface about an end of it that is taken for round
STEEPEST = 0.7
AT_WIRE = 0.25  # cells across wires and along their ends against those around
# cells across over the length of a long wire, and over the cells at its ends
LONG_WIRE, END_FINER = 10.0, 3.0
# cells across a wire over its radius, where nothing else asks for smaller ones
ROOM = 2.0


def refined(refinement: Any, geometry: Geometry, number: int) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of a refinement, m.

    :raises ModelError: it names no part; its cell is no size.
    """
    here = ("refinements", number)
    if not refinement.cell > 0:
        raise ModelError("the cell must be larger than zero", (*here, "cell"))
    if refinement.kind == "fine_box":
        corners = np.array([refinement.corner, np.add(refinement.corner, refinement.size)])
        return corners.min(axis=0), corners.max(axis=0)
    corners = np.array(
        [c for b in geometry.bodies for c in b.bounds if b.name == refinement.part]
        + [
            p
            for part in geometry.parts
            for p in part.path.at(np.array(part.path.corners))
            if part.name == refinement.part
        ]
    )
    if not len(corners):
        raise ModelError(
            f"there is no part “{refinement.part}” to refine; what was combined goes by the new"
            " name",
            (*here, "part"),
        )
    return corners.min(axis=0), corners.max(axis=0)


def halve(axis: Axis) -> None:
    """Leaves the wishes from zero on."""
    axis.marks = [m for m in axis.marks if m >= -axis.least]
    axis.edges = [edge for edge in axis.edges if edge[0] > axis.least]
    axis.walls = [wall for wall in axis.walls if wall[1] > axis.least]
    axis.whole = [(max(a, 0.0), b) for a, b in axis.whole if b > axis.least]


def in_films(model: Evaluated, films: list[Body], media: dict[str, Medium]) -> tuple[int, float]:
    """The axis across films without end and layers, and how many times as fine as elsewhere cells
    are along it in them, where waves go to and fro: what the grid adds to their phase, (kΔ)²/24 of
    it, is to stay below ``FILM_PHASE`` rad over all of them.
    """
    (across,) = set(range(3)) - set(periods_of(model)) if films else (2,)
    ways = [
        index_of(media[body.material], model.plan.f_stop)
        * float(body.bounds[1][across] - body.bounds[0][across])
        for body in films
    ]
    ways += [
        index_of(media[name], model.plan.f_stop) * (top - bottom)
        for name, bottom, top in layers_of(model)
        if np.isfinite(bottom)
    ]
    phase = 2 * np.pi * model.plan.f_stop / C0 * sum(ways)
    return across, max(1.0, 2 * np.pi / USUAL_CELLS * float(np.sqrt(phase / 24 / FILM_PHASE)))


def layer_wishes(
    axes: list[Axis],
    model: Evaluated,
    media: dict[str, Medium],
    largest: float,
    finer: float,
    scale: float,
) -> None:
    """Lines on the boundaries of layers, cells that carry waves in them, also along them."""
    axes[2].marks += interfaces_of(model)
    for name, bottom, top in layers_of(model):
        index = index_of(media[name], model.plan.f_stop)
        for axis in axes[:2]:
            axis.largest = min(axis.largest, largest / index)
        wanted = (
            largest / index
            if np.isinf(bottom)
            else min(
                largest / index / finer,
                max(scale * (top - bottom) / ACROSS, FINEST * largest / index),
            )
        )
        axes[2].sizes.append(
            (
                max(bottom, axes[2].low - 10 * abs(axes[2].high - axes[2].low) - 100 * largest),
                top,
                wanted,
            )
        )


def body_wishes(
    axes: list[Axis], body: Body, largest: float, inside: list[float], medium: bool, scale: float
) -> None:
    """Lines on a body's straight, axis-aligned edges and its bounds; cells of ``inside`` m along
    each axis at most in it, and finer at edges of metal.
    """
    low, high = body.bounds
    found = mesh_of(body, largest)
    marks: list[set[float]] = [set(), set(), set()]
    for edge in found.edges:
        ends = edge[[0, -1]] * body.unit
        direction = np.abs(ends[1] - ends[0])
        bent = len(edge) > 2 or not direction.any()
        if bent or (direction > 1e-6 * direction.max()).sum() != 1:
            continue
        for k in range(3):
            marks[k] |= {round(float(ends[0, k]), 12), round(float(ends[1, k]), 12)}
    if not medium and not body.solid and not off_grid(body):
        _sheet_wishes(axes, body, [edge * body.unit for edge in found.edges], AT_METAL * largest)
        return
    corners = facets(body, largest)
    # is looked at by itself
    straight = (
        marks
        if not any(len(edge) > 2 for edge in found.edges)
        and len(found.edges) <= features.MOST_EDGES
        else [set[float]()] * 3
    )
    round_ = [] if medium else features.rounded(corners)
    for k, axis in enumerate(axes):
        ends = {
            round(float(m), 12)
            for m in (low[k], high[k])
            if medium
            or high[k] - low[k] < ROUND * largest
            or not _round_end(corners, k, m == low[k])
        }
        own = sorted(
            marks[k]
            | {
                m
                for m in ends
                if all(abs(m - mark) > SAME * float(high[k] - low[k]) for mark in marks[k])
            }
        )
        walls = [] if medium else [(a, b) for a, b in pairwise(own) if b - a < largest]
        axis.walls += walls
        axis.marks += [m for m in own if not any(m in wall for wall in walls)]
        if medium:
            axis.sizes.append(
                (
                    float(low[k]),
                    float(high[k]),
                    min(
                        inside[k], max(scale * float(high[k] - low[k]) / ACROSS, FINEST * inside[k])
                    ),
                )
            )
        elif body.solid and (len(found.edges) > features.MOST_EDGES or k in round_):
            axis.sizes += [(m, m, AT_METAL * largest) for m in own if m not in straight[k]]


def _round_end(corners: Floats, k: int, lower: bool) -> bool:
    """Whether triangles (m, 3, 3) of a surface meet an end along axis k as a ball does, without
    edge, so that the field there is even and needs no lines of its own.
    """
    low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
    end = low[k] if lower else high[k]
    there = corners[(np.abs(corners[:, :, k] - end) < 1e-6 * float((high - low).max())).any(axis=1)]
    normal = np.cross(there[:, 1] - there[:, 0], there[:, 2] - there[:, 0])
    return bool(
        len(there)
        and (np.abs(normal[:, k]) > STEEPEST * np.linalg.norm(normal, axis=1)).all()
        and (np.ptp(there[:, :, k], axis=1) > 0).all()
    )


def conductor_of(body: Body, largest: float) -> features.Conductor:
    """A conducting body as grid lines are chosen by it; ``largest`` cell in m."""
    low, high = body.bounds
    corners = facets(body, largest)
    lines_of = [line * body.unit for line in mesh_of(body, largest).edges]
    return features.Conductor(
        low,
        high,
        corners,
        lines_of,
        None if body.solid or off_grid(body) else int(np.argmin(high - low)),
        off_grid(body),
    )


def _sheet_wishes(axes: list[Axis], body: Body, edges: list[Floats], size: float) -> None:
    """The plane a flat sheet lies in, and its bounds where its outline is bent or oblique."""
    low, high = body.bounds
    d = int(np.argmin(high - low))
    axes[d].marks.append(round(float(0.5 * (low[d] + high[d])), 12))
    directions = [np.abs(edge[-1] - edge[0]) for edge in edges]
    if any(
        len(edge) > 2 or (along > 1e-6 * along.max()).sum() != 1
        for edge, along in zip(edges, directions, strict=True)
    ):
        for k in (k for k in range(3) if k != d):
            axes[k].edges += [
                (round(float(low[k]), 12), -1, size),
                (round(float(high[k]), 12), 1, size),
            ]


def conductor_wishes(
    axes: list[Axis], bodies: list[Body], found: features.Features
) -> list[Unresolved]:
    """Enters what conductors ask for, and returns the details that get too few cells."""
    for k, place, side, size in found.ends:
        if side:
            axes[k].edges.append((place, side, size))
        else:
            axes[k].marks.append(place)
    for wishes, small in ((found.wishes, False), (found.near, True)):
        for k, low, high, size in wishes:
            axes[k].sizes.append((low, high, size))
            axes[k].least = min(axes[k].least, PARTED * size if small else np.inf)
    worst: dict[int, features.Detail] = {}
    for detail in found.details:
        if (
            detail.distance < features.FEW * detail.size
            and detail.distance / detail.size
            <= (w := worst.get(detail.body, detail)).distance / w.size
        ):
            worst[detail.body] = detail
    return [
        Unresolved(bodies[n].name, bodies[n].step, d.place, d.distance, d.distance / d.size)
        for n, d in worst.items()
    ]


def spread_wishes(axes: list[Axis], part: Any, feed: Any) -> None:
    """Lines at the ends and sides of a gap that is spread over a width."""
    half = 0.5 * np.array(feed.across)
    for p, q in stretches(part):
        for k in range(3):
            axes[k].marks += [float(c) for c in {p[k], q[k], p[k] - half[k], p[k] + half[k]}]


def wire_wishes(axes: list[Axis], part: Any, feeds: list[Any], largest: float) -> None:
    """Lines at a wire's ends; cells across it, and along it at its corners, a quarter of the
    others, but none that the wire would fill; one cell for a gap with a width of its own.

    On the grid a wire ends a part of a cell later than it does: at the ends of long wires the cells
    along it are finer still.
    """
    size = max(AT_WIRE * largest, ROOM * part.radius)
    runs = stretches(part)
    if part.path.length > LONG_WIRE * size:
        for (p, q), end in ((runs[0], 0), (runs[-1], 1)):
            k, tip = int(np.abs(q - p).argmax()), (p, q)[end]
            axes[k].sizes.append((float(tip[k]), float(tip[k]), size / END_FINER))
    for p, q in runs:
        along = int(np.abs(q - p).argmax())
        for k in (k for k in range(3) if k != along):
            axes[k].floors.append(
                (
                    float(p[k]) - ROOM * part.radius,
                    float(p[k]) + ROOM * part.radius,
                    ROOM * part.radius,
                )
            )
        for k in range(3):
            axes[k].marks += [float(p[k]), float(q[k])]
            axes[k].sizes += [(float(c[k]), float(c[k]), size) for c in (p, q)]
        for f in feeds:
            if f.width is None or not 0 < f.at < 1:
                continue
            middle = float(part.path.at(np.array([f.at]))[0][along])
            if FINEST * largest < f.width < part.path.length:
                ends = middle - f.width / 2, middle + f.width / 2
                axes[along].marks += list(ends)
                axes[along].whole.append(ends)
                # A gap between plates as wide as a cell must not be shorter than the cell: it would
                # be a capacitor.
                for k in range(3):
                    if k != along:
                        axes[k].sizes.append(
                            (float(p[k]), float(p[k]), max(f.width, ROOM * part.radius))
                        )
