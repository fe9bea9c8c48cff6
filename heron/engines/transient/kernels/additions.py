"""What is added to fields on rows of the grid beside the curls: by lumped elements, incident waves,
the ends of feeds' cases, poles of media, and edges that mix.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange

from heron.engines.transient.kernels.curls import FAST, NONE, ONE, Apart, U


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def branches(
    e: Any, lumped: Any, drive: Any, slab: int, j0: int, j1: int, n: int
) -> None:  # pragma: no cover - compiled
    """What flows in step n through lumped elements in series along edges of a slab that lie in rows
    j0 to j1; takes the fields there.

    By the trapezoidal rule the current at the half step is I = y (V + J), with V the voltage along
    the edge, half from before and half from after, and J = ±Vs + (2L/Δt) i − u of the source, the
    current i and the capacitor's voltage u at the whole step (Taflove and Hagness, ch. 15).
    ``part`` (edges, 7): length, effect of J on E, share of the source, y, 2L/Δt, Δt/C, weight of
    the voltage before. ``state`` (edges, 3): i, u, voltage before.
    """
    at, line, port, part, state = lumped.at, lumped.row, lumped.port, lumped.part, lumped.state
    start, stop, waves, samples = (
        lumped.of_slab[slab],
        lumped.of_slab[slab + 1],
        drive.waves,
        drive.samples,
    )
    for m in range(start, stop):  # all of them first, as several may share an edge
        if j0 <= line[m] < j1:
            push = part[m, 4] * state[m, 0] - state[m, 1]
            if port[m] < waves.shape[1]:
                push += part[m, 2] * waves[n, port[m]]
            e[at[m]] += part[m, 1] * push
    for m in range(start, stop):
        if j0 <= line[m] < j1:
            length, _, share, y, inertia, elastance, old = part[m]
            push = inertia * state[m, 0] - state[m, 1]
            if port[m] < waves.shape[1]:
                push += share * waves[n, port[m]]
            volt = e[at[m]] * length
            current = y * ((1 - old) * volt + old * state[m, 2] + push)
            state[m, 0] = 2 * current - state[m, 0]
            state[m, 1] += elastance * current
            state[m, 2] = volt
            samples[n, m], samples[n, m + len(at)] = e[at[m]], current


@njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def enter(
    f: Any, q0: int, q1: int, entry: Any, drive: Any, n: int
) -> None:  # pragma: no cover - compiled
    """What an incident wave adds to rows q0 to q1 in step n: four taps on its signals, see
    :mod:`heron.engines.transient.incidence`.
    """
    at, first, base, shift, taps = entry.at, entry.first, entry.base, entry.shift, entry.taps
    signals, samples = drive.signals, drive.length
    each = entry.shares.shape[1]
    flat = entry.shares.reshape(-1)
    for m in range(first[q0], first[q1]):
        t = n + shift[m]
        if 0 <= t < samples - 3:
            one, two, three, four = taps[m, 0], taps[m, 1], taps[m, 2], taps[m, 3]
            p, q, total = U(base[m] + t * each), U(m * each), np.float32(0.0)
            a, b, c, length = p + U(each), p + U(2 * each), p + U(3 * each), U(each)
            for r in range(NONE, length):
                total += flat[q + r] * (
                    one * signals[p + r]
                    + two * signals[a + r]
                    + three * signals[b + r]
                    + four * signals[c + r]
                )
            f[at[m]] += total


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def absorb(
    q0: Any, q1: Any, f: Any, g: Any, table: Any, cases: Any
) -> None:  # pragma: no cover - compiled
    """What the absorbing ends of cases add to rows q0 to q1, as layers do: stretches of rows with
    their own recursions.
    """
    psi, b, c = cases.psi, cases.b, cases.c
    for m in range(cases.first[q0], cases.first[q1]):
        o, u, v = cases.at[m], cases.of[m], cases.of[m] - cases.stride[m]
        t, a, s = cases.chart[m], cases.memory[m], cases.sign[m]
        for k in range(NONE, cases.length[m]):
            p = b[a + k] * psi[a + k] + c[a + k] * (g[u + k] - g[v + k])
            psi[a + k] = p
            f[o + k] += s * table[t + k] * p


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def remember(
    e: Any, drawn: Any, q0: Any, q1: Any, polar: Any, poles: Any
) -> None:  # pragma: no cover - compiled
    """Poles in rows q0 to q1 before E is updated: ``drawn``, from the first of these rows on, is Σ
    Re(h K), and then K = κ K + g E.
    """
    memory, re, im, begin, total = polar.memory, polar.re, polar.im, poles.begin, U(polar.total)
    base = memory[polar.first[q0]]
    for m in range(polar.first[q0], polar.first[q1]):
        o, u, s, n = polar.at[m], memory[m], memory[m] - base, polar.length[m]
        medium = polar.medium[m]
        for k in range(NONE, n):
            drawn[s + k] = 0.0
        for p in range(begin[medium], begin[medium + ONE]):
            r, i, g = poles.kappa_re[p], poles.kappa_im[p], poles.drive_re[p]
            j, x, y = poles.drive_im[p], poles.half_re[p], poles.half_im[p]
            if i == 0.0:  # a real pole
                for k in range(NONE, n):
                    a = re[u + k]
                    drawn[s + k] += x * a
                    re[u + k] = r * a + g * e[o + k]
            else:
                for k in range(NONE, n):
                    a, b = re[u + k], im[u + k]
                    drawn[s + k] += x * a - y * b
                    re[u + k] = r * a - i * b + g * e[o + k]
                    im[u + k] = r * b + i * a + j * e[o + k]
            u += total


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def polarise(
    e: Any, drawn: Any, q0: Any, q1: Any, polar: Any
) -> None:  # pragma: no cover - compiled
    """What the poles' currents take from the updated E in rows q0 to q1: ``taken`` times what
    :func:`remember` found.
    """
    memory, taken = polar.memory, polar.taken
    base = memory[polar.first[q0]]
    for m in range(polar.first[q0], polar.first[q1]):
        o, s, t = polar.at[m], memory[m] - base, polar.chart[m]
        for k in range(NONE, polar.length[m]):
            e[o + k] -= taken[t + k] * drawn[s + k]


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def keep(e: Any, source: Any, saved: Any) -> None:  # pragma: no cover - compiled
    """E of the edges that others take from, before a step."""
    for m in prange(len(source)):
        saved[m] = e[source[m]]


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def mix(
    e: Any, source: Any, saved: Any, target: Any, first: Any, of: Any, weight: Any
) -> None:  # pragma: no cover - compiled
    """What edges take from the changes of others in a step, see
    :mod:`heron.engines.transient.averages`.
    """
    for m in prange(len(source)):
        saved[m] = e[source[m]] - saved[m]
    for n in prange(len(target)):
        total = np.float32(0.0)
        for m in range(first[n], first[n + 1]):
            total += weight[m] * saved[of[m]]
        e[target[n]] += total
