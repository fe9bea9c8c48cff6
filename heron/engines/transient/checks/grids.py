"""What a time-domain grid says about a model before a run."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from heron.engines.transient.contents import dispersive
from heron.engines.transient.outlines import facets, off_grid
from heron.engines.transient.room import MARGIN, wall_distance
from heron.engines.transient.structure import Floats, Structure
from heron.engines.transient.thin_wires import LEAST_ROOM
from heron.engines.transient.wishes import FINEST
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.shapes.bodies import Body
from heron.steps.settings.transient import TransientSettings

# cells from an edge of metal to what is nearest to it
USUAL_PER_DETAIL = float(TransientSettings.model_fields["cells_per_detail"].default)
# of the impedance of a strip or slot with one such cell, and how it falls with their number
OFF_AT_ONE, OFF_POWER = 0.05, 2.8
MOST_OFF = 50.0  # %: a larger guess is none
FEWEST_CELLS = 15  # per wavelength of every medium: with fewer, phase errors move resonances
# of |ε|, what tables of optical constants are themselves good for: beyond, the fit of a medium by
# poles is worth a word
POOR_FIT = 0.02
POOR_LOSS = 0.03  # of its losses, likewise
LEAST_PIECE = 0.1  # of the largest: a smaller piece of a sheet is the tip of a corner
SAME_PLACE = 1e-7  # of a body's size: corners nearer than this are one


def feeds_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Gaps whose ends hang in the air, lie in metal, or stand across two media."""
    s: Structure = discretisation.structure
    out = []
    for gap in [*s.gaps, *(load.gap for load in s.loads)]:
        here, step = gap.place, getattr(model, gap.place[0])[gap.place[1]]
        name = f"port {step.number}" if here[0] == "feeds" else f"load “{step.name}”"
        ends = []
        for row in np.unique(gap.row):
            own = gap.at[gap.row == row]
            c, *first = np.unravel_index(own.min(), s.metal.shape)
            _, *last = np.unravel_index(own.max(), s.metal.shape)
            last[int(c)] += 1
            ends += [first, last]
        for node in ends:
            if not s.metal_at([int(v) for v in node]):
                at = (float(s.x[int(node[0])]), float(s.y[int(node[1])]), float(s.z[int(node[2])]))
                out.append(
                    Problem(
                        "error",
                        "open-port",
                        f"{name} is not connected: nothing conducts at one end of its gap",
                        "feeds and loads stand between two conductors",
                        here,
                        at,
                    )
                )
        around = [float(np.mean(_cells_around(s, [edge]))) for edge in gap.at]
        if np.ptp(around) > 1e-6:
            out.append(
                Problem(
                    "look",
                    "two-media",
                    f"the gap of {name} stands across two media",
                    "its field is not the even one of a gap",
                    here,
                )
            )
        lengths = gap.voltage * np.abs(gap.length)
        width = getattr(step, "width", None)
        if width is not None and abs(lengths.sum() - width) > 0.5 * width:
            found = engineering(float(lengths.sum()), "m", 3)
            out.append(
                Problem(
                    "look",
                    "gap-width",
                    f"the gap of {name} is {found} wide on this grid, not"
                    f" {engineering(width, 'm', 3)}",
                    "ask for more cells per wavelength",
                    here,
                )
            )
    return out


def _cells_around(s: Structure, at: Any) -> Any:
    """ε of the cells round edges."""
    out = []
    for edge in at:
        c, *node = (int(v) for v in np.unravel_index(edge, s.metal.shape))
        a, b = [k for k in range(3) if k != c]
        for da in (0, 1):
            for db in (0, 1):
                cell = list(node)
                cell[a] -= da
                cell[b] -= db
                if all(0 <= cell[k] < s.shape[k] for k in range(3)):
                    out.append(s.epsilon[tuple(cell)])
    return np.array(out)


def small_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Parts thinner than the grid resolves."""
    least = FINEST * C0 / model.plan.f_stop / model.plan.settings.transient.cells_per_wavelength
    out = []
    for body in geometry.placed.bodies if geometry.bodies else []:
        low, high = body.bounds
        thin = float((high - low).min())
        if body.solid and thin < least:
            out.append(
                Problem(
                    "look",
                    "below-cell",
                    f"“{body.name}” is {engineering(thin, 'm', 3)} thin, less than the finest cell"
                    f" of {engineering(least, 'm', 3)}",
                    "make it a sheet, or ask for more cells per wavelength",
                    ("parts", body.step),
                )
            )
    return out


def thick_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Wires thicker than the cells they lie in, which stand for a thinner one."""
    s: Structure = discretisation.structure
    out = []
    for part in geometry.parts:
        before, middle = part.path.at(np.array([0.36, 0.37]))  # a place that is seldom a feed's
        along = int(np.abs(middle - before).argmax())
        across = float(
            np.sqrt(
                np.prod(
                    [
                        s.duals(k)[np.abs(s.lines[k] - middle[k]).argmin()]
                        for k in range(3)
                        if k != along
                    ]
                )
            )
        )
        if across < LEAST_ROOM * part.radius:
            out.append(
                Problem(
                    "look",
                    "thick-wire",
                    f"the wire “{part.name}” is thicker ({engineering(2 * part.radius, 'm', 3)})"
                    " than the cells it runs through",
                    "it is taken as thinner than it is; draw a cylinder instead, which the grid"
                    " follows",
                    ("parts", part.step, "radius"),
                )
            )
    return out


