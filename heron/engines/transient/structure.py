"""An evaluated model as the time-domain scheme sees it: grid lines, media of cells, metal and
resistive edges, gaps.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.discretise import features, filling, shells
from heron.discretise.grid import Axis, crowds, dual, lines, settle_edges, settle_walls
from heron.engines.lumped import Element, element
from heron.engines.transient.apertures import Aperture, Case, case_of, open_aperture
from heron.engines.transient.averages import Averages, Lattices, Substance, slanted
from heron.engines.transient.conformal import conduct, sheet_conductivity
from heron.engines.transient.walls import Wall, spread
from heron.engines.transient.wedges import withdraw
from heron.errors import HeronError, ModelError
from heron.excitation.pulse import pulse_of
from heron.fields.planes import NEAR, Plane, planes_of
from heron.geometry import Geometry
from heron.geometry.contacts import clearance
from heron.materials import Medium
from heron.materials.rational import Fit, Rational, rational
from heron.model import Evaluated
from heron.model.substances import conductors_of, media_of
from heron.model.surroundings import layers_of, periods_of
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.shapes.bodies import Body

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
WireEdge = tuple[int, int, int, int, float, float]

LAYERS = 9  # cells of an absorbing layer
# cells from an absorbing layer to the surface that the far field is taken from
SCATTERED = 2
# cells from there to the model at least, as that surface must not cut what the model is made of
CLEAR = 2
ROOM_IN_BOX = 4  # cells at least between the model and the sides of that box
BESIDE = 3  # cells from there to the box of total fields, unless its place is given
# of the longest wavelength, between model and absorbing layer (common practice)
MARGIN = 0.25
BETWEEN = 2  # cells in every gap between marks (common practice)
# cells at least between the planes of two line or guide feeds, where waves come in and are told
# apart
APART = 4
ACROSS = 3  # cells across a dielectric that is thin against its cell size
FINEST = 1 / 60  # of the largest cell: marks nearer than this become one line
AT_METAL = 0.15  # cells at edges of metal against the largest
FILM_PHASE = 0.006  # rad: what films and layers may add to the phase of waves in them
# times as fine as elsewhere at most are cells beside them, as steps from large cells to small ones
# reflect (kΔ)²/16
FINER_BESIDE = 2.0
USUAL_CELLS = 20  # per wavelength, at which that holds
FINEST_DETAIL = 1 / 1000  # of the largest cell: details ask for none smaller
PARTED = 0.15  # of the smallest cell asked for: marks nearer than this become one line
SAME = 1e-5  # of a body's extent: its bounds are an edge's place
# largest cells across: round metal larger than this gets no lines at its ends
ROUND = 6.0
# cosine of the slope of a surface about an end of it that is taken for round
STEEPEST = 0.7
# of the largest cell beside: half of the thickness of a wall that stands for a sheet; more than
# that within which a line is on it
THINNEST = 0.012
AT_WIRE = 0.25  # cells across wires and along their ends against those around
# cells across over the length of a long wire, and over the cells at its ends
LONG_WIRE, END_FINER = 10.0, 3.0
# of the time step where curved metal cuts faces: a smaller one leaves smaller faces as they are
CUT_STEP = 0.5
# of the time step where edges mix: what is left to the form of their nodes above that of the edges
# alone
MIXING_STEP = 0.95
LEAST_REST = 1e-3  # of a cell that solid metal fills: what is left is no less
EMPTY = 1e-9  # weight of a cell full of metal among those around an edge
# of a cell's mean permittivity times that of its inverse, above 1: more than one medium is in it
MIXED = 1e-4
# of the losses over the band: a medium whose losses would be off by more if they were a
# conductivity gets poles
LOSS_VARIES = 0.01
UNLOSSY = 1e-6  # of |ε|: smaller losses are none
# of |ε| over the band: a medium that changes by less is held at its value in the middle
VARIES = 0.02
# an edge along a metal of negative permittivity is of it from a share of 0.5 less this on, one
# across its surface from 0.5 more than this
LEAN = 0.15
UPRIGHT = 1e-4  # n² from which on an edge does not lie along a surface
# of the largest cell: how exactly surfaces are drawn for the grid; coarser facets take volume from
# what is round
FACETS = 3e-3
ROUNDNESS = 3e-4  # of a body's least extent, likewise: chords of a pin take from its radius
SEEN = 0.02  # the same of bodies smaller than that cell
FLAT = 1e-6  # of a body's size: a sheet thinner than this lies flat
# radius of a wire of zero edges over the cell size: Noda and Yokoyama, IEEE Trans. Power Delivery
# 17 (2002)
THIN_WIRE = 0.2298
# cells across a wire over its radius, where nothing else asks for smaller ones
ROOM = 2.0
# cells across a wire over its radius: a thicker one is taken as of this size
LEAST_ROOM = 1.6
MOST_CELLS = 60_000_000
# cells: finer grids get their contents only when they are solved, so that looking at a model stays
# quick
FILLED_AT_ONCE = 2_000_000


@dataclass
class Dispersion:
    """A medium whose permittivity follows poles, and its ``share`` (nx, ny, nz) of every cell."""

    name: str
    law: Rational
    share: NDArray[np.float32]
    whole: bool = False  # its permittivity is negative: an edge is in it or not, see edge_media


@dataclass
class Gap:
    """The edges of a feed or load, which stands at ``place`` in the document.

    Flat numbers ``at`` into E, signed lengths (m) from minus to plus, areas (m²) across; ``point``
    its middle. Where a mirror plane cuts it the whole has ``voltage`` times that on the grid, where
    one holds it ``current`` times; there are ``copies`` of it in all.
    """

    place: tuple[str, int]
    at: NDArray[np.int64]
    length: Floats
    area: Floats
    point: Floats
    voltage: float = 1.0
    current: float = 1.0
    copies: int = 1


@dataclass
class Lumped:
    """What stands across a gap."""

    gap: Gap
    element: Element


@dataclass(frozen=True)
class Unresolved:
    """Of a ``part``, step number ``step``: an edge at ``place`` (3,) with few ``cells`` in the
    ``distance``, m, to what is nearest to it.
    """

    part: str
    step: int
    place: Floats
    distance: float
    cells: float


@dataclass
class Structure:
    """``x``, ``y``, ``z``: grid lines (m); ``walls`` absorbing layers (3, 2) in cells, 0 for a wall
    that reflects: a magnetic one where ``planes`` say so, else electric.

    ``epsilon``, ``sigma`` (relative; S/m) and ``mu`` of cells (nx, ny, nz); ``metal`` (3, nx+1,
    ny+1, nz+1) marks edges in conductors, ``conducts`` (same, S/m) the conductivity that gives them
    their surface resistance, infinite for perfect ones; ``solid`` (nx, ny, nz) is the share of
    cells that solid metal takes; media of cells are those of the rest. ``averages`` are what edges
    see where media are cut at an angle; ``free_edge`` and ``free_face`` (as ``metal``) are the
    shares of edges and faces outside solid metal, for curved surfaces; ``wire_e`` scales ε of E
    edges beside thin wires, ``wire_h`` μ of H faces around them, by (component, node); ``largest``
    cell asked in air, m; ``lowest`` frequency in Hz that its open walls are to absorb, and the
    ``middle`` of the band. ``names`` are the parts; ``cell_owner`` (nx, ny, nz) and ``edge_owner``
    (as ``metal``) number them from one, zero where there is none; ``means`` are the relative
    permittivity of cells in the middle of the band and its inverse, both averaged over what is in
    them; ``apertures`` are the openings of line and guide feeds, ``cases`` what stands behind them;
    ``interfaces`` are the heights of layers' boundaries, m, from above; along the axes ``repeats``
    the model is repeated, and the grid begins with the last cell of the one before; ``box`` are the
    lowest and highest lines (3,) of the box of total fields of an illumination; ``wires`` are the
    edges of each wire (component, node, sign, fraction of its length); ``crowded`` are (axis,
    place, width) of details finer than the grid, ``unresolved`` those it shows poorly.
    """

    x: Floats
    y: Floats
    z: Floats
    walls: NDArray[np.int64]
    epsilon: Floats
    sigma: Floats
    mu: Floats
    metal: Bools
    conducts: NDArray[np.float32]
    free_edge: NDArray[np.float32]
    free_face: NDArray[np.float32]
    wire_e: dict[tuple[int, int, int, int], float]
    wire_h: dict[tuple[int, int, int, int], float]
    gaps: list[Gap] = field(default_factory=list)
    loads: list[Lumped] = field(default_factory=list)
    ports: list[int] = field(default_factory=list)
    planes: list[Plane] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    cell_owner: NDArray[np.int16] = field(
        default_factory=lambda: np.zeros((0, 0, 0), dtype=np.int16)
    )
    edge_owner: NDArray[np.int16] = field(
        default_factory=lambda: np.zeros((0, 0, 0, 0), dtype=np.int16)
    )
    wires: dict[str, list[WireEdge]] = field(default_factory=dict)
    crowded: list[tuple[int, float, float]] = field(default_factory=list)
    unresolved: list[Unresolved] = field(default_factory=list)
    largest: float = 0.0
    lowest: float = 0.0
    middle: float = 0.0
    low: Floats = field(default_factory=lambda: np.zeros(3))
    high: Floats = field(default_factory=lambda: np.zeros(3))
    box: tuple[NDArray[np.int64], NDArray[np.int64]] = field(
        default_factory=lambda: (np.zeros(3, dtype=np.int64), np.zeros(3, dtype=np.int64))
    )
    interfaces: list[float] = field(default_factory=list)
    solid: NDArray[np.float32] | None = None
    averages: Averages | None = None
    repeats: tuple[int, ...] = ()
    dispersions: list[Dispersion] = field(default_factory=list)
    means: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    cases: list[Case] = field(default_factory=list)
    apertures: list[Aperture] = field(default_factory=list)
    errors: list[HeronError] = field(default_factory=list)

    @property
    def filled(self) -> bool:
        return self.epsilon.size > 0

    @property
    def shape(self) -> tuple[int, int, int]:
        """Cells along x, y, z."""
        return len(self.x) - 1, len(self.y) - 1, len(self.z) - 1

    @property
    def cells(self) -> int:
        return int(np.prod(self.shape))

    @property
    def lines(self) -> tuple[Floats, Floats, Floats]:
        return self.x, self.y, self.z

    @property
    def corner(self) -> tuple[int, ...]:
        """Numbers (3,) of the lines at the lowest corner of the box of total fields, inside the
        grid.
        """
        return tuple(max(int(v), 1) for v in self.box[0])

    @property
    def inner_lines(self) -> tuple[list[int], list[int]]:
        """Numbers of the lowest and highest lines between the absorbing layers, or of what is
        repeated.
        """
        first = [1 if k in self.repeats else int(w[0]) for k, w in enumerate(self.walls)]
        return first, [n - int(w[1]) for n, w in zip(self.shape, self.walls, strict=True)]

    @property
    def inner(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,) between the absorbing layers, m, of the whole model where
        a part is on the grid.
        """
        ends = [
            [line[low], line[high]]
            for line, low, high in zip(self.lines, *self.inner_lines, strict=True)
        ]
        for p in self.planes:
            if p.doubles:
                ends[p.axis][0] = 2 * p.at - ends[p.axis][1]
        return np.array([e[0] for e in ends]), np.array([e[1] for e in ends])

    def middle_line(self, axis: int) -> int:
        """Number of the line on which waves of the grid have the phases of physical ones, as
        farther away they lag more: in the middle of the model; where there are layers, at the
        origin, which theirs refer to.
        """
        at = 0.0 if self.interfaces else 0.5 * float(self.low[axis] + self.high[axis])
        return int(np.abs(self.lines[axis] - at).argmin())

    @property
    def ground(self) -> float | None:
        """Height of a ground plane, m."""
        return next(
            (
                p.at
                for p in self.planes
                if p.axis == 2 and p.side == 0 and not p.doubles and not p.magnetic
            ),
            None,
        )

    @property
    def near(self) -> float:
        """m: nearer than this is the same place."""
        return NEAR * float((self.high - self.low).max())

    def duals(self, axis: int) -> Floats:
        """Widths (lines,) in m that lines stand for; those in a mirror plane for both sides of
        it.
        """
        out = dual(np.diff(self.lines[axis]))
        if any(p.axis == axis and p.doubles for p in self.planes):
            out[0] *= 2
        return out

    def thinnest(self, points: Floats) -> Floats:
        """Half of the thickness (n,), m, of a wall at points (n, 3) that is to the grid one of
        none.
        """
        around = []
        for k, line in enumerate(self.lines):
            wide = np.diff(line)
            here = np.searchsorted(line, points[:, k])
            around.append(
                np.maximum(
                    wide[np.clip(here - 1, 0, len(wide) - 1)], wide[np.clip(here, 0, len(wide) - 1)]
                )
            )
        return np.asarray(THINNEST * np.max(around, axis=0))

    @property
    def step(self) -> float:
        """Time step, s: 0.98 of the Courant limit of the smallest cell; ``CUT_STEP`` of that where
        curved metal cuts faces.
        """
        smallest = [float(np.diff(a).min()) for a in self.lines]
        cut = bool(((self.free_face > 0) & (self.free_face < 1)).any())
        mixed = MIXING_STEP if self.averages is not None and self.averages.mixing.any() else 1.0
        return (
            0.98
            * mixed
            * (CUT_STEP if cut else 1.0)
            / (C0 * float(np.sqrt(sum(1 / s**2 for s in smallest))))
        )


