"""A known wire for measuring this machine: the forecast's rates and the benchmark use it."""

from __future__ import annotations

from time import perf_counter

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lu_factor

from heron.discretise import Gap, WireMesh
from heron.engines.moments.system import WireSystem
from heron.geometry import BuiltPart, Path
from heron.materials import PERFECT
from heron.shapes.curves import Line

SEGMENTS = 300


def straight_wire(segments: int, length: float = 0.15, radius: float = 1e-6) -> WireSystem:
    """A centre-fed straight wire of equal segments."""
    z = np.linspace(-length / 2, length / 2, segments + 1)
    nodes = np.column_stack((np.zeros((segments + 1, 2)), z))
    index = np.arange(segments)
    part = BuiltPart("wire", 0, Path((Line((0, 0, z[0]), (0, 0, z[-1])),)), radius, PERFECT)
    spans = np.column_stack((index / segments, (index + 1) / segments))
    mesh = WireMesh(
        [part],
        nodes,
        np.column_stack((index, index + 1)),
        np.full(segments, radius),
        np.zeros(segments, dtype=np.int64),
        spans,
        np.zeros(segments + 1, dtype=bool),
        None,
    )
    middle = segments // 2
    gap = Gap(0, 0.5, [(middle - 1, 0.5, 1.0), (middle, 0.0, 0.5)], length / segments, middle)
    return WireSystem(mesh, [gap], [])


def factor_rate(matrix: NDArray[np.complex128]) -> float:
    """Flop/s of a complex LU factorisation of this matrix (8/3 n³ operations)."""
    started = perf_counter()
    lu_factor(matrix, check_finite=False)
    return 8 / 3 * len(matrix) ** 3 / (perf_counter() - started)
