"""Time steps of a structure: both fields, with all that drives and absorbs them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import get_num_threads, set_num_threads
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.engines.lumped import Networks
from heron.engines.transient import kernels
from heron.engines.transient.coefficients import coefficients
from heron.engines.transient.field_layout import PAD, STAGGER, FieldLayout, aligned
from heron.engines.transient.kernels.tables import DARK, Drive, Half, Spacing, Table
from heron.engines.transient.layers import case_layers, layers_of
from heron.engines.transient.polarisation import polar_rows
from heron.engines.transient.structure import Floats, Structure
from heron.quantities.constants import EPS0, MU0

LAYER_LOAD, POLE_LOAD = 0.7, 0.5  # work of a slab in a layer and of a medium's edge, over a cell's
DEPTH = 6  # time steps per pass over the fields
IN_CACHE = 9e5  # bytes a pass works on at a time: rows of DEPTH + 1 slabs
# cell steps of a pass: below, threads wait for each other longer than they work, above all beside
# other runs
TOGETHER = 2e5


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
        self.resistances = resistances
        self.layout = FieldLayout.of(s)
        self.dt = s.step if dt is None else dt
        self.coefficients = coefficients(s, self.layout, self.dt, resistances, self.networks)
        self.light = DARK
        steps = [np.diff(line) for line in s.lines]
        self.volume = [np.asarray(d, dtype=np.float64) for d in steps]
        self.electric = self._half([dual(d) for d in steps], magnetic=False)
        self.magnetic = self._half(steps, magnetic=True)
        self.polar, self.poles, edges = polar_rows(
            self.layout,
            self.electric.table,
            self.coefficients.laws,
            self.coefficients.pole_shares,
        )
        self.depth, self.tile = DEPTH, self._tile()
        self.load = self._load(edges)
        self.reset()

    def _half(self, sizes: list[Floats], magnetic: bool) -> Half:
        """One field; ``sizes`` are the distances of the other's places along each axis, m."""
        s, layout = self.structure, self.layout
        table = self.coefficients.magnetic if magnetic else self.coefficients.electric
        return Half(
            aligned(layout.length, 3 * STAGGER if magnetic else 0),
            table,
            Spacing(*(layout.inverse(d, axis) for axis, d in enumerate(sizes))),
            layers_of(s, layout, self.dt, 0 if magnetic else 1),
            case_layers(s, layout, self.dt, table.rows, magnetic),
            self.light.magnetic if magnetic else self.light.electric,
        )

    def _tile(self) -> int:
        """Rows whose slabs of one pass lie in cache."""
        nx, ny, _ = self.structure.shape
        memories = len(self.electric.layers.psi) + len(self.magnetic.layers.psi)
        row = 4 * (6 * self.layout.nk + memories / ((nx + 1) * (ny + 1)))
        return max(DEPTH, int(IN_CACHE / (row * (DEPTH + 1))) - DEPTH)

    @property
    def flat_e(self) -> NDArray[np.float32]:
        """E as the compiled steps have it, see :class:`FieldLayout`."""
        return self.electric.field

    @property
    def flat_h(self) -> NDArray[np.float32]:
        """H, likewise."""
        return self.magnetic.field

    def reset(self) -> None:
        """Fields and memories to zero."""
        for half in (self.electric, self.magnetic):
            half.field[:] = 0
            half.layers.psi[:] = 0
            half.cases.psi[:] = 0
        self.e, self.h = (self.layout.view(f) for f in (self.flat_e, self.flat_h))
        self.coefficients.lumped.record.state[:] = 0
        for memory in (self.polar.re, self.polar.im):
            memory[:] = 0
        self.steps = 0

    def electric_at(self, c: Any, i: Any, j: Any, k: Any) -> tuple[Floats, Floats]:
        """What E edges at nodes are multiplied by, and what multiplies the curl of H there."""
        return self._at(self.electric.table, c, i, j, k)

    def magnetic_at(self, c: Any, i: Any, j: Any, k: Any) -> Floats:
        """What multiplies the curl of E at H faces."""
        return self._at(self.magnetic.table, c, i, j, k)[1]

    def moves(self, magnetic: bool) -> NDArray[np.bool_]:
        """Edges or faces (3, nx+1, ny+1, nz+1) that can have a field."""
        table = (self.magnetic if magnetic else self.electric).table
        driven = table.drive[:, self.layout.front :][:, : self.structure.shape[2] + 1]
        return np.asarray(driven[table.rows] > 0)

    def _at(self, table: Table, c: Any, i: Any, j: Any, k: Any) -> tuple[Floats, Floats]:
        row, k = table.rows[c, i, j], k + self.layout.front
        return table.keep[row, k].astype(float), table.drive[row, k].astype(float)

    def pole_admittance(self, c: int, axis: int, omega: Floats) -> Any:
        """What poles add to the admittance of edges (f, lines) along component c and an axis, at
        the box's lowest edge.
        """
        index: list[Any] = [c, *self.structure.corner]
        index[axis + 1] = slice(None)
        return sum(
            (
                law.admittance(omega)[:, None] * share[tuple(index)]
                for law, share in zip(
                    self.coefficients.laws, self.coefficients.pole_shares, strict=True
                )
            ),
            np.zeros((len(omega), 1)),
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
        mixing, lumped = self.coefficients.mixing, self.coefficients.lumped
        depth = (
            1 if len(mixing.source) else max(1, min(self.depth, len(waves), slabs // (2 * chunks)))
        )
        samples = np.zeros((len(waves), 2 * len(lumped.at)))
        sources = waves / lumped.voltage[: waves.shape[1]]
        drive = Drive(sources, samples, self.light.signals, self.light.length, self.steps)
        kernels.march(
            self._parts(self.electric._replace(entry=self.light.electric)),
            self._parts(self.magnetic._replace(entry=self.light.magnetic)),
            tuple(lumped.record),
            tuple(drive),
            tuple(self.polar),
            tuple(self.poles),
            tuple(mixing),
            (slabs, rows, self.layout.nk, self.layout.size),
            self._cuts(chunks, 2 * depth),
            depth,
            max(depth, self.tile) if depth > 1 else rows,
        )
        self.steps += len(waves)
        lumped.read_samples(samples, out, currents)

    @staticmethod
    def _parts(half: Half) -> tuple[Any, ...]:
        """A field's record as tuples, its arrays flat."""
        table = half.table._replace(rows=half.table.rows.reshape(-1))
        flat = table._replace(keep=table.keep.reshape(-1), drive=table.drive.reshape(-1))
        rest = (half.spacing, half.layers, half.cases, half.entry)
        return (half.field, tuple(flat), *(tuple(part) for part in rest))

    def _load(self, polar: NDArray[np.int64]) -> Floats:
        """Work on each slab, in cells, with so many edges in media with poles."""
        slabs, rows = (n + 1 for n in self.structure.shape[:2])
        layers = self.electric.layers
        layered = np.zeros(slabs)
        first, nodes = layers.first.astype(int), layers.nodes.astype(int)
        for w in range(2):
            layered[first[w] : first[w] + nodes[w]] += 1
        layered += nodes[2:].sum() / rows + len(layers.strips) * PAD / self.layout.nk
        return np.asarray(rows * self.layout.nk * (1 + LAYER_LOAD * layered) + POLE_LOAD * polar)

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
