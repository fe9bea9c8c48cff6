"""Media whose permittivity follows poles, as the scheme steps their currents."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.field_layout import FieldLayout
from heron.engines.transient.kernels.tables import Polar, Poles, Table
from heron.engines.transient.structure import Floats
from heron.materials.rational import Rational
from heron.quantities.constants import EPS0

VECTOR = 8  # stretches of rows in media with poles are widened to multiples of this


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


def polar_rows(
    layout: FieldLayout, table: Table, laws: list[Recursion], shares: list[Floats]
) -> tuple[Polar, Poles, NDArray[np.int64]]:
    """Stretches of rows in media with poles, in the order of their rows; ``shares`` (3, nx+1, ny+1,
    nz+1) of edges in the medium of each law.

    Returns the number of their edges in each slab as well.
    """
    nodes = layout.nodes
    found: list[tuple[int, ...]] = []
    charts: dict[bytes, tuple[int, NDArray[np.float32]]] = {}
    drive, room = table.drive[:, layout.front :], 0
    for number, share in enumerate(shares):
        for c, i, j in np.argwhere((share > 0).any(axis=3)).tolist():
            k = np.flatnonzero(share[c, i, j] > 0)
            low, end = int(k[0]), int(k[-1]) + 1
            count = min(-(-(end - low) // VECTOR) * VECTOR, layout.nk - layout.front - low)
            own = np.zeros(count, dtype=np.float32)
            own[: end - low] = drive[table.rows[c, i, j], low:end] * share[c, i, j, low:end]
            where, _ = charts.setdefault(own.tobytes(), (room, own))
            room += count if where == room else 0
            found.append((i * nodes[2] + j, c, i, j, low, count, number, where))
    numbers = np.array(sorted(found), dtype=np.int64).reshape(-1, 8)
    row, *place, count, medium, chart = np.ascontiguousarray(numbers.T)
    start = layout.flat_number(np.ravel_multi_index(tuple(place), nodes))
    memory = np.concatenate(([0], np.cumsum(count)))
    first = np.searchsorted(row, np.arange(nodes[1] * nodes[2] + 1))
    of_slab = np.diff(memory[first[:: nodes[2]]])
    taken = np.concatenate([np.zeros(0, dtype=np.float32), *(own for _, own in charts.values())])
    most, total = max((len(law.kappa) for law in laws), default=0), int(memory[-1])
    re, im = (np.zeros(most * total, dtype=np.float32) for _ in range(2))
    u = [x.astype(np.uint64) for x in (first, start, count, memory, chart, medium)]
    polar = Polar(u[0], u[1], u[2], u[3], u[4], u[5], taken, re, im, total, int(of_slab.max()))
    joined = [
        np.concatenate([np.zeros(0, dtype=complex), *(getattr(law, what) for law in laws)])
        for what in ("kappa", "drive", "half")
    ]
    begin = np.cumsum([0, *(len(law.kappa) for law in laws)]).astype(np.uint64)
    parts = (part.astype(np.float32) for x in joined for part in (x.real, x.imag))
    return polar, Poles(begin, *parts), np.asarray(of_slab)
