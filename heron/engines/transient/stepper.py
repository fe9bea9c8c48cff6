"""Time steps of a structure: coefficients, absorbing layers, sources."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

from heron.discretise.grid import dual
from heron.engines.transient import kernels
from heron.engines.transient.structure import LEAST_FACE, Floats, Structure, edge_media, face_mu, surface_edges
from heron.quantities.constants import EPS0, MU0

PAD = 16             # rows along z are padded to this many floats
LAYER_ORDER = 3.0    # grading of the layers' conductivity
LAYER_SHARE = 0.8    # of the conductivity that is best against discrete reflection: 0.8 (m + 1)/(η Δ)
LAYER_ALPHA = 0.05   # S/m at the inner face: absorbs what hardly propagates
STIFF = 1.0          # σΔt/2ε beyond which an edge's loss is taken backward in time, so that its field does not alternate


class Stepper:
    """Fields of a structure, stepped in time. ``resistances`` (ports,) Ω are those in each gap."""

    def __init__(self, s: Structure, resistances: Floats) -> None:
        self.structure = s
        nx, ny, nz = s.shape
        self.nk = -(-(nz + 2) // PAD) * PAD
        self.dt = s.step
        self.resistances = resistances
        steps = [np.diff(line) for line in s.lines]
        duals = [dual(d) for d in steps]
        self.inverse_h = [self._inverse(d, n) for d, n in zip(steps, (nx + 1, ny + 1, self.nk), strict=True)]
        self.inverse_e = [self._inverse(d, n) for d, n in zip(duals, (nx + 1, ny + 1, self.nk), strict=True)]
        self._electric(s)
        self._magnetic(s)
        self._layers(s)
        self.volume = [np.asarray(d, dtype=np.float64) for d in steps]
        self.reset()

    def reset(self) -> None:
        """Fields and memories to zero."""
        nx, ny, _ = self.structure.shape
        self.e = np.zeros((3, nx + 1, ny + 1, self.nk), dtype=np.float32)
        self.h = np.zeros_like(self.e)
        self.psi_e[:], self.psi_h[:] = 0, 0

    @staticmethod
    def _inverse(sizes: Floats, length: int) -> NDArray[np.float32]:
        out = np.zeros(length, dtype=np.float32)
        out[: len(sizes)] = 1 / sizes
        return out

    def _electric(self, s: Structure) -> None:
        dt = self.dt
        epsilon, sigma = edge_media(s)
        for at, factor in s.wire_e.items():
            epsilon[at] *= factor
        epsilon *= EPS0
        lossy = s.metal & np.isfinite(s.conducts) & surface_edges(s)
        sigma[lossy] = s.conducts[lossy]
        self.sigma = np.where(s.metal & ~lossy, 0.0, sigma)
        flat_sigma = sigma.reshape(-1)
        gains: list[Any] = []
        where: list[Any] = []
        ports: list[Any] = []
        for p, gap in enumerate(s.gaps):
            total = np.abs(gap.length).sum()
            # Each edge carries its share of the gap's resistance and of its source: σ = l/(R A), and J = Vs/(R A) along the edge.
            share = np.abs(gap.length) / total * self.resistances[p]
            flat_sigma[gap.at] += np.abs(gap.length) / (share * gap.area)
            gains.append(np.sign(gap.length) / (self.resistances[p] * gap.area))
            where.append(gap.at)
            ports.append(np.full(len(gap.at), p))
        x = sigma * dt / (2 * epsilon)
        stiff = x > STIFF
        ca = np.where(stiff, 1 / (1 + 2 * x), (1 - x) / (1 + x))
        cb = dt / epsilon * np.where(stiff, 1 / (1 + 2 * x), 1 / (1 + x))
        cb = cb * s.free_edge
        dead = s.metal & ~lossy
        for c in range(3):  # outer faces are electric walls
            for k in range(3):
                if k != c:
                    index: list[Any] = [c, slice(None), slice(None), slice(None)]
                    for end in (0, -1):
                        index[k + 1] = end
                        dead[tuple(index)] = True
        ca[dead], cb[dead] = 0, 0
        dead_ends = [slice(None)] * 3
        for c in range(3):
            index = [c, *dead_ends]
            index[c + 1] = -1  # an edge that would begin on the last line
            ca[tuple(index)], cb[tuple(index)] = 0, 0
        self.rows_e, (self.ca, self.cb) = self._dictionary([ca, cb])
        flat_cb = cb.reshape(-1)
        padded = [self._padded(a) for a in where]
        self.source_at = np.concatenate(padded) if where else np.zeros(0, dtype=np.int64)
        self.source_gain = np.concatenate([-g * flat_cb[a] for g, a in zip(gains, where, strict=True)]) if where else np.zeros(0)
        self.source_port = np.concatenate(ports) if where else np.zeros(0, dtype=np.int64)
        self.source_length = np.concatenate([g.length for g in s.gaps]) if where else np.zeros(0)

    def _padded(self, at: NDArray[np.int64]) -> NDArray[np.int64]:
        """Flat numbers into arrays without padding as those into the fields."""
        n = self.structure.shape
        return np.asarray(np.ravel_multi_index(np.unravel_index(at, (3, n[0] + 1, n[1] + 1, n[2] + 1)), (3, n[0] + 1, n[1] + 1, self.nk)))

    def _magnetic(self, s: Structure) -> None:
        table = self.dt / (MU0 * face_mu(s) * self._face_shares(s))
        for at, factor in s.wire_h.items():
            table[at] /= factor
        for c in range(3):
            for k in range(3):
                if k != c:  # no faces beyond the last cell
                    index: list[Any] = [c, slice(None), slice(None), slice(None)]
                    index[k + 1] = -1
                    table[tuple(index)] = 0
        self.rows_h, (self.db,) = self._dictionary([table])

    def _face_shares(self, s: Structure) -> Floats:
        """Free shares of faces (3, nx+1, ny+1, nz+1), none less than ``LEAST_FACE`` of its longest edge's, which the time step allows for."""
        out = s.free_face.astype(float)
        edges = np.where(s.metal, 0.0, s.free_edge)
        for c in range(3):
            a, b = (c + 1) % 3, (c + 2) % 3
            longest = np.maximum.reduce([edges[a], np.roll(edges[a], -1, axis=b), edges[b], np.roll(edges[b], -1, axis=a)])
            out[c] = np.maximum(out[c], LEAST_FACE * longest)
        return np.where(out > 0, out, 1.0)

    def _dictionary(self, arrays: list[Floats]) -> tuple[NDArray[np.int32], list[NDArray[np.float32]]]:
        """Distinct rows along z of coefficient arrays (3, nx+1, ny+1, nz+1), and which one each row is."""
        n = arrays[0].shape
        joint = np.zeros((int(np.prod(n[:3])), len(arrays), self.nk), dtype=np.float32)
        for a, values in enumerate(arrays):
            joint[:, a, : n[3]] = values.reshape(-1, n[3])
        flat = np.ascontiguousarray(joint.reshape(len(joint), -1))
        keys = flat.view(np.dtype((np.void, flat.dtype.itemsize * flat.shape[1]))).ravel()
        _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
        return inverse.reshape(n[:3]).astype(np.int32), [np.ascontiguousarray(joint[first, a]) for a in range(len(arrays))]

    def _layers(self, s: Structure) -> None:
        """Memories and recursions of the absorbing layers, in the order of :func:`kernels._layers`; a wall without one has an empty memory."""
        counts = s.walls.reshape(-1).astype(np.uint64)
        self.count_h, self.count_e = counts, np.where(counts > 0, counts - np.minimum(counts, 1), 0).astype(np.uint64)
        (self.base_e, self.psi_e), (self.base_h, self.psi_h) = (self._memories(s, c) for c in (self.count_e, self.count_h))
        self.first_e, self.first_h = np.zeros(6, dtype=np.uint64), np.zeros(6, dtype=np.uint64)
        self.be, self.ce, self.bh, self.ch = (np.zeros((6, max(1, int(s.walls.max()))), dtype=np.float32) for _ in range(4))
        for w in range(6):
            axis, side = divmod(w, 2)
            count = int(s.walls[axis, side])
            if not count:
                continue
            size = float(np.diff(s.lines[axis])[0 if side == 0 else -1])
            # Depth into the layer, 0 at its inner face, of the nodes (E across) and cell middles (H across) inside it.
            nodes, middles = np.arange(1, count) / count, (np.arange(count) + 0.5) / count
            if side == 0:
                self.first_e[w], self.first_h[w], nodes, middles = 1, 0, nodes[::-1], middles[::-1]
            else:
                self.first_e[w], self.first_h[w] = s.shape[axis] - count + 1, s.shape[axis] - count
            self.be[w, :count - 1], self.ce[w, :count - 1] = self._recursion(nodes, size)
            self.bh[w, :count], self.ch[w, :count] = self._recursion(middles, size)

    def _memories(self, s: Structure, counts: NDArray[np.uint64]) -> tuple[NDArray[np.uint64], NDArray[np.float32]]:
        """Where each wall's memory begins, and room for all."""
        slab = np.array([(s.shape[1] + 1) * self.nk, (s.shape[0] + 1) * self.nk, (s.shape[0] + 1) * (s.shape[1] + 1)]).repeat(2)
        sizes = 2 * slab * counts.astype(np.int64)
        return np.concatenate(([0], np.cumsum(sizes)[:-1])).astype(np.uint64), np.zeros(max(1, int(sizes.sum())), dtype=np.float32)

    def _recursion(self, depth: Floats, size: float) -> tuple[Floats, Floats]:
        sigma = LAYER_SHARE * (LAYER_ORDER + 1) / (np.sqrt(MU0 / EPS0) * size) * depth**LAYER_ORDER
        alpha = LAYER_ALPHA * (1 - depth)
        b = np.exp(-(sigma + alpha) * self.dt / EPS0)
        return b, sigma / np.maximum(sigma + alpha, 1e-30) * (b - 1) / size

    def advance(self, waves: Floats, out: Floats) -> None:
        """``len(waves)`` steps under source voltages (n, ports) at half steps; ``out`` (n, ports) receives the gap voltages after each."""
        flat = [a.reshape(-1) for a in (self.e, self.h, self.rows_e, self.ca, self.cb, self.rows_h, self.db)]
        kernels.march(*flat, *self.inverse_e, *self.inverse_h, self.psi_e, self.base_e, self.first_e, self.count_e, self.be, self.ce,
                      self.psi_h, self.base_h, self.first_h, self.count_h, self.bh, self.ch, self.source_at, self.source_gain, self.source_length, self.source_port,
                      waves, out, np.array(self.e.shape[1:]), min(get_num_threads(), self.structure.shape[0]))

    def stored(self) -> float:
        """Σ over cells of ε0 E² + μ0 H², J: a measure of what is left, not exact in media."""
        return float(EPS0 * kernels.energy(self.e, *self.volume) + MU0 * kernels.energy(self.h, *self.volume)) / 2

