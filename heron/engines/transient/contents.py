"""What fills a grid: media, metal, wires and openings, put into a structure's cells, edges and
faces.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from heron.discretise import filling, shells
from heron.engines.transient.apertures import open_aperture
from heron.engines.transient.averages import Lattices, Substance, slanted
from heron.engines.transient.conformal import conduct, sheet_conductivity
from heron.engines.transient.media import edge_means
from heron.engines.transient.outlines import facets, off_grid
from heron.engines.transient.structure import Dispersion, Floats, Structure
from heron.engines.transient.thin_wires import put_wires
from heron.engines.transient.walls import Wall, spread
from heron.engines.transient.wedges import withdraw
from heron.errors import HeronError
from heron.excitation.pulse import pulse_of
from heron.geometry import Geometry
from heron.materials import Medium
from heron.materials.rational import Fit, rational
from heron.model import Evaluated
from heron.model.substances import conductors_of, media_of
from heron.model.surroundings import layers_of
from heron.shapes.bodies import Body

LEAST_REST = 1e-3  # of a cell that solid metal fills: what is left is no less
# of the losses over the band: a medium whose losses would be off by more if they were a
# conductivity gets poles
LOSS_VARIES = 0.01
UNLOSSY = 1e-6  # of |ε|: smaller losses are none
# of |ε| over the band: a medium that changes by less is held at its value in the middle
VARIES = 0.02


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
        put_wires(s, model, geometry, centre)
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
        """A medium as averages take it, in the middle of the band."""
        plan = self.model.plan
        fit = dispersive(medium, plan)
        # Of the law that the run has: at an instant an edge would be less than vacuum where the
        # medium asked for is less than that, which no time step allows for.
        first, middle, last = (medium if fit is None else fit.law).epsilon(
            np.array([plan.f_start, 0.5 * (plan.f_start + plan.f_stop), plan.f_stop])
        )
        return Substance(complex(middle), float(abs(middle.imag) + abs(last - first)))

    def put_body(self, body: Body, number: int) -> None:
        """Fills cells with a body, whose part has a ``number``."""
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
        """Fills cells with solid metal, by facets (m, 3, 3) m."""
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
