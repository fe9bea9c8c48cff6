"""Feeds and loads on edges of the grid: how an element is shared out over the edges of its gap, and
what is read of them.
"""

from __future__ import annotations

import numpy as np
import pytest

from heron.engines.lumped import Element, Networks
from heron.engines.transient.field_layout import FieldLayout
from heron.engines.transient.lumped_edges import LEAST_RESISTANCE, LumpedEdges, lumped_edges
from heron.engines.transient.structure import Gap, Lumped, Structure
from heron.quantities.constants import EPS0
from tests.yee import empty

DT, SIZE = 1e-12, 1e-3


def structure(edges: int = 1) -> Structure:
    """A box of cells of 1 mm with a gap of so many edges along z in its middle."""
    s = empty([np.arange(7) * SIZE] * 3)
    numbers = [np.ravel_multi_index((2, 3, 3, 2 + n), s.metal.shape) for n in range(edges)]
    area = np.full(edges, SIZE**2)
    one = np.zeros(edges, int), np.ones(edges)  # one row
    gap = Gap(("feeds", 0), np.array(numbers), np.full(edges, SIZE), area, np.zeros(3), *one)
    s.gaps.append(gap)
    return s


def loaded(element: Element, edges: int = 1) -> Structure:
    s = structure(edges)
    s.loads.append(Lumped(s.gaps.pop(), element))
    return s


def made(
    s: Structure, resistance: float = 50.0, element: Element | None = None
) -> tuple[LumpedEdges, np.ndarray, np.ndarray]:
    epsilon, sigma = np.full(s.metal.shape, EPS0), np.zeros(s.metal.shape)
    ports = np.full(len(s.gaps), resistance)
    networks = Networks([element] * len(s.gaps))
    found = lumped_edges(s, FieldLayout.of(s), ports, networks, DT, (epsilon, sigma))
    return found, epsilon, sigma


@pytest.mark.parametrize("edges", [1, 2, 3])
def test_a_resistance_is_shared_by_the_edges_of_its_gap(edges: int) -> None:
    """In series: each has its part of the length, and so of the resistance."""
    found, _, sigma = made(structure(edges))
    assert found.y == pytest.approx(np.full(edges, edges / 50.0))
    assert (1 / found.y).sum() == pytest.approx(50.0)
    assert found.length == pytest.approx(np.full(edges, SIZE)) and not sigma.any()
    assert found.number.tolist() == [0] * edges


def test_rows_side_by_side_share_the_current_of_a_wide_gap() -> None:
    """Side by side: each row has its share of the current at the whole voltage."""
    s = structure(2)
    s.gaps[0].row, s.gaps[0].share = np.array([0, 1]), np.array([0.25, 0.75])
    found, _, _ = made(s)
    assert found.y == pytest.approx(np.array([0.25, 0.75]) / 50.0)
    volts, amperes = np.zeros((1, 1)), np.zeros((1, 1))
    found.read_samples(np.array([[-2e3, -2e3, 0.01, 0.03]]), volts, amperes)
    assert volts[0, 0] == pytest.approx(2.0)  # 2 kV/m over 1 mm, not twice that
    assert amperes[0, 0] == pytest.approx(0.04)


def test_a_resistance_of_nothing_is_a_wire_that_can_be_computed() -> None:
    found, _, _ = made(structure(), resistance=0.0)
    assert found.y[0] == pytest.approx(1 / LEAST_RESISTANCE)


def test_an_inductance_in_series_is_inertia() -> None:
    """y = 1/(R + 2L/Δt + Δt/2C): the trapezoidal rule (Taflove and Hagness, ch. 15)."""
    element = Element(10.0, 4e-9, 2e-12)
    found, _, _ = made(loaded(element), element=None)
    inertia, elastance = 2 * 4e-9 / DT, DT / 2e-12
    assert found.y[0] == pytest.approx(1 / (10.0 + inertia + elastance / 2))
    part = found.record.part[0]
    assert part[4] == pytest.approx(inertia) and part[5] == pytest.approx(elastance)


def test_resistance_and_capacitance_side_by_side_are_a_medium_of_the_edge() -> None:
    """C = εA/ℓ and G = σA/ℓ of the edge's own cell."""
    element = Element(200.0, None, 3e-13, parallel=True)
    found, epsilon, sigma = made(loaded(element))
    at = found.at[0]
    assert epsilon.reshape(-1)[at] - EPS0 == pytest.approx(3e-13 * SIZE / SIZE**2)
    assert sigma.reshape(-1)[at] == pytest.approx(SIZE / SIZE**2 / 200.0)
    assert found.y[0] == 0, "nothing is left for a branch"


def test_edges_stand_in_the_order_of_their_slabs() -> None:
    s = structure()
    first = s.gaps[0]
    low = np.ravel_multi_index((2, 1, 4, 2), s.metal.shape)
    own = first.length, first.area, first.point, first.row, first.share
    s.gaps.append(Gap(("feeds", 1), np.array([low]), *own))
    found, _, _ = made(s)
    assert found.number.tolist() == [1, 0]
    of_slab = found.record.of_slab
    assert [int(of_slab[i + 1] - of_slab[i]) for i in range(6)] == [0, 1, 0, 1, 0, 0]
    layout = FieldLayout.of(s)
    assert found.record.at.tolist() == layout.flat_number(found.at).tolist()
    assert found.record.row.tolist() == [4, 3]


def test_voltages_and_currents_are_read_from_minus_to_plus() -> None:
    """−Σ E·ℓ along the edges; where a mirror holds half of the gap, twice of what the grid has."""
    s = structure(2)
    s.gaps[0].voltage, s.gaps[0].current = 2.0, 1.0
    found, _, _ = made(s)
    samples = np.array([[3.0, 5.0, 0.1, 0.1], [-1.0, 2.0, 0.2, 0.2]])
    volts, amperes = np.zeros((2, 1)), np.zeros((2, 1))
    found.read_samples(samples, volts, amperes)
    assert volts[:, 0] == pytest.approx([-2 * 8e-3, -2 * 1e-3])
    assert amperes[:, 0] == pytest.approx([0.1, 0.2])
    found.read_samples(samples, volts, None)


def test_a_source_drives_its_edge_by_what_its_curl_is_driven_by() -> None:
    s = structure()
    found, _, _ = made(s)
    drive = np.full(s.metal.shape, 0.7)
    stiff = np.zeros(s.metal.shape, dtype=bool)
    found.driven(drive, stiff)
    assert found.record.part[0, 1] == pytest.approx(-found.y[0] / SIZE**2 * 0.7)
    assert found.record.part[0, 6] == 0.5, "half of the voltage before, half of that after"
    stiff.reshape(-1)[found.at] = True
    found.driven(drive, stiff)
    assert found.record.part[0, 6] == 0.0, "all of that after, where a loss is stiff"
