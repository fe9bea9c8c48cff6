"""Weighted sums of field values that are recorded while a run goes on, by running Fourier
transform.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats

Complexes = NDArray[np.complex128]
BATCH = 32  # samples transformed together


@dataclass
class Rows:
    """Sums over field values, as triplets: row, flat number into (3, nx+1, ny+1, nz+1), weight."""

    row: list[NDArray[np.int64]] = field(default_factory=list)
    at: list[NDArray[np.int64]] = field(default_factory=list)
    weight: list[Floats] = field(default_factory=list)
    count: int = 0

    def add(self, row: Any, at: Any, weight: Any) -> None:
        """Triplets whose rows count from the number of rows so far; does not move that number."""
        self.row.append(np.asarray(row, dtype=np.int64).ravel() + self.count)
        self.at.append(np.asarray(at, dtype=np.int64).ravel())
        self.weight.append(np.asarray(weight, dtype=float).ravel())

    def matrix(self, stepper: Stepper) -> Any:
        """(count, length of a flat field)."""
        shape = (max(1, self.count), stepper.layout.length)
        if not self.row:
            return csr_matrix(([0.0], ([0], [0])), shape=shape, dtype=np.float32)
        return csr_matrix(
            (
                np.concatenate(self.weight).astype(np.float32),
                (np.concatenate(self.row), stepper.layout.flat_number(np.concatenate(self.at))),
            ),
            shape=shape,
        )


class Transform:
    """Running Fourier transform of ``matrix`` · field at frequencies (f,), samples given every so
    often; sums (f, rows) approximate ∫ q e^(−jωt) dt.
    """

    def __init__(
        self, matrix: Any, frequency: Floats, level: Callable[[float], float] | None = None
    ) -> None:
        """``level`` of the samples at a time in s: of a window that opens late or closes early."""
        self.matrix, self.frequency, self.level = matrix, frequency, level
        self.cosine, self.sine = (
            np.zeros((len(frequency), matrix.shape[0]), dtype=np.float32) for _ in range(2)
        )
        self.held: list[Any] = []
        self.times: list[float] = []

    def add_sample(self, values: Any, time: float) -> Any:
        """The sums (rows,) of a field at a time in s, which are added to the transforms; ``None``
        where the window is closed.
        """
        level = 1.0 if self.level is None else self.level(time)
        if not level:
            return None
        own = self.matrix @ values
        self.held.append(own if level == 1 else np.float32(level) * own)
        self.times.append(time)
        if len(self.held) >= BATCH:
            self.flush()
        return own

    def flush(self) -> None:
        """Works off the samples that wait."""
        if not self.held:
            return
        phase = np.exp(-2j * np.pi * np.outer(self.frequency, self.times)).astype(np.complex64)
        block = np.array(self.held, dtype=np.float32)
        self.cosine += phase.real @ block
        self.sine += phase.imag @ block
        self.held, self.times = [], []

    def total(self) -> Any:
        """The sums so far, (f, rows)."""
        self.flush()
        return self.cosine + 1j * self.sine


class Series:
    """Values of ``matrix`` · field, (n, rows), kept at every ``stride``-th sample of a run, up to
    ``most`` of them.
    """

    def __init__(self, matrix: Any, stride: int = 1, most: int | None = None) -> None:
        self.matrix, self.stride, self.most = matrix, stride, most
        self.samples = 0
        self.values: list[Any] = []
        self.times: list[float] = []

    def add_sample(self, values: Any, time: float) -> None:
        """A sample of the field at a time in s."""
        self.samples += 1
        if self.samples % self.stride == 0 and (self.most is None or len(self.values) < self.most):
            self.values.append(self.matrix @ values)
            self.times.append(time)

    def total(self) -> tuple[Floats, Any]:
        """Times (n,) in s, and the values at them."""
        return np.array(self.times), np.array(self.values, dtype=np.float32).reshape(
            len(self.times), -1
        )
