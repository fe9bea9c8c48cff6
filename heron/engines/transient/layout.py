"""The grid of an evaluated model: where its lines lie, and how far it reaches."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from heron.discretise import features
from heron.discretise.grid import Axis, crowds, lines, settle_edges, settle_walls
from heron.discretise.held import Laid
from heron.engines.transient.openings import Case, case_of
from heron.engines.transient.outlines import axes_along, stretches
from heron.engines.transient.room import (
    BESIDE,
    ROOM_IN_BOX,
    index_of,
    interfaces_of,
    least_distance,
    lowest_frequency,
    wall_distance,
)
from heron.engines.transient.structure import LAYERS, SCATTERED, Floats, Structure
from heron.engines.transient.wishes import (
    AT_METAL,
    FINEST,
    body_wishes,
    conductor_of,
    conductor_wishes,
    halve,
    in_films,
    layer_wishes,
    refined,
    spread_wishes,
    wire_wishes,
)
from heron.errors import ModelError
from heron.fields.planes import NEAR, planes_of
from heron.geometry import Geometry
from heron.geometry.contacts import clearance
from heron.materials import Medium
from heron.model import Evaluated
from heron.model.feeds import is_spread
from heron.model.substances import media_of
from heron.model.surroundings import layers_of, periods_of
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.shapes.bodies import Body

# cells from there to the model at least, as that surface must not cut what the model is made of
CLEAR = 2
BETWEEN = 2  # cells in every gap between marks (common practice)
# cells at least between the planes of two line or guide feeds, where waves come in and are told
# apart
APART = 4
# times as fine as elsewhere at most are cells beside them, as steps from large cells to small ones
# reflect (kΔ)²/16
FINER_BESIDE = 2.0
FINEST_DETAIL = 1 / 1000  # of the largest cell: details ask for none smaller
MOST_CELLS = 60_000_000


def refusals(model: Evaluated, geometry: Geometry) -> list[str]:
    """What this engine cannot model yet, in words."""
    out = []
    for part in geometry.parts:
        if any(len(axes_along(p, q)) != 1 for p, q in stretches(part)):
            out.append(
                f"the wire “{part.name}” does not run along x, y or z; the moments engine models it"
            )
    return out


def structure(
    model: Evaluated, geometry: Geometry, scale: float = 1.0, like: Sequence[Laid] = ()
) -> Structure:
    """Grid of a model whose band is usable, without its contents; its cells ``scale`` times as
    large as the plan asks for, those of narrow features too. Its lines are those of another variant
    ``like`` this one, moved, along the axes where they fit.

    :raises ModelError: no room for a grid; too many cells.
    """
    plan = model.plan
    media = media_of(model)[0]
    bodies = geometry.placed.bodies if geometry.bodies else []
    largest = scale * C0 / plan.f_stop / plan.settings.transient.cells_per_wavelength
    ground = (
        model.surround.height
        if model.surround is not None and model.surround.kind == "ground"
        else None
    )
    cases = _cases(model, bodies, media, largest, scale)
    low, high = _bounds(geometry, bodies, ground, model, cases)
    axes = [
        Axis(float(lo), float(hi), largest, FINEST * largest)
        for lo, hi in zip(low, high, strict=True)
    ]
    periods = periods_of(model)
    films = [body for body in bodies if body.material in media and _spans(body, periods)]
    across, finer = in_films(model, films, media)
    axes[across].largest /= min(finer, FINER_BESIDE)
    for body in bodies:
        medium = media.get(body.material)
        inside = largest / (index_of(medium, plan.f_stop) if medium else 1.0)
        body_wishes(
            axes,
            body,
            largest,
            [inside / finer if body in films and k not in periods else inside for k in range(3)],
            medium is not None,
            scale,
        )
    for part in geometry.parts:
        feeds = [
            f for f in model.feeds if f is not None and f.kind == "gap" and f.part == part.name
        ]
        if feeds and is_spread(feeds[0]):
            spread_wishes(axes, part, feeds[0])
        else:
            wire_wishes(axes, part, feeds, largest)
    layer_wishes(axes, model, media, largest, finer, scale)
    margin = wall_distance(model, scale)
    planes = planes_of(model, low, high, margin)
    ends = [(p.axis, p.at) for p in planes if not p.doubles]
    metal = [body for body in bodies if body.material not in media]
    about = features.features_beside(
        [conductor_of(body, largest) for body in metal],
        ends,
        periods,
        lambda a, b: clearance(metal[a], metal[b]),
        [(case.axis, case.at) for case in cases],
        features.Asked(
            largest,
            AT_METAL * largest,
            FINEST_DETAIL * largest,
            plan.settings.transient.cells_per_detail / scale,
        ),
    )
    unresolved = conductor_wishes(axes, metal, about)
    for i, refinement in enumerate(model.refinements):
        if refinement is not None:
            low_r, high_r = refined(refinement, geometry, i)
            for k in range(3):
                axes[k].least = min(axes[k].least, scale * refinement.cell / BETWEEN)
                axes[k].sizes.append((float(low_r[k]), float(high_r[k]), scale * refinement.cell))
    for case in cases:
        case.wish(axes[case.axis])
    walls = np.full((3, 2), LAYERS)
    for p in planes:
        walls[p.axis, p.side] = 0
    walls[list(periods)] = 0
    grid, crowded, laid = [], [], []
    for k, axis in enumerate(axes):
        axis.sizes += [
            (axis.low - margin, axis.low, margin / (SCATTERED + CLEAR)),
            (axis.high, axis.high + margin, margin / (SCATTERED + CLEAR)),
        ]
        axis.low, axis.high = axis.low - margin, axis.high + margin
        for p in planes:
            if p.axis == k:
                axis.low, axis.high = (axis.low, p.at) if p.side else (p.at, axis.high)
                if p.doubles:
                    halve(axis)
        if k in periods:
            axis.low, axis.high = -periods[k] / 2, periods[k] / 2
            # metal at an end goes on in the next
            axis.edges = [
                edge
                for edge in axis.edges
                if axis.low + axis.least < edge[0] < axis.high - axis.least
            ]
        settle_walls(axis)
        settle_edges(axis)
        crowded += [(k, place, width) for place, width in crowds(axis.marks, axis.least)]
        laid.append(lines(axis, BETWEEN / scale, scale, like[k] if like else None))
        found = laid[-1].lines
        before = found[0] - np.arange(walls[k, 0], 0, -1) * (found[1] - found[0])
        if k in periods:
            before = found[:1] - (found[-1] - found[-2])
        grid.append(
            np.concatenate(
                (before, found, found[-1] + np.arange(1, walls[k, 1] + 1) * (found[-1] - found[-2]))
            )
        )
    x, y, z = grid
    shape = len(x) - 1, len(y) - 1, len(z) - 1
    if np.prod(shape) > MOST_CELLS:
        raise ModelError(
            f"the grid has {np.prod(shape) / 1e6:.0f} million cells; up to {MOST_CELLS // 10**6}"
            " million are solved here. Ask for fewer cells per wavelength or leave out small"
            " details",
            ("plan", "settings", "transient", "cells_per_wavelength"),
        )
    empty, none = np.zeros((0, 0, 0)), np.zeros((0, 0, 0, 0), dtype=np.float32)
    made = Structure(
        x,
        y,
        z,
        walls,
        empty,
        empty,
        empty,
        none.astype(bool),
        none,
        none,
        none,
        {},
        {},
        planes=planes,
        crowded=crowded,
        unresolved=unresolved,
        largest=largest,
        lowest=lowest_frequency(model),
        middle=0.5 * (plan.f_start + plan.f_stop),
        low=low,
        high=high,
        cases=cases,
        interfaces=interfaces_of(model),
        repeats=tuple(periods),
        laid=laid,
    )
    if model.document.illuminations:
        _place_box(made, model)
    return made


def _place_box(s: Structure, model: Evaluated) -> None:
    """The total-field box of an illumination: as far from the model as asked for, or a few
    cells inside the walls.

    :raises ModelError: there is no room for it between model and walls; a wall reflects.
    """
    if s.planes:
        raise ModelError(
            "an illumination comes from open space on all sides; take the ground, the mirror plane"
            " or the wall away, or feed the model instead",
            ("surround", "kind" if s.ground is not None else "walls"),
        )
    asked = model.surround.box if model.surround is not None else None
    low, high = (s.walls[:, side] + SCATTERED + BESIDE for side in (0, 1))
    high = np.array(s.shape) - high
    for k, line in enumerate(s.lines):
        if k in s.repeats:
            low[k], high[k] = 0, s.shape[k]
            continue
        if asked is not None:
            low[k], high[k] = (
                int(np.abs(line - place).argmin())
                for place in (s.low[k] - asked, s.high[k] + asked)
            )
        inner = [
            int(np.searchsorted(line, s.low[k] - s.near)),
            int(np.searchsorted(line, s.high[k] + s.near)) - 1,
        ]
        room = min(low[k] - s.walls[k, 0], s.shape[k] - s.walls[k, 1] - high[k])
        if room <= SCATTERED:
            raise ModelError(
                f"the total-field box reaches to within {max(int(room), 0)} cells of the open"
                f" walls, and the scattered field is taken {SCATTERED} cells from them; make the"
                " box smaller or move the walls away",
                ("surround", "box"),
            )
        if low[k] > inner[0] - ROOM_IN_BOX or high[k] < inner[1] + ROOM_IN_BOX:
            field = "margin" if asked is None else "box"
            raise ModelError(
                f"the total-field box does not clear the model by {ROOM_IN_BOX} cells along"
                f" {'xyz'[k]}; "
                + (
                    f"move the walls at least {engineering(least_distance(model), 'm', 3)} away"
                    if asked is None
                    else "make it larger"
                ),
                ("surround", field),
            )
    s.box = low, high


def _spans(body: Body, periods: dict[int, float]) -> bool:
    """Whether a body fills the whole of a model that is repeated along two axes."""
    low, high = body.bounds
    return len(periods) == 2 and all(high[k] - low[k] > p * (1 - NEAR) for k, p in periods.items())


def _cases(
    model: Evaluated, bodies: list[Body], media: dict[str, Medium], largest: float, scale: float
) -> list[Case]:
    """Cases of line and guide feeds, with cells as the media at their planes need them."""
    out = []
    for number, feed in enumerate(model.feeds):
        if feed is None or feed.kind not in ("line", "guide"):
            continue
        case = case_of(feed, number, largest)
        index = 1.0
        for body in bodies:
            low, high = (float(end[case.axis]) for end in body.bounds)
            if body.material in media and low - largest < case.at < high + largest:
                index = max(
                    index, float(np.sqrt(abs(media[body.material].epsilon(model.plan.f_stop)[0])))
                )
        others = [
            abs(float(f.centre[case.axis]) - case.at)
            for f in model.feeds
            if f is not None and f is not feed and f.kind in ("line", "guide")
        ]
        between = min((d for d in others if d > FINEST * largest), default=np.inf)
        out.append(
            case_of(feed, number, min(largest / index, between / max(APART / scale, BETWEEN)))
        )
    return out


def _bounds(
    geometry: Geometry,
    bodies: list[Body],
    ground: float | None,
    model: Evaluated,
    cases: list[Case],
) -> tuple[Floats, Floats]:
    corners = [c for b in bodies for c in b.bounds] + [
        p for part in geometry.parts for p in part.path.at(np.array(part.path.corners))
    ]
    heights = [z for _, *ends in layers_of(model) for z in ends if np.isfinite(z)]
    if heights:
        middle = (
            0.5 * (np.min(corners, axis=0) + np.max(corners, axis=0)) if corners else np.zeros(3)
        )
        corners += [np.array([middle[0], middle[1], z]) for z in heights]
    corners += [
        np.array(feed.centre) for feed in model.feeds if feed is not None and feed.kind == "dipole"
    ]
    if not corners:
        raise ModelError("there is nothing to put on a grid", ("parts",))
    low, high = np.min(corners, axis=0), np.max(corners, axis=0)
    for case in cases:
        low[case.axis], high[case.axis] = (
            min(low[case.axis], *case.reach),
            max(high[case.axis], *case.reach),
        )
    if ground is not None:
        low[2] = ground
    return low, high