def refusals(model: Evaluated, geometry: Geometry) -> list[str]:
    """What this engine cannot model yet, in words."""
    out = []
    for part in geometry.parts:
        if any(len(_axes(p, q)) != 1 for p, q in _stretches(part)):
            out.append(
                f"the wire “{part.name}” does not run along x, y or z; the moments engine models it"
            )
    return out


def off_grid(body: Body) -> bool:
    """Whether a body is a sheet that is bent or tilted, so that no plane of the grid holds it."""
    low, high = body.bounds
    return not body.solid and not bool(((high - low) < FLAT * (high - low).max()).any())


def _stretches(part: Any) -> list[tuple[Floats, Floats]]:
    corners = part.path.at(np.array(part.path.corners))
    straight = [c.least_segments <= 1 for c in part.path.curves]
    if not all(straight):
        return [(np.zeros(3), np.ones(3))]  # a curve: runs along no axis
    return list(pairwise(corners))


def _axes(p: Floats, q: Floats) -> list[int]:
    d = np.abs(q - p)
    return [k for k in range(3) if d[k] > 1e-6 * d.max()]


def wall_distance(model: Evaluated, scale: float = 1.0) -> float:
    """From the model to the absorbing layers, m; with cells ``scale`` times as large at least as
    far as an illuminated model needs then.
    """
    asked = model.surround.margin if model.surround is not None else None
    room = _room(model, scale) if model.document.illuminations else 0.0
    if asked is not None:
        return float(max(asked, room) if scale > 1 else asked)
    return float(max(MARGIN * C0 / model.plan.f_start, room))


