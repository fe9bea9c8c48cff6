"""A Gaussian beam let in through the faces of the total-field box: a sum of plane waves as the
grid carries them.

The field in the focal plane is a Gaussian of the transverse wave number, of directions on an even
net (Goodman, *Introduction to Fourier Optics*, ch. 3; Siegman, *Lasers*, ch. 16), so that it
repeats itself beyond the box. On the faces, counted from the time at which the middle ray passes,
all that is a sum of a few fields, each with a signal of its own: the singular vectors of the fields
at some frequencies, between which they are followed by polynomials.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft
from scipy.interpolate import BarycentricInterpolator

from heron.engines.transient.incidence import (
    EARLY,
    MOST_SAMPLES,
    SETTLED,
    Incidence,
    Piece,
    corners,
    entry,
    faces,
    first_index,
    incidence,
    stratified,
)
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats
from heron.errors import ModelError
from heron.excitation.pulse import Pulse
from heron.excitation.waves import LEAST_ACROSS, Beam, PlaneWave
from heron.fields.rays import Rays, one_ray
from heron.quantities.constants import C0, ETA0

Complexes = NDArray[np.complex128]

FAINT_RAY = 1e-5  # of the middle ray's level: rays below this are left out
STEEPEST = 0.98  # sine of the largest angle of a ray with the beam's axis
# radii (1/e of the field) from the box to the next of the beams that the sum repeats
FAR = 3.2
MOST_RAYS = 20_000
LEFT_OUT = 0.01  # of the beam's power: what rays may have that do not come from its side
FAINT_DB = 80.0  # level of the pulse's spectrum below which its lines are left out
LOWEST = 0.002  # of the highest such frequency: what is lower is left out too
FAINT_PLACE = 1e-6  # of the largest field: places with less get nothing
NODES = (12, 24, 48, 96)  # frequencies at which fields are computed, until those between follow
FOLLOWS = 3e-4  # of the largest field: how exactly
ALIKE = 1e-4  # of the largest field: what leaving out fields may change


def rays_of(wave: PlaneWave, reach: float, lowest: float, highest: float) -> Rays:
    """The rays of a wave within ``reach`` (m) of its axis, for wave numbers from ``lowest`` to
    ``highest``, rad/m.

    :raises ModelError: there are too many; a part of the beam would come from another side.
    """
    if not isinstance(wave, Beam):
        return one_ray(wave.travels, wave.electric)
    steepest = min(STEEPEST, 2 * np.sqrt(-np.log(FAINT_RAY)) / (lowest * wave.waist))
    spacing = 2 * np.pi / (highest * reach)
    count = int(np.ceil(steepest / spacing))
    if np.pi * count**2 > MOST_RAYS:
        raise ModelError(
            f"so narrow a beam in so large a box takes {np.pi * count**2:,.0f} plane waves, and up"
            f" to {MOST_RAYS:,} are summed here; widen its waist, or bring the focus and the walls"
            " nearer to the model",
            ("waist",),
        )
    net = spacing * np.arange(-count, count + 1)
    one, other = (v.ravel() for v in np.meshgrid(net, net, indexing="ij"))
    tilt = np.hypot(one, other)
    kept = tilt <= steepest
    side = np.cross(wave.travels, wave.electric)
    travels = (
        np.sqrt(1 - tilt[kept] ** 2)[:, None] * wave.travels
        + one[kept, None] * wave.electric
        + other[kept, None] * side
    )
    # Each field is turned with its ray, about what is across both (Rodrigues).
    about = np.cross(wave.travels, travels)
    turned = np.cross(about, wave.electric)
    electric = (
        wave.electric + turned + np.cross(about, turned) / (1 + travels @ wave.travels)[:, None]
    )
    whole = Rays(
        travels, electric, tilt[kept], int(tilt[kept].argmin()), spacing, wave.focus, wave.waist
    )
    inward = travels[:, wave.normal] * np.sign(wave.travels[wave.normal]) > LEAST_ACROSS
    part = replace(
        whole,
        travels=travels[inward],
        electric=electric[inward],
        tilt=whole.tilt[inward],
        middle=int(whole.tilt[inward].argmin()),
    )
    level = np.abs(whole.amplitudes(lowest)) ** 2
    if level[~inward].sum() > LEFT_OUT * level.sum():
        raise ModelError(
            "a part of the beam's rays does not come from its side of the model; widen its waist,"
            " or let it travel more nearly along an axis",
            ("waist",),
        )
    return part


def ray_bounds(
    wave: PlaneWave, at: Floats, pulse: Pulse, f_start: float, index: float
) -> tuple[float, float, float]:
    """How far from the axis of a beam the next that its sum repeats may begin, m: beyond all of the
    places ``at`` (3, n), whatever its radius there; and the wave numbers, rad/m, for which it must
    hold, in a medium of refractive ``index``.
    """
    longest, shortest = C0 / index / f_start, C0 / index / pulse.highest
    if not isinstance(wave, Beam):
        return 0.0, 2 * np.pi / longest, 2 * np.pi / shortest
    away = at - wave.focus[:, None]
    depth = wave.travels @ away
    aside = np.linalg.norm(away - np.outer(wave.travels, depth), axis=0)
    radius = wave.waist * np.sqrt(1 + (depth * longest / (np.pi * wave.waist**2)) ** 2)
    return float(aside.max() + FAR * radius.max()), 2 * np.pi / longest, 2 * np.pi / shortest


def beam_rays(stepper: Stepper, wave: PlaneWave, pulse: Pulse, f_start: float) -> Rays:
    """The rays of a wave that a box is let into, in the medium it comes from."""
    index = first_index(stepper, wave.normal, wave.travels[None])
    return rays_of(wave, *ray_bounds(wave, corners(stepper.structure), pulse, f_start, index))


def incident_beam(stepper: Stepper, wave: PlaneWave, rays: Rays, pulse: Pulse) -> Incidence:
    """Any wave as the grid carries it."""
    return (
        _beam(stepper, wave, rays, pulse)
        if isinstance(wave, Beam)
        else incidence(stepper, wave, pulse)
    )


def _beam(stepper: Stepper, wave: Beam, rays: Rays, pulse: Pulse) -> Incidence:
    """A beam as the grid carries its rays."""
    dt, index = stepper.dt, first_index(stepper, wave.normal, rays.travels)
    pieces = [(magnetic, piece) for magnetic in (False, True) for piece in faces(stepper, magnetic)]
    late = index / C0 * wave.travels
    after = [
        sum(late[axis] * (piece.place[axis] - wave.focus[axis]) for axis in range(3))
        for _, piece in pieces
    ]
    away = corners(stepper.structure) - wave.focus[:, None]
    strong = np.abs(rays.amplitudes(2 * np.pi * pulse.centre * index / C0)) * len(rays.tilt) > ALIKE
    arrives = index / C0 * rays.travels[strong] @ away
    apart = arrives - late @ away
    delay = max(float(-arrives.min()), float(-apart.min())) + (EARLY + 2) * dt
    passes = delay + float(arrives.max())

    def on_faces(frequency: float) -> Complexes:
        """All fields (places,), H times η0, counted from the time at which the middle ray
        passes.
        """
        omega = 2 * np.pi * frequency
        k = omega * index / C0
        lines = stratified(
            stepper, wave.normal, rays.travels, rays.electric, np.full(len(rays.tilt), omega)
        )
        level, out = rays.amplitudes(k), []
        for (magnetic, piece), passed in zip(pieces, after, strict=True):
            field = _summed(
                piece, lines[not magnetic, piece.source], level, k * rays.travels, wave.normal
            )
            out.append(
                (
                    field
                    * np.exp(1j * omega * passed)
                    * (1.0 if magnetic else ETA0 * np.exp(0.5j * omega * dt))
                ).ravel()
            )
        return np.concatenate(out)

    low, high = pulse.reach(FAINT_DB)
    low = max(low, LOWEST * high)
    nodes, values = _followed(on_faces, low, high)
    # Singular vectors from the small Gram matrix, with real factors, as signals are real; what each
    # place loses without those left out says how many are kept.
    parts = np.concatenate((values.real, values.imag))
    vectors = np.linalg.eigh(parts @ parts.T)[1][:, ::-1]
    factors = vectors.T @ parts
    lost = np.sqrt(np.cumsum(factors[::-1] ** 2, axis=0)[::-1] / len(nodes)).max(axis=1)
    count = max(1, int((lost > ALIKE * np.abs(values).max()).sum()))
    largest = np.abs(factors[:count]).max(axis=1)
    follow = BarycentricInterpolator(
        nodes,
        (vectors[: len(nodes), :count] + 1j * vectors[len(nodes) :, :count]) * largest,
        rng=0,  # its order of nodes, the same each time
    )
    rows, shares = (
        _signals(follow, pulse, delay, passes, (low, high), dt),
        (factors[:count] / largest[:, None]).T,
    )
    out, first = [], 0
    for magnetic in (False, True):
        own = [piece for of, piece in pieces if of == magnetic]
        size = sum(piece.number.size for piece in own)
        passed = np.concatenate(
            [p.ravel() for p, (of, _) in zip(after, pieces, strict=True) if of == magnetic]
        )
        part = shares[first : first + size]
        bright = np.abs(part).max(axis=1) > FAINT_PLACE * np.abs(shares).max()
        out.append(
            entry(
                stepper,
                own,
                passed,
                np.zeros(size, dtype=np.int64),
                part / (1.0 if magnetic else ETA0),
                bright,
            )
        )
        first += size
    return Incidence(
        np.ascontiguousarray(rows.T[None], dtype=np.float32), out[0], out[1], delay, passes
    )


def _summed(
    piece: Piece, lines: Complexes, level: Complexes, wave_vectors: Floats, normal: int
) -> Complexes:
    """Σ over rays of ``level`` · ``lines`` (q, lines) · e^(−jk·r) at the places (n, m) of a piece,
    whose axes vary along one of its sides each, or not at all.
    """
    sides: list[Any] = [level[:, None], np.ones((len(level), 1))]
    for axis in range(3):
        values = piece.source_index[axis] if axis == normal else piece.place[axis]
        side = 0 if values[0, 0] != values[-1, 0] else 1
        own = values[:, 0] if side == 0 else values[0]
        own = own[:1] if (values == values[0, 0]).all() else own
        sides[side] = sides[side] * (
            lines[:, own] if axis == normal else np.exp(-1j * np.outer(wave_vectors[:, axis], own))
        )
    return np.asarray(np.broadcast_to(sides[0].T @ sides[1], piece.number.shape))


def _followed(fields: Any, low: float, high: float) -> tuple[Floats, Complexes]:
    """Frequencies (m,) and fields (m, places) that give those between by a polynomial.

    :raises ModelError: they change too quickly.
    """
    tried = low + (high - low) * np.array([0.17, 0.52, 0.86])
    wanted = np.array([fields(f) for f in tried])
    for count in NODES:
        nodes = 0.5 * (low + high) + 0.5 * (high - low) * np.cos(
            np.pi * (2 * np.arange(count) + 1) / (2 * count)
        )
        values = np.array([fields(f) for f in nodes])
        weights = BarycentricInterpolator(nodes, np.eye(count), rng=0)(tried)
        if np.abs(weights @ values - wanted).max() <= FOLLOWS * np.abs(values).max():
            return nodes, values
    raise ModelError(
        "the beam's field on the box changes too quickly with frequency; give the layers some loss,"
        " or bring the focus nearer to the model",
        ("focus",),
    )


def _signals(
    follow: Any, pulse: Pulse, delay: float, passes: float, span: tuple[float, float], dt: float
) -> Floats:
    """(fields, samples) at t = (n − EARLY) Δt."""
    count = next_fast_len(int((delay + pulse.duration + passes) / dt) + 8 * EARLY)
    while True:
        spectrum = rfft(pulse((np.arange(count) - EARLY) * dt - delay))
        f = np.arange(len(spectrum)) / (count * dt)
        own = (f > span[0]) & (f < span[1])
        factors = np.zeros((len(f), follow(span[0]).size), dtype=complex)
        factors[own] = follow(f[own]) * spectrum[own, None]
        rows = irfft(factors.T, count)
        if float(np.abs(rows[:, -EARLY:]).max()) <= 10 * SETTLED * float(np.abs(rows).max()):
            return rows
        if count > MOST_SAMPLES:
            raise ModelError(
                "what the layers keep of the beam does not die away; give them some loss",
                ("surround",),
            )
        count = next_fast_len(2 * count)
