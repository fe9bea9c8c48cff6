"""Edges that lumped elements stand across: feeds and loads, as branches with their own currents."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from heron.engines.lumped import Element, Networks
from heron.engines.transient.field_layout import FieldLayout
from heron.engines.transient.kernels.tables import Lumped
from heron.engines.transient.structure import Bools, Floats, Structure

LEAST_RESISTANCE = 1e-6  # Ω: a load of nothing is a wire


@dataclass
class LumpedEdges:
    """The edges of feeds and loads in the order of their slabs: numbers ``at`` (n,) into arrays (3,
    nx+1, ny+1, nz+1), the ``number`` of the port or load of each, m² ``area`` and signed m
    ``length``, the ``share`` of the current in its row, and ``y`` in S; of each port and load what
    the ``voltage`` and the ``current`` of the whole are over those on the grid; and what the
    compiled steps take.
    """

    at: NDArray[np.int64]
    number: NDArray[np.int64]
    area: Floats
    length: Floats
    share: Floats
    y: Floats
    voltage: Floats
    current: Floats
    record: Lumped

    def driven(self, drive: Floats, stiff: Bools) -> None:
        """Sets what sources do to E, from the coefficients (3, nx+1, ny+1, nz+1) of edges, which
        take ``stiff`` ones' losses backward in time.
        """
        part = self.record.part
        part[:, 1] = -self.y / self.area * drive.reshape(-1)[self.at]
        part[:, 6] = np.where(stiff.reshape(-1)[self.at], 0.0, 0.5)

    def read_samples(self, samples: Floats, out: Floats, currents: Floats | None) -> None:
        """The ``samples`` (steps, 2 · n) of a march as voltages ``out`` (steps, ports + loads) and
        ``currents`` (steps, ports) from minus to plus.
        """
        # −Σ E·l along the edges of each gap, from minus to plus; a mean of rows side by side
        for gap in range(out.shape[1]):
            own = np.flatnonzero(self.number == gap)
            out[:, gap] = -self.voltage[gap] * (samples[:, own] @ (self.length * self.share)[own])
            # one current through all edges of a row; a mean of what rounding makes of it
            if currents is not None and gap < currents.shape[1]:
                through = samples[:, own + len(self.at)] @ self.record.part[own, 2]
                currents[:, gap] = self.current[gap] * through


def lumped_edges(
    s: Structure,
    layout: FieldLayout,
    resistances: Floats,
    networks: Networks,
    dt: float,
    media: tuple[Floats, Floats],
) -> LumpedEdges:
    """The edges of feeds and loads in the order of their slabs: each carries its share of the
    element's R, L and 1/C. ``media`` are ε and σ of edges, which take what stands side by side.

    What stands in series is a branch with its own current; R and C side by side are a medium of
    the edge, and only L is such a branch.
    """
    epsilon, sigma = media
    ports = list(zip(s.gaps, resistances.tolist(), networks.elements, strict=True))
    gaps = [
        *s.gaps,
        *(load.gap for load in s.loads),
        *(gap for gap, _, what in ports if what is not None and what.parallel),
    ]
    elements = [
        Element(r + (what.resistance or 0.0), what.inductance, what.capacitance)
        if what is not None and not what.parallel
        else Element(r, None, None)
        for _, r, what in ports
    ]
    elements += [load.element for load in s.loads] + [
        what for _, _, what in ports if what is not None and what.parallel
    ]
    rows = [np.zeros((0, 10))]
    voltage, current = (
        np.array([getattr(gap, what) for gap in gaps]) for what in ("voltage", "current")
    )
    for number, (gap, what) in enumerate(zip(gaps, elements, strict=True)):
        half = gap.current / gap.voltage  # impedance on the grid over that of the whole
        share = gap.length / (np.abs(gap.length) @ gap.share)
        part = np.abs(share) * half / gap.share
        inertia = 2 * (what.inductance or 0.0) / dt
        r, elastance = (
            what.resistance or 0.0,
            0.0 if what.capacitance is None else dt / what.capacitance,
        )
        if what.parallel:
            across = np.abs(gap.length) / (gap.area * part)
            epsilon.reshape(-1)[gap.at] += (what.capacitance or 0.0) * across
            sigma.reshape(-1)[gap.at] += across / r if r else 0.0
            r = elastance = 0.0
        y = (
            0 * part
            if what.parallel and what.inductance is None
            else 1 / (part * max(r + inertia + elastance / 2, LEAST_RESISTANCE))
        )
        one = np.ones(len(share))
        rows.append(
            np.column_stack(
                (
                    gap.at,
                    number * one,
                    gap.area,
                    gap.length,
                    share,
                    y,
                    part * inertia,
                    part * elastance,
                    one,
                    gap.share,
                )
            )
        )
    table = np.concatenate(rows)
    edges = table[:, 0].astype(np.int64)
    _, slab, row, _ = np.unravel_index(edges, s.metal.shape)
    order = np.argsort(slab, kind="stable")
    table, edges, row = table[order], edges[order], row[order]
    port = table[:, 1].astype(np.int64)
    record = Lumped(
        layout.flat_number(edges),
        row,
        port,
        np.column_stack((np.abs(table[:, 3]), table[:, 8], table[:, 4:8], table[:, 8])),
        np.zeros((len(table), 3)),
        np.searchsorted(slab[order], np.arange(s.shape[0] + 2)),
    )
    area, length, share, y = (table[:, k] for k in (2, 3, 9, 5))
    return LumpedEdges(edges, port, area, length, share, y, voltage, current, record)
