"""Where field values lie in memory, against plain counting, and what coefficients become."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest

from heron.engines.transient.field_layout import PAD, PAGE, FieldLayout, aligned, in_lines
from heron.engines.transient.layers import recursion_of
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Structure
from heron.quantities.constants import EPS0, MU0
from tests.yee import empty


def grid(*cells: int, walls: int = 0) -> Structure:
    """A structure of so many cells of 1 mm."""
    lines = [np.arange(n + 1) * 1e-3 for n in cells]
    return empty(lines, np.full((3, 2), walls))


@pytest.mark.parametrize("cells", [(3, 4, 5), (2, 2, 14), (5, 3, 31)])
def test_every_value_has_a_place_of_its_own(cells: tuple[int, int, int]) -> None:
    layout = FieldLayout.of(grid(*cells))
    assert layout.nodes == (3, *(n + 1 for n in cells))
    assert layout.nk % PAD == 0 and layout.nk >= cells[2] + 2
    numbers = np.arange(int(np.prod(layout.nodes)))
    at = layout.flat_number(numbers)
    assert len(np.unique(at)) == len(at) and at.min() >= 0 and at.max() < layout.length
    flat = np.zeros(layout.length, dtype=np.float32)
    flat[at] = numbers
    view = layout.view(flat)[..., : cells[2] + 1]
    assert np.array_equal(view, numbers.reshape(layout.nodes)), "a view shows them as an array"


@pytest.mark.parametrize("cells", [(3, 4, 5), (2, 2, 14)])
def test_neighbours_lie_a_row_a_slab_and_a_component_apart(cells: tuple[int, int, int]) -> None:
    """And there is one before the first and after the last row, which kernels read as zeros."""
    layout = FieldLayout.of(grid(*cells))
    index = np.arange(int(np.prod(layout.nodes))).reshape(layout.nodes)
    at = layout.flat_number(index.ravel()).reshape(layout.nodes)
    row, slab = layout.nk, layout.nk * (cells[1] + 1)
    for axis, step in ((3, 1), (2, row), (1, slab), (0, layout.size)):
        assert (np.diff(at, axis=axis) == step).all()
    assert at.min() >= slab and at.max() + slab < layout.length


def test_rows_begin_where_a_vector_is_read_at_once() -> None:
    for length, shift in product((1, 100, 5000), (0, 528)):
        out = aligned(length, shift)
        assert len(out) == length and not out.any()
        assert out.ctypes.data // 4 % PAGE == shift % PAGE
    values = np.arange(48, dtype=np.float32).reshape(3, 16)
    assert np.array_equal(in_lines(values), values)


def test_equal_rows_of_coefficients_are_kept_once() -> None:
    s = grid(3, 4, 5)
    layout = FieldLayout.of(s)
    first = np.zeros(layout.nodes)
    first[1] = 2.0
    second = np.where(np.arange(layout.nodes[3]) > 2, 1.0, 3.0) * np.ones(layout.nodes)
    second[:, 2] = 7.0
    rows, tables = layout.distinct_rows([first, second])
    assert rows.shape == layout.nodes[:3] and len(tables[0]) == len(tables[1]) == 4
    for table, values in zip(tables, (first, second), strict=True):
        own = table[:, layout.front : layout.front + layout.nodes[3]]
        assert np.array_equal(own[rows], values)


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_inverse_distances_stand_at_their_nodes(axis: int) -> None:
    layout = FieldLayout.of(grid(3, 4, 5))
    sizes = np.linspace(1e-3, 2e-3, (3, 4, 5)[axis])
    found = layout.inverse(sizes, axis)
    front = layout.front if axis == 2 else 0
    assert found[front : front + len(sizes)] == pytest.approx(1 / sizes, rel=1e-6)
    assert not found[:front].any() and not found[front + len(sizes) :].any()


def test_a_layer_begins_softly_and_takes_more_towards_its_end() -> None:
    """At the inner face nothing is absorbed, so that nothing is reflected there."""
    depth = np.linspace(0, 1, 10)
    b, c = recursion_of(depth, 1e-3, 1e9, 1e-12)
    assert c[0] == 0 and (np.diff(c) < 0).all(), "ψ is taken off, more and more"
    assert ((b > 0) & (b < 1)).all() and b[-1] < b[1]
    still, _ = recursion_of(depth, 1e-3, 1e9, 1e-15)
    assert (still > b).all(), "of a shorter step more is left"


def test_what_edges_are_multiplied_by_is_the_schemes_own_formula() -> None:
    """(1 − σΔt/2ε)/(1 + σΔt/2ε) and (Δt/ε)/(1 + σΔt/2ε): Taflove and Hagness, ch. 3."""
    s = grid(4, 4, 4)
    s.epsilon[:], s.sigma[:] = 2.5, 0.02
    stepper = Stepper(s, np.zeros(0))
    keep, drive = stepper.electric_at(0, 1, 2, 2)
    x = 0.02 * stepper.dt / (2 * 2.5 * EPS0)
    assert keep == pytest.approx((1 - x) / (1 + x), rel=1e-6)
    assert drive == pytest.approx(stepper.dt / (2.5 * EPS0) / (1 + x), rel=1e-6)
    assert stepper.magnetic_at(1, 1, 1, 1) == pytest.approx(stepper.dt / MU0, rel=1e-6)


def test_edges_in_metal_and_in_outer_walls_have_no_field() -> None:
    s = grid(4, 4, 4)
    s.metal[0, 1, 2, 2] = True
    moves = Stepper(s, np.zeros(0)).moves(magnetic=False)
    assert not moves[0, 1, 2, 2] and moves[0, 2, 2, 2]
    for c in range(3):
        for k in (k for k in range(3) if k != c):
            for end in (0, -1):
                assert not np.moveaxis(moves[c], k, 0)[end].any()
        assert not np.moveaxis(moves[c], c, 0)[-1].any(), "none begins on the last line"
