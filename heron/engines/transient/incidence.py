"""A plane wave let in through the faces of a box: inside it the grid holds total fields, outside
scattered ones (Taflove and Hagness, ch. 5).

The wave is one of the grid itself, so that hardly anything leaks out. Across one axis (``normal``)
the grid is stratified: there each frequency's field follows from the scheme's own difference
equations, line by line, with their cell sizes and media, beginning with the wave that leaves at the
far side. Along the two others it is e^(−jkx), which the scheme carries unchanged where its cells
are of one size; that is a delay in time, so that one signal for each line and component says it
all.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from heron.discretise.grid import dual
from heron.engines.transient.kernels.tables import Entry, Light
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats, Structure
from heron.errors import ModelError
from heron.excitation.pulse import Pulse
from heron.excitation.waves import PlaneWave
from heron.quantities.constants import C0, EPS0

Complexes = NDArray[np.complex128]
Longs = NDArray[np.int64]

FAINT = 1e-9  # of the pulse's largest: spectral lines below this are left out
EARLY = 4  # samples before a signal begins
MOST_SAMPLES = 400_000
SETTLED = 1e-5  # of a signal's largest: what may be left at its end


@dataclass
class Incidence:
    """A wave let in: ``signals`` (rows, samples, those mixed at a place), and what is added to E
    and to H; ``delay`` in s of its pulse at the origin or the focus, and ``passes`` in s, after
    which the pulse only has its own length to go.
    """

    signals: NDArray[np.float32]
    e: Entry
    h: Entry
    delay: float
    passes: float

    @property
    def light(self) -> Light:
        """As the compiled steps take it."""
        return Light(self.e, self.h, self.signals.reshape(-1), self.signals.shape[1])


def box_corners(s: Structure) -> tuple[Floats, Floats]:
    """Lowest and highest corner (3,) of the total-field box, m."""
    low, high = s.box
    return np.array([s.lines[k][low[k]] for k in range(3)]), np.array(
        [s.lines[k][high[k]] for k in range(3)]
    )


def incidence(stepper: Stepper, wave: PlaneWave, pulse: Pulse) -> Incidence:
    """The wave as the grid of a stepper carries it."""
    d = wave.normal
    slowness = first_index(stepper, d, wave.travels[None]) / C0 * wave.travels
    ends = corners(stepper.structure)
    along = slowness @ ends
    first = ends[:, int(along.argmin())]  # where it enters, at this time
    begins, transit = (EARLY + 2) * stepper.dt, float(np.ptp(along))
    signals = _signals(stepper, wave, pulse, begins, transit, float(slowness[d] * first[d]))
    rows = np.concatenate([signals[c].reshape(-1, signals[c].shape[-1]) for c in sorted(signals)])
    starts, total = {}, 0
    for c in sorted(signals):
        starts[c] = total
        total += len(signals[c])
    slow = slowness * (np.arange(3) != d)
    entries = []
    for magnetic in (False, True):
        pieces = list(faces(stepper, magnetic))
        row = np.concatenate(
            [
                (starts[not magnetic, piece.source] + piece.source_index[d]).ravel()
                for piece in pieces
            ]
        )
        delays = np.concatenate(
            [
                sum(slow[k] * (piece.place[k] - first[k]) for k in range(3)).ravel()
                for piece in pieces
            ]
        )
        entries.append(entry(stepper, pieces, delays, row * rows.shape[1], np.ones((len(row), 1))))
    return Incidence(
        np.ascontiguousarray(rows[:, :, None], dtype=np.float32),
        entries[0],
        entries[1],
        begins - float(along.min()),
        begins + transit,
    )


def corners(s: Structure) -> Floats:
    """(3, 8) m of the total-field box."""
    return np.array(np.meshgrid(*zip(*box_corners(s), strict=True), indexing="ij")).reshape(3, -1)


# --- the wave across the layers ----------------------------------------------------------


def _line(stepper: Stepper, c: int, d: int, magnetic: bool) -> tuple[Floats, Floats]:
    """The coefficients (ca, cb), or (1, db), of component c along axis d at the box's lowest
    edge.
    """
    s = stepper.structure
    n = s.shape
    node: list[Any] = [np.full(n[d] + 1, s.corner[k]) for k in range(3)]
    node[d] = np.arange(n[d] + 1)
    i, j, k = node
    if magnetic:
        return np.ones(n[d] + 1), stepper.magnetic_at(c, i, j, k)
    return stepper.electric_at(c, i, j, k)


def outer_indices(stepper: Stepper, d: int, forward: bool) -> tuple[float, float]:
    """Refractive indices of the media that waves along axis d come from and go to."""
    cb = _line(stepper, (d + 1) % 3, d, False)[1]
    first = 1 if forward else len(cb) - 2
    one, other = (float(np.sqrt(stepper.dt / (EPS0 * cb[k]))) for k in (first, len(cb) - 1 - first))
    return one, other


def first_index(stepper: Stepper, d: int, travels: Floats) -> float:
    """Refractive index of the medium that waves in directions (waves, 3) come from.

    :raises ModelError: it is lossy; a wave is reflected as a whole.
    """
    forward = bool(travels[0, d] > 0)
    ca, cb = _line(stepper, (d + 1) % 3, d, False)
    first = 1 if forward else len(cb) - 2
    if abs(ca[first] - 1) > 1e-6 or any(
        share[(d + 1) % 3, *_at(stepper, d, first)] > 0
        for share in stepper.coefficients.pole_shares
    ):
        raise ModelError(
            "the medium that it comes from takes power from it, so that it has no strength of its"
            " own; let it come from the other side",
            ("travels",),
        )
    index, last = outer_indices(stepper, d, forward)
    if last <= index * float(np.hypot(*np.delete(travels, d, axis=1).T).max()):
        raise ModelError(
            f"the wave is reflected as a whole: beyond {np.degrees(np.arcsin(last / index)):.1f}°"
            " from the normal, what clings to the surface runs ahead of a pulse for ever; let it"
            " come less slanted",
            ("travels",),
        )
    return index


def _at(stepper: Stepper, axis: int, line: int) -> tuple[int, ...]:
    """The node on a line across an axis at the box's lowest edge."""
    return tuple(line if k == axis else stepper.structure.corner[k] for k in range(3))


