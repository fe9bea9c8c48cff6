"""Far fields of currents in and above layers that go on to all sides, by reciprocity.

What currents send towards a direction is what a plane wave from there does to them: p·E(r) = −jωμ0
e^(−jkr)/4πr Σ (E·J − H·M), with E and H those of a wave of unit amplitude and polarisation p that
comes from r, its phase zero at the origin (Balanis, *Advanced Engineering Electromagnetics*, ch. 7;
Chew, *Waves and Fields in Inhomogeneous Media*, ch. 2). The waves in the layers follow from
reflection coefficients, from the far side on.

Over what a grid has recorded they are waves of the grid: they lag by its time step, and along z by
every cell (Taflove and Hagness, ch. 4), as the wave does that is let in. On the difference in phase
of both depends what a small body takes from the wave.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
import xarray as xr
from numba import njit, prange
from numpy.typing import NDArray

from heron.fields.surface import Enclosed, recorded, spherical
from heron.quantities.constants import C0, EPS0, ETA0, MU0

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

CHUNK = 2048  # directions at a time
LOSSLESS = 1e-9  # of ε: less loss than that is none
# more points of the rule over the polar angle, in each of its pieces, than half the pattern's
# degree
SPARE = 16


class Wave(NamedTuple):
    """Plane waves that leave: the numbers ``of`` (n,) those they come from, directions (n,) in rad,
    E (n, 2) of θ and φ components in V/m at the origin, and the relative admittance of their
    medium.
    """

    of: NDArray[np.int64]
    theta: Floats
    phi: Floats
    field: Complexes
    admittance: float


class Grid(NamedTuple):
    """Of a run: ``lines`` across z (n,) in m, the size of a ``cell`` along x and y in m, the time
    step in s.
    """

    lines: Floats
    cell: float
    dt: float


@dataclass(frozen=True)
class Way:
    """Places along a wave's way from the origin: ``length`` in m, and ``lag`` in m³, which times
    kz³ is what cells add to the phase.
    """

    length: Floats
    lag: Floats

    def __getitem__(self, which: Any) -> Way:
        return Way(self.length[which], self.lag[which])

    def __sub__(self, other: Way) -> Way:
        return Way(self.length - other.length, self.lag - other.lag)

    def carried(self, kz: Complexes) -> Complexes:
        """What waves are multiplied by along it: 2 asin(kz Δ/2) is the phase over each cell, here
        to third order.
        """
        return np.asarray(np.exp(-1j * kz * (self.length + kz**2 * self.lag)))


class Through(NamedTuple):
    """A wave through the media in their order along its way, the numbers of which from above are
    ``order`` (m,): kz (m, d), amplitudes ``onward`` (m, d) where each medium begins, in the first
    at the origin, and ``back`` (m, d) where each ends, in the first again at the origin; ``begin``
    (m,) places.
    """

    kz: Complexes
    onward: Complexes
    back: Complexes
    begin: Way
    order: list[int]


def vectors(wave: Wave) -> tuple[Floats, Complexes]:
    """Which way waves travel that leave, unit vectors (n, 3), and their E (n, 3), V/m along x, y, z
    at the origin.
    """
    way, along_theta, along_phi = spherical(wave.theta, wave.phi)
    return way, np.asarray(wave.field[:, :1] * along_theta + wave.field[:, 1:] * along_phi)


@dataclass(frozen=True)
class Stack:
    """Media (m,) from above downwards, as relative ``epsilon`` and ``mu`` at a ``frequency`` in Hz;
    ``heights`` (m − 1,) in m of what parts them; the ``grid`` that carries the waves, or none.
    """

    frequency: float
    epsilon: Complexes
    mu: Complexes
    heights: Floats
    grid: Grid | None = None

    @property
    def omega(self) -> float:
        """That of differences over a step of the grid, rad/s."""
        whole = 2 * np.pi * self.frequency
        return (
            whole
            if self.grid is None
            else float(2 / self.grid.dt * np.sin(whole * self.grid.dt / 2))
        )

    def _way(self, z: Floats, below: bool) -> Way:
        """Heights above the origin, for waves from above or ``below``."""
        sign = 1.0 if below else -1.0
        if self.grid is None:
            return Way(sign * z, np.zeros(len(z)))
        lag = np.append(0.0, np.cumsum(np.diff(self.grid.lines) ** 3)) / 24
        return Way(
            sign * z,
            sign * (np.interp(z, self.grid.lines, lag) - np.interp(0.0, self.grid.lines, lag)),
        )

    def _transverse(self, theta: Floats, index: float) -> Floats:
        """Wave numbers (d,) across z towards ``theta`` in a medium; those of differences over the
        cells, on the average of all φ, and towards the horizon more and more those of waves that
        graze it in the grid, as nothing else is zero there where it should be.
        """
        k, sine = index * 2 * np.pi * self.frequency / C0, np.sin(theta)
        if self.grid is None:
            return np.asarray(k * sine)
        of_cells = k * sine * (1 - (k * self.grid.cell * sine) ** 2 / 32)
        grazing = index * self.omega / C0 - k * (1 - (k * self.grid.cell) ** 2 / 32)
        return np.asarray(of_cells + grazing * sine**8)

    def outer(self, below: bool) -> tuple[float, float]:
        """Refractive index and relative admittance √(ε/μ) of the outermost medium; zero of one that
        takes power, where there is no far field.
        """
        end = -1 if below else 0
        epsilon, mu = self.epsilon[end], self.mu[end]
        if epsilon.real <= 0 or -(epsilon * mu).imag > LOSSLESS * abs(epsilon * mu):
            return 0.0, 0.0
        return float(np.sqrt(epsilon * mu).real), float(np.sqrt(epsilon / mu).real)

    def _waves(self, transverse: Floats, below: bool, magnetic: bool) -> Through:
        """Waves from above or ``below`` with transverse wave numbers (d,), of unit E across the
        plane of incidence or, ``magnetic``, of unit H.
        """
        order = list(range(len(self.epsilon)))[:: -1 if below else 1]
        ends = self._way(self.heights[::-1] if below else self.heights, below)
        epsilon, mu = self.epsilon[order, None], self.mu[order, None]
        kz = np.sqrt((self.omega / C0) ** 2 * epsilon * mu - transverse**2 + 0j)
        kz = np.where(kz.imag > 0, -kz, kz)
        y = kz / (epsilon if magnetic else mu)
        count, d = len(order), len(transverse)
        step = (y[:-1] - y[1:]) / (y[:-1] + y[1:])
        returned = np.zeros((count, d), dtype=complex)  # back over onward at the end of each medium
        thick = ends[1:] - ends[:-1]
        through = thick[:, None].carried(kz[1:-1])
        for m in range(count - 2, -1, -1):
            beyond = returned[m + 1] * (through[m] ** 2 if m + 1 < count - 1 else 1.0)
            returned[m] = (step[m] + beyond) / (1 + step[m] * beyond)
        onward, back = np.ones((count, d), dtype=complex), np.zeros((count, d), dtype=complex)
        for m in range(count - 1):
            at_end = onward[m] * (ends[0].carried(kz[0]) if m == 0 else through[m - 1])
            back[m] = returned[m] * at_end
            beyond = returned[m + 1] * (through[m] ** 2 if m + 1 < count - 1 else 1.0)
            onward[m + 1] = at_end * (1 + step[m]) / (1 + step[m] * beyond)
        if count > 1:
            back[0] = back[0] * ends[0].carried(kz[0])
        return Through(
            kz, onward, back, Way(np.append(0.0, ends.length), np.append(0.0, ends.lag)), order
        )

    def fields(self, theta: Floats, z: Floats) -> Complexes:
        """(d, z, 6): Eρ, Ez, Hφ of a θ-polarised wave of 1 V/m from directions at ``theta`` (d,),
        and Eφ, Hρ, Hz of a φ-polarised one, at heights (z,) above the origin, φ and ρ being those
        of the direction; zero where that lies in a medium that takes power.
        """
        out = np.zeros((len(theta), len(z), 6), dtype=complex)
        for below in (False, True):
            own = np.flatnonzero((np.cos(theta) < 0) == below)
            index, admittance = self.outer(below)
            if not len(own) or not index:
                continue
            omega = self.omega
            transverse = self._transverse(theta[own], index)
            sign = 1.0 if below else -1.0
            along = self._way(z, below)
            for magnetic in (True, False):
                kz, onward, back, begin, order = self._waves(transverse, below, magnetic)
                place = np.searchsorted(begin.length[1:], along.length, side="right")
                k = kz[place].T  # (d, z)
                last = len(order) - 1
                # in the first medium both refer to the origin
                end = begin[
                    np.where((place == 0) | (place == last), 0, np.minimum(place + 1, last))
                ]
                plus = onward[place].T * (along - begin[place]).carried(k)
                # nothing comes back in the last
                minus = np.where(place == last, 0.0, back[place].T * (along - end).carried(-k))
                total, flow = plus + minus, sign * k * (plus - minus)
                if magnetic:
                    media, scale = self.epsilon[np.array(order)[place]], -admittance / ETA0
                    parts = (
                        flow / (omega * EPS0 * media),
                        transverse[:, None] * total / (omega * EPS0 * media),
                        total,
                    )
                    out[own, :, 0], out[own, :, 1], out[own, :, 2] = (scale * v for v in parts)
                else:
                    media = self.mu[np.array(order)[place]]
                    out[own, :, 3] = total
                    out[own, :, 4], out[own, :, 5] = (
                        -flow / (omega * MU0 * media),
                        -transverse[:, None] * total / (omega * MU0 * media),
                    )
        return out

    def leaving(self, travels: Floats, electric: Floats) -> list[Wave]:
        """What becomes of waves (q, 3) of 1 V/m from one side without anything but the layers: what
        is reflected, and what goes on, where it reaches a far field.
        """
        theta, phi = (
            np.arccos(np.clip(-travels[:, 2], -1, 1)),
            np.arctan2(-travels[:, 1], -travels[:, 0]),
        )
        _, along_theta, along_phi = spherical(theta, phi)
        below = bool(travels[0, 2] > 0)
        first, admittance = self.outer(below)
        e_theta, e_phi = (electric * along_theta).sum(axis=1), (electric * along_phi).sum(axis=1)
        if len(self.epsilon) == 1:
            return [
                Wave(
                    np.arange(len(theta)),
                    np.pi - theta,
                    phi + np.pi,
                    np.column_stack((e_theta, -e_phi)).astype(complex),
                    admittance,
                )
            ]
        sine = first * np.sin(theta)
        transverse = self._transverse(theta, first)
        amplitude = {True: -e_theta * admittance / ETA0, False: e_phi}
        found = {magnetic: self._waves(transverse, below, magnetic) for magnetic in (True, False)}
        out = []
        for reflected in (True, False):
            side = below if reflected else not below
            index, own = self.outer(side)
            far = np.flatnonzero((index > sine) | reflected) if index else np.zeros(0, dtype=int)
            if not len(far):
                continue
            h, e = (
                amplitude[m]
                * (w.back[0] if reflected else w.onward[-1] * w.begin[-1].carried(-w.kz[-1]))
                for m, w in found.items()
            )
            polar = np.arcsin(np.minimum(sine[far] / index, 1.0))
            out.append(
                Wave(
                    far,
                    np.pi - polar if side else polar,
                    phi[far] + np.pi,
                    np.column_stack((-h * ETA0 / own, -e))[far],
                    own,
                )
            )
        return out


def stack_of(results: xr.Dataset, index: int) -> Stack:
    """The media about an illuminated run's model at sweep point ``index``: its layers, or vacuum
    alone.
    """
    frequency = float(results["frequency"].values[index])
    if "layer_height" not in results:
        return Stack(frequency, np.ones(1, dtype=complex), np.ones(1, dtype=complex), np.zeros(0))
    grid = None
    if "grid_z" in results:
        grid = Grid(
            results["grid_z"].values,
            float(results.attrs["cell_across"]),
            float(results.attrs["time_step"]),
        )
    return Stack(
        frequency,
        results["layer_epsilon"].values[index],
        results["layer_mu"].values[index],
        results["layer_height"].values,
        grid,
    )


@njit(parallel=True, fastmath={"contract", "reassoc"}, cache=True)  # type: ignore[untyped-decorator]
def _gather(
    x: Any, y: Any, number: Any, j: Any, m: Any, transverse: Any, phi: Any, field: Any, out: Any
) -> None:  # pragma: no cover - compiled
    """Σ (E·J − H·M) of moments (waves, n, 3) at places ``number`` (n, 3) of x, y and the heights of
    ``field`` (d, z, 6), for both polarisations (waves, d, 2).
    """
    for d in prange(len(phi)):
        c, s = np.cos(phi[d]), np.sin(phi[d])
        px, py = np.exp(1j * transverse[d] * c * x), np.exp(1j * transverse[d] * s * y)
        for n in range(len(number)):
            phase = px[number[n, 0]] * py[number[n, 1]]
            f = field[d, number[n, 2]]
            for w in range(len(j)):
                jx, jy, jz, mx, my, mz = (
                    j[w, n, 0],
                    j[w, n, 1],
                    j[w, n, 2],
                    m[w, n, 0],
                    m[w, n, 1],
                    m[w, n, 2],
                )
                out[w, d, 0] += phase * (
                    (jx * c + jy * s) * f[0] + jz * f[1] - (my * c - mx * s) * f[2]
                )
                out[w, d, 1] += phase * (
                    (jy * c - jx * s) * f[3] - (mx * c + my * s) * f[4] - mz * f[5]
                )


def far_field(
    stack: Stack, points: Floats, j: Complexes, m: Complexes, theta: Floats, phi: Floats
) -> Complexes:
    """r·E e^(jkr) (waves, d, 2) in V, θ and φ components, of moments (waves, n, 3), k being that of
    the medium in each direction; zero in one that takes power.
    """
    theta, phi = np.asarray(theta, dtype=float), np.asarray(phi, dtype=float)
    omega = 2 * np.pi * stack.frequency
    places, number = zip(
        *(np.unique(points[:, axis], return_inverse=True) for axis in range(3)), strict=True
    )
    numbers = np.column_stack(number)
    index = np.where(np.cos(theta) < 0, stack.outer(True)[0], stack.outer(False)[0])
    out = np.zeros((len(j), len(theta), 2), dtype=complex)
    for start in range(0, len(theta), CHUNK):
        own = slice(start, start + CHUNK)
        part = np.zeros((len(j), len(theta[own]), 2), dtype=complex)
        _gather(
            places[0],
            places[1],
            numbers,
            np.ascontiguousarray(j, dtype=complex),
            np.ascontiguousarray(m, dtype=complex),
            index[own] * omega / C0 * np.sin(theta[own]),
            phi[own],
            stack.fields(theta[own], places[2]),
            part,
        )
        out[:, own] = part
    return -1j * omega * MU0 / (4 * np.pi) * out


def power_forms(stack: Stack, points: Floats, j: Complexes, m: Complexes) -> Complexes:
    """(2, waves, waves): ∫ E_p* · E_q √(ε/μ)/2η0 dΩ above and below.

    The polar angle is parted at the horizon and where the other side's waves graze it.
    """
    away = points - points.mean(axis=0)
    # as far as from what layers mirror
    away[:, 2] = np.abs(points[:, 2, None] - np.append(stack.heights, points[:, 2].mean())).max(
        axis=1
    )
    reach = float(np.linalg.norm(away, axis=1).max())
    out = np.zeros((2, len(j), len(j)), dtype=complex)
    for below in (False, True):
        index, admittance = stack.outer(below)
        if not index:
            continue
        other = stack.outer(not below)[0]
        pieces = (
            [0.0, float(np.arcsin(other / index)), np.pi / 2]
            if 0 < other < index
            else [0.0, np.pi / 2]
        )
        degree = int(np.ceil(index * 2 * np.pi * stack.frequency / C0 * reach + 6))
        u, w = np.polynomial.legendre.leggauss(degree // 2 + SPARE)
        turn = np.pi / 2 * u  # θ goes as its sine, which leaves no roots at the ends of a piece
        polar = np.concatenate([a + (b - a) * (np.sin(turn) + 1) / 2 for a, b in pairwise(pieces)])
        weight = np.concatenate(
            [(b - a) * np.pi / 4 * np.cos(turn) * w for a, b in pairwise(pieces)]
        ) * np.sin(polar)
        polar = np.pi - polar if below else polar
        around = 2 * np.pi * np.arange(2 * degree + 2) / (2 * degree + 2)
        field = far_field(
            stack, points, j, m, np.repeat(polar, len(around)), np.tile(around, len(polar))
        )
        per = np.repeat(weight, len(around)) * (2 * np.pi / len(around)) * admittance / (2 * ETA0)
        out[int(below)] = np.einsum("pdc,d,qdc->pq", field.conj(), per, field)
    return out


class InLayers(Enclosed):
    """Recorded currents in and above layers."""

    def __init__(self, stack: Stack, *own: Any) -> None:
        super().__init__(*own)
        self.stack = stack

    def far_field(self, theta: Floats, phi: Floats, frequency: float) -> Complexes:
        return far_field(self.stack, self.points, self.j, self.m, theta, phi)


def read(results: xr.Dataset, index: int, incident: Complexes) -> InLayers:
    """The currents of a run under incident waves (P,) at sweep point ``index``, in its layers."""
    return InLayers(stack_of(results, index), *recorded(results, index, incident))