def crowded_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Edges and faces that lie so near to each other that the grid has one line for them."""
    s: Structure = discretisation.structure
    if not s.crowded:
        return []
    axis, place, width = max(s.crowded, key=lambda c: c[2])
    more = f", and in {len(s.crowded) - 1} more places" if len(s.crowded) > 1 else ""
    point = [float(v) for v in 0.5 * (s.low + s.high)]
    point[axis] = place
    return [
        Problem(
            "look",
            "crowded",
            f"details {engineering(width, 'm', 3)} apart near {'xyz'[axis]} ="
            f" {engineering(place, 'm', 4)} become one on this grid{more}",
            "they are moved together by half of that; ask for more cells per wavelength, or refine"
            " the grid there",
            ("plan", "settings", "transient", "cells_per_wavelength"),
            (point[0], point[1], point[2]),
        )
    ]


def unresolved_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Narrow metal, gaps and clearances with few cells: what they make of a line's impedance, as
    measured on strips of all widths (docs/accuracy.md).
    """
    by_hand = model.plan.settings.transient.cells_per_detail < USUAL_PER_DETAIL
    out = []
    for found in discretisation.structure.unresolved:
        off = min(100 * OFF_AT_ONE / found.cells**OFF_POWER, MOST_OFF)
        out.append(
            Problem(
                "look",
                "few-cells",
                f"{found.cells:.2g} cells in the {engineering(found.distance, 'm', 3)} beside an"
                f" edge of “{found.part}”: the impedance of a line there may be {off:.2g} % off",
                (
                    "ask for more cells per detail"
                    if by_hand
                    else "such a small detail gets more cells with more per wavelength"
                ),
                ("parts", found.step),
                (float(found.place[0]), float(found.place[1]), float(found.place[2])),
                repair=(
                    [
                        {
                            "path": ["plan", "settings", "transient", "cells_per_detail"],
                            "value": f"{USUAL_PER_DETAIL:g}",
                        }
                    ]
                    if by_hand
                    else []
                ),
                repair_label=f"Use {USUAL_PER_DETAIL:g} cells per detail" if by_hand else "",
            )
        )
    return out


