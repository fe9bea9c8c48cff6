"""One step of one field on rows of the grid: curls, and what absorbing layers add.

Open walls are convolutional perfectly matched layers: Roden and Gedney, Microw. Opt. Technol. Lett.
27 (2000), κ = 1.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, types
from numba.core.compiler import CompilerBase, DefaultPassBuilder
from numba.extending import intrinsic

from heron.engines.transient.kernels.tables import STRIP

FAST = {"contract", "nsz", "arcp", "reassoc"}  # not "nnan" or "ninf": growth to NaN must be noticed
# All arrays are flat, and indices unsigned: views of rows would be counted by reference, which two
# threads fight over, and signed indices may wrap round; either keeps the compiler from vector
# instructions.
U = np.uint64
ONE, NONE = np.uint64(1), np.uint64(0)


class Apart(CompilerBase):  # type: ignore[misc]
    """Compiles functions whose array arguments never overlap: without that, every row would begin
    with comparing addresses.
    """

    def define_pipelines(self) -> list[Any]:
        self.state.flags.noalias = True
        return [DefaultPassBuilder.define_nopython_pipeline(self.state)]


@intrinsic  # type: ignore[untyped-decorator]
def start_of(context: Any, array: Any) -> Any:
    """Where an array's data begin: a call with arrays themselves takes longer than a few rows, as
    each is seven words and counted.
    """
    pointer = types.CPointer(array.dtype)

    def code(
        context: Any, builder: Any, signature: Any, values: Any
    ) -> Any:  # pragma: no cover - compiled
        return context.make_array(array)(context, builder, values[0]).data

    return pointer(array), code


class Pointers(NamedTuple):
    """The beginnings of the arrays of a field's table, spacing and layers."""

    rows: Any
    keep: Any
    drive: Any
    x: Any
    y: Any
    z: Any
    psi: Any
    base: Any
    first: Any
    nodes: Any
    strips: Any
    b: Any
    c: Any


class Sizes(NamedTuple):
    """Rows in a slab, floats of a row, rows in all, floats of a component; most nodes across a
    layer, and strips along a row.
    """

    ny: Any
    nk: Any
    wide: Any
    size: Any
    width: Any
    many: Any


class Across(NamedTuple):
    """The layers that rows lie in: memories of that across x begin at ``at_x`` (the slab's), the
    second component's a jump on, with the recursion b, c of the slab; of that across y at ``at_y``
    (the first row's), with recursions from ``wall`` on.
    """

    at_x: Any
    jump_x: Any
    b: Any
    c: Any
    at_y: Any
    jump_y: Any
    wall: Any


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def pointers_of(half: Any) -> Any:  # pragma: no cover - compiled
    """A field's :class:`Pointers`."""
    table, spacing, layers = half.table, half.spacing, half.layers
    return Pointers(
        start_of(table.rows),
        start_of(table.keep),
        start_of(table.drive),
        start_of(spacing.x),
        start_of(spacing.y),
        start_of(spacing.z),
        start_of(layers.psi),
        start_of(layers.base),
        start_of(layers.first),
        start_of(layers.nodes),
        start_of(layers.strips),
        start_of(layers.b),
        start_of(layers.c),
    )


