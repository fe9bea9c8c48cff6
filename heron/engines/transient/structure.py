"""What the time-domain scheme works on: grid lines, media of cells, metal and resistive edges,
gaps.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.discretise.held import Laid
from heron.engines.lumped import Element
from heron.engines.transient.openings import Aperture, Case
from heron.errors import HeronError
from heron.fields.planes import NEAR, Plane
from heron.materials.rational import Rational
from heron.quantities.constants import C0

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
Singles = NDArray[np.float32]
WireEdge = tuple[int, int, int, int, float, float]
LAYERS = 9  # cells of an absorbing layer
# cells from an absorbing layer to the surface that the far field is taken from
SCATTERED = 2
# of the largest cell beside: half of the thickness of a wall that stands for a sheet; more than
# that within which a line is on it
THINNEST = 0.012
# of the time step where curved metal cuts faces: a smaller one leaves smaller faces as they are
CUT_STEP = 0.5
# of the time step where edges mix: what is left to the form of their nodes above that of the edges
# alone
MIXING_STEP = 0.95


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
    its middle. A wide one has rows of edges side by side, of each edge the number of its ``row``
    and the ``share`` of the current that flows in that row. Where a mirror plane cuts it the whole
    has ``voltage`` times that on the grid, where one holds it ``current`` times; there are
    ``copies`` of it in all.
    """

    place: tuple[str, int]
    at: NDArray[np.int64]
    length: Floats
    area: Floats
    point: Floats
    row: NDArray[np.int64]
    share: Floats
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
class Averages:
    """Of edges (3, nx+1, ny+1, nz+1): relative ``epsilon`` in the middle of the band, and
    ``varies``, what the shares of media that lose or change are to be multiplied by against those
    of the cells around. ``mixing`` (3, nx+1, ny+1, nz+1) of nodes: ξ of y and z, z and x, x and y.
    """

    epsilon: Singles
    varies: Singles
    mixing: Singles


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
    lowest and highest lines (3,) of the total-field box of an illumination; ``wires`` are the
    edges of each wire (component, node, sign, fraction of its length); ``crowded`` are (axis,
    place, width) of details finer than the grid, ``unresolved`` those it shows poorly; ``laid``
    are how the axes are divided between their absorbing layers.
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
    laid: list[Laid] = field(default_factory=list)

    @property
    def filled(self) -> bool:
        """Whether it has its contents."""
        return self.epsilon.size > 0

    @property
    def shape(self) -> tuple[int, int, int]:
        """Cells along x, y, z."""
        return len(self.x) - 1, len(self.y) - 1, len(self.z) - 1

    @property
    def cells(self) -> int:
        """Their number."""
        return int(np.prod(self.shape))

    @property
    def lines(self) -> tuple[Floats, Floats, Floats]:
        """Along x, y and z, m."""
        return self.x, self.y, self.z

    @property
    def corner(self) -> tuple[int, ...]:
        """Numbers (3,) of the lines at the lowest corner of the total-field box, inside the
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

    def metal_at(self, node: list[int]) -> bool:
        """Whether any edge at a grid node conducts; on the ground and other electric planes
        everything does.
        """
        ends = self.shape
        if any(
            not p.magnetic and node[p.axis] == (ends[p.axis] if p.side else 0) for p in self.planes
        ):
            return True
        for c in range(3):
            for back in (0, 1):
                at = list(node)
                at[c] -= back
                if at[c] >= 0 and self.metal[(c, *at)]:
                    return True
        return False

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