def _room(model: Evaluated, scale: float = 1.0) -> float:
    """Least distance in m of the walls from an illuminated model, with the box of total fields
    between them, in cells of the largest size.
    """
    return float(
        (SCATTERED + BESIDE + ROOM_IN_BOX + 1)
        * scale
        * C0
        / model.plan.f_stop
        / model.plan.settings.transient.cells_per_wavelength
    )


def structure(model: Evaluated, geometry: Geometry, scale: float = 1.0) -> Structure:
    """Grid of a model whose band is usable, with its contents unless it is very fine; its cells
    ``scale`` times as large as the plan asks for, those of narrow features too.

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
    across, finer = _in_films(model, films, media)
    axes[across].largest /= min(finer, FINER_BESIDE)
    for body in bodies:
        medium = media.get(body.material)
        inside = largest / (_index(medium, plan.f_stop) if medium else 1.0)
        _wishes(
            axes,
            body,
            largest,
            [inside / finer if body in films and k not in periods else inside for k in range(3)],
            medium is not None,
            scale,
        )
    for part in geometry.parts:
        _wire_wishes(
            axes,
            part,
            [f for f in model.feeds if f is not None and f.kind == "gap" and f.part == part.name],
            largest,
        )
    _layer_wishes(axes, model, media, largest, finer, scale)
    margin = wall_distance(model, scale)
    planes = planes_of(model, low, high, margin)
    ends = [(p.axis, p.at) for p in planes if not p.doubles]
    metal = [body for body in bodies if body.material not in media]
    about = features.look(
        [_conductor(body, largest) for body in metal],
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
    unresolved = _conductor_wishes(axes, metal, about)
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
    grid, crowded = [], []
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
                    _halve(axis)
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
        found = lines(axis, BETWEEN / scale, scale)
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
        lowest=_lowest(model),
        middle=0.5 * (plan.f_start + plan.f_stop),
        low=low,
        high=high,
        cases=cases,
        interfaces=interfaces_of(model),
        repeats=tuple(periods),
    )
    if model.document.illuminations:
        _place_box(made, model)
    if np.prod(shape) <= FILLED_AT_ONCE:
        fill(made, model, geometry)
    return made


def _lowest(model: Evaluated) -> float:
    """Hz down to which the pulses of a run reach."""
    return min(
        pulse_of(model.plan, source).lowest
        for source in model.illuminations or model.feeds or [None]
    )


def _place_box(s: Structure, model: Evaluated) -> None:
    """The box of total fields of an illumination: as far from the model as asked for, or a few
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
                f"the box of total fields reaches to within {max(int(room), 0)} cells of the open"
                f" walls, and the scattered field is taken {SCATTERED} cells from them; make the"
                " box smaller or move the walls away",
                ("surround", "box"),
            )
        if low[k] > inner[0] - ROOM_IN_BOX or high[k] < inner[1] + ROOM_IN_BOX:
            field = "margin" if asked is None else "box"
            raise ModelError(
                f"the box of total fields does not clear the model by {ROOM_IN_BOX} cells along"
                f" {'xyz'[k]}; "
                + (
                    f"move the walls at least {engineering(_room(model), 'm', 3)} away"
                    if asked is None
                    else "make it larger"
                ),
                ("surround", field),
            )
    s.box = low, high


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