def broken_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Flat metal so narrow that it falls to pieces on the grid, such as a ring narrower than the
    cells it is drawn on.
    """
    s: Structure = discretisation.structure
    media = media_of(model)[0]
    out = []
    bodies = geometry.placed.bodies if geometry.bodies and s.filled else []
    for number, body in enumerate(bodies, start=1):
        flat = not body.solid and not off_grid(body) and body.material not in media
        if not flat or not _whole_inside(s, body):
            continue
        sizes = _pieces(s, body, number)
        expected = _in_truth(facets(body, s.largest))
        if len(sizes) > expected and sizes[expected] > LEAST_PIECE * sizes[0]:
            out.append(
                Problem(
                    "look",
                    "broken-sheet",
                    f"“{body.name}” is in {len(sizes)} pieces on this grid"
                    + (f", not {expected}" if expected > 1 else ""),
                    "it is narrower than the cells there: make it wider, refine the grid there, or"
                    " ask for more cells per wavelength",
                    ("parts", body.step),
                )
            )
    return out


def _whole_inside(s: Structure, body: Body) -> bool:
    """Whether no mirror plane or end of a period cuts a body."""
    low, high = body.bounds
    first, last = (np.array([line[end] for line in s.lines]) for end in (0, -1))
    return bool((low > first + s.near).all() and (high < last - s.near).all())


def _pieces(s: Structure, body: Body, number: int) -> list[int]:
    """How many edges each piece of a sheet, ``number`` on the grid, has there, the largest first;
    other metal that touches it holds it together.
    """
    low, high = body.bounds
    block = tuple(
        slice(
            max(int(np.searchsorted(line, low[k])) - 2, 0), int(np.searchsorted(line, high[k])) + 2
        )
        for k, line in enumerate(s.lines)
    )
    metal, owner = s.metal[(slice(None), *block)], s.edge_owner[(slice(None), *block)]
    shape = metal.shape[1:]
    c, *at = np.nonzero(metal)
    start = np.ravel_multi_index(tuple(at), shape)
    inside = np.array([a + (c == k) < shape[k] for k, a in enumerate(at)]).all(axis=0)
    stop = start + np.array([int(np.prod(shape[k + 1 :])) for k in range(3)])[c]
    c, start, stop = c[inside], start[inside], stop[inside]
    own = (owner[metal] == number)[inside]
    count = int(np.prod(shape))
    links = coo_array((np.ones(len(start)), (start, stop)), shape=(count, count))
    _, label = connected_components(links, directed=False)
    return sorted(np.unique(label[start[own]], return_counts=True)[1].tolist(), reverse=True)


def _in_truth(corners: Floats) -> int:
    """In how many pieces triangles (m, 3, 3) are."""
    size = float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    places = np.round(corners.reshape(-1, 3) / (SAME_PLACE * size)).astype(np.int64)
    _, number = np.unique(places, axis=0, return_inverse=True)
    of_each = number.reshape(-1, 3)
    count = int(of_each.max()) + 1
    links = coo_array(
        (np.ones(2 * len(of_each)), (np.tile(of_each[:, 0], 2), of_each[:, 1:].T.ravel())),
        shape=(count, count),
    )
    return int(connected_components(links, directed=False)[0])


def media_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Media whose permittivity changes over the band: how well poles fit them; and tables that end
    within it.
    """
    media = media_of(model)[0]
    p = model.plan
    out = []
    for name in sorted(
        {b.material for b in geometry.placed.bodies if b.material in media}
        if geometry.bodies
        else set()
    ):
        step, table = (
            next(b.step for b in geometry.placed.bodies if b.material == name),
            media[name].table,
        )
        if table and (table[0][0] > p.f_start * (1 + 1e-9) or table[-1][0] < p.f_stop * (1 - 1e-9)):
            out.append(
                Problem(
                    "error",
                    "short-table",
                    f"the table of “{name}” runs from {engineering(table[0][0], 'Hz', 3)} to"
                    f" {engineering(table[-1][0], 'Hz', 3)} and does not cover the band",
                    "add rows, or narrow the band",
                    ("parts", step, "material"),
                )
            )
            continue
        fit = dispersive(media[name], p)
        # the losses of a metal are small beside what it stores, and its fit is judged by both
        # together
        dielectric = media[name].epsilon(p.f_start)[0].real > 0
        if fit is not None and (
            fit.error > POOR_FIT or (dielectric and fit.loss_error > POOR_LOSS)
        ):
            out.append(
                Problem(
                    "look",
                    "fitted-medium",
                    f"the poles that stand for “{name}” in the band fit it within"
                    f" {100 * fit.error:.2g} %, its losses within {100 * fit.loss_error:.2g} %",
                    "a narrower band is fitted more closely",
                    ("parts", step, "material"),
                )
            )
    return out


def outside_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Parts below the ground."""
    s: Structure = discretisation.structure
    out = []
    if s.ground is not None:
        steps = [(b.name, b.step, float(b.bounds[0][2])) for b in geometry.bodies]
        steps += [
            (p.name, p.step, float(p.path.at(np.array(p.path.corners))[:, 2].min()))
            for p in geometry.parts
        ]
        out += [
            Problem(
                "error",
                "outside",
                f"“{name}” reaches below the ground plane",
                "move it up, or the ground down",
                ("parts", step),
            )
            for name, step, low in steps
            if low < s.ground - 1e-9
        ]
    return out


def resolution_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Cells and walls against the rules of the trade (common practice)."""
    out = []
    cells, distance = (
        model.plan.settings.transient.cells_per_wavelength,
        wall_distance(model) * model.plan.f_start / C0,
    )
    if cells < FEWEST_CELLS:
        out.append(
            Problem(
                "look",
                "coarse-cells",
                f"{cells:g} cells per wavelength are fewer than the usual {FEWEST_CELLS}",
                "good for a first look: waves run too slowly on a coarse grid, and resonances come"
                " out low",
                ("plan", "settings", "transient", "cells_per_wavelength"),
                repair=[
                    {
                        "path": ["plan", "settings", "transient", "cells_per_wavelength"],
                        "value": "20",
                    }
                ],
                repair_label="Use 20 cells per wavelength",
            )
        )
    if distance < MARGIN * (1 - 1e-6) and not model.document.illuminations:
        out.append(
            Problem(
                "look",
                "near-walls",
                f"the absorbing walls are {distance:.2g} of the longest wavelength away from the"
                " model",
                "a quarter is the rule, an eighth the least: nearer walls absorb the antenna's own"
                " near field",
                ("surround", "margin"),
                repair=[{"path": ["surround", "margin"], "value": None}],
                repair_label="Keep a quarter wavelength",
            )
        )
    return out
