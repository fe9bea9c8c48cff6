"""Choosing frequencies, solving at them, and interpolating between them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from heron.engines import rational
from heron.engines.patience import attended
from heron.engines.progress import Event, FrequencySolved, Progress, Signal
from heron.errors import ModelError, Stopped
from heron.networks import y_to_s

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]

FIRST_SOLVES = 5  # Chebyshev-spaced, before the first prediction
CONFIRMATIONS = 2  # consecutive solves that must agree with the prediction made before them
SAFETY = 0.3  # of the tolerance, for those agreements
PROJECTIONS = 24  # current samples that join the S-parameters in the rational fit


class System(Protocol):
    """A linear system that is solved at one frequency after the other."""

    def solve(self, frequency: float) -> tuple[Complexes, Complexes]:
        """Admittance matrix (P, P) in S and coefficients (m, P) for 1 V at each port, the others
        shorted.
        """

    def currents(self, coefficients: Complexes) -> Complexes:
        """What is kept (…, P) of coefficients (m, P)."""


@dataclass
class _Sample:
    s: Complexes  # (P, P)
    currents: Complexes  # (…, P) for unit incident wave at each port


@dataclass(frozen=True)
class Swept:
    """Grid indices ``kept`` (f,), and what there is at them as sums by ``weights`` (f, n) of what
    was solved: S ``s`` (n, P, P) and ``currents`` (n, P, …) for unit incident waves.
    """

    kept: NDArray[np.int64]
    weights: Complexes
    s: Complexes
    currents: Complexes


class Sweep:
    """Chooses, solves and interpolates frequencies; ``error`` is the last checked prediction error
    in S.
    """

    def __init__(
        self, system: System, z0: Floats, grid: Floats, own: Any, progress: Progress
    ) -> None:
        self.system, self.z0, self.grid, self.own, self.progress = system, z0, grid, own, progress
        self.samples: dict[int, _Sample] = {}
        self.error = 0.0
        self.fraction = 0.0
        self.stopped = False
        self.status = "every point solved"

    def run(self) -> None:
        if self.own.sampling == "every" or len(self.grid) <= FIRST_SOLVES:
            for i in range(len(self.grid)):
                if not self._solve(i, (i + 1) / len(self.grid)):
                    return
            return
        n = len(self.grid)
        nodes = 0.5 * (1 - np.cos(np.pi * np.arange(FIRST_SOLVES) / (FIRST_SOLVES - 1)))
        for i in sorted({round(x * (n - 1)) for x in nodes}, key=lambda i: -abs(i - n / 2)):
            if not self._solve(i, len(self.samples) / 12):
                return
        agreed, before = 0, self._model(leave_out=self._last)
        while len(self.samples) < n:
            model = self._model()
            doubt = np.abs(model - before).max(axis=1)
            solved = np.fromiter(self.samples, dtype=int)
            doubt[solved] = -1
            # Where the models agree everywhere, the widest hole is the best place to look.
            if doubt.max() < 1e-2 * self.own.tolerance:
                doubt = np.abs(np.arange(n)[:, None] - solved[None, :]).min(axis=1).astype(float)
            i = int(doubt.argmax())
            if not self._solve(i, min(0.85, len(self.samples) / 14)):
                return
            self.error = float(np.abs(model[i] - self.samples[i].s.ravel()).max())
            agreed = agreed + 1 if self.error < SAFETY * self.own.tolerance else 0
            before = model
            if agreed >= CONFIRMATIONS:
                self.status = f"interpolated from {len(self.samples)} solves"
                return

    def _solve(self, i: int, fraction: float) -> bool:
        frequency = float(self.grid[i])
        solved = attended(
            lambda: self.system.solve(frequency),
            lambda: self.progress(Event("solving", self.fraction)),
        )
        if solved is None:
            return self._stop()
        y, coefficients = solved
        if not np.isfinite(y).all():
            raise ModelError(
                f"the system has no finite solution at {frequency / 1e6:g} MHz; look for parts that"
                " coincide"
            )
        s = y_to_s(y, self.z0)
        voltages = np.sqrt(self.z0)[:, None] * (np.eye(len(self.z0)) + s)
        self.samples[i] = _Sample(s, self.system.currents(coefficients @ voltages))
        self._last = i
        news = FrequencySolved(
            frequency_hz=frequency,
            s11=(float(s[0, 0].real), float(s[0, 0].imag)),
            solved=len(self.samples),
        )
        self.fraction = 0.9 * fraction
        asked = self.progress(Event("solving", self.fraction, news))
        return self._stop() if asked is Signal.STOP else True

    def _stop(self) -> bool:
        if not self.samples:
            raise Stopped("stopped before the first frequency was solved")
        self.stopped = True
        self.status = f"stopped after {len(self.samples)} solves"
        return False

    def _features(self, order: list[int]) -> Complexes:
        """(samples, components): all S, and evenly spaced currents."""
        rows = []
        for i in order:
            currents = self.samples[i].currents.reshape(-1)
            pick = (
                np.linspace(0, len(currents) - 1, min(PROJECTIONS, len(currents)))
                .round()
                .astype(int)
            )
            rows.append(np.concatenate((self.samples[i].s.ravel(), currents[pick])))
        return np.array(rows)

    def _fit(self, order: list[int]) -> rational.Rational:
        x = self.grid[order] / self.grid[-1]
        return rational.fit(x, self._features(order), 0.01 * self.own.tolerance)

    def _model(self, leave_out: int | None = None) -> Complexes:
        """Interpolated S (grid, P²)."""
        order = sorted(i for i in self.samples if i != leave_out)
        fitted = self._fit(order)
        values = np.array([self.samples[order[k]].s.ravel() for k in fitted.support])
        return np.asarray(fitted.matrix(self.grid / self.grid[-1]) @ values)

    def results(self) -> Swept:
        """What has been solved, interpolated over the band unless the sweep was stopped."""
        order = sorted(self.samples)
        own = [self.samples[i] for i in order]
        s, currents = (
            np.array([sample.s for sample in own]),
            np.moveaxis(np.array([sample.currents for sample in own]), -1, 1),
        )
        if len(order) == len(self.grid) or self.stopped:
            return Swept(np.array(order), np.eye(len(order), dtype=complex), s, currents)
        fitted = self._fit(order)
        weights = np.zeros((len(self.grid), len(order)), dtype=complex)
        weights[:, fitted.support] = fitted.matrix(self.grid / self.grid[-1])
        weights[order] = np.eye(len(order))  # solved points stand as solved
        return Swept(np.arange(len(self.grid)), weights, s, currents)