def _halve(axis: Axis) -> None:
    """Leaves the wishes from zero on."""
    axis.marks = [m for m in axis.marks if m >= -axis.least]
    axis.edges = [edge for edge in axis.edges if edge[0] > axis.least]
    axis.walls = [wall for wall in axis.walls if wall[1] > axis.least]
    axis.whole = [(max(a, 0.0), b) for a, b in axis.whole if b > axis.least]


def fill(s: Structure, model: Evaluated, geometry: Geometry) -> None:
    """Media, metal and gaps of a structure that has its lines only; those of very fine grids are
    left until they are solved.
    """
    if s.filled:
        return
    media, conductors = media_of(model)[0], conductors_of(model)[0]
    centre = 0.5 * (model.plan.f_start + model.plan.f_stop)
    nodes = (3, len(s.x), len(s.y), len(s.z))
    s.epsilon, s.sigma, s.mu = np.ones(s.shape), np.zeros(s.shape), np.ones(s.shape)
    s.means = np.ones(s.shape, dtype=np.float32), np.ones(s.shape, dtype=np.float32)
    s.metal, s.conducts = np.zeros(nodes, dtype=bool), np.full(nodes, np.inf, dtype=np.float32)
    s.free_edge, s.free_face = np.ones(nodes, dtype=np.float32), np.ones(nodes, dtype=np.float32)
    s.solid = np.zeros(s.shape, dtype=np.float32)
    s.cell_owner, s.edge_owner = np.zeros(s.shape, dtype=np.int16), np.zeros(nodes, dtype=np.int16)
    bodies = geometry.placed.bodies if geometry.bodies and not model.empty else []
    s.names = [b.name for b in bodies] + [p.name for p in geometry.parts if not model.empty]
    covered: Floats = np.zeros(
        s.shape if model.surround is not None and model.surround.layers else (0, 0, 0)
    )
    filler = Filler(
        s, model, media, [body for body in bodies if body.solid and body.material in media], covered
    )
    for number, body in enumerate(bodies, start=1):
        if body.solid and body.material in media:
            filler.put_body(body, number)
    if covered.size:
        filler.put_layers(np.clip(covered, 0, 1))
    walls = []
    for number, body in enumerate(bodies, start=1):
        if body.material in conductors:
            resistance = conductors[body.material].surface_resistance(centre)
            if body.solid:
                walls.append(Wall(facets(body, s.largest), resistance, number))
                conduct(s, walls[-1].corners, resistance, number)
                filler.put_metal(walls[-1].corners)
            elif off_grid(body):
                for corners in shells.walls(facets(body, s.largest), s.thinnest):
                    walls.append(Wall(corners, resistance, number))
                    conduct(s, corners, resistance, number)
            else:
                _sheet(s, body, resistance, number)
    spread(s, walls)
    withdraw(s)
    filler.finish()
    if not model.empty:
        _wires(s, model, geometry, centre)
        _apertures(s, model)
    _repeat(s)


def without_parts(s: Structure, model: Evaluated, geometry: Geometry) -> Structure:
    """The same grid with the layers of a model only."""
    empty, none = np.zeros((0, 0, 0)), np.zeros((0, 0, 0, 0), dtype=np.float32)
    out = replace(
        s,
        epsilon=empty,
        metal=none.astype(bool),
        dispersions=[],
        gaps=[],
        loads=[],
        ports=[],
        wires={},
        wire_e={},
        wire_h={},
        errors=[],
        averages=None,
    )
    fill(out, replace(model, empty=True), geometry)
    return out


def _repeat(s: Structure) -> None:
    """What is in the first cell along repeated axes: that of the last; and at the wall between,
    what comes to it from either side.
    """
    for k in s.repeats:
        of_cells = [
            s.epsilon,
            s.sigma,
            s.mu,
            s.cell_owner,
            s.solid,
            *(s.means or ()),
            *(d.share for d in s.dispersions),
        ]
        for cells in of_cells:
            view = np.moveaxis(cells, k, 0)
            view[0] = view[-1]
        metal, conducts, owner = (
            np.moveaxis(x, k + 1, 0) for x in (s.metal, s.conducts, s.edge_owner)
        )
        across = [c for c in range(3) if c != k]  # edges along the axis have one place less
        new = metal[-1] & ~metal[1]
        for c in across:
            metal[1, c] |= metal[-1, c]
            for values in (conducts, owner):
                values[1, c][new[c]] = values[-1, c][new[c]]
        if s.averages is not None:
            # what would mix across the wall between is left out
            np.moveaxis(s.averages.mixing, k + 1, 0)[[0, 1, -1]] = 0
        for table in (
            s.metal,
            s.conducts,
            s.edge_owner,
            s.free_edge,
            s.free_face,
            *((s.averages.epsilon, s.averages.varies) if s.averages else ()),
        ):
            view = np.moveaxis(table, k + 1, 0)
            view[0] = view[-2]
            view[-1, across] = view[1, across]


