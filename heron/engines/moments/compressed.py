"""Large matrices of triangles, kept as few terms where clusters of functions are far apart, and
solved step by step.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csc_matrix
from scipy.sparse.linalg import LinearOperator, gmres, splu

from heron.engines.moments.clusters import Cluster, pairs
from heron.engines.moments.triangle_blocks import Kernel, crossed, fill

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

TOLERANCE = 1e-4  # of a block's size: what its terms leave
RESIDUAL = 1e-6  # of the right-hand side, both times the inverse of what is near: where steps end
WATCHED = 30  # steps, after which it is asked whether the residual falls fast enough
CLOSE = 1.5  # times how far functions reach: what those couple that are nearer is inverted before
# Wavelengths within which all is inverted, and how many steps are taken then: where many triangles
# are far smaller than the wave asks for, charges couple them as in statics, as far as they lie
WITHIN = ((0.0, 100), (0.1, 150))
# Wavelengths: of what is nearer, blocks leave so much and keep all digits, as charges nearly cancel
STATIC, TIGHT = 0.2, 1e-9
MOST_TERMS = 0.5  # of the smaller side of a block: with more it is kept whole
PROBED = 24  # rows by which the error is estimated
SEED = 1868


@dataclass(frozen=True)
class Block:
    """A part of the matrix: ``left`` (rows, t) times ``right`` (t, columns), or ``left`` alone, in
    single precision where it is far from the diagonal.
    """

    rows: slice
    columns: slice
    left: NDArray[Any]
    right: NDArray[Any] | None
    distance: float  # between the clusters, m

    @property
    def bytes(self) -> int:
        return self.left.nbytes + (0 if self.right is None else self.right.nbytes)

    @property
    def whole(self) -> Any:
        """(rows, columns)."""
        return self.left if self.right is None else self.left @ self.right

    def times(self, x: NDArray[Any]) -> Any:
        return self.left @ (x if self.right is None else self.right @ x)

    def turned_times(self, x: NDArray[Any]) -> Any:
        own = self.left.T @ x
        return own if self.right is None else self.right.T @ own


class Places(NamedTuple):
    """The clusters of functions, and where those are in their order: about ``centre`` (m, 3) as far
    as ``reach`` (m,), m.
    """

    root: Cluster
    centre: Floats
    reach: Floats


class NotSolved(Exception):
    """Steps did not come to the residual that is asked for."""


class Compressed:
    """A matrix (m, m) of functions in the order of their ``places``: blocks, of a ``symmetric`` one
    those on and above the diagonal, and ``local`` terms (m, m), sparse.
    """

    def __init__(self, kernel: Kernel, places: Places, symmetric: bool, local: Any) -> None:
        self.kernel, self.symmetric, self.local = kernel, symmetric, local
        self.places, self.size = places, places.root.size
        self.wavelength = 2 * np.pi / kernel.k
        near, far = pairs(places.root, symmetric)
        self.residual = 0.0  # the largest so far, over the right-hand side
        self.triangles: dict[tuple[int, int], Ints] = {}
        for pair in (*near, *far):
            for c in pair:
                self._triangles(c)
        # the largest first, so that no thread is left with one at the end
        work = sorted(
            [(pair, False) for pair in near] + [(pair, True) for pair in far],
            key=lambda w: -(w[0][0].size + w[0][1].size),
        )
        with ThreadPoolExecutor(get_num_threads()) as pool:
            self.blocks = list(pool.map(lambda w: self._made(*w), work))

    @property
    def bytes(self) -> int:
        """What the blocks take."""
        return sum(b.bytes for b in self.blocks)

    def _triangles(self, cluster: Cluster) -> Ints:
        key = cluster.start, cluster.stop
        if key not in self.triangles:
            k = self.kernel
            own = k.order[cluster.start : cluster.stop]
            found = [k.on[k.on_offsets[f] : k.on_offsets[f + 1]] for f in own]
            self.triangles[key] = np.unique(np.concatenate(found))
        return self.triangles[key]

    def _made(self, pair: tuple[Cluster, Cluster], far: bool) -> Block:
        a, b = pair
        rows, columns = (a.start, a.stop), (b.start, b.stop)
        own = self._triangles(a), self._triangles(b)
        places, distance = (slice(*rows), slice(*columns)), a.distance(b)
        static = distance < STATIC * self.wavelength
        digits, tolerance = (complex, TIGHT) if static else (np.complex64, TOLERANCE)
        if far:
            most = max(1, int(MOST_TERMS * min(a.size, b.size)))
            u = np.empty((most, a.size), dtype=complex)
            v = np.empty((most, b.size), dtype=complex)
            terms = crossed(self.kernel, rows, columns, *own, tolerance, u, v)
            if terms >= 0:
                left, right = _fewer(u[:terms].T, v[:terms], tolerance)
                return Block(*places, left.astype(digits), right.astype(digits), distance)
        out = np.empty((a.size, b.size), dtype=complex)
        fill(self.kernel, rows, columns, *own, out)
        return Block(*places, out.astype(digits), None, distance)

    def times(self, x: Complexes) -> Complexes:
        """The matrix times vectors (m, c) in the functions' order of places."""
        out = np.zeros(x.shape, dtype=np.complex128)
        single = x.astype(np.complex64)

        def part(blocks: Sequence[Block]) -> Complexes:
            own = np.zeros(x.shape, dtype=np.complex128)
            for b in blocks:
                given = x if b.left.dtype == complex else single
                own[b.rows] += b.times(given[b.columns])
                if self.symmetric and b.rows != b.columns:
                    own[b.columns] += b.turned_times(given[b.rows])
            return own

        count = get_num_threads()
        with ThreadPoolExecutor(count) as pool:
            for own in pool.map(part, [self.blocks[k::count] for k in range(count)]):
                out += own
        return np.asarray(out + self.local @ x)

    def error(self) -> float:
        """An estimate of how far the matrix is off, over its size: by some of its rows, worked out
        whole.
        """
        draw = np.random.default_rng(SEED)
        x = draw.normal(size=(self.size, 4)) + 1j * draw.normal(size=(self.size, 4))
        found = self.times(x) - self.local @ x
        every = np.arange(len(self.kernel.corners))
        rows = np.sort(draw.choice(self.size, min(PROBED, self.size), replace=False))
        true = np.empty((len(rows), 4), dtype=complex)
        row = np.empty((1, self.size), dtype=complex)
        for n, at in enumerate(rows):
            f = self.kernel.order[at]
            own = self.kernel.on[self.kernel.on_offsets[f] : self.kernel.on_offsets[f + 1]]
            fill(self.kernel, (at, at + 1), (0, self.size), own, every, row)
            true[n] = row[0] @ x
        return float(np.linalg.norm(found[rows] - true) / np.linalg.norm(true))

    def solve(self, right: Complexes, thorough: bool = True) -> Complexes:
        """The solution for right-hand sides (m, c) in the functions' order of places.

        Generalised minimal residuals (Saad and Schultz, SIAM J. Sci. Stat. Comput. 7, 856, 1986),
        after the inverse of what near functions couple: if it shall be ``thorough``, of all within
        a part of the wavelength where steps take long. It ends when the residual times that inverse
        is small, as the residual itself says little where charges nearly cancel.

        :raises NotSolved: the residual is not reached.
        """
        for within, steps in WITHIN if thorough else WITHIN[:1]:
            with suppress(NotSolved):
                return self._stepped(right, within * self.wavelength, steps)
        raise NotSolved

    def _stepped(self, right: Complexes, within: float, steps: int) -> Complexes:
        factors = splu(
            self._near_matrix(within),
            permc_spec="MMD_AT_PLUS_A",
            diag_pivot_thresh=0.01,
            options={"SymmetricMode": True},
        )

        def inverted(x: Complexes) -> Complexes:
            return np.asarray(factors.solve(x.astype(complex)))

        whole: Any = LinearOperator(
            (self.size, self.size),
            matvec=lambda x: inverted(self.times(x.reshape(-1, 1))[:, 0]),
            dtype=complex,
        )
        out = np.empty_like(right)
        for c in range(right.shape[1]):
            b: Any = inverted(right[:, c])
            out[:, c], failed = gmres(
                whole,
                b,
                rtol=RESIDUAL,
                atol=0.0,
                restart=steps,
                maxiter=1,
                callback=_Watch(steps),
                callback_type="pr_norm",
            )
            if failed:
                raise NotSolved
            left = float(np.linalg.norm(b - whole.matvec(out[:, c])))
            self.residual = max(self.residual, left / max(float(np.linalg.norm(b)), 1e-300))
        return out

    def _near_matrix(self, within: float) -> Any:
        """What functions couple that are near, or not farther apart than so many m."""
        row, column, value = [], [], []
        for b in self.blocks:
            if b.right is not None and b.distance > within:
                continue
            r, c = np.meshgrid(
                np.arange(b.rows.start, b.rows.stop),
                np.arange(b.columns.start, b.columns.stop),
                indexing="ij",
            )
            apart = np.linalg.norm(self.places.centre[r] - self.places.centre[c], axis=-1)
            kept = (apart < CLOSE * (self.places.reach[r] + self.places.reach[c])) | (
                apart < within
            )
            r, c, own = r[kept], c[kept], b.whole[kept]
            row.append(r)
            column.append(c)
            value.append(own)
            if self.symmetric and b.rows != b.columns:
                row.append(c)
                column.append(r)
                value.append(own)
        own = coo_matrix(
            (np.concatenate(value), (np.concatenate(row), np.concatenate(column))),
            shape=(self.size, self.size),
        )
        return csc_matrix(own + self.local, dtype=complex)


class _Watch:
    """Gives a solution up whose residual falls so slowly that so many steps will not do."""

    def __init__(self, steps: int) -> None:
        self.steps = steps
        self.found: list[float] = []

    def __call__(self, residual: float) -> None:
        """:raises NotSolved: it does."""
        self.found.append(residual)
        k = len(self.found)
        if k == WATCHED and residual > self.found[0] * RESIDUAL ** (k / self.steps):
            raise NotSolved


def _fewer(left: Complexes, right: Complexes, tolerance: float) -> tuple[Complexes, Complexes]:
    """As few terms as keep the tolerance, by the singular values of what there is."""
    if not left.shape[1]:
        return left, right
    q, r = np.linalg.qr(left)
    p, s = np.linalg.qr(right.T)
    u, values, v = np.linalg.svd(r @ s.T)
    tail = np.sqrt(np.cumsum(values[::-1] ** 2))[::-1]
    kept = max(1, int((tail > tolerance * tail[0]).sum()))
    return q @ (u[:, :kept] * values[:kept]), v[:kept] @ p.T
