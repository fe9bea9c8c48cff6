"""Where a pass needed smaller cells: where the field bends most within a cell."""

from __future__ import annotations

import numpy as np

from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Floats, Structure

SHARE = 0.97  # of all bending: the cells that hold it are made finer, the rest stay as they are


class Need:
    """Sums over a pass of the second differences of E along each axis, squared, in V² for every line of the grid."""

    def __init__(self) -> None:
        self.sums: list[Floats] = []

    def begin(self, stepper: Stepper) -> None:
        self.sums = [np.zeros(n + 1) for n in stepper.structure.shape]

    def look(self, stepper: Stepper) -> None:
        """Adds the field as it is now."""
        s = stepper.structure
        e = stepper.e[:, :, :, : s.shape[2] + 1]
        widths = [s.duals(k).astype(np.float32) for k in range(3)]
        for k in range(3):
            a, b = [c for c in range(3) if c != k]
            bend = np.moveaxis(np.diff(e, 2, axis=k + 1), k + 1, 1)
            self.sums[k][1:-1] += np.einsum("cnab,cnab,a,b->n", bend, bend, widths[a], widths[b], optimize=True)

    def wishes(self, s: Structure, finer: float) -> list[list[tuple[float, float, float]]]:
        """For each axis (from, to, largest cell) in m: those cells between the walls that hold ``SHARE`` of the bending ``finer`` times smaller, the others as now."""
        out = []
        for k, line in enumerate(s.lines):
            first, last = int(s.walls[k, 0]), len(line) - 1 - int(s.walls[k, 1])
            bend = np.sqrt(np.maximum(self.sums[k][:-1], self.sums[k][1:])[first:last])
            order = np.argsort(bend)[::-1]
            needy = np.zeros(len(bend), dtype=bool)
            needy[order[: int(np.searchsorted(np.cumsum(bend[order]), SHARE * bend.sum())) + 1]] = True
            sizes = np.diff(line)[first:last] / np.where(needy, finer, 1.0)
            out.append([(float(p), float(q), float(h)) for p, q, h in zip(line[first:last], line[first + 1:last + 1], sizes, strict=True)])
        return out