def _apertures(s: Structure, model: Evaluated) -> None:
    for case in s.cases:
        try:
            s.apertures.append(open_aperture(s, model.feeds[case.number], case, model.plan.f_stop))
        except HeronError as error:
            s.errors.append(error.within("feeds", case.number))


def interfaces_of(model: Evaluated) -> list[float]:
    """Heights of the boundaries of layers from above, m."""
    layers = layers_of(model)
    return [top for _, _, top in layers] + [
        bottom for _, bottom, _ in layers[-1:] if np.isfinite(bottom)
    ]


def slowest(model: Evaluated) -> float:
    """The largest refractive index of layers, 1 without any."""
    media = media_of(model)[0]
    return max(
        (_index(media[name], model.plan.f_stop) for name, _, _ in layers_of(model)), default=1.0
    )


def _index(medium: Medium, frequency: float) -> float:
    return max(1.0, float(np.sqrt(abs(medium.epsilon(frequency)[0] * medium.mu(frequency)[0]))))


def _spans(body: Body, periods: dict[int, float]) -> bool:
    """Whether a body fills the whole of a model that is repeated along two axes."""
    low, high = body.bounds
    return len(periods) == 2 and all(high[k] - low[k] > p * (1 - NEAR) for k, p in periods.items())


def _in_films(model: Evaluated, films: list[Body], media: dict[str, Medium]) -> tuple[int, float]:
    """The axis across films without end and layers, and how many times as fine as elsewhere cells
    are along it in them, where waves go to and fro: what the grid adds to their phase, (kΔ)²/24 of
    it, is to stay below ``FILM_PHASE`` rad over all of them.
    """
    (across,) = set(range(3)) - set(periods_of(model)) if films else (2,)
    ways = [
        _index(media[body.material], model.plan.f_stop)
        * float(body.bounds[1][across] - body.bounds[0][across])
        for body in films
    ]
    ways += [
        _index(media[name], model.plan.f_stop) * (top - bottom)
        for name, bottom, top in layers_of(model)
        if np.isfinite(bottom)
    ]
    phase = 2 * np.pi * model.plan.f_stop / C0 * sum(ways)
    return across, max(1.0, 2 * np.pi / USUAL_CELLS * float(np.sqrt(phase / 24 / FILM_PHASE)))


