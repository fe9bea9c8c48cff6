"""Time steps of a structure: coefficients, absorbing layers, sources."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import get_num_threads, set_num_threads
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.engines.lumped import Element, Networks
from heron.engines.transient import kernels
from heron.engines.transient.apertures import BEFORE
from heron.engines.transient.averages import mixing
from heron.engines.transient.structure import Floats, Structure, edge_media, face_mu, surface_edges
from heron.materials.rational import Rational
from heron.quantities.constants import C0, EPS0, MU0

PAD = int(kernels.STRIP)  # rows along z are padded to this many floats
VECTOR = 8  # stretches of rows in media with poles are widened to multiples of this
LAYER_LOAD, POLE_LOAD = 0.7, 0.5  # work of a slab in a layer and of a medium's edge, over a cell's
# floats: components begin at different places of a page of memory, or loads wait for stores with
# the same end of address
PAGE, STAGGER = 1024, 176
DEPTH = 6  # time steps per pass over the fields
IN_CACHE = 9e5  # bytes a pass works on at a time: rows of DEPTH + 1 slabs
# cell steps of a pass: below, threads wait for each other longer than they work, above all beside
# other runs
TOGETHER = 2e5
# Layers: from the reflection of plane waves by such a layer, step by step, those that keep 0 to 60°
# below −66 dB and 75° below −48, at 10 to 40 cells per wavelength, steps up to the limit and bands
# up to 1 : 10, and take decaying waves best.
LAYER_ORDER = 2.4  # grading of the conductivity
LAYER_SHARE = 1.8  # of (m + 1)/(η Δ)
# times ωε0 of the lowest frequency, at the inner face: takes what only decays, and lets no wave of
# the band through to the metal behind
LAYER_ALPHA = 0.8
ALPHA_ORDER = 0.2  # how it falls towards the outer face
LEAST_RESISTANCE = 1e-6  # Ω: a load of nothing is a wire
ENOUGH = 0.5  # free share of a face that may lend some of it to a smaller one beside
# σΔt/2ε beyond which an edge's loss is taken backward in time, which is of first order: below, its
# field alternates for a few steps only
STIFF = 4.0


def aligned(length: int, shift: int = 0) -> NDArray[np.float32]:
    """Zeros that begin ``shift`` floats after a page: vectors that lie across two lines of the
    cache take twice as long.
    """
    room = np.zeros(length + PAGE + shift, dtype=np.float32)
    first = -(room.ctypes.data // 4) % PAGE + shift
    return room[first : first + length]


def in_lines(values: Floats | NDArray[np.float32]) -> NDArray[np.float32]:
    """The same values, :func:`aligned`."""
    out = aligned(values.size).reshape(values.shape)
    out[:] = values
    return out


NO_ENTRY = (
    *(np.zeros(0, dtype=np.int64) for _ in range(4)),
    np.zeros((0, 4), dtype=np.float32),
    np.zeros((0, 1), dtype=np.float32),
)
DARK = (NO_ENTRY, NO_ENTRY, np.zeros(0, dtype=np.float32), 0)  # no wave is let in


class Layers(NamedTuple):
    """Memories ``psi`` of the layers one after another from ``base``: of the four across rows, with
    the nodes that they cover, and of the ``strips`` at the ends of rows, with their places; the
    recursions b, c (4 · most nodes + strips · PAD,) of all.
    """

    psi: NDArray[np.float32]
    base: NDArray[np.uint64]
    first: NDArray[np.uint64]
    nodes: NDArray[np.uint64]
    strips: NDArray[np.uint64]
    b: NDArray[np.float32]
    c: NDArray[np.float32]


class Stretches(NamedTuple):
    """Stretches of rows in the cases of feeds, ``first`` (rows + 1,) of each row: where the field
    is, ``at`` (m,), and that of which differences are taken, ``of``, a ``stride`` from its
    neighbour; ``sign``; places in the table; lengths; and their memories with the recursions b and
    c.
    """

    first: NDArray[np.uint64]
    at: NDArray[np.uint64]
    of: NDArray[np.uint64]
    stride: NDArray[np.uint64]
    sign: NDArray[np.float32]
    chart: NDArray[np.uint64]
    length: NDArray[np.uint64]
    memory: NDArray[np.uint64]
    psi: NDArray[np.float32]
    b: NDArray[np.float32]
    c: NDArray[np.float32]


class Polar(NamedTuple):
    """Stretches of rows in media with poles, ``first`` (rows + 1,) of each row: where E is, ``at``
    (m,), lengths, places among the ``total`` edges of the memories, in the table ``taken`` of what
    currents take from E, and which medium; the memories (poles · total,); the most edges of a slab.
    """

    first: NDArray[np.uint64]
    at: NDArray[np.uint64]
    length: NDArray[np.uint64]
    memory: NDArray[np.uint64]
    chart: NDArray[np.uint64]
    medium: NDArray[np.uint64]
    taken: NDArray[np.float32]
    re: NDArray[np.float32]
    im: NDArray[np.float32]
    total: int
    longest: int


class Recursion:
    """The currents of a medium's poles from step to step by the trapezoidal rule, and what they
    take from E, Σ Re(h J) with h = (1 + κ)/2, twice for a pair.

    Of bound charges J' = κ J + g (E' − E), of free ones J' = κ J + g (E' + E) (Han, Dutton and Fan,
    IEEE Microw. Wirel. Compon. Lett. 16, 2006). What is kept is K = J − g E: K' = κ K + ``drive`` E
    needs no field of two steps, and what g E takes is a matter of coefficients.
    """

    def __init__(self, law: Rational, dt: float) -> None:
        a = np.array([*law.poles, *(b for b, _ in law.currents)], dtype=complex)
        self.free = np.arange(len(a)) >= len(law.poles)
        self.dt, self.twice = dt, np.where(a.imag != 0, 2.0, 1.0)
        self.kappa = (1 + a * dt / 2) / (1 - a * dt / 2)
        strength = np.array(
            [*law.residues, *(0.5 * dt * w for _, w in law.currents)], dtype=complex
        )
        self.gain = EPS0 * strength / (1 - a * dt / 2)
        self.drive = (self.kappa + np.where(self.free, 1, -1)) * self.gain
        self.half = self.twice * (1 + self.kappa) / 2

    @property
    def at_once(self) -> float:
        """Σ Re g of bound charges, S/m: the part of their currents that follows the step's own
        change of E.
        """
        return float((self.twice * self.gain.real)[~self.free].sum())

    @property
    def conducts(self) -> float:
        """The same of free charges, S/m: what follows the mean of E in the step, as in a
        conductor.
        """
        return float(self.gain.real[self.free].sum())

    @property
    def stays(self) -> float:
        """Σ Re(h g), S/m: what the E before the step takes from that after it."""
        return float((self.half * self.gain).real.sum())

    def admittance(self, omega: Floats) -> Any:
        """(f,) S/m of unit share beyond what the scheme's coefficients hold: the currents
        remembered.
        """
        z = np.exp(1j * omega * self.dt)[:, None]
        one = self.half * self.drive / (z - self.kappa)
        other = np.conj(self.half * self.drive) / (z - np.conj(self.kappa))
        return np.exp(-0.5j * omega * self.dt) * np.where(
            self.twice == 2, (one + other) / 2, one
        ).sum(axis=1)


class Stepper:
    """Fields of a structure, stepped in time, by ``dt`` s if that is given.

    ``resistances`` (ports,) Ω are those in each gap, behind ``networks``.
    """

    def __init__(
        self,
        s: Structure,
        resistances: Floats,
        networks: Networks | None = None,
        dt: float | None = None,
    ) -> None:
        self.structure = s
        self.networks = networks or Networks([None] * len(resistances))
        nx, ny, nz = s.shape
        self.nk = -(-(nz + 2) // PAD) * PAD
        self.front = self._front(nz, s.walls[2], self.nk - nz - 2)
        own = (nx + 2) * (ny + 1) * self.nk
        self.size = own + (STAGGER - own) % PAGE
        self.length = 3 * self.size + (ny + 1) * self.nk
        self.depth = DEPTH
        self.dt = s.step if dt is None else dt
        self.resistances = resistances
        steps = [np.diff(line) for line in s.lines]
        duals = [dual(d) for d in steps]
        places = (nx + 1, 0), (ny + 1, 0), (self.nk, self.front)
        self.spacing_e, self.spacing_h = (
            [self._inverse(d, *of) for d, of in zip(sizes, places, strict=True)]
            for sizes in (duals, steps)
        )
        self.inverse_e, self.inverse_h = (
            [*spacing[:2], spacing[2][self.front :]] for spacing in (self.spacing_e, self.spacing_h)
        )
        self._electric(s)
        self._magnetic(s)
        self.layers_e, self.layers_h = self._layers(s, 1), self._layers(s, 0)
        row = 4 * (
            6 * self.nk + (len(self.layers_e.psi) + len(self.layers_h.psi)) / ((nx + 1) * (ny + 1))
        )
        self.tile = max(DEPTH, int(IN_CACHE / (row * (DEPTH + 1))) - DEPTH)
        self.volume = [np.asarray(d, dtype=np.float64) for d in steps]
        self.light: tuple[Any, ...] = DARK
        self.absorb_e, self.absorb_h = (
            self._case_layers(s, magnetic) for magnetic in (False, True)
        )
        self.load = self._load(self._poles(s))
        self.reset()

    def reset(self) -> None:
        """Fields and memories to zero."""
        nx, ny, _ = self.structure.shape
        slab = (ny + 1) * self.nk
        own = slice(slab, slab + (nx + 1) * slab)
        self.flat_e, self.flat_h = (aligned(self.length, shift) for shift in (0, 3 * STAGGER))
        self.e, self.h = (
            f[: 3 * self.size]
            .reshape(3, self.size)[:, own]
            .reshape(3, nx + 1, ny + 1, self.nk)[..., self.front :]
            for f in (self.flat_e, self.flat_h)
        )
        for layers in (self.layers_e, self.layers_h):
            layers.psi[:] = 0
        self.state[:] = 0
        for memory in (self.absorb_e.psi, self.absorb_h.psi, self.polar.re, self.polar.im):
            memory[:] = 0
        self.steps = 0

    @staticmethod
    def _front(nz: int, cells: NDArray[np.int64], spare: int) -> int:
        """Places of a row before its first node, of ``spare`` ones: so many that the layers at its
        ends, of ``cells``, lie in the fewest lines of the cache.
        """

        def lines(front: int) -> int:
            low, high = front + int(cells[0]), front + nz - int(cells[1])
            return (-(-low // PAD) if cells[0] else 0) + (
                -(-(front + nz + 1) // PAD) - high // PAD if cells[1] else 0
            )

        return min(range(spare + 1), key=lines)

    @staticmethod
    def _inverse(sizes: Floats, length: int, front: int) -> NDArray[np.float32]:
        out = aligned(length)
        out[front : front + len(sizes)] = 1 / sizes
        return out

    def _electric(self, s: Structure) -> None:
        dt = self.dt
        epsilon, sigma, shares = edge_media(s)
        for at, factor in s.wire_e.items():
            epsilon[at] *= factor
        epsilon *= EPS0
        lossy = s.metal & np.isfinite(s.conducts) & surface_edges(s)
        sigma[lossy] = s.conducts[lossy]
        self.sigma = np.where(s.metal & ~lossy, 0.0, sigma)
        # Of media with poles: what their currents answer at once to a change of E, times the step.
        self.pole_shares = [np.where(s.metal, 0.0, share) for share in shares]
        self.laws = [Recursion(d.law, self.dt) for d in s.dispersions]
        at_once = sum(
            (law.at_once * share for law, share in zip(self.laws, self.pole_shares, strict=True)),
            np.zeros_like(epsilon),
        )
        sigma += sum(
            (law.conducts * share for law, share in zip(self.laws, self.pole_shares, strict=True)),
            np.zeros_like(sigma),
        )
        y = self._lumped(s, epsilon, sigma)
        # several may share an edge
        np.add.at(
            sigma.reshape(-1), self.lumped_at, y * np.abs(self.lumped_length) / self.lumped_area
        )
        x = sigma * dt / (2 * epsilon)
        stiff = (x > STIFF) & (at_once == 0)
        grown = epsilon + 0.5 * dt * at_once
        x = np.where(at_once == 0, x, sigma * dt / (2 * grown))
        ca = np.where(stiff, 1 / (1 + 2 * x), (1 - x) / (1 + x))
        cb = dt / grown * np.where(stiff, 1 / (1 + 2 * x), 1 / (1 + x))
        cb = cb * np.where(lossy, 1.0, s.free_edge)
        # what edges have to do with the time step
        self.moved = np.where(
            lossy, np.where(stiff, 1 / (1 + x), 1.0), np.where(s.metal, 0.0, s.free_edge)
        )
        dead = s.metal & ~lossy
        # the scheme's own way to end: H beyond the last node is zero
        magnetic = {(p.axis, p.side) for p in s.planes if p.magnetic}
        for c in range(3):
            for k in range(3):
                if k != c:  # other outer faces are electric walls
                    index: list[Any] = [c, slice(None), slice(None), slice(None)]
                    for end in (0, -1):
                        if (k, -end) in magnetic:
                            continue
                        index[k + 1] = end
                        dead[tuple(index)] = True
        ca -= cb * sum(
            (law.stays * share for law, share in zip(self.laws, self.pole_shares, strict=True)),
            np.zeros_like(cb),
        )
        ca[dead], cb[dead] = 0, 0
        dead_ends = [slice(None)] * 3
        for c in range(3):
            index = [c, *dead_ends]
            index[c + 1] = -1  # an edge that would begin on the last line
            ca[tuple(index)], cb[tuple(index)] = 0, 0
        self.mixing = mixing(
            s.averages,
            cb > 0,
            [np.diff(line) for line in s.lines],
            [dual(np.diff(line)) for line in s.lines],
            self.flat_number,
        )
        self.rows_e, self.tables_e = self._dictionary([ca, cb])
        self.ca, self.cb = (table[:, self.front :] for table in self.tables_e)
        self.part[:, 1], self.part[:, 6] = (
            -y / self.lumped_area * cb.reshape(-1)[self.lumped_at],
            np.where(stiff.reshape(-1)[self.lumped_at], 0.0, 0.5),
        )

    def _lumped(self, s: Structure, epsilon: Floats, sigma: Floats) -> Floats:
        """The edges of feeds and loads in the order of their slabs: each carries its share of the
        element's R, L and 1/C. Returns their y, S.

        What stands in series is a branch with its own current; R and C side by side are a medium of
        the edge, and only L is such a branch.
        """
        ports = list(zip(s.gaps, self.resistances.tolist(), self.networks.elements, strict=True))
        gaps = [
            *s.gaps,
            *(load.gap for load in s.loads),
            *(gap for gap, _, what in ports if what is not None and what.parallel),
        ]
        elements = [
            Element(r + (what.resistance or 0.0), what.inductance, what.capacitance)
            if what is not None and not what.parallel
            else Element(r, None, None)
            for _, r, what in ports
        ]
        elements += [load.element for load in s.loads] + [
            what for _, _, what in ports if what is not None and what.parallel
        ]
        rows = [np.zeros((0, 9))]
        self.voltage, self.current = (
            np.array([getattr(gap, what) for gap in gaps]) for what in ("voltage", "current")
        )
        for number, (gap, what) in enumerate(zip(gaps, elements, strict=True)):
            half = gap.current / gap.voltage  # impedance on the grid over that of the whole
            share = gap.length / np.abs(gap.length).sum()
            part = np.abs(share) * half
            inertia = 2 * (what.inductance or 0.0) / self.dt
            r, elastance = (
                what.resistance or 0.0,
                0.0 if what.capacitance is None else self.dt / what.capacitance,
            )
            if what.parallel:
                across = np.abs(gap.length) / (gap.area * part)
                epsilon.reshape(-1)[gap.at] += (what.capacitance or 0.0) * across
                sigma.reshape(-1)[gap.at] += across / r if r else 0.0
                r = elastance = 0.0
            y = (
                0 * part
                if what.parallel and what.inductance is None
                else 1 / (part * max(r + inertia + elastance / 2, LEAST_RESISTANCE))
            )
            one = np.ones(len(share))
            rows.append(
                np.column_stack(
                    (
                        gap.at,
                        number * one,
                        gap.area,
                        gap.length,
                        share,
                        y,
                        part * inertia,
                        part * elastance,
                        one,
                    )
                )
            )
        table = np.concatenate(rows)
        edges = table[:, 0].astype(np.int64)
        _, slab, row, _ = np.unravel_index(edges, s.metal.shape)
        order = np.argsort(slab, kind="stable")
        table, self.lumped_at, self.lumped_row = table[order], edges[order], row[order]
        self.lumped_of_slab = np.searchsorted(slab[order], np.arange(s.shape[0] + 2))
        self.lumped_number, self.lumped_area, self.lumped_length = (
            table[:, 1].astype(np.int64),
            table[:, 2],
            table[:, 3],
        )
        self.part = np.column_stack(
            (
                np.abs(table[:, 3]),
                table[:, 8],
                table[:, 4],
                table[:, 5],
                table[:, 6],
                table[:, 7],
                table[:, 8],
            )
        )
        self.state = np.zeros((len(table), 3))
        return np.asarray(table[:, 5])

    def flat_number(self, at: NDArray[np.int64]) -> NDArray[np.int64]:
        """Flat numbers into arrays (3, nx+1, ny+1, nz+1) as those into ``flat_e`` and
        ``flat_h``.
        """
        n = self.structure.shape
        c, i, j, k = np.unravel_index(at, (3, n[0] + 1, n[1] + 1, n[2] + 1))
        return np.asarray(c * self.size + ((i + 1) * (n[1] + 1) + j) * self.nk + self.front + k)

    def _poles(self, s: Structure) -> NDArray[np.int64]:
        """Stretches of rows in media with poles, in the order of their rows.

        Returns the number of their edges in each slab.
        """
        n = s.shape
        found: list[tuple[int, ...]] = []
        charts: dict[bytes, tuple[int, NDArray[np.float32]]] = {}
        room = 0
        for number, share in enumerate(self.pole_shares):
            for c, i, j in np.argwhere((share > 0).any(axis=3)).tolist():
                k = np.flatnonzero(share[c, i, j] > 0)
                low, end = int(k[0]), int(k[-1]) + 1
                count = min(-(-(end - low) // VECTOR) * VECTOR, self.nk - self.front - low)
                own = np.zeros(count, dtype=np.float32)
                own[: end - low] = self.cb[self.rows_e[c, i, j], low:end] * share[c, i, j, low:end]
                where, _ = charts.setdefault(own.tobytes(), (room, own))
                room += count if where == room else 0
                found.append((i * (n[1] + 1) + j, c, i, j, low, count, number, where))
        table = np.array(sorted(found), dtype=np.int64).reshape(-1, 8)
        row, *place, count, medium, chart = np.ascontiguousarray(table.T)
        start = self.flat_number(
            np.ravel_multi_index(tuple(place), (3, n[0] + 1, n[1] + 1, n[2] + 1))
        )
        memory = np.concatenate(([0], np.cumsum(count)))
        first = np.searchsorted(row, np.arange((n[0] + 1) * (n[1] + 1) + 1))
        of_slab = np.diff(memory[first[:: n[1] + 1]])
        taken = np.concatenate(
            [np.zeros(0, dtype=np.float32), *(own for _, own in charts.values())]
        )
        most, total = max((len(law.kappa) for law in self.laws), default=0), int(memory[-1])
        re, im = (np.zeros(most * total, dtype=np.float32) for _ in range(2))
        u = [x.astype(np.uint64) for x in (first, start, count, memory, chart, medium)]
        self.polar = Polar(
            u[0], u[1], u[2], u[3], u[4], u[5], taken, re, im, total, int(of_slab.max())
        )
        joined = [
            np.concatenate([np.zeros(0, dtype=complex), *(getattr(law, what) for law in self.laws)])
            for what in ("kappa", "drive", "half")
        ]
        begin = np.cumsum([0, *(len(law.kappa) for law in self.laws)]).astype(np.uint64)
        self.poles = (
            begin,
            *(part.astype(np.float32) for x in joined for part in (x.real, x.imag)),
        )
        return np.asarray(of_slab)

    def pole_admittance(self, c: int, axis: int, omega: Floats) -> Any:
        """What poles add to the admittance of edges (f, lines) along component c and an axis, at
        the box's lowest edge.
        """
        index: list[Any] = [c, *self.structure.corner]
        index[axis + 1] = slice(None)
        return sum(
            (
                law.admittance(omega)[:, None] * share[tuple(index)]
                for law, share in zip(self.laws, self.pole_shares, strict=True)
            ),
            np.zeros((len(omega), 1)),
        )

    def _magnetic(self, s: Structure) -> None:
        table = self.dt / (MU0 * face_mu(s) * self._face_shares(s))
        for at, factor in s.wire_h.items():
            table[at] /= factor
        for c in range(3):
            for k in range(3):
                if k != c:  # no faces beyond the last cell
                    index: list[Any] = [c, slice(None), slice(None), slice(None)]
                    index[k + 1] = -1
                    table[tuple(index)] = 0
        self.rows_h, self.tables_h = self._dictionary([table])
        self.db = self.tables_h[0][:, self.front :]

    def _face_shares(self, s: Structure) -> Floats:
        """Free shares of faces (3, nx+1, ny+1, nz+1), those too small for the time step enlarged.

        The scheme is stable while no row of the scaled curl curl sums to more than 4/(c Δt)²
        (Gershgorin). A face's row is the sum, over its edges, of their free shares times the
        differences of H that make E there, over its own share.
        """
        out = s.free_face.astype(float)
        if not (out < 1).any():
            return np.where(out > 0, out, np.inf)  # H in metal stays nothing
        edges = np.where(s.metal, 0.0, s.free_edge)
        n = np.array(s.shape) + 1
        ahead, behind = [], []
        for k, line in enumerate(s.lines):
            spread = [1, 1, 1]
            spread[k] = n[k]
            ahead.append(np.append(1 / np.diff(line), 0.0).reshape(spread))
            behind.append((2 / dual(np.diff(line))).reshape(spread))
        for c in range(3):
            a, b = (c + 1) % 3, (c + 2) % 3
            rows = sum(
                (self.moved[k] + np.roll(self.moved[k], -1, axis=m))
                * ahead[m]
                * (behind[m] + behind[c])
                for k, m in ((a, b), (b, a))
            )
            open_ = (out[c] > 0) | (
                sum(edges[k] + np.roll(edges[k], -1, axis=m) for k, m in ((a, b), (b, a))) > 0
            )
            wanted = np.where(
                open_ & (out[c] < 1), np.minimum(rows * (C0 * self.dt / 2) ** 2, 1.0), 0.0
            )
            self._enlarge(out[c], wanted, edges, (a, b), s)
        return np.where(out > 0, out, np.inf)  # H in metal stays nothing

    @staticmethod
    def _enlarge(
        share: Floats, wanted: Floats, edges: Floats, across: tuple[int, int], s: Structure
    ) -> None:
        """Enlarges the shares of faces across one axis to those ``wanted``, and takes the area from
        the faces beyond their longest free edges: what flows through both together is then what it
        was, to second order in the cell.
        """
        small = wanted > share
        for k in across:
            np.moveaxis(small, k, 0)[-1] = False  # no faces beyond the last cell
        at = np.nonzero(small)
        if not len(at[0]):
            return
        more = (wanted - share)[at]
        a, b = across
        beyond, longest = [], []
        for k, m in ((a, b), (b, a)):  # the edges along k at the low and at the high end along m
            for end in (0, 1):
                place = [index + (end if axis == m else 0) for axis, index in enumerate(at)]
                next_to = [
                    np.clip(index + ((2 * end - 1) if axis == m else 0), 0, share.shape[axis] - 2)
                    for axis, index in enumerate(at)
                ]
                longest.append(edges[k][tuple(place)])
                beyond.append(next_to)
        best = np.argmax(longest, axis=0)
        other = tuple(np.choose(best, [own[axis] for own in beyond]) for axis in range(3))
        share[at] = wanted[at]
        area = np.ones(len(more))
        for k in (a, b):
            steps = np.diff(s.lines[k])
            area *= steps[at[k]] / steps[np.minimum(other[k], len(steps) - 1)]
        lends = np.flatnonzero(share[other] > ENOUGH)
        lenders = tuple(index[lends] for index in other)
        np.subtract.at(share, lenders, (more * area)[lends])
        share[lenders] = np.maximum(share[lenders], ENOUGH)

    def _dictionary(
        self, arrays: list[Floats]
    ) -> tuple[NDArray[np.int32], list[NDArray[np.float32]]]:
        """Which row each is, and the distinct rows along z (rows, nk), of coefficient arrays (3,
        nx+1, ny+1, nz+1).
        """
        n = arrays[0].shape
        joint = np.zeros((int(np.prod(n[:3])), len(arrays), self.nk), dtype=np.float32)
        for a, values in enumerate(arrays):
            joint[:, a, self.front : self.front + n[3]] = values.reshape(-1, n[3])
        flat = np.ascontiguousarray(joint.reshape(len(joint), -1))
        keys = flat.view(np.dtype((np.void, flat.dtype.itemsize * flat.shape[1]))).ravel()
        _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
        return inverse.reshape(n[:3]).astype(np.int32), [
            in_lines(joint[first, a]) for a in range(len(arrays))
        ]

    def _layers(self, s: Structure, offset: int) -> Layers:
        """Layers as E (``offset`` 1, on the nodes) or H (0, in the middles of cells) sees them; a
        wall without one has an empty memory.

        Across rows they reach to the first and the last one, along rows they are widened to whole
        strips: beside the layer are zeros.
        """
        nodes, most = np.array(s.shape) + 1, int(s.walls.max()) + 1
        first, count = np.zeros(4, dtype=np.int64), np.zeros(4, dtype=np.int64)
        across: list[Floats] = []
        along: dict[int, Floats] = {}
        for w in range(6):
            axis, side = divmod(w, 2)
            cells = int(s.walls[axis, side])
            size = float(np.diff(s.lines[axis])[0 if side == 0 else -1])
            # 0 at the inner face, where nothing is absorbed
            depth = (np.arange(cells) + (1.0 if offset else 0.5)) / max(cells, 1)
            begin = 0 if side == 0 else s.shape[axis] - cells + offset
            recursion = np.array(self._recursion(depth[::-1] if side == 0 else depth, size))
            if axis < 2:
                first[w], count[w] = (
                    (begin, nodes[axis] - begin if side else cells)
                    if cells
                    else (side * nodes[axis], 0)
                )
                across.append(np.pad(recursion, ((0, 0), (0, most - cells))))
            elif cells:
                for at, own in self._strips(begin + self.front, recursion).items():
                    # both ends of a short row may lie in one strip
                    along[at] = along.get(at, 0.0) + own
        b, c = (in_lines(x) for x in np.concatenate([*across, *along.values()], axis=1))
        rows = int(nodes[0] * nodes[1])
        sizes = [
            *(2 * self.nk * count * (rows // nodes[:2]).repeat(2)),
            2 * PAD * len(along) * rows,
        ]
        base, *places = (
            np.array(x, dtype=np.uint64)
            for x in (np.concatenate(([0], np.cumsum(sizes)[:-1])), first, count, [*along])
        )
        return Layers(aligned(max(1, int(sum(sizes)))), base, places[0], places[1], places[2], b, c)

    def _strips(self, begin: int, recursion: Floats) -> dict[int, Floats]:
        """Strips of a row by their places, few and within lines of the cache, over a layer from a
        place on: b and c (2, PAD) of each, zeros beside the layer.
        """
        end = begin + recursion.shape[1]
        starts = (begin // unit * unit for unit in (PAD, VECTOR, 1))
        at, room = min(((at, -(-(end - at) // PAD) * PAD) for at in starts), key=lambda x: x[1])
        at = min(at, self.nk - room)
        wide = np.pad(recursion, ((0, 0), (begin - at, at + room - end)))
        return {at + n: wide[:, n : n + PAD] for n in range(0, room, PAD)}

    def _recursion(self, depth: Floats, size: float) -> tuple[Floats, Floats]:
        """b and c of ψ = bψ + c ∂g, backward in time: with an exponential decay outer cells absorb
        too strongly, and reflect −50 dB, where steps are near their limit.
        """
        sigma = LAYER_SHARE * (LAYER_ORDER + 1) / (np.sqrt(MU0 / EPS0) * size) * depth**LAYER_ORDER
        alpha = LAYER_ALPHA * 2 * np.pi * self.structure.lowest * EPS0 * (1 - depth) ** ALPHA_ORDER
        b = 1 / (1 + (sigma + alpha) * self.dt / EPS0)
        return b, sigma / np.maximum(sigma + alpha, 1e-30) * (b - 1) / size

    def _case_layers(self, s: Structure, magnetic: bool) -> Stretches:
        """The absorbing ends of the cases of feeds: along their axis alone, growing from the plane
        to the end.
        """
        n = s.shape
        rows, table = (self.rows_h, 1.0) if magnetic else (self.rows_e, -1.0)
        found: list[tuple[Any, ...]] = []
        for p in s.apertures:
            d, (a, b) = p.axis, p.across
            places = 0.5 * (s.lines[d][1:] + s.lines[d][:-1]) if magnetic else s.lines[d]
            low, high = min(p.line, p.end), max(p.line, p.end)
            own = np.arange(low, high) if magnetic else np.arange(low + 1, high)
            size = (np.diff(s.lines[d]) if magnetic else dual(np.diff(s.lines[d])))[own]
            face = s.lines[d][p.line - p.sign * BEFORE]
            depth = (places[own] - face) / (s.lines[d][p.end] - face)
            own, size, depth = own[depth > 0], size[depth > 0], depth[depth > 0]
            recursions = np.array(
                [self._recursion(np.array([x]), h) for x, h in zip(depth, size, strict=True)]
            )[:, :, 0]
            (a0, b0), (a1, b1) = p.low, p.high
            # E along a answers to H along b, and the other way round; H lies in the middles of
            # cells along b for the first, of E it is a.
            for c, of, sign in ((a, b, table), (b, a, -table)):
                spans = {
                    d: own,
                    a: np.arange(a0, a1 + ((c == a) == magnetic)),
                    b: np.arange(b0, b1 + ((c == b) == magnetic)),
                }
                for i in spans[0].tolist():
                    for j in spans[1].tolist():
                        along = own.searchsorted({0: i, 1: j}[d]) if d < 2 else slice(None)
                        found.append(
                            (
                                i * (n[1] + 1) + j,
                                c,
                                of,
                                i,
                                j,
                                int(spans[2][0]),
                                len(spans[2]),
                                d,
                                sign,
                                *(
                                    np.broadcast_to(recursions[along, q], len(spans[2]))
                                    for q in (0, 1)
                                ),
                            )
                        )
        found.sort(key=lambda x: x[0])
        signs = np.array([x[8] for x in found], dtype=np.float32)
        keep, gain = (
            np.concatenate([x[q] for x in found]).astype(np.float32)
            if found
            else np.zeros(0, dtype=np.float32)
            for q in (9, 10)
        )
        numbers = np.array([x[:8] for x in found], dtype=np.int64).reshape(-1, 8).T
        row, component, source, *place, count, axis = numbers
        nodes = (3, n[0] + 1, n[1] + 1, n[2] + 1)
        stride = np.array([(n[1] + 1) * self.nk, self.nk, 1])[axis]
        at, beside = (
            self.flat_number(np.ravel_multi_index((q, *place), nodes)) for q in (component, source)
        )
        first = np.searchsorted(row, np.arange((n[0] + 1) * (n[1] + 1) + 1))
        chart = (
            rows[component, place[0], place[1]].astype(np.int64) * self.nk + self.front + place[2]
        )
        memory = np.concatenate(([0], np.cumsum(count)))[:-1]
        unsigned = [
            x.astype(np.uint64)
            for x in (first, at, beside + stride * magnetic, stride, chart, count, memory)
        ]
        psi = np.zeros(len(keep), dtype=np.float32)
        return Stretches(
            unsigned[0],
            unsigned[1],
            unsigned[2],
            unsigned[3],
            signs,
            unsigned[4],
            unsigned[5],
            unsigned[6],
            psi,
            keep,
            gain,
        )

    def advance(self, waves: Floats, out: Floats, currents: Floats | None = None) -> None:
        """``len(waves)`` steps under source voltages (n, ports) at half steps; ``out`` (n, ports +
        loads) receives the gap voltages after each.

        ``currents`` (n, ports) receives the currents from the ports during each, A from minus to
        plus.
        """
        if not self.structure.repeats:
            self._advance(waves, out, currents)
            return
        # one step at a time, as what leaves at one end enters at the other
        for n in range(len(waves)):
            own = slice(n, n + 1)
            self._advance(waves[own], out[own], None if currents is None else currents[own])
            for k in self.structure.repeats:
                view = np.moveaxis(self.e, k + 1, 0)[: self.structure.shape[k] + 1]
                view[0], view[-1] = view[-2], view[1]

    def _advance(self, waves: Floats, out: Floats, currents: Floats | None) -> None:
        slabs, rows = self.e.shape[1:3]
        before = get_num_threads()
        set_num_threads(
            before if self.structure.cells * min(self.depth, len(waves)) >= TOGETHER else 1
        )
        try:
            self._march(waves, out, currents, slabs, rows)
        finally:
            set_num_threads(before)

    def _march(
        self, waves: Floats, out: Floats, currents: Floats | None, slabs: int, rows: int
    ) -> None:
        chunks = max(1, min(get_num_threads(), slabs // 2))
        depth = (
            1
            if len(self.mixing.source)
            else max(1, min(self.depth, len(waves), slabs // (2 * chunks)))
        )
        tile = max(depth, self.tile) if depth > 1 else rows
        samples = np.zeros((len(waves), 2 * len(self.lumped_at)))
        flat = [a.reshape(-1) for a in (self.rows_e, *self.tables_e, self.rows_h, *self.tables_h)]
        kernels.march(
            self.flat_e,
            self.flat_h,
            *flat,
            *self.spacing_e,
            *self.spacing_h,
            *self.layers_e,
            *self.layers_h,
            self.flat_number(self.lumped_at),
            self.lumped_row,
            self.lumped_number,
            self.part,
            self.state,
            self.lumped_of_slab,
            waves / self.voltage[: waves.shape[1]],
            samples,
            *self.light,
            self.steps,
            tuple(self.absorb_e),
            tuple(self.absorb_h),
            tuple(self.polar),
            self.poles,
            tuple(self.mixing),
            np.array([slabs, rows, self.nk, self.size]),
            self._cuts(chunks, 2 * depth),
            depth,
            tile,
        )
        self.steps += len(waves)
        for gap in range(out.shape[1]):  # −Σ E·l along the edges of each gap, from minus to plus
            own = np.flatnonzero(self.lumped_number == gap)
            out[:, gap] = -self.voltage[gap] * (samples[:, own] @ self.lumped_length[own])
            # one current through all edges; a mean of what rounding makes of it
            if currents is not None and gap < currents.shape[1]:
                currents[:, gap] = self.current[gap] * (
                    samples[:, own + len(self.lumped_at)] @ self.part[own, 2]
                )

    def _load(self, polar: NDArray[np.int64]) -> Floats:
        """Work on each slab, in cells, with so many edges in media with poles."""
        slabs, rows = (n + 1 for n in self.structure.shape[:2])
        layered = np.zeros(slabs)
        first, nodes = self.layers_e.first.astype(int), self.layers_e.nodes.astype(int)
        for w in range(2):
            layered[first[w] : first[w] + nodes[w]] += 1
        layered += nodes[2:].sum() / rows + len(self.layers_e.strips) * PAD / self.nk
        return np.asarray(rows * self.nk * (1 + LAYER_LOAD * layered) + POLE_LOAD * polar)

    def _cuts(self, chunks: int, least: int) -> NDArray[np.int64]:
        """Slabs (chunks + 1,) between which the threads have the same work, ``least`` of them or
        more for each.
        """
        done = np.concatenate(([0.0], np.cumsum(self.load)))
        cuts = np.searchsorted(done, np.linspace(0, done[-1], chunks + 1))
        cuts[-1] = len(self.load)
        for t in range(1, chunks):
            cuts[t] = min(max(cuts[t], cuts[t - 1] + least), len(self.load) - least * (chunks - t))
        return cuts

    def stored(self) -> float:
        """Σ over cells of ε0 E² + μ0 H², J: a measure of what is left, not exact in media."""
        return (
            float(
                EPS0 * kernels.energy(self.e, *self.volume)
                + MU0 * kernels.energy(self.h, *self.volume)
            )
            / 2
        )
