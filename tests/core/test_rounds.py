"""What rounds say of errors, on values whose order is known, and a sample of the bench of stated
against true errors.
"""

from __future__ import annotations

import numpy as np
import pytest

from benchmarks import trust
from heron.model import load_document
from heron.results.convergence import error_of
from heron.results.errors import errors_in
from heron.results.readout import headline
from heron.runner import solve_in_rounds
from tests.models import dipole, examined, plan, touchstone_of

SIZES = [2.0, 2**0.5, 1.0]


@pytest.mark.parametrize("order", [1.0, 1.7, 2.0])
def test_values_of_a_clean_order_are_covered_and_not_by_much(order: float) -> None:
    f = np.linspace(0, 1, 50)
    error = error_of([np.sin(6 * f) + 0.1 * h**order * np.cos(9 * f) for h in SIZES], SIZES)
    true = np.abs(0.1 * np.cos(9 * f))
    assert error is not None
    assert (error > true).all(), "everywhere, where the differences pass through zero too"
    assert np.median(error / true) < 4


def test_what_is_of_first_order_may_be_said_so() -> None:
    """Differences that fall like h² speak of more if no order above the first is believed."""
    believed, known = (
        error_of([np.ones(3) + 0.1 * h**2 for h in SIZES], SIZES, steepest=order)
        for order in (1.5, 1.0)
    )
    assert believed is not None and known is not None and known.min() > 1.5 * believed.max()


def test_the_larger_difference_counts_where_values_do_not_settle() -> None:
    settled, wild = (
        error_of([np.ones(3), np.ones(3) * 1.1, np.ones(3) * 1.11], SIZES),
        error_of([np.ones(3), np.ones(3) * 1.01, np.ones(3) * 1.11], SIZES),
    )
    lucky = error_of([np.ones(3), np.ones(3) * 1.1, np.ones(3) * 1.1 + 1e-9], SIZES)
    assert settled is not None and wild is not None and lucky is not None
    assert wild.min() > 0.11 and wild.min() > 3 * settled.max()
    assert lucky.min() > 0.03, "two rounds that happen to agree are not believed"


def test_one_round_says_nothing_and_what_is_missing_stays_missing() -> None:
    assert error_of([np.ones(3)], SIZES[-1:]) is None
    error = error_of([np.array([1.0, np.nan]), np.array([1.1, 2.0]), np.array([1.11, 2.0])], SIZES)
    assert error is not None and np.isfinite(error[0])


def test_older_documents_had_passes() -> None:
    document = load_document({**dipole(), "plan": plan(passes="4", settled="0.01")})
    assert document.plan.rounds == "3"


def test_numbers_carry_their_errors() -> None:
    """In the headline, the summary's source and the Touchstone file, with no more digits than they
    allow.
    """
    results = solve_in_rounds(
        examined(
            dipole(0.48, 1e-3, plan=plan("250 MHz", "350 MHz", 21, segments_per_wavelength="20"))
        )
    )
    found = errors_in(results)
    assert {"s", "gain_db", "resonance_relative", "efficiency", "pattern_db"} <= set(found)
    assert all(set(e) == {"value", "basis"} for e in found.values())
    assert " ± " in headline(results)["text"]
    assert f"! estimated error of S: {found['s']['value']:.2g}" in touchstone_of(results)
    assert results["s_error"].shape == results["s"].shape


def test_a_sample_of_the_bench_is_covered() -> None:
    """Twenty cases of those that take no minutes (`bench trust` runs all): at least 95 % of the
    stated errors cover the true ones, half of them by less than 5 times.
    """
    found = [
        (number, f)
        for number, own, _ in trust.cases({"wires": 14, "slabs": 3, "gratings": 3})
        for f in own
    ]
    rows = trust.figures(found)
    print(rows)
    covered = sum(row["covered"] * row["quantities"] for row in rows.values()) / sum(
        row["quantities"] for row in rows.values()
    )
    assert covered >= 0.95
    assert all(row["median_over"] < 5 for row in rows.values())
