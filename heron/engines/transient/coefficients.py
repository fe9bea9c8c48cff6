"""What the fields of edges and faces are multiplied by in a time step."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from heron.discretise.grid import dual
from heron.engines.lumped import Networks
from heron.engines.transient.averages import Mixing, mixing
from heron.engines.transient.face_shares import face_shares
from heron.engines.transient.field_layout import FieldLayout
from heron.engines.transient.kernels.tables import Table
from heron.engines.transient.lumped_edges import LumpedEdges, lumped_edges
from heron.engines.transient.media import edge_media, face_mu
from heron.engines.transient.metal import surface_edges
from heron.engines.transient.polarisation import Recursion
from heron.engines.transient.structure import Bools, Floats, Structure
from heron.quantities.constants import EPS0, MU0

# σΔt/2ε beyond which an edge's loss is taken backward in time, which is of first order: below, its
# field alternates for a few steps only
STIFF = 4.0


@dataclass
class Coefficients:
    """Of the edges and faces of a structure: the tables of E and H; ``sigma`` (3, nx+1, ny+1, nz+1)
    S/m of what is not metal; the ``laws`` of media with poles, and their shares of edges; the edges
    of feeds and loads; and edges that mix.
    """

    electric: Table
    magnetic: Table
    sigma: Floats
    laws: list[Recursion]
    pole_shares: list[Floats]
    lumped: LumpedEdges
    mixing: Mixing


def coefficients(
    s: Structure, layout: FieldLayout, dt: float, resistances: Floats, networks: Networks
) -> Coefficients:
    """Those of steps of ``dt`` s; ``resistances`` (ports,) Ω in the gaps, behind ``networks``."""
    epsilon, sigma, shares = edge_media(s)
    for at, factor in s.wire_e.items():
        epsilon[at] *= factor
    epsilon *= EPS0
    lossy = s.metal & np.isfinite(s.conducts) & surface_edges(s)
    sigma[lossy] = s.conducts[lossy]
    kept_sigma = np.where(s.metal & ~lossy, 0.0, sigma)
    pole_shares = [np.where(s.metal, 0.0, share) for share in shares]
    laws = [Recursion(d.law, dt) for d in s.dispersions]

    def of_poles(what: str) -> Floats:
        return sum(
            (getattr(law, what) * share for law, share in zip(laws, pole_shares, strict=True)),
            np.zeros_like(epsilon),
        )

    # of media with poles: what their currents answer at once to a change of E, times the step
    at_once = of_poles("at_once")
    sigma += of_poles("conducts")
    lumped = lumped_edges(s, layout, resistances, networks, dt, (epsilon, sigma))
    # several may share an edge
    np.add.at(sigma.reshape(-1), lumped.at, lumped.y * np.abs(lumped.length) / lumped.area)
    x = sigma * dt / (2 * epsilon)
    stiff = (x > STIFF) & (at_once == 0)
    grown = epsilon + 0.5 * dt * at_once
    x = np.where(at_once == 0, x, sigma * dt / (2 * grown))
    keep = np.where(stiff, 1 / (1 + 2 * x), (1 - x) / (1 + x))
    drive = dt / grown * np.where(stiff, 1 / (1 + 2 * x), 1 / (1 + x))
    drive = drive * np.where(lossy, 1.0, s.free_edge)
    # what edges have to do with the time step
    moved = np.where(lossy, np.where(stiff, 1 / (1 + x), 1.0), np.where(s.metal, 0.0, s.free_edge))
    keep -= drive * of_poles("stays")
    dead = _dead(s, s.metal & ~lossy)
    keep[dead], drive[dead] = 0, 0
    steps = [np.diff(line) for line in s.lines]
    mixed = mixing(s.averages, drive > 0, steps, [dual(d) for d in steps], layout.flat_number)
    rows, (kept, driven) = layout.distinct_rows([keep, drive])
    lumped.driven(drive, stiff)
    return Coefficients(
        Table(rows, kept, driven),
        _magnetic(s, layout, dt, moved),
        kept_sigma,
        laws,
        pole_shares,
        lumped,
        mixed,
    )


def _dead(s: Structure, metal: Bools) -> Bools:
    """Edges that never have a field: in ``metal``, in electric walls, and those that would begin on
    the last line.
    """
    dead = metal
    # the scheme's own way to end: H beyond the last node is zero
    magnetic = {(p.axis, p.side) for p in s.planes if p.magnetic}
    for c in range(3):
        index: list[Any] = [c, slice(None), slice(None), slice(None)]
        index[c + 1] = -1
        dead[tuple(index)] = True
        for k in (k for k in range(3) if k != c):  # other outer faces are electric walls
            index = [c, slice(None), slice(None), slice(None)]
            for end in (0, -1):
                if (k, -end) in magnetic:
                    continue
                index[k + 1] = end
                dead[tuple(index)] = True
    return dead


def _magnetic(s: Structure, layout: FieldLayout, dt: float, moved: Floats) -> Table:
    values = dt / (MU0 * face_mu(s) * face_shares(s, moved, dt))
    for at, factor in s.wire_h.items():
        values[at] /= factor
    for c in range(3):
        for k in range(3):
            if k != c:  # no faces beyond the last cell
                index: list[Any] = [c, slice(None), slice(None), slice(None)]
                index[k + 1] = -1
                values[tuple(index)] = 0
    rows, (table,) = layout.distinct_rows([values])
    return Table(rows, table, table)
