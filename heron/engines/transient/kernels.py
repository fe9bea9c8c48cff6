"""The leapfrog on a nonuniform Yee grid, compiled.

Fields are arrays (3, nx + 1, ny + 1, nk) of float32, rows padded before their first node and after
their last; ``size`` floats lead from one component to the next, which each follow an empty slab,
and one more is at the end. E[c, i, j, k] lies at node (i, j, k) moved half a cell along its own
direction, H[c, i, j, k] half a cell along the two others (Yee 1966; Taflove and Hagness,
*Computational Electrodynamics*, ch. 3). A slab is all of one i, a row all of one (i, j); ``wide``
is the number of rows, ny of those in a slab. Coefficients go by rows: ``rows[c, i, j]`` names one
of a few distinct rows of a table, which stay in cache (see performance.md). A zero row is a perfect
conductor or lies outside.

Open walls are convolutional perfectly matched layers: Roden and Gedney, Microw. Opt. Technol. Lett.
27 (2000), κ = 1.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange, types
from numba.core.compiler import CompilerBase, DefaultPassBuilder
from numba.extending import intrinsic

FAST = {"contract", "nsz", "arcp", "reassoc"}  # not "nnan" or "ninf": growth to NaN must be noticed


# All arrays are flat, and indices unsigned: views of rows would be counted by reference, which two
# threads fight over, and signed indices may wrap round; either keeps the compiler from vector
# instructions.
U = np.uint64
ONE, NONE = np.uint64(1), np.uint64(0)
STRIP = np.uint64(16)  # floats: layers along rows are widened to multiples of this


class Apart(CompilerBase):  # type: ignore[misc]
    """Compiles functions whose array arguments never overlap: without that, every row would begin
    with comparing addresses.
    """

    def define_pipelines(self) -> list[Any]:
        self.state.flags.noalias = True
        return [DefaultPassBuilder.define_nopython_pipeline(self.state)]


@intrinsic  # type: ignore[untyped-decorator]
def _at(context: Any, array: Any) -> Any:
    """Where an array's data begin: a call with arrays themselves takes longer than a few rows, as
    each is seven words and counted.
    """
    pointer = types.CPointer(array.dtype)

    def code(
        context: Any, builder: Any, signature: Any, values: Any
    ) -> Any:  # pragma: no cover - compiled
        return context.make_array(array)(context, builder, values[0]).data

    return pointer(array), code


def _curl(electric: bool, over_x: bool, over_y: bool) -> Any:
    """Compiled: f = ca f + cb curl g, of E (``electric``), or f = f − cb curl g, of H, on rows that
    layers across x and across y lie over, or neither.
    """

    @njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
    def rows_of(
        i: Any,
        j0: Any,
        j1: Any,
        f: Any,
        g: Any,
        rows: Any,
        ca: Any,
        cb: Any,
        idx: Any,
        idy: Any,
        idz: Any,
        ny: Any,
        nk: Any,
        wide: Any,
        size: Any,
        psi: Any,
        at_x: Any,
        jump_x: Any,
        bx: Any,
        cx: Any,
        at_y: Any,
        jump_y: Any,
        b: Any,
        c: Any,
        wall: Any,
    ) -> None:  # pragma: no cover - compiled
        """Rows j0 to j1 of slab i.

        Beyond the grid H is zero, which with half a cell's distance at the ends makes a magnetic
        wall; coefficients of zero make an electric one. Memories ψ = bψ + c ∂g of layers begin at
        ``at_x`` (the slab's) and ``at_y`` (row j0's), the second component's a jump on.
        """
        row, plane = nk, ny * nk
        up = NONE if electric else ONE  # E takes differences behind, H ahead
        s = idx[i]
        for j in range(j0, j1):
            o, q, t = (i + ONE) * plane + j * row, i * ny + j, idy[j]
            x, y, z = o, size + o, size + size + o
            l, m, n = U(rows[q]) * nk, U(rows[q + wide]) * nk, U(rows[q + wide + wide]) * nk
            beside, ahead, above = up * plane, up * row, up
            p1, p2 = at_x + j * row, at_x + jump_x + j * row
            p3, p4 = at_y + (j - j0) * row, at_y + jump_y + (j - j0) * row
            by, cy = b[wall + j - j0], c[wall + j - j0]
            for k in range(NONE, nk):
                r = idz[k]
                y_x, z_x = (
                    g[y + beside + k] - g[y + beside - plane + k],
                    g[z + beside + k] - g[z + beside - plane + k],
                )
                x_y, z_y = (
                    g[x + ahead + k] - g[x + ahead - row + k],
                    g[z + ahead + k] - g[z + ahead - row + k],
                )
                x_z, y_z = (
                    g[x + above + k] - g[x + above + k - ONE],
                    g[y + above + k] - g[y + above + k - ONE],
                )
                u, v, w = z_y * t - y_z * r, x_z * r - z_x * s, y_x * s - x_y * t
                if over_x:
                    own, other = bx * psi[p1 + k] + cx * z_x, bx * psi[p2 + k] + cx * y_x
                    psi[p1 + k], psi[p2 + k] = own, other
                    v -= own
                    w += other
                if over_y:
                    own, other = by * psi[p3 + k] + cy * x_y, by * psi[p4 + k] + cy * z_y
                    psi[p3 + k], psi[p4 + k] = own, other
                    w -= own
                    u += other
                if electric:
                    f[x + k] = ca[l + k] * f[x + k] + cb[l + k] * u
                    f[y + k] = ca[m + k] * f[y + k] + cb[m + k] * v
                    f[z + k] = ca[n + k] * f[z + k] + cb[n + k] * w
                else:
                    f[x + k] -= cb[l + k] * u
                    f[y + k] -= cb[m + k] * v
                    f[z + k] -= cb[n + k] * w

    return rows_of


@njit(fastmath=FAST, cache=True, boundscheck=False, inline="always")  # type: ignore[untyped-decorator]
def _layer_strip(
    f: Any,
    g: Any,
    psi: Any,
    table: Any,
    m: Any,
    u: Any,
    o: Any,
    a: Any,
    b: Any,
    c: Any,
    q: Any,
    sign: Any,
) -> None:  # pragma: no cover - compiled
    """One component on a strip of a row along which a layer lies: of a fixed length, as short loops
    of any length are slow.
    """
    for k in range(NONE, STRIP):
        p = b[q + k] * psi[m + k] + c[q + k] * (g[u + k] - g[u + k - ONE])
        psi[m + k] = p
        f[o + k] += sign * table[a + k] * p


@njit(fastmath=FAST, cache=True, boundscheck=False, inline="always")  # type: ignore[untyped-decorator]
def _layer_strips(
    f: Any,
    g: Any,
    psi: Any,
    table: Any,
    m: Any,
    x: Any,
    y: Any,
    up: Any,
    a: Any,
    d: Any,
    b: Any,
    c: Any,
    q: Any,
    sign: Any,
) -> None:  # pragma: no cover - compiled
    """Both components, at ``x`` and ``y``, on a strip."""
    _layer_strip(f, g, psi, table, m, y + up, x, a, b, c, q, -sign)
    _layer_strip(f, g, psi, table, m + STRIP, x + up, y, d, b, c, q, sign)


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def _layers_along(
    i: Any,
    j0: Any,
    j1: Any,
    f: Any,
    g: Any,
    rows: Any,
    table: Any,
    psi: Any,
    base: Any,
    strips: Any,
    many: Any,
    b: Any,
    c: Any,
    q: Any,
    up: Any,
    sign: Any,
    ny: Any,
    nk: Any,
    wide: Any,
    size: Any,
) -> None:  # pragma: no cover - compiled
    """What the layers at the ends of rows j0 to j1 add on ``strips``: ψ = bψ + c ∂g, f ± table ψ.

    Two strips at a time, as a row has two ends, and rows within, as recursions then stay in
    registers.
    """
    row, plane, each = nk, ny * nk, many * U(2 * STRIP)
    for s in range(NONE, many, U(2)):
        low, m, q1 = strips[s], base + s * U(2 * STRIP), q + s * STRIP
        if s + ONE < many:
            high, q2 = strips[s + ONE], q1 + STRIP
            for j in range(j0, j1):
                r = i * ny + j
                o, p, a, d = (
                    (i + ONE) * plane + j * row,
                    m + r * each,
                    U(rows[r]) * nk,
                    U(rows[wide + r]) * nk,
                )
                _layer_strips(
                    f,
                    g,
                    psi,
                    table,
                    p,
                    o + low,
                    size + o + low,
                    up,
                    a + low,
                    d + low,
                    b,
                    c,
                    q1,
                    sign,
                )
                _layer_strips(
                    f,
                    g,
                    psi,
                    table,
                    p + U(2 * STRIP),
                    o + high,
                    size + o + high,
                    up,
                    a + high,
                    d + high,
                    b,
                    c,
                    q2,
                    sign,
                )
        else:
            for j in range(j0, j1):
                r = i * ny + j
                o, a, d = (i + ONE) * plane + j * row, U(rows[r]) * nk, U(rows[wide + r]) * nk
                _layer_strips(
                    f,
                    g,
                    psi,
                    table,
                    m + r * each,
                    o + low,
                    size + o + low,
                    up,
                    a + low,
                    d + low,
                    b,
                    c,
                    q1,
                    sign,
                )


def _update(electric: bool) -> Any:
    """Compiled: one step of E or of H on rows j0 to j1 of slab i, with what the six layers add.

    ``psi`` holds the memories of the walls x low, x high, y low, y high and of the ``strips`` at
    the ends of rows one after another from ``base`` (5,), each for two components: across x (2,
    count, ny, nk), y (2, nx, count, nk), z (nx, ny, strips, 2, STRIP). E, across x: Ey −= cb
    ψ(∂Hz/∂x), Ez += cb ψ(∂Hy/∂x), and so on round x, y, z; H with opposite signs. The layers across
    y reach to the first and the last row.
    """
    plain, under_x, under_y, under_both = (
        _curl(electric, x, y) for y in (False, True) for x in (False, True)
    )
    up, sign = U(not electric), np.float32(1.0 if electric else -1.0)

    @njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
    def update(
        i: Any,
        j0: Any,
        j1: Any,
        f: Any,
        g: Any,
        rows: Any,
        ca: Any,
        cb: Any,
        idx: Any,
        idy: Any,
        idz: Any,
        psi: Any,
        base: Any,
        first: Any,
        count: Any,
        strips: Any,
        b: Any,
        c: Any,
        width: Any,
        many: Any,
        ny: Any,
        nk: Any,
        wide: Any,
        size: Any,
    ) -> None:  # pragma: no cover - compiled
        slabs = wide // ny
        side, n = -1, NONE
        for wall in range(2):
            if first[wall] <= i < first[wall] + count[wall]:
                side, n = wall, i - first[wall]
        at_x, jump_x, bx, cx = NONE, NONE, np.float32(0.0), np.float32(0.0)
        if side >= 0:
            at_x, jump_x = base[side] + n * ny * nk, count[side] * ny * nk
            bx, cx = b[U(side) * width + n], c[U(side) * width + n]
        for wall in range(2, 4):
            low, high = max(j0, first[wall]), min(j1, first[wall] + count[wall])
            if low < high:
                n = low - first[wall]
                at_y, jump_y, q = (
                    base[wall] + (i * count[wall] + n) * nk,
                    slabs * count[wall] * nk,
                    U(wall) * width + n,
                )
                if side < 0:
                    under_y(
                        i,
                        low,
                        high,
                        f,
                        g,
                        rows,
                        ca,
                        cb,
                        idx,
                        idy,
                        idz,
                        ny,
                        nk,
                        wide,
                        size,
                        psi,
                        at_x,
                        jump_x,
                        bx,
                        cx,
                        at_y,
                        jump_y,
                        b,
                        c,
                        q,
                    )
                else:
                    under_both(
                        i,
                        low,
                        high,
                        f,
                        g,
                        rows,
                        ca,
                        cb,
                        idx,
                        idy,
                        idz,
                        ny,
                        nk,
                        wide,
                        size,
                        psi,
                        at_x,
                        jump_x,
                        bx,
                        cx,
                        at_y,
                        jump_y,
                        b,
                        c,
                        q,
                    )
        low, high = max(j0, count[2]), min(j1, first[3])
        if low < high:
            if side < 0:
                plain(
                    i,
                    low,
                    high,
                    f,
                    g,
                    rows,
                    ca,
                    cb,
                    idx,
                    idy,
                    idz,
                    ny,
                    nk,
                    wide,
                    size,
                    psi,
                    at_x,
                    jump_x,
                    bx,
                    cx,
                    NONE,
                    NONE,
                    b,
                    c,
                    NONE,
                )
            else:
                under_x(
                    i,
                    low,
                    high,
                    f,
                    g,
                    rows,
                    ca,
                    cb,
                    idx,
                    idy,
                    idz,
                    ny,
                    nk,
                    wide,
                    size,
                    psi,
                    at_x,
                    jump_x,
                    bx,
                    cx,
                    NONE,
                    NONE,
                    b,
                    c,
                    NONE,
                )
        if many:
            _layers_along(
                i,
                j0,
                j1,
                f,
                g,
                rows,
                cb,
                psi,
                base[4],
                strips,
                many,
                b,
                c,
                U(4) * width,
                up,
                sign,
                ny,
                nk,
                wide,
                size,
            )

    return update


_update_e, _update_h = _update(True), _update(False)


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _branches(
    e: Any,
    at: Any,
    line: Any,
    port: Any,
    part: Any,
    state: Any,
    start: Any,
    stop: Any,
    j0: Any,
    j1: Any,
    waves: Any,
    samples: Any,
    n: Any,
) -> None:  # pragma: no cover - compiled
    """What flows through lumped elements in series along edges ``start`` to ``stop`` that lie in
    rows j0 to j1; takes the fields there.

    By the trapezoidal rule the current at the half step is I = y (V + J), with V the voltage along
    the edge, half from before and half from after, and J = ±Vs + (2L/Δt) i − u of the source, the
    current i and the capacitor's voltage u at the whole step (Taflove and Hagness, ch. 15).
    ``part`` (edges, 7): length, effect of J on E, share of the source, y, 2L/Δt, Δt/C, weight of
    the voltage before. ``state`` (edges, 3): i, u, voltage before.
    """
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
def _enter(
    f: Any,
    q0: int,
    q1: int,
    at: Any,
    first: Any,
    base: Any,
    shift: Any,
    taps: Any,
    shares: Any,
    signals: Any,
    samples: int,
    n: int,
) -> None:  # pragma: no cover - compiled
    """What an incident wave adds to rows q0 to q1 in step n: four taps on its signals, see
    :mod:`heron.engines.transient.incidence`.
    """
    each = shares.shape[1]
    flat = shares.reshape(-1)
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
def _absorb(
    q0: Any,
    q1: Any,
    f: Any,
    g: Any,
    table: Any,
    first: Any,
    at: Any,
    of: Any,
    back: Any,
    sign: Any,
    chart: Any,
    count: Any,
    memory: Any,
    psi: Any,
    b: Any,
    c: Any,
) -> None:  # pragma: no cover - compiled
    """What the absorbing ends of cases add to rows q0 to q1, as layers do: stretches of rows with
    their own recursions.
    """
    for m in range(first[q0], first[q1]):
        o, u, v, t, a, s = at[m], of[m], of[m] - back[m], chart[m], memory[m], sign[m]
        for k in range(NONE, count[m]):
            p = b[a + k] * psi[a + k] + c[a + k] * (g[u + k] - g[v + k])
            psi[a + k] = p
            f[o + k] += s * table[t + k] * p


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def _remember(
    e: Any,
    drawn: Any,
    q0: Any,
    q1: Any,
    first: Any,
    start: Any,
    count: Any,
    memory: Any,
    medium: Any,
    re: Any,
    im: Any,
    total: Any,
    begin: Any,
    kr: Any,
    ki: Any,
    gr: Any,
    gi: Any,
    hr: Any,
    hi: Any,
) -> None:  # pragma: no cover - compiled
    """Poles in rows q0 to q1 before E is updated: ``drawn``, from the first of these rows on, is Σ
    Re(h K), and then K = κ K + g E.
    """
    base = memory[first[q0]]
    for m in range(first[q0], first[q1]):
        o, u, s, n = start[m], memory[m], memory[m] - base, count[m]
        for k in range(NONE, n):
            drawn[s + k] = 0.0
        for p in range(begin[medium[m]], begin[medium[m] + ONE]):
            r, i, g, j, x, y = kr[p], ki[p], gr[p], gi[p], hr[p], hi[p]
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
def _polarise(
    e: Any,
    drawn: Any,
    q0: Any,
    q1: Any,
    first: Any,
    start: Any,
    count: Any,
    memory: Any,
    chart: Any,
    taken: Any,
) -> None:  # pragma: no cover - compiled
    """What the poles' currents take from the updated E in rows q0 to q1: ``taken`` times what
    :func:`_remember` found.
    """
    base = memory[first[q0]]
    for m in range(first[q0], first[q1]):
        o, s, t = start[m], memory[m] - base, chart[m]
        for k in range(NONE, count[m]):
            e[o + k] -= taken[t + k] * drawn[s + k]


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def _wave(
    begin: int,
    end: int,
    n0: int,
    depth: int,
    h_low: int,
    h_high: int,
    e_low: int,
    e_high: int,
    slope_low: int,
    slope_high: int,
    e: Any,
    h: Any,
    rows_e: Any,
    ca: Any,
    cb: Any,
    rows_h: Any,
    db: Any,
    ex: Any,
    ey: Any,
    ez: Any,
    hx: Any,
    hy: Any,
    hz: Any,
    psi_e: Any,
    base_e: Any,
    first_e: Any,
    count_e: Any,
    strips_e: Any,
    be: Any,
    ce: Any,
    psi_h: Any,
    base_h: Any,
    first_h: Any,
    count_h: Any,
    strips_h: Any,
    bh: Any,
    ch: Any,
    at: Any,
    line: Any,
    port: Any,
    part: Any,
    state: Any,
    edges: Any,
    waves: Any,
    samples: Any,
    enter_e: Any,
    enter_h: Any,
    signals: Any,
    length: int,
    since: int,
    absorb_e: Any,
    absorb_h: Any,
    polar: Any,
    poles: Any,
    slabs: int,
    rows: int,
    nk: Any,
    size: Any,
    tile: int,
) -> None:  # pragma: no cover - compiled
    """``depth`` steps from step ``n0`` of the slabs between two sloping cuts, while they are in
    cache.

    At its step n the H of slabs h_low + n·slope_low to h_high + n·slope_high is updated, and E
    likewise. Tiles of rows move back by a row with each step and the front of slabs by a slab, so
    that whatever a row needs from the step before is ready, and nothing is overwritten that is
    still needed.
    """
    ny, wide = U(rows), U(slabs) * U(rows)
    first, start, count, memory, chart, medium, taken, re, im, total, longest = polar
    remembers, cased = longest > 0, len(absorb_e[1]) > 0
    drawn = np.empty(longest, dtype=np.float32)
    here, there = _at(e), _at(h)
    part_e = (
        _at(rows_e),
        _at(ca),
        _at(cb),
        _at(ex),
        _at(ey),
        _at(ez),
        _at(psi_e),
        _at(base_e),
        _at(first_e),
        _at(count_e),
        _at(strips_e),
        _at(be),
        _at(ce),
    )
    many_e, many_h = U(len(strips_e)), U(len(strips_h))
    width_e, width_h = (U(len(be)) - many_e * STRIP) // U(4), (U(len(bh)) - many_h * STRIP) // U(4)
    part_h = (
        _at(rows_h),
        _at(db),
        _at(db),
        _at(hx),
        _at(hy),
        _at(hz),
        _at(psi_h),
        _at(base_h),
        _at(first_h),
        _at(count_h),
        _at(strips_h),
        _at(bh),
        _at(ch),
    )
    for origin in range(0, rows + depth - 1, tile):
        for front in range(begin, end + depth - 1):
            for n in range(depth):
                s = front - n
                with_h = h_low + n * slope_low <= s < h_high + n * slope_high
                with_e = e_low + n * slope_low <= s < e_high + n * slope_high
                if s < 0 or s >= slabs or not (with_h or with_e):
                    continue
                i = U(s)
                low, high = max(0, origin - n), min(rows, origin + tile - n)
                j0, j1 = U(low), U(max(low, high))
                if with_h:
                    _update_h(i, j0, j1, there, here, *part_h, width_h, many_h, ny, nk, wide, size)
                    if cased:
                        _absorb(i * ny + j0, i * ny + j1, h, e, db, *absorb_h)
                    if length:
                        _enter(
                            h,
                            s * rows + int(j0),
                            s * rows + int(j1),
                            *enter_h,
                            signals,
                            length,
                            since + n0 + n,
                        )
                if with_e:
                    if remembers:
                        _remember(
                            e,
                            drawn,
                            i * ny + j0,
                            i * ny + j1,
                            first,
                            start,
                            count,
                            memory,
                            medium,
                            re,
                            im,
                            U(total),
                            *poles,
                        )
                    _update_e(i, j0, j1, here, there, *part_e, width_e, many_e, ny, nk, wide, size)
                    if cased:
                        _absorb(i * ny + j0, i * ny + j1, e, h, cb, *absorb_e)
                    if remembers:
                        _polarise(
                            e,
                            drawn,
                            i * ny + j0,
                            i * ny + j1,
                            first,
                            start,
                            count,
                            memory,
                            chart,
                            taken,
                        )
                    if length:
                        _enter(
                            e,
                            s * rows + int(j0),
                            s * rows + int(j1),
                            *enter_e,
                            signals,
                            length,
                            since + n0 + n,
                        )
                    if edges[s] < edges[s + 1]:
                        _branches(
                            e,
                            at,
                            line,
                            port,
                            part,
                            state,
                            edges[s],
                            edges[s + 1],
                            low,
                            high,
                            waves,
                            samples,
                            n0 + n,
                        )


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _keep(e: Any, source: Any, saved: Any) -> None:  # pragma: no cover - compiled
    """E of the edges that others take from, before a step."""
    for m in prange(len(source)):
        saved[m] = e[source[m]]


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def _mix(
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


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def march(
    e: Any,
    h: Any,
    rows_e: Any,
    ca: Any,
    cb: Any,
    rows_h: Any,
    db: Any,
    ex: Any,
    ey: Any,
    ez: Any,
    hx: Any,
    hy: Any,
    hz: Any,
    psi_e: Any,
    base_e: Any,
    first_e: Any,
    count_e: Any,
    strips_e: Any,
    be: Any,
    ce: Any,
    psi_h: Any,
    base_h: Any,
    first_h: Any,
    count_h: Any,
    strips_h: Any,
    bh: Any,
    ch: Any,
    at: Any,
    line: Any,
    port: Any,
    part: Any,
    state: Any,
    edges: Any,
    waves: Any,
    samples: Any,
    enter_e: Any,
    enter_h: Any,
    signals: Any,
    length: int,
    since: int,
    absorb_e: Any,
    absorb_h: Any,
    polar: Any,
    poles: Any,
    mixing: Any,
    shape: Any,
    cuts: Any,
    depth: int,
    tile: int,
) -> None:  # pragma: no cover - compiled
    """``len(waves)`` time steps of flat fields, ``depth`` of them per pass; ``shape`` is (slabs,
    rows, nk, distance of components).

    Each thread takes a stretch of slabs between two ``cuts``, that narrows from step to step, as
    its neighbours' later steps are not known; what is left at the cuts follows. Edges with lumped
    elements ``edges[i]`` to ``edges[i + 1]`` lie in slab i, in row ``line``; ``samples`` (steps, 2
    · edges) receives the fields there and the currents through them. ``enter_e``, ``enter_h`` are
    the entries of an incident wave with ``length`` samples of each of its ``signals``, of which
    ``since`` steps have passed; none if that is zero. ``absorb_e``, ``absorb_h`` are stretches of
    rows in the cases of feeds, ``polar`` those in media with ``poles``. ``mixing`` are edges that
    take from others, which needs passes of one step. A stretch must hold at least 2 · ``depth``
    slabs.
    """
    chunks = len(cuts) - 1
    slabs, rows, nk, size = int(shape[0]), int(shape[1]), U(shape[2]), U(shape[3])
    for n0 in range(0, len(waves), depth):
        d = min(depth, len(waves) - n0)
        if len(mixing[0]):
            _keep(e, mixing[0], mixing[1])
        for t in prange(chunks):
            start, stop = cuts[t], cuts[t + 1]
            left, right = int(t > 0), -int(t < chunks - 1)
            _wave(
                start,
                stop,
                n0,
                d,
                start,
                stop,
                start + left,
                stop,
                left,
                right,
                e,
                h,
                rows_e,
                ca,
                cb,
                rows_h,
                db,
                ex,
                ey,
                ez,
                hx,
                hy,
                hz,
                psi_e,
                base_e,
                first_e,
                count_e,
                strips_e,
                be,
                ce,
                psi_h,
                base_h,
                first_h,
                count_h,
                strips_h,
                bh,
                ch,
                at,
                line,
                port,
                part,
                state,
                edges,
                waves,
                samples,
                enter_e,
                enter_h,
                signals,
                length,
                since,
                absorb_e,
                absorb_h,
                polar,
                poles,
                slabs,
                rows,
                nk,
                size,
                tile,
            )
        for t in prange(chunks - 1):
            cut = cuts[t + 1]
            _wave(
                cut - d + 1,
                cut + d,
                n0,
                d,
                cut,
                cut,
                cut,
                cut + 1,
                -1,
                1,
                e,
                h,
                rows_e,
                ca,
                cb,
                rows_h,
                db,
                ex,
                ey,
                ez,
                hx,
                hy,
                hz,
                psi_e,
                base_e,
                first_e,
                count_e,
                strips_e,
                be,
                ce,
                psi_h,
                base_h,
                first_h,
                count_h,
                strips_h,
                bh,
                ch,
                at,
                line,
                port,
                part,
                state,
                edges,
                waves,
                samples,
                enter_e,
                enter_h,
                signals,
                length,
                since,
                absorb_e,
                absorb_h,
                polar,
                poles,
                slabs,
                rows,
                nk,
                size,
                tile,
            )
        if len(mixing[0]):
            _mix(e, *mixing)


@njit(parallel=True, fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def energy(
    f: Any, weight_x: Any, weight_y: Any, weight_z: Any
) -> float:  # pragma: no cover - compiled
    """Σ |f|² over cells weighted by their sizes along x, y, z."""
    total = 0.0
    for i in prange(len(weight_x)):
        own = 0.0
        for j in range(len(weight_y)):
            row = 0.0
            for k in range(len(weight_z)):
                row += weight_z[k] * (f[0, i, j, k] ** 2 + f[1, i, j, k] ** 2 + f[2, i, j, k] ** 2)
            own += weight_y[j] * row
        total += weight_x[i] * own
    return total
