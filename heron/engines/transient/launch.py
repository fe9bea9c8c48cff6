"""Line and guide feeds: their modes over the band as the grid has them, the wave let in at the
plane, and the waves found there.

A mode's fields change with frequency, of a line with several media at least. They are solved for at
a few frequencies and followed between them; in time the wave is a sum of a few fixed fields, each
with a signal of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy.fft import irfft, next_fast_len, rfft
from scipy.special import erf

from heron.discretise.grid import dual
from heron.engines.transient.apertures import MORE
from heron.engines.transient.incidence import EARLY, FAINT, MOST_SAMPLES, Incidence
from heron.engines.transient.kernels.tables import Entry
from heron.engines.transient.modes import Mode, Section, forward, impedance, propagation, solve
from heron.engines.transient.openings import Aperture
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats, Structure
from heron.engines.transient.sums import Complexes, Rows
from heron.errors import ModelError
from heron.excitation.pulse import Pulse
from heron.quantities import engineering
from heron.quantities.constants import MU0

SOLVED = 7  # frequencies at which modes are solved for
# level of the pulse beyond which its wave has the fields of the last such frequency
REACH_DB = 60.0
# of a signal's largest: what may be left at its end; the waves are measured, so that it costs
# nothing but a little energy
ENDED = 1e-4
NOTHING = 1e-9  # of a field's largest: its imaginary part is then that of rounding
ALIKE = 1e-7  # of the largest: fields that add less to a mode are left out
# over the distance of the band from a cut-off: how long a pulse needs that begins softly above it,
# s·Hz
RISE = 3.0
SOFT = 3.0  # widths of an error function from the middle of that distance to its ends
LONGEST = 40.0  # of the time that such a pulse needs to begin: how long its signal may be
# start of a band over the cut-off: nearer than this pulses ring for too long, which preflight tells
NEAREST = 1.03
WATCHED = 2  # modes beyond those asked for that are looked for in what comes out


def section(stepper: Stepper, p: Aperture, frequency: float) -> Section:
    """The coefficients of the scheme in the case of an opening."""
    s, dt = stepper.structure, stepper.dt
    omega = 2 * np.pi * frequency
    turn = np.exp(0.5j * omega * dt)
    d, (a, b) = p.axis, p.across
    laws = [law.admittance(np.array([omega]))[0] for law in stepper.coefficients.laws]
    y, z, live = [], [], []
    for number, (c, more) in enumerate(zip((a, b, d), MORE, strict=True)):
        i, j, k = p.places(more, p.behind if c == d else p.line)
        ca, cb = stepper.electric_at(c, i, j, k)
        # walls of solid metal are perfect ones to a mode
        there = (cb > 0) & ~p.shut[number] & ~(s.metal & (s.free_edge == 0))[c, i, j, k]
        live.append(there)
        poles = sum(
            law * share[c, i, j, k]
            for law, share in zip(laws, stepper.coefficients.pole_shares, strict=True)
        )
        y.append(np.where(there, (turn - ca / turn) / np.where(there, cb, 1) + poles, np.inf))
        i, j, k = p.places((1 - more[0], 1 - more[1]), p.line if c == d else p.behind)
        # in metal, where no E is
        db = np.where(
            s.free_face[c, i, j, k] == 0,
            dt / MU0,
            stepper.magnetic_at(c, i, j, k),
        )
        z.append(np.where(db > 0, (turn - 1 / turn) / np.where(db > 0, db, 1), 0))
    steps = [np.diff(s.lines[q])[lo:hi] for q, lo, hi in zip((a, b), p.low, p.high, strict=True)]
    widths = [
        dual(np.diff(s.lines[q]))[lo : hi + 1]
        for q, lo, hi in zip((a, b), p.low, p.high, strict=True)
    ]
    step = abs(float(s.lines[d][p.line] - s.lines[d][p.line - p.sign]))
    return Section(
        (steps[0], steps[1]),
        (widths[0], widths[1]),
        (y[0], y[1], y[2]),
        (z[0], z[1], z[2]),
        (live[0], live[1], live[2]),
        step,
        2 * np.sin(omega * dt / 2) / dt,
    )


@dataclass
class Family:
    """One mode over frequency, from solutions at ``nodes`` (K,) Hz: β̃² (K,), and e and w as sums
    of a few fields (r, n) with factors (K, r).

    ``flux`` (r, r') are Σ e w dA of those fields and ``square`` (r, r) Σ e* e dA, of all of the
    opening.
    """

    nodes: Floats
    beta2: Complexes
    e: tuple[Complexes, Complexes]
    w: tuple[Complexes, Complexes]
    flux: Complexes
    square: Complexes
    step: float

    def at(self, frequency: Floats) -> tuple[Complexes, Complexes, Complexes]:
        """β (f,), and factors (f, r), (f, r') of the fields that make e and q of a wave of unit
        power: Σ e q dA = 1 for all of the opening.
        """
        at, below, beta2 = self._beta2(frequency)
        e, q = (
            at @ self.e[1],
            at
            @ self.w[1]
            * below[:, None]
            / (1j * forward(np.where(beta2 == 0, 1.0, beta2)))[:, None],
        )
        root = np.sqrt(np.einsum("fr,rs,fs->f", e, self.flux, q))[:, None]
        return propagation(beta2, self.step), e / root, q / root

    def _beta2(self, frequency: Floats) -> tuple[Floats, Floats, Complexes]:
        """Weights of the solutions (f, K), what the index keeps below them (f,), and β̃² (f,)."""
        f = np.clip(frequency, self.nodes[0], self.nodes[-1])
        at = _between(self.nodes, f)
        # the lowest of what travels from 0 Hz on keeps its index there
        below = np.minimum(frequency / f, 1)
        # and the highest goes on as in an even medium
        return (
            at,
            below,
            (at @ self.beta2) * below**2 + self._slope * np.maximum(frequency**2 - f**2, 0),
        )

    def continuum(self, frequency: Floats, dt: float) -> Complexes:
        """β (f,) in rad/m without what differences along the way and over time steps of ``dt`` s
        change of it, for β̃ is the phase constant that the cross-section gives at ω̃; of the grid
        only the cells of the cross-section are left.
        """
        return np.asarray(forward(self._beta2(undispersed(frequency, dt))[2]))

    def strength(self, frequency: Floats) -> Floats:
        """√Σ |e|² dA (f,) of a wave of unit power, V."""
        e = self.at(frequency)[1]
        return np.asarray(np.sqrt(np.real(np.einsum("fr,rs,fs->f", e.conj(), self.square, e))))

    @property
    def _slope(self) -> complex:
        return complex(
            (self.beta2[-1] - self.beta2[-2]) / (self.nodes[-1] ** 2 - self.nodes[-2] ** 2)
        )

    def mode(self, frequency: float) -> Mode:
        """The mode between the solutions."""
        at = _between(self.nodes, np.array([frequency]))[0]
        return Mode(
            complex(at @ self.beta2), at @ self.e[1] @ self.e[0], at @ self.w[1] @ self.w[0]
        )

    @cached_property
    def cut_off(self) -> float:
        """From which frequency it travels, Hz, as far as solutions reach; 0 if it does from the
        lowest on.
        """
        fine = np.linspace(self.nodes[0], self.nodes[-1], 2001)
        real = np.real(_between(self.nodes, fine) @ self.beta2)
        if real[-1] <= 0:
            slope = self._slope.real
            return (
                float(np.sqrt(self.nodes[-1] ** 2 - real[-1] / slope))
                if slope > 0
                else float("inf")
            )
        below = np.flatnonzero(real <= 0)
        return float(fine[below[-1]]) if len(below) else 0.0


def undispersed(frequency: Floats, dt: float) -> Floats:
    """At which frequency (f,) in Hz differences over time steps of ``dt`` s turn as waves of
    ``frequency`` do.
    """
    return np.asarray(np.arcsin(np.pi * frequency * dt) / (np.pi * dt))


def _between(nodes: Floats, f: Floats) -> Floats:
    """(f, K): weights of values at Chebyshev nodes for those between (Berrut and Trefethen, SIAM
    Review 46 (2004)).
    """
    k = np.arange(len(nodes))
    own = (-1.0) ** k * np.sin((2 * k + 1) * np.pi / (2 * len(nodes)))
    apart = f[:, None] - nodes[None, :]
    exact = apart == 0
    terms = own / np.where(exact, 1, apart)
    out = terms / terms.sum(axis=1, keepdims=True)
    return np.asarray(np.where(exact.any(axis=1, keepdims=True), exact, out))


def families(stepper: Stepper, p: Aperture, pulse: Pulse, count: int, stop: float) -> list[Family]:
    """The ``count`` modes of an opening that travel best at ``stop`` Hz, the top of the band, each
    followed over the band of the pulse.
    """
    low, high = pulse.reach(REACH_DB)
    nodes = 0.5 * (low + high) - 0.5 * (high - low) * np.cos(
        (2 * np.arange(SOLVED) + 1) * np.pi / (2 * SOLVED)
    )
    first = section(stepper, p, stop)
    start = solve(first, count)
    weight = first.weight
    found: list[list[Mode]] = [[] for _ in nodes]
    order = np.argsort(np.abs(nodes - stop))
    for n in order.tolist():
        near = min(
            (m for m in order.tolist() if found[m]),
            key=lambda m: abs(nodes[m] - nodes[n]),
            default=None,
        )
        found[n] = _followed(
            solve(section(stepper, p, float(nodes[n])), count + WATCHED),
            start if near is None else found[near],
            weight,
        )
    out = []
    for k in range(count):
        own = [modes[k] for modes in found]
        e, w = (_few(np.array([getattr(m, name) for m in own])) for name in ("e", "w"))
        flux, square = (e[0] * weight) @ w[0].T / p.share, (e[0].conj() * weight) @ e[0].T / p.share
        out.append(Family(nodes, np.array([m.beta2 for m in own]), e, w, flux, square, first.step))
    return out


def _followed(modes: list[Mode], before: list[Mode], weight: Floats) -> list[Mode]:
    """For each mode of another frequency the one most like it, with its phase; e and w change
    alike.
    """
    out, left = [], list(modes)
    for old in before:
        likeness = [complex((weight * old.e.conj() * m.e).sum()) for m in left]
        best = int(np.argmax(np.abs(likeness)))
        turn = np.conj(likeness[best]) / abs(likeness[best])
        m = left.pop(best)
        out.append(Mode(m.beta2, m.e * turn, m.w * turn))
    return out


def _few(fields: Complexes) -> tuple[Complexes, Complexes]:
    """Fields (K, n) as the sum of a few (r, n) with factors (K, r)."""
    u, size, v = np.linalg.svd(fields, full_matrices=False)
    r = max(1, int((size > ALIKE * size[0]).sum()))
    most = v[np.arange(r), np.abs(v[:r]).argmax(axis=1)]
    turn = np.conj(most) / np.abs(most)  # real where they can be
    return v[:r] * turn[:, None], u[:, :r] * size[:r] / turn


def _parts(fields: Complexes) -> list[tuple[int, complex, Floats]]:
    """Real fields (n,) with the number of the complex one that each is part of and its factor
    there, 1 or j; those that are nothing are left out.
    """
    found = [
        (k, factor, part)
        for k, field in enumerate(fields)
        for factor, part in ((1.0 + 0j, field.real), (1j, field.imag))
    ]
    return [
        (k, factor, part)
        for k, factor, part in found
        if np.abs(part).max() > NOTHING * np.abs(fields[k]).max()
    ]


@dataclass
class Gate:
    """A line or guide feed ready to run: its modes, those ``driven`` first, with the ``impedance``
    of each in Ω, then some that are only watched.

    ``shift`` m is how far its plane of reference lies ahead; ``weight`` (n,) are the areas of
    transverse components, m².
    """

    aperture: Aperture
    families: list[Family]
    driven: int
    impedance: list[float]
    shift: float
    weight: Floats
    pulse: Pulse

    @property
    def feed(self) -> int:
        """Number of its feed in the document."""
        return self.aperture.number

    def numbered(self, mode: int) -> int:
        """The number of a mode, from one."""
        return mode + 1

    def launch(self, stepper: Stepper, mode: int, start: float) -> Incidence:
        """The wave of a mode that goes into the model, from ``start`` Hz on."""
        return launched(stepper, self, mode, self.pulse, start)

    def record(self, s: Structure, e: Rows, h: Rows) -> None:
        """Adds sums over the opening: of E with the fields w of every mode, of H with its fields
        e.
        """
        p = self.aperture
        a, b = p.across
        nodes = (3, *(n + 1 for n in s.shape))
        at_e: list[Any] = []
        at_h: list[Any] = []
        sign: list[Any] = []
        for c, more in zip((a, b), MORE[:2], strict=True):  # q = (H_b, −H_a), of a wave along +axis
            for at, component, layer in ((at_e, c, p.line), (at_h, b if c == a else a, p.ahead)):
                place = p.places(more, layer)
                at.append(
                    np.ravel_multi_index((np.full_like(place[0], component), *place), nodes).ravel()
                )
            sign.append(np.full(len(at_h[-1]), (1.0 if c == a else -1.0) * p.sign))
        for family in self.families:
            for rows, where, fields, factor in (
                (e, at_e, family.w[0], self.weight),
                (h, at_h, family.e[0], self.weight * np.concatenate(sign)),
            ):
                for _, _, part in _parts(fields):
                    some = np.flatnonzero(part)
                    rows.add(
                        np.zeros(len(some)), np.concatenate(where)[some], (part * factor)[some]
                    )
                    rows.count += 1

    def others(self, frequency: Floats, a: Complexes, b: Complexes) -> Floats:
        """How strong the fields of modes that are only watched are at the plane, (f,), over those
        of the others; of waves (f, modes) from :meth:`waves`.
        """
        strong = (
            np.abs(a + b) * np.array([family.strength(frequency) for family in self.families]).T
        )
        return np.asarray(
            np.linalg.norm(strong[:, self.driven :], axis=1)
            / np.linalg.norm(strong[:, : self.driven], axis=1)
        )

    def waves(
        self, frequency: Floats, e: Complexes, h: Complexes, driven: bool
    ) -> tuple[Complexes, Complexes]:
        """a and b (f, modes), √W, at the plane of reference, from transforms (f, rows) of the sums
        of E and of H, whether it is ``driven`` or not.
        """
        a, b = (np.empty((len(frequency), len(self.families)), dtype=complex) for _ in range(2))
        row_e = row_h = 0
        for k, family in enumerate(self.families):
            beta, of_e, of_q = family.at(frequency)
            volts, amperes = (
                np.zeros(len(frequency), dtype=complex),
                np.zeros(len(frequency), dtype=complex),
            )
            for n, factor, _ in _parts(family.w[0]):
                volts += of_q[:, n] * factor * e[:, row_e] / self.aperture.share
                row_e += 1
            for n, factor, _ in _parts(family.e[0]):
                amperes += of_e[:, n] * factor * h[:, row_h] / self.aperture.share
                row_h += 1
            half = np.exp(-0.5j * beta * family.step)
            # E = (a + b) e at the plane, and half a cell ahead q is that of a, late by so much,
            # less that of b, early by it.
            a[:, k] = (volts / half + amperes) / (half + 1 / half)
            b[:, k] = volts - a[:, k]
            if k < self.driven:
                a[:, k] *= np.exp(-1j * beta * self.shift)
                b[:, k] *= np.exp(1j * beta * self.shift)
        return a, b


def gate(stepper: Stepper, p: Aperture, feed: Any, plan: Any, pulse: Pulse) -> Gate:
    """A feed's modes, with the impedances of those driven in the middle of the band.

    :raises ModelError: a mode asked for does not travel in all of the band.
    """
    count = int(feed.modes)
    found = families(stepper, p, pulse, count + WATCHED, plan.f_stop)
    for k, family in enumerate(found[:count]):
        if family.cut_off >= plan.f_start:
            raise ModelError(
                f"mode {k + 1} of its opening has its cut-off at"
                f" {engineering(family.cut_off, 'Hz')}; "
                + (
                    "ask for fewer modes, or raise the band"
                    if k
                    else "raise the band, or feed a larger guide"
                ),
                ("modes" if k else "centre",),
            )
    centre = 0.5 * (plan.f_start + plan.f_stop)
    middle = section(stepper, p, centre)
    return Gate(
        p,
        found,
        count,
        [abs(impedance(middle, f.mode(centre), p.ratio)) for f in found[:count]],
        float(feed.shift),
        middle.weight,
        pulse,
    )


def launched(stepper: Stepper, g: Gate, mode: int, pulse: Pulse, start: float) -> Incidence:
    """The wave of a mode that goes into the model, its amplitude that of the pulse, in √W; nothing
    below its cut-off, softly up to ``start`` Hz.
    """
    family, dt, p = g.families[mode], stepper.dt, g.aperture
    soft = RISE / (start - family.cut_off) if family.cut_off > 0 else 0.0
    delay = (EARLY + 2) * dt + soft
    count = next_fast_len(int((pulse.duration + 2 * delay) / dt) + 8 * EARLY)
    while True:
        rows = _signals(family, pulse, delay, count, start, dt)
        if float(np.abs(rows[:, -EARLY:]).max()) <= ENDED * float(np.abs(rows).max()):
            break
        if count > max(MOST_SAMPLES, LONGEST * soft / dt):
            raise ModelError(
                "its mode begins to travel so near to the band that its pulse does not end; begin"
                " the band higher",
                ("centre",),
            )
        count = next_fast_len(2 * count)
    e, h = (_entry(stepper, p, magnetic, family, rows.shape[1]) for magnetic in (False, True))
    return Incidence(
        np.ascontiguousarray(rows[:, :, None], dtype=np.float32), e, h, delay, 2 * delay
    )


def _signals(
    family: Family, pulse: Pulse, delay: float, count: int, start: float, dt: float
) -> Floats:
    """Signals (parts of e + parts of q, samples): of E at t = (n − EARLY) Δt, of q half a cell
    outside and half a step later.
    """
    spectrum = rfft(pulse((np.arange(count) - EARLY) * dt - delay))
    bins = np.flatnonzero(np.abs(spectrum) > FAINT * np.abs(spectrum).max())
    bins = bins[bins > max(0, int(family.cut_off * count * dt))]
    frequency = bins / (count * dt)
    level = spectrum[bins]
    if family.cut_off > 0:
        level = level * (
            0.5
            + 0.5 * erf(SOFT * (2 * (frequency - family.cut_off) / (start - family.cut_off) - 1))
        )
    beta, of_e, of_q = family.at(frequency)
    outside = np.exp(0.5j * beta * family.step + 1j * np.pi * frequency * dt)
    rows = []
    for factors, fields in ((of_e, family.e[0]), (of_q * outside[:, None], family.w[0])):
        for k, factor, _ in _parts(fields):
            full = np.zeros(count // 2 + 1, dtype=complex)
            full[bins] = level * factors[:, k] * factor
            rows.append(irfft(full, count))
    return np.array(rows)


def _entry(stepper: Stepper, p: Aperture, magnetic: bool, family: Family, samples: int) -> Entry:
    """What is added at the plane: to E by q half a cell outside, to H there by E on the plane."""
    s = stepper.structure
    d, (a, b) = p.axis, p.across
    nodes = (3, *(n + 1 for n in s.shape))
    table = _parts(family.e[0] if magnetic else family.w[0])
    first_row = 0 if magnetic else len(_parts(family.e[0]))
    at, row, weight = [], [], []
    offset = 0
    # the transverse edges, each with the H that lies over it
    for c, more in zip((a, b), MORE[:2], strict=True):
        i, j, k = (x.ravel() for x in p.places(more, p.behind if magnetic else p.line))
        size = len(i)
        if magnetic:
            # H_b (over E_a) += sign db E_a/Δ, H_a (over E_b) −= sign db E_b/Δ
            component = b if c == a else a
            factor = (
                (1.0 if c == a else -1.0)
                * p.sign
                * stepper.magnetic_at(component, i, j, k)
                / np.diff(s.lines[d])[p.behind]
            )
        else:
            # E += cb q/δ of a wave along +axis; of one along −axis q has the other sign, and lies
            # on the other side.
            component = c
            factor = stepper.electric_at(c, i, j, k)[1] / dual(np.diff(s.lines[d]))[p.line]
        number = np.ravel_multi_index((np.full_like(i, component), i, j, k), nodes)
        for n, (_, _, values) in enumerate(table):
            w = factor * values[offset : offset + size]
            some = np.flatnonzero(w)
            at.append(number[some])
            row.append(np.full(len(some), first_row + n))
            weight.append(w[some])
        offset += size
    number, signal, factor = (np.concatenate(x) for x in (at, row, weight))
    _, slab, line, _ = np.unravel_index(number, nodes)
    flat_row = slab * (s.shape[1] + 1) + line
    order = np.lexsort((number, flat_row))
    first = np.searchsorted(flat_row[order], np.arange((s.shape[0] + 1) * (s.shape[1] + 1) + 1))
    taps = np.zeros((len(order), 4), dtype=np.float32)
    taps[:, 1] = factor[order]
    begin, shift, shares = (
        signal[order] * samples,
        np.full(len(order), EARLY - 1),
        np.ones((len(order), 1), dtype=np.float32),
    )
    return Entry(
        stepper.layout.flat_number(number[order]),
        first.astype(np.int64),
        begin,
        shift,
        taps,
        shares,
    )
