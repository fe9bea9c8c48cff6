"""Where the values of a field lie in memory: rows along z, padded, one component after another."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.kernels import STRIP
from heron.engines.transient.structure import Floats, Structure

PAD = int(STRIP)  # rows along z are padded to this many floats
# floats: components begin at different places of a page of memory, or loads wait for stores with
# the same end of address
PAGE, STAGGER = 1024, 176


def aligned(length: int, shift: int = 0) -> NDArray[np.float32]:
    """Zeros that begin ``shift`` floats after a page: vectors that lie across two lines of the
    cache take twice as long.
    """
    room = np.zeros(length + PAGE + shift, dtype=np.float32)
    first = -(room.ctypes.data // 4) % PAGE + shift
    return room[first : first + length]


def in_lines(values: Floats | NDArray[np.float32]) -> NDArray[np.float32]:
    """The same values, :func:`aligned`."""
    out = aligned(values.size).reshape(values.shape)
    out[:] = values
    return out


class FieldLayout(NamedTuple):
    """Of the arrays (3, nx+1, ny+1, nz+1) of a grid of ``shape`` cells: rows of ``nk`` floats, the
    first node after ``front`` of them, and ``size`` floats from one component to the next.
    """

    shape: tuple[int, int, int]
    nk: int
    front: int
    size: int

    @classmethod
    def of(cls, s: Structure) -> FieldLayout:
        """That of a structure's grid."""
        nx, ny, nz = s.shape
        nk = -(-(nz + 2) // PAD) * PAD
        own = (nx + 2) * (ny + 1) * nk
        front = _front(nz, s.walls[2], nk - nz - 2)
        return cls(s.shape, nk, front, own + (STAGGER - own) % PAGE)

    @property
    def length(self) -> int:
        """Floats of a field."""
        return 3 * self.size + (self.shape[1] + 1) * self.nk

    @property
    def nodes(self) -> tuple[int, int, int, int]:
        """Shape of arrays over edges or faces."""
        nx, ny, nz = self.shape
        return 3, nx + 1, ny + 1, nz + 1

    def view(self, flat: NDArray[np.float32]) -> NDArray[np.float32]:
        """A flat field as (3, nx+1, ny+1, nk − front)."""
        nx, ny, _ = self.shape
        slab = (ny + 1) * self.nk
        own = slice(slab, slab + (nx + 1) * slab)
        parts = flat[: 3 * self.size].reshape(3, self.size)[:, own]
        return parts.reshape(3, nx + 1, ny + 1, self.nk)[..., self.front :]

    def flat_number(self, at: NDArray[np.int64]) -> NDArray[np.int64]:
        """Flat numbers into arrays (3, nx+1, ny+1, nz+1) as those into a flat field."""
        c, i, j, k = np.unravel_index(at, self.nodes)
        row = (i + 1) * (self.shape[1] + 1) + j
        return np.asarray(c * self.size + row * self.nk + self.front + k)

    def inverse(self, sizes: Floats, axis: int) -> NDArray[np.float32]:
        """1/m of sizes along an axis, by slabs, by rows of a slab, or along a row."""
        front = self.front if axis == 2 else 0
        out = aligned(self.nk if axis == 2 else self.shape[axis] + 1)
        out[front : front + len(sizes)] = 1 / sizes
        return out

    def distinct_rows(
        self, arrays: list[Floats]
    ) -> tuple[NDArray[np.int32], list[NDArray[np.float32]]]:
        """Which row each is, and the distinct rows along z (rows, nk), of coefficient arrays (3,
        nx+1, ny+1, nz+1).
        """
        n = arrays[0].shape
        joint = np.zeros((int(np.prod(n[:3])), len(arrays), self.nk), dtype=np.float32)
        for a, values in enumerate(arrays):
            joint[:, a, self.front : self.front + n[3]] = values.reshape(-1, n[3])
        flat = np.ascontiguousarray(joint.reshape(len(joint), -1))
        keys = flat.view(np.dtype((np.void, flat.dtype.itemsize * flat.shape[1]))).ravel()
        _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
        return inverse.reshape(n[:3]).astype(np.int32), [
            in_lines(joint[first, a]) for a in range(len(arrays))
        ]


def _front(nz: int, cells: NDArray[np.int64], spare: int) -> int:
    """Places of a row before its first node, of ``spare`` ones: so many that the layers at its
    ends, of ``cells``, lie in the fewest lines of the cache.
    """

    def lines(front: int) -> int:
        low, high = front + int(cells[0]), front + nz - int(cells[1])
        return (-(-low // PAD) if cells[0] else 0) + (
            -(-(front + nz + 1) // PAD) - high // PAD if cells[1] else 0
        )

    return min(range(spare + 1), key=lines)