def _layer_wishes(
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
        index = _index(media[name], model.plan.f_stop)
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


def _mesh(body: Body, largest: float) -> Any:
    """Triangles of a body's surface as exact as cells of ``largest`` m need them; those of one
    smaller than such a cell, such as a rivet, are few.
    """
    from heron.shapes.bodies import cached
    from heron.shapes.mesh import COARSE_ANGLE, triangulate

    low, high = body.bounds
    extent = high - low
    thick = float(extent[extent > FLAT * extent.max()].min(initial=np.inf))
    exactness = (
        SEEN * largest
        if np.linalg.norm(extent) < largest
        else min(FACETS * largest, ROUNDNESS * thick)
    ) / body.unit
    return cached(
        ("triangles", body.key, exactness),
        lambda: triangulate(body.shape, exactness, angle=COARSE_ANGLE),
    )


def facets(body: Body, largest: float) -> Floats:
    """Triangles (m, 3, 3) of a body's surface, m."""
    found = _mesh(body, largest)
    return np.asarray(found.points[found.triangles] * body.unit)


def _wishes(
    axes: list[Axis], body: Body, largest: float, inside: list[float], medium: bool, scale: float
) -> None:
    """Lines on a body's straight, axis-aligned edges and its bounds; cells of ``inside`` m along
    each axis at most in it, and finer at edges of metal.
    """
    low, high = body.bounds
    found = _mesh(body, largest)
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


def _conductor(body: Body, largest: float) -> features.Conductor:
    low, high = body.bounds
    corners = facets(body, largest)
    lines_of = [line * body.unit for line in _mesh(body, largest).edges]
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


def _conductor_wishes(
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


def _wire_wishes(axes: list[Axis], part: Any, feeds: list[Any], largest: float) -> None:
    """Lines at a wire's ends; cells across it, and along it at its corners, a quarter of the
    others, but none that the wire would fill; one cell for a gap with a width of its own.

    On the grid a wire ends a part of a cell later than it does: at the ends of long wires the cells
    along it are finer still.
    """
    size = max(AT_WIRE * largest, ROOM * part.radius)
    stretches = _stretches(part)
    if part.path.length > LONG_WIRE * size:
        for (p, q), end in ((stretches[0], 0), (stretches[-1], 1)):
            k, tip = int(np.abs(q - p).argmax()), (p, q)[end]
            axes[k].sizes.append((float(tip[k]), float(tip[k]), size / END_FINER))
    for p, q in stretches:
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


def dispersive(medium: Medium, plan: Any) -> Fit | None:
    """The poles of a medium that changes over the band of the pulse, ``None`` for one that hardly
    does and is held at its value in the middle, as a permittivity and a conductivity.
    """
    low, high = pulse_of(plan).band
    centre = 0.5 * (plan.f_start + plan.f_stop)
    f = np.array([low, centre, high])
    eps = medium.epsilon(f)
    held = eps[1].real + 1j * eps[1].imag * centre / f
    changes = float(np.abs(eps - held).max()) > VARIES * abs(complex(eps[1]))
    loses = bool(
        (np.abs((eps - held).imag) > LOSS_VARIES * np.abs(eps.imag)).any()
        and np.abs(eps.imag).max() > UNLOSSY * abs(complex(eps[1]))
    )
    if not (changes or loses or eps[1].real < 1):
        return None
    return (
        rational(medium, low, high)
        if medium.loss_tangent
        else rational(medium, plan.f_start, plan.f_stop)
    )


class Filler:
    """Puts media into the cells of a structure, and into the voxels of its edges where surfaces of
    ``bodies`` of media do not lie along the grid.
    """

    def __init__(
        self,
        s: Structure,
        model: Evaluated,
        media: dict[str, Medium],
        bodies: list[Body],
        covered: Floats,
    ) -> None:
        self.s, self.model, self.media, self.covered = s, model, media, covered
        self.surfaces = [facets(body, s.largest) for body in bodies]
        used = {body.material for body in bodies} | {name for name, *_ in layers_of(model)}
        tilted = any(slanted(corners) for corners in self.surfaces) and not any(
            _metallic(media[name], model.plan) for name in used
        )
        self.lattices = Lattices.of(s) if tilted else None
        self.varies: Floats = np.zeros(s.shape if tilted else (0, 0, 0))

    def substance(self, medium: Medium) -> Substance:
        plan = self.model.plan
        fit = dispersive(medium, plan)
        # Of the law that the run has: at an instant an edge would be less than vacuum where the
        # medium asked for is less than that, which no time step allows for.
        first, middle, last = (medium if fit is None else fit.law).epsilon(
            np.array([plan.f_start, 0.5 * (plan.f_start + plan.f_stop), plan.f_stop])
        )
        return Substance(complex(middle), float(abs(middle.imag) + abs(last - first)))

    def put_body(self, body: Body, number: int) -> None:
        corners, medium = facets(body, self.s.largest), self.media[body.material]
        where, share = filling.fractions(corners, *self.s.lines)
        if self.covered.size:
            self.covered[where] += share
        self._put(where, share, medium, number)
        if self.lattices is not None:
            self.lattices.put_body(corners, self.substance(medium))

    def put_layers(self, covered: Floats) -> None:
        """Layers in what bodies leave of every cell, ``covered`` being their share (nx, ny, nz)."""
        s = self.s
        for name, bottom, top in layers_of(self.model):
            below, above = np.maximum(s.z[:-1], bottom), np.minimum(s.z[1:], top)
            share = np.clip((above - below) / np.diff(s.z), 0, 1) * (1 - covered)
            s.names.append(f"layer of {name}")
            self._put((slice(None),) * 3, share, self.media[name], len(s.names))
            if self.lattices is not None:
                self.lattices.put_layer(
                    bottom, top, self.substance(self.media[name]), self.surfaces
                )

    def put_metal(self, corners: Floats) -> None:
        if self.lattices is not None:
            self.lattices.put_metal(corners)

    def _put(self, where: Any, share: Floats, medium: Medium, number: int) -> None:
        """Adds a medium to cells ``where`` in place of vacuum, in its ``share`` of each."""
        s, plan = self.s, self.model.plan
        fit, centre = dispersive(medium, plan), 0.5 * (plan.f_start + plan.f_stop)
        law = None if fit is None else fit.law
        real = float(medium.epsilon(centre)[0].real)
        if s.means is not None and real > 0:
            s.means[0][where] += share * (real - 1)
            s.means[1][where] += share * (1 / real - 1)
        epsilon, mu = (
            medium.epsilon(centre)[0] if law is None else complex(law.infinity),
            medium.mu(centre)[0],
        )
        s.epsilon[where] += share * (float(epsilon.real) - 1)
        s.sigma[where] += share * (
            float(medium.effective_conductivity(centre)[0]) if law is None else law.conductivity
        )
        if law is not None:
            own_share = next((d.share for d in s.dispersions if d.law == law), None)
            if own_share is None:
                own_share = np.zeros(s.shape, dtype=np.float32)
                s.dispersions.append(
                    Dispersion(medium.name, law, own_share, _metallic(medium, plan))
                )
            own_share[where] += share.astype(np.float32)
        s.mu[where] += share * (float(mu.real) - 1)
        if self.varies.size:
            self.varies[where] += share * self.substance(medium).varies
        own = s.cell_owner[where]
        own[(share >= 0.5) | ((share > 0) & (own == 0))] = number

    def finish(self) -> None:
        """Media of cells that solid metal cuts are those of the rest; averages of edges."""
        s = self.s
        assert s.solid is not None
        cut = s.solid > 0
        if cut.any():
            rest = np.maximum(1 - s.solid[cut], LEAST_REST)
            of_cells: list[tuple[Any, int]] = [
                (s.epsilon, 1),
                (s.sigma, 0),
                (s.mu, 1),
                *((m, 1) for m in s.means or ()),
                *((d.share, 0) for d in s.dispersions),
            ]
            for values, empty in of_cells:
                values[cut] = empty + (values[cut] - empty) / rest
        if self.lattices is not None:
            varies = self.varies
            varies[cut] /= np.maximum(1 - s.solid[cut], LEAST_REST)
            s.averages = self.lattices.finished(list(edge_means(s, [varies])[0]))


def _metallic(medium: Medium, plan: Any) -> bool:
    """Whether its permittivity is negative somewhere in the band."""
    return bool(medium.epsilon(np.linspace(plan.f_start, plan.f_stop, 11)).real.min() < 0)


def _sheet(s: Structure, body: Body, resistance: float, number: int) -> None:
    """Edges of the grid plane a flat sheet lies in, whose middles are on the sheet."""
    low, high = body.bounds
    d = int(np.argmin(high - low))
    a, b = [k for k in range(3) if k != d]
    p = int(np.abs(s.lines[d] - 0.5 * (low[d] + high[d])).argmin())
    corners = facets(body, s.largest)[:, :, [a, b]]
    middles = [0.5 * (line[1:] + line[:-1]) for line in s.lines]
    near = 1e-3 * min(float(np.diff(s.lines[a]).min()), float(np.diff(s.lines[b]).min()))
    for c, (u, v) in ((a, (middles[a], s.lines[b])), (b, (s.lines[a], middles[b]))):
        on = filling.covered(corners, u, v, near)
        index: list[Any] = [slice(0, on.shape[0]), slice(0, on.shape[1])]
        index.insert(d, p)
        s.metal[(c, *index)] |= on
        s.edge_owner[(c, *index)][on] = number
        s.conducts[(c, *index)][on] = sheet_conductivity(resistance, s.duals(d)[p])


def _wires(s: Structure, model: Evaluated, geometry: Geometry, centre: float) -> None:
    s.ports = sorted(
        (i for i, f in enumerate(model.feeds) if f is not None and f.kind == "gap"),
        key=lambda i: model.feeds[i].number,
    )
    paths: dict[str, tuple[Any, list[Any]]] = {}
    buried = s.edge_owner.copy()  # edges that are metal of a body, before wires are there
    for part in geometry.parts:
        edges = _edges(s, part)
        paths[part.name] = part, edges
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
    for p, q in _stretches(part):
        c = _axes(p, q)[0]
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
        _stretches(part),
        key=lambda ends: float(
            np.linalg.norm(ends[0] - point)
            + np.linalg.norm(ends[1] - point)
            - np.linalg.norm(ends[1] - ends[0])
        ),
    )
    along = _axes(p, q)[0]
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
    length = part.path.length
    width = getattr(feed, "width", None) or 2 * part.radius
    chosen = [e for e in edges if abs(e[5] - feed.at) * length < width / 2 * (1 + 1e-6)]
    if not chosen:
        chosen = [min(edges, key=lambda e: abs(e[5] - feed.at))]
    shape = s.metal.shape
    at, lengths, areas = [], [], []
    for c, i, j, k, sign, _ in chosen:
        s.metal[c, i, j, k] = False
        at.append(int(np.ravel_multi_index((c, i, j, k), shape)))
        node = (i, j, k)
        lengths.append(sign * float(s.lines[c][node[c] + 1] - s.lines[c][node[c]]))
        areas.append(
            float(np.prod([dual(np.diff(s.lines[o]))[node[o]] for o in range(3) if o != c]))
        )
    c, i, j, k = np.unravel_index(at[len(at) // 2], shape)
    point = np.array([s.x[i], s.y[j], s.z[k]])
    point[c] += 0.5 * (s.lines[c][(i, j, k)[c] + 1] - s.lines[c][(i, j, k)[c]])
    return Gap(place, np.array(at), np.array(lengths), np.array(areas), point)


def full_cells(s: Structure) -> Bools:
    """(nx, ny, nz): cells with metal on all edges."""
    full = np.ones(s.shape, dtype=bool)
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        own = np.take(s.metal[c], range(s.shape[c]), axis=c)
        for da in (0, 1):
            for db in (0, 1):
                index: list[Any] = [slice(None)] * 3
                index[a], index[b] = slice(da, da + s.shape[a]), slice(db, db + s.shape[b])
                full &= own[tuple(index)]
    return full


def _full_around(s: Structure) -> Bools:
    """(nx + 2, ny + 2, nz + 2): the same with one more layer outside, where mirror planes show what
    is inside.
    """
    padded = np.pad(full_cells(s), 1, constant_values=False)
    for p in s.planes:
        if p.doubles:
            padded = np.moveaxis(padded, p.axis, 0)
            padded[-1 if p.side else 0] = padded[-2 if p.side else 1]
            padded = np.moveaxis(padded, 0, p.axis)
    return padded


def metal_faces(s: Structure, part: str = "") -> list[tuple[int, NDArray[np.int64]]]:
    """(normal axis, nodes (n, 3)) of the cell faces with metal on all four edges and something else
    at least on one side; of one part, or of all.
    """
    full = _full_around(s)
    number = s.names.index(part) + 1 if part else 0
    out = []
    for d in range(3):
        a, b = (d + 1) % 3, (d + 2) % 3
        one = s.metal if not number else s.metal & (s.edge_owner == number)
        along_a, along_b = (np.moveaxis(one[k], (d, a, b), (0, 1, 2)) for k in (a, b))
        faces = (
            along_a[:, :-1, :-1] & along_a[:, :-1, 1:] & along_b[:, :-1, :-1] & along_b[:, 1:, :-1]
        )
        cells = np.moveaxis(full, (d, a, b), (0, 1, 2))[:, 1:-1, 1:-1]
        faces &= ~(cells[1:] & cells[:-1])
        found = np.argwhere(faces)
        nodes = np.empty_like(found)
        nodes[:, [d, a, b]] = found
        out.append((d, nodes))
    return out


def surface_edges(s: Structure) -> Bools:
    """(3, nx+1, ny+1, nz+1): metal edges that touch at least one cell which is not metal all
    round.
    """
    padded = _full_around(s)
    out = np.zeros_like(s.metal)
    n = s.shape
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        around = np.ones([n[k] + (k != c) for k in range(3)], dtype=bool)
        for da in (0, 1):
            for db in (0, 1):
                index: list[Any] = [slice(1, n[k] + 1) for k in range(3)]
                index[a], index[b] = slice(da, da + n[a] + 1), slice(db, db + n[b] + 1)
                around &= padded[tuple(index)]
        part: tuple[Any, ...] = tuple(slice(0, around.shape[k]) for k in range(3))
        out[(c, *part)] = s.metal[(c, *part)] & ~around
    return out


def edge_means(s: Structure, values: list[Any]) -> list[Floats]:
    """Quantities of cells (nx, ny, nz) at E edges (3, nx+1, ny+1, nz+1): the four cells around,
    weighted by their share of the edge's dual area, as far as it is not metal.
    """
    n = s.shape
    steps = [np.diff(line) for line in s.lines]
    out = [np.zeros((3, *(k + 1 for k in n))) for _ in values]
    for c in range(3):
        a, b = [k for k in range(3) if k != c]
        weight = np.zeros([n[k] + (k != c) for k in range(3)])
        sums = [np.zeros_like(weight) for _ in values]
        area = np.ones(n) if s.solid is None else np.maximum(1 - s.solid.astype(float), EMPTY)
        for k in (a, b):
            shape = [1, 1, 1]
            shape[k] = n[k]
            area = area * steps[k].reshape(shape)
        for da in (0, 1):
            for db in (0, 1):
                index: list[Any] = [slice(0, n[k]) for k in range(3)]
                index[a], index[b] = slice(da, da + n[a]), slice(db, db + n[b])
                weight[tuple(index)] += area
                for total, cells in zip(sums, values, strict=True):
                    total[tuple(index)] += area * cells
        part: tuple[Any, ...] = tuple(slice(0, k) for k in weight.shape)
        for o, total in zip(out, sums, strict=True):
            o[(c, *part)] = total / weight
    return out


def _upright(s: Structure, values: NDArray[Any]) -> Floats:
    """n² of edges (3, nx+1, ny+1, nz+1), n being their part along the normal of the surfaces where
    cells' ``values`` change.
    """
    slopes = []
    for k, line in enumerate(s.lines):
        if len(line) > 2:
            slopes.append(np.gradient(values, 0.5 * (line[1:] + line[:-1]), axis=k))
        else:
            slopes.append(np.zeros(values.shape))
    slope = edge_means(s, slopes)
    return np.asarray(
        np.stack([slope[c][c] for c in range(3)]) ** 2 / np.maximum(sum(g**2 for g in slope), 1e-30)
    )


def _across_surfaces(s: Structure) -> Floats | None:
    """What the mean permittivity of edges is to be multiplied by where a surface cuts their
    surroundings at an angle, ``None`` if none does.

    E along a surface sees the mean of ε, E across it the inverse of the mean of 1/ε (Farjadpour et
    al., Opt. Lett. 31 (2006)). The terms that mix components are left out, so that on a slanted
    surface no weight is right for both; n⁴, n being the part of the edge along the normal, is
    nearly right for either: of a sphere of n = 1.5 the error falls from 3.9 to 2.4 %, a resonance
    of ε 9.5 moves from +0.2 to +0.6 % (with n² 1.4 and 1.2 %).
    """
    if s.means is None or not (s.means[0] * s.means[1] > 1 + MIXED).any():
        return None
    mean, inverse = edge_means(s, list(s.means))
    out = 1 - _upright(s, s.means[0]) ** 2 * (1 - 1 / np.maximum(mean * inverse, 1e-30))
    out[mean == 0] = 1  # edges that would begin on the last line
    return np.asarray(out)


def edge_media(s: Structure) -> tuple[Floats, Floats, list[Floats]]:
    """Relative ε and σ (S/m) of E edges (3, nx+1, ny+1, nz+1), those at an instant where there are
    poles; and each dispersion's share of them.

    Where ε is negative an edge is of the metal or not, as a mean on a slanted surface has
    resonances of its own. E along the surface would see the mean of ε, which is negative for a
    small share already, E across it the inverse of the mean of 1/ε, which is negative only for
    nearly the whole: ``LEAN`` goes a part of that way. Along faces that lie in the grid's own
    planes the mean is right, and taken.
    """
    epsilon, sigma, *shares = edge_means(s, [s.epsilon, s.sigma, *(d.share for d in s.dispersions)])
    across = _across_surfaces(s) if s.averages is None else None
    if s.averages is not None:
        shares = [share * s.averages.varies for share in shares]
        centre = [float(d.law.epsilon(s.middle).real[0] - d.law.infinity) for d in s.dispersions]
        epsilon = s.averages.epsilon - sum(
            (real * share for real, share in zip(centre, shares, strict=True)),
            np.zeros_like(epsilon),
        )
        sigma = sigma * s.averages.varies
    if across is not None:
        epsilon, sigma = epsilon * across, sigma * across
        shares = [
            share if d.whole else share * across
            for d, share in zip(s.dispersions, shares, strict=True)
        ]
    for d, share in zip(s.dispersions, shares, strict=True):
        if d.whole:
            upright = _upright(s, d.share)
            inside, rest = (
                share >= 0.5 + LEAN * (2 * upright - 1),
                np.maximum(1 - share, 0.5 - LEAN),
            )
            wholly = inside & (upright > UPRIGHT)
            epsilon = np.where(
                wholly,
                d.law.infinity,
                np.where(inside, epsilon, (epsilon - share * d.law.infinity) / rest),
            )
            sigma = np.where(
                wholly,
                d.law.conductivity,
                np.where(inside, sigma, (sigma - share * d.law.conductivity) / rest),
            )
            share[...] = np.where(wholly, 1, np.where(inside, share, 0))
    epsilon[epsilon == 0] = 1  # edges that would begin on the last line
    return epsilon, sigma, shares


def face_mu(s: Structure) -> Floats:
    """Relative μ of H faces (3, nx+1, ny+1, nz+1): the two cells on both sides, in series."""
    n = s.shape
    steps = [np.diff(line) for line in s.lines]
    out = np.ones((3, *(k + 1 for k in n)))
    for c in range(3):
        shape = [1, 1, 1]
        shape[c] = n[c]
        length = np.broadcast_to(steps[c].reshape(shape), n)
        weight, series = (np.zeros([n[k] + (k == c) for k in range(3)]) for _ in range(2))
        for d in (0, 1):
            index = [slice(0, n[k]) for k in range(3)]
            index[c] = slice(d, d + n[c])
            weight[tuple(index)] += length
            series[tuple(index)] += length / s.mu
        part: tuple[Any, ...] = tuple(slice(0, k) for k in weight.shape)
        out[(c, *part)] = weight / series
    return out