def _signals(
    stepper: Stepper, wave: PlaneWave, pulse: Pulse, begins: float, transit: float, ahead: float
) -> dict[tuple[bool, int], Floats]:
    """Samples of E (False, c) at t = (n − EARLY) Δt and of H (True, c) half a step later, (lines,
    samples), before the delay along the box's faces; of a pulse that begins at a time and is
    ``ahead`` s of where the wave's own phase has it.
    """
    dt, low, high = stepper.dt, *(int(end[wave.normal]) for end in stepper.structure.box)
    count = next_fast_len(int((begins + pulse.duration + transit) / dt) + 8 * EARLY)
    while True:
        found = _sampled(stepper, wave, pulse, begins, ahead, count)
        # lines beyond the box are never asked for
        ends = [found[False, c][low:high] for c in range(3)]
        if max(float(np.abs(v[:, -EARLY:]).max()) for v in ends) <= SETTLED * max(
            float(np.abs(v).max()) for v in ends
        ):
            return found
        if count > MOST_SAMPLES:
            raise ModelError(
                "what the layers keep of the wave does not die away; give them some loss",
                ("surround",),
            )
        count = next_fast_len(2 * count)


def _sampled(
    stepper: Stepper, wave: PlaneWave, pulse: Pulse, begins: float, ahead: float, count: int
) -> dict[tuple[bool, int], Floats]:
    dt = stepper.dt
    spectrum = rfft(pulse((np.arange(count) - EARLY) * dt - begins))
    bins = np.flatnonzero(np.abs(spectrum) > FAINT * np.abs(spectrum).max())
    bins = bins[bins > 0]
    omega: Floats = np.asarray(2 * np.pi * bins / (count * dt), dtype=np.float64)
    field = stratified(
        stepper,
        wave.normal,
        np.tile(wave.travels, (len(omega), 1)),
        np.tile(wave.electric, (len(omega), 1)),
        omega,
    )
    out = {}
    for (magnetic, c), values in field.items():
        half = np.exp(1j * omega * (ahead + (0.5 * dt if magnetic else 0.0)))
        full = np.zeros((values.shape[1], count // 2 + 1), dtype=complex)
        full[:, bins] = (values * (spectrum[bins] * half)[:, None]).T
        out[magnetic, c] = irfft(full, count)
    return out


def stratified(
    stepper: Stepper, d: int, travels: Floats, electric: Floats, omega: Floats
) -> dict[tuple[bool, int], Complexes]:
    """E (False, c) and H (True, c) phasors (waves, lines) along axis d, at x = 0 along the two
    others, of plane waves each with its own direction (waves, 3), field (waves, 3) and frequency
    (waves,), for 1 V/m at the origin; all come from one side.

    Both kinds of polarisation obey I P = ΔV/Δ and Q V = ΔI/δ from line to line: V = E across the
    plane of incidence, I = H in it; or V = E in it and I = −H across it. (t, n, d) is right-handed,
    t along the transverse wave vector.
    """
    s, dt = stepper.structure, stepper.dt
    a, b = (d + 1) % 3, (d + 2) % 3
    forward = bool(travels[0, d] > 0)
    low, high = s.box
    wave_number = outer_indices(stepper, d, forward)[0] * omega / C0
    k = wave_number[:, None] * travels[:, [a, b]]
    cell = [float(np.mean(np.diff(s.lines[q][low[q] : high[q] + 1]))) for q in (a, b)]
    kappa_a, kappa_b = (2 / size * np.sin(k[:, q] * size / 2) for q, size in enumerate(cell))
    kappa = np.hypot(kappa_a, kappa_b)
    sine = np.hypot(travels[:, a], travels[:, b])
    oblique = sine > 1e-9
    cos, sin = (
        np.where(oblique, part / np.maximum(kappa, 1e-30), other)[:, None]
        for part, other in ((kappa_a, 1.0), (kappa_b, 0.0))
    )
    kappa = kappa[:, None]
    turn = np.exp(0.5j * omega * dt)[:, None]

    def admittance(c: int) -> Complexes:
        ca, cb = _line(stepper, c, d, False)
        poles = stepper.pole_admittance(c, d, omega)
        return np.asarray((turn - ca / turn) / np.where(cb > 0, cb, 1e-30) + poles)

    def impedance(c: int) -> Complexes:
        return np.asarray((turn - 1 / turn) / np.maximum(_line(stepper, c, d, True)[1], 1e-30))

    steps = np.diff(s.lines[d])
    y, y_d, z, z_d = admittance(a), admittance(d)[:, :-1], impedance(a)[:, :-1], impedance(d)
    widths = dual(steps)
    widths[0], widths[-1] = steps[0], steps[-1]
    # The scheme's own outermost lines end in a wall; the media there go on as they are beside them.
    y[:, 0], y[:, -1], z_d[:, 0], z_d[:, -1] = y[:, 1], y[:, -2], z_d[:, 1], z_d[:, -2]
    along = slice(None) if forward else slice(None, None, -1)
    across_v, across_i, across_in, across_out = _chain(
        z[:, along], (y + kappa**2 / z_d)[:, along], steps[along], widths[along]
    )
    z_in, y_in = (z + kappa**2 / y_d)[:, along], y[:, along]
    in_v, in_i, in_in, in_out = _chain(z_in, y_in, steps[along], widths[along])
    sign = 1.0 if forward else -1.0
    # The wave coming in has the phase of the physical one in the middle of the model, and its
    # amplitude far outside, in cells like those that what is scattered is read in: from cells to
    # smaller ones E loses what H gains.
    middle = s.middle_line(d) if forward else s.shape[d] - s.middle_line(d)
    there = np.exp(-1j * wave_number * travels[:, d] * s.lines[d][along][middle])
    # Unit vectors of the plane of incidence as the physical wave has them.
    t = [
        np.where(oblique, travels[:, q] / np.maximum(sine, 1e-30), other)
        for q, other in ((a, 1.0), (b, 0.0))
    ]
    e_t, e_n = (
        electric[:, a] * t[0] + electric[:, b] * t[1],
        electric[:, b] * t[0] - electric[:, a] * t[1],
    )
    e_p = e_t / travels[:, d]  # its amplitude in the plane of incidence: E_t = E_p cos γ

    def alone(values: Complexes, outside: Complexes) -> Complexes:
        return np.asarray(np.abs(outside) * values[:, middle] / np.abs(values[:, middle]))

    across = e_n * there / alone(across_in, across_out)
    # In the plane the vector's length is kept, as the scheme's wave makes a slightly other angle.
    ratio = np.abs(
        kappa[:, 0]
        * _admittance(z_in[:, 0], y_in[:, 0], float(steps[along][0]))
        / y_d[:, along][:, 0]
    )
    inside = sign * e_p * there / alone(in_in, in_out) / np.sqrt(1 + ratio**2)
    v_n, i_t = across_v * across[:, None], sign * across_i * across[:, None]
    v_t, i_n = in_v * inside[:, None], sign * in_i * inside[:, None]
    v_n, i_t, v_t, i_n = (x[:, along] for x in (v_n, i_t, v_t, i_n))
    h_n = -i_n
    return {
        (False, a): cos * v_t - sin * v_n,
        (False, b): sin * v_t + cos * v_n,
        (False, d): -1j * kappa * h_n / y_d,
        (True, a): cos * i_t - sin * h_n,
        (True, b): sin * i_t + cos * h_n,
        (True, d): 1j * kappa * v_n / z_d,
    }


def _chain(
    p: Complexes, q: Complexes, steps: Floats, widths: Floats
) -> tuple[Complexes, Complexes, Complexes, Complexes]:
    """V (f, n + 1) on lines, I (f, n) between them, the V of the wave coming in, and its amplitude
    (f,) at the first, for one that leaves at the last line; P (f, n), Q (f, n + 1).
    """
    n = len(steps)
    v, i = np.empty_like(q), np.empty_like(p)
    v[:, n] = 1.0
    ahead = (_factor(p[:, -1] * q[:, -1] * steps[-1] ** 2) - 1) / (steps[-1] * p[:, -1])
    for k in range(n, 0, -1):
        i[:, k - 1] = ahead - widths[k] * q[:, k] * v[:, k]
        v[:, k - 1] = v[:, k] - steps[k - 1] * p[:, k - 1] * i[:, k - 1]
        ahead = i[:, k - 1]
    factor = _factor(p[:, 0] * q[:, 0] * steps[0] ** 2)
    amplitude = (v[:, 0] / factor - v[:, 1]) / (1 / factor - factor)
    # The incoming wave alone, on as through the first medium.
    alone = np.empty_like(q)
    alone[:, 0], flow = amplitude, amplitude * (factor - 1) / (steps[0] * p[:, 0])
    homogeneous = bool(np.allclose(q, q[:, :1], rtol=1e-6) and np.allclose(p, p[:, :1], rtol=1e-6))
    if homogeneous:
        return v, i, v.copy(), amplitude
    for k in range(n):
        alone[:, k + 1] = alone[:, k] + steps[k] * p[:, 0] * flow
        flow = flow + widths[k + 1] * q[:, 0] * alone[:, k + 1]
    return v, i, alone, amplitude


def _admittance(p: Complexes, q: Complexes, step: float) -> Complexes:
    """I over V of a wave (f,) in even cells, both as at one place."""
    root = np.sqrt(_factor(p * q * step**2))
    return np.asarray((root - 1 / root) / (step * p))


def _factor(y: Complexes) -> Complexes:
    """What a wave is multiplied by from line to line: the root of λ + 1/λ = 2 + y that decays, or,
    without loss, lags.
    """
    root = np.sqrt(y + y * y / 4 + 0j)
    one, other = 1 + y / 2 + root, 1 + y / 2 - root
    lossless = np.abs(np.abs(one) - np.abs(other)) < 1e-9
    return np.asarray(
        np.where(np.where(lossless, one.imag < other.imag, np.abs(one) < np.abs(other)), one, other)
    )


# --- faces of the box -----------------------------------------------------------------------


@dataclass(frozen=True)
class Piece:
    """Places (n, m) of one side of the box where something is added: flat ``number``, ``weight``,
    the component ``source`` of the other field that it takes, at the nodes ``source_index`` and in
    m at ``place``, three arrays each.
    """

    number: Longs
    weight: Floats
    source: int
    source_index: list[Any]
    place: list[Floats]


def faces(stepper: Stepper, magnetic: bool) -> Iterator[Piece]:
    """Corrections of E on the faces, by incident H half a cell outside; or of H there, by incident
    E on the faces.
    """
    s = stepper.structure
    low, high = s.box
    nodes = (3, *(n + 1 for n in s.shape))
    middles = [0.5 * (line[1:] + line[:-1]) for line in s.lines]
    for p in range(3):
        q, r = (p + 1) % 3, (p + 2) % 3
        steps = np.diff(s.lines[p])
        widths = dual(steps)
        for side, node in ((1.0, int(low[p])), (-1.0, int(high[p]))):
            if s.walls[p, int(side < 0)] == 0:
                continue  # the box ends in a wall that reflects
            outside = node - 1 if side > 0 else node
            for along, across, sign in ((q, r, 1.0), (r, q, -1.0)):
                # E along ``along`` pairs with H along ``across``: both lie in the middles of cells
                # along the first and on lines of the second.
                index: list[Any] = [None, None, None]
                index[along], index[across] = np.meshgrid(
                    np.arange(low[along], high[along]),
                    np.arange(low[across], high[across] + 1),
                    indexing="ij",
                )
                index[p] = np.full_like(index[along], outside if magnetic else node)
                c, source = (across, along) if magnetic else (along, across)
                place = [(middles if k == along else s.lines)[k][index[k]] for k in range(3)]
                # of what is added
                place[p] = np.full_like(
                    place[along], s.lines[p][node] if magnetic else middles[p][outside]
                )
                i, j, k_ = index
                coefficient = (
                    stepper.magnetic_at(c, i, j, k_)
                    if magnetic
                    else stepper.electric_at(c, i, j, k_)[1]
                )
                weight = side * sign * coefficient / (steps[outside] if magnetic else widths[node])
                of = list(index)
                of[p] = np.full_like(index[p], node if magnetic else outside)
                yield Piece(
                    np.ravel_multi_index((np.full_like(i, c), i, j, k_), nodes),
                    weight,
                    source,
                    of,
                    place,
                )


def entry(
    stepper: Stepper,
    pieces: list[Piece],
    delay: Floats,
    base: Longs,
    shares: Floats,
    some: NDArray[np.bool_] | None = None,
) -> Entry:
    """What pieces add, ``delay`` (n,) s after the signals from ``base`` (n,) on, in ``shares`` (n,
    signals); at ``some`` (n,) of their places, or all.
    """
    s = stepper.structure
    number, weight = (
        np.concatenate([getattr(piece, what).ravel() for piece in pieces])
        for what in ("number", "weight")
    )
    _, slab, own, _ = np.unravel_index(number, (3, *(n + 1 for n in s.shape)))
    flat_row = slab * (s.shape[1] + 1) + own
    order = np.lexsort((number, flat_row))
    if some is not None:
        order = order[some[order]]
    position = EARLY - delay[order] / stepper.dt
    whole = np.floor(position + 1e-9)
    t = position - whole
    taps = np.column_stack(
        (
            -t * (t - 1) * (t - 2) / 6,
            (t + 1) * (t - 1) * (t - 2) / 2,
            -(t + 1) * t * (t - 2) / 2,
            (t + 1) * t * (t - 1) / 6,
        )
    )
    first = np.searchsorted(flat_row[order], np.arange((s.shape[0] + 1) * (s.shape[1] + 1) + 1))
    return Entry(
        stepper.layout.flat_number(number[order]),
        first.astype(np.int64),
        base[order],
        whole.astype(np.int64) - 1,
        (taps * weight[order, None]).astype(np.float32),
        np.ascontiguousarray(shares[order], dtype=np.float32),
    )