@njit(cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
def sizes_of(half: Any, extent: Any) -> Any:  # pragma: no cover - compiled
    """A field's :class:`Sizes`."""
    many = U(len(half.layers.strips))
    return Sizes(
        U(extent.rows),
        U(extent.nk),
        U(extent.slabs) * U(extent.rows),
        U(extent.size),
        (U(len(half.layers.b)) - many * STRIP) // U(4),
        many,
    )


def _curl(electric: bool, over_x: bool, over_y: bool) -> Any:
    """Compiled: f = keep f + drive curl g, of E (``electric``), or f = f − drive curl g, of H, on
    rows that layers across x and across y lie over, or neither.
    """

    @njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
    def rows_of(
        i: Any, j0: Any, j1: Any, f: Any, g: Any, own: Any, sizes: Any, across: Any
    ) -> None:  # pragma: no cover - compiled
        """Rows j0 to j1 of slab i.

        Beyond the grid H is zero, which with half a cell's distance at the ends makes a magnetic
        wall; coefficients of zero make an electric one. Memories of layers are ψ = bψ + c ∂g.
        """
        rows, keep, drive, psi, b, c = own.rows, own.keep, own.drive, own.psi, own.b, own.c
        idy, idz = own.y, own.z
        ny, row, wide, size = sizes.ny, sizes.nk, sizes.wide, sizes.size
        plane = ny * row
        up = NONE if electric else ONE  # E takes differences behind, H ahead
        s = own.x[i]
        bx, cx = across.b, across.c
        for j in range(j0, j1):
            o, q, t = (i + ONE) * plane + j * row, i * ny + j, idy[j]
            x, y, z = o, size + o, size + size + o
            l, m, n = U(rows[q]) * row, U(rows[q + wide]) * row, U(rows[q + wide + wide]) * row
            beside, ahead, above = up * plane, up * row, up
            p1, p2 = across.at_x + j * row, across.at_x + across.jump_x + j * row
            p3 = across.at_y + (j - j0) * row
            p4 = across.at_y + across.jump_y + (j - j0) * row
            by, cy = b[across.wall + j - j0], c[across.wall + j - j0]
            for k in range(NONE, row):
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
                    one, two = bx * psi[p1 + k] + cx * z_x, bx * psi[p2 + k] + cx * y_x
                    psi[p1 + k], psi[p2 + k] = one, two
                    v -= one
                    w += two
                if over_y:
                    one, two = by * psi[p3 + k] + cy * x_y, by * psi[p4 + k] + cy * z_y
                    psi[p3 + k], psi[p4 + k] = one, two
                    w -= one
                    u += two
                if electric:
                    f[x + k] = keep[l + k] * f[x + k] + drive[l + k] * u
                    f[y + k] = keep[m + k] * f[y + k] + drive[m + k] * v
                    f[z + k] = keep[n + k] * f[z + k] + drive[n + k] * w
                else:
                    f[x + k] -= drive[l + k] * u
                    f[y + k] -= drive[m + k] * v
                    f[z + k] -= drive[n + k] * w

    return rows_of


class _Strip(NamedTuple):
    """A strip of a row along which a layer lies: its memory, its row, the table's rows of both
    components, and its recursion.
    """

    memory: Any
    row: Any
    first: Any
    second: Any
    recursion: Any


@njit(fastmath=FAST, cache=True, boundscheck=False, inline="always")  # type: ignore[untyped-decorator]
def _layer_strip(
    f: Any, g: Any, own: Any, m: Any, u: Any, o: Any, a: Any, q: Any, sign: Any
) -> None:  # pragma: no cover - compiled
    """One component on a strip of a row along which a layer lies: of a fixed length, as short loops
    of any length are slow.
    """
    psi, table, b, c = own.psi, own.drive, own.b, own.c
    for k in range(NONE, STRIP):
        p = b[q + k] * psi[m + k] + c[q + k] * (g[u + k] - g[u + k - ONE])
        psi[m + k] = p
        f[o + k] += sign * table[a + k] * p


@njit(fastmath=FAST, cache=True, boundscheck=False, inline="always")  # type: ignore[untyped-decorator]
def _layer_strips(
    f: Any, g: Any, own: Any, strip: Any, size: Any, up: Any, sign: Any
) -> None:  # pragma: no cover - compiled
    """Both components on a strip."""
    x, y, q = strip.row, strip.row + size, strip.recursion
    _layer_strip(f, g, own, strip.memory, y + up, x, strip.first, q, -sign)
    _layer_strip(f, g, own, strip.memory + STRIP, x + up, y, strip.second, q, sign)


@njit(fastmath=FAST, cache=True, boundscheck=False, pipeline_class=Apart)  # type: ignore[untyped-decorator]
def _layers_along(
    i: Any, j0: Any, j1: Any, f: Any, g: Any, own: Any, sizes: Any, up: Any, sign: Any
) -> None:  # pragma: no cover - compiled
    """What the layers at the ends of rows j0 to j1 add on strips: ψ = bψ + c ∂g, f ± drive ψ.

    Two strips at a time, as a row has two ends, and rows within, as recursions then stay in
    registers.
    """
    rows, strips = own.rows, own.strips
    ny, row, wide, size, many = sizes.ny, sizes.nk, sizes.wide, sizes.size, sizes.many
    plane, each, base, q = ny * row, many * U(2 * STRIP), own.base[4], U(4) * sizes.width
    for s in range(NONE, many, U(2)):
        low, m, q1 = strips[s], base + s * U(2 * STRIP), q + s * STRIP
        if s + ONE < many:
            high, q2 = strips[s + ONE], q1 + STRIP
            for j in range(j0, j1):
                r = i * ny + j
                o, p = (i + ONE) * plane + j * row, m + r * each
                a, d = U(rows[r]) * row, U(rows[wide + r]) * row
                one = _Strip(p, o + low, a + low, d + low, q1)
                two = _Strip(p + U(2 * STRIP), o + high, a + high, d + high, q2)
                _layer_strips(f, g, own, one, size, up, sign)
                _layer_strips(f, g, own, two, size, up, sign)
        else:
            for j in range(j0, j1):
                r = i * ny + j
                o, a, d = (i + ONE) * plane + j * row, U(rows[r]) * row, U(rows[wide + r]) * row
                one = _Strip(m + r * each, o + low, a + low, d + low, q1)
                _layer_strips(f, g, own, one, size, up, sign)


def _update(electric: bool) -> Any:
    """Compiled: one step of E or of H on rows j0 to j1 of slab i, with what the six layers add.

    ``psi`` holds the memories of the walls x low, x high, y low, y high and of the ``strips`` at
    the ends of rows one after another from ``base`` (5,), each for two components: across x (2,
    count, ny, nk), y (2, nx, count, nk), z (nx, ny, strips, 2, STRIP). E, across x: Ey −= drive
    ψ(∂Hz/∂x), Ez += drive ψ(∂Hy/∂x), and so on round x, y, z; H with opposite signs. The layers
    across y reach to the first and the last row.
    """
    plain, under_x, under_y, under_both = (
        _curl(electric, x, y) for y in (False, True) for x in (False, True)
    )
    up, sign = U(not electric), np.float32(1.0 if electric else -1.0)

    @njit(fastmath=FAST, cache=True, boundscheck=False)  # type: ignore[untyped-decorator]
    def update(
        i: Any, j0: Any, j1: Any, f: Any, g: Any, own: Any, sizes: Any
    ) -> None:  # pragma: no cover - compiled
        first, count, base = own.first, own.nodes, own.base
        ny, nk, width = sizes.ny, sizes.nk, sizes.width
        slabs = sizes.wide // ny
        side, n = -1, NONE
        for wall in range(2):
            if first[wall] <= i < first[wall] + count[wall]:
                side, n = wall, i - first[wall]
        at_x, jump_x, bx, cx = NONE, NONE, np.float32(0.0), np.float32(0.0)
        if side >= 0:
            at_x, jump_x = base[side] + n * ny * nk, count[side] * ny * nk
            bx, cx = own.b[U(side) * width + n], own.c[U(side) * width + n]
        for wall in range(2, 4):
            low, high = max(j0, first[wall]), min(j1, first[wall] + count[wall])
            if low < high:
                n = low - first[wall]
                across = Across(
                    at_x,
                    jump_x,
                    bx,
                    cx,
                    base[wall] + (i * count[wall] + n) * nk,
                    slabs * count[wall] * nk,
                    U(wall) * width + n,
                )
                if side < 0:
                    under_y(i, low, high, f, g, own, sizes, across)
                else:
                    under_both(i, low, high, f, g, own, sizes, across)
        low, high = max(j0, count[2]), min(j1, first[3])
        if low < high:
            across = Across(at_x, jump_x, bx, cx, NONE, NONE, NONE)
            if side < 0:
                plain(i, low, high, f, g, own, sizes, across)
            else:
                under_x(i, low, high, f, g, own, sizes, across)
        if sizes.many:
            _layers_along(i, j0, j1, f, g, own, sizes, up, sign)

    return update


update_e, update_h = _update(True), _update(False)
