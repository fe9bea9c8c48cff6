"""Adaptive sampling against solving every point."""

from __future__ import annotations

import numpy as np

from heron.engines import ENGINES
from heron.engines.rational import fit
from tests.models import dipole, examined, plan, solve


def test_interpolated_dipole_sweep() -> None:
    """201 points over 0.5-1.5 GHz: |ΔS11| under 1e-3 from fewer than 15 solves."""
    band = ("0.5 GHz", "1.5 GHz", 201)
    smart = solve(dipole(0.15, 1e-3, plan=plan(*band)))
    full = solve(dipole(0.15, 1e-3, plan=plan(*band, sampling="every")))
    error = np.abs(smart["s"].values - full["s"].values).max()
    print(f"max |ΔS11| {error:.2e} from {smart.attrs['solves']} solves")
    assert error < 1e-3
    assert smart.attrs["solves"] < 15
    assert smart["solved"].values.sum() == smart.attrs["solves"]
    scale = np.abs(full["current"].values).max()
    assert np.abs(smart["current"].values - full["current"].values).max() < 1e-3 * scale


def test_rational_fit_recovers_a_rational_function() -> None:
    x = np.linspace(1, 2, 12)

    def exact(t: np.ndarray) -> np.ndarray:
        return np.column_stack((1 / (t - 1.4 + 0.05j) + 2, t / (t - 1.7 + 0.1j)))

    fitted = fit(x, exact(x))
    fine = np.linspace(1, 2, 400)
    assert np.abs(fitted.matrix(fine) @ exact(x)[fitted.support] - exact(fine)).max() < 1e-9


def test_stopping_keeps_the_solved_frequencies() -> None:
    from heron.engines import Event, Signal

    examination = examined(dipole(0.15, 1e-3, plan=plan("0.5 GHz", "1.5 GHz", 201)))

    def after_three(event: Event, /) -> Signal:
        return Signal.STOP if event.news and event.news.solved == 3 else Signal.CONTINUE

    results = ENGINES["moments"].solve(examination.model, examination.discretisation, after_three)
    assert results.sizes["frequency"] == 3
    assert results.attrs["stopped"] == 1
    assert results["solved"].values.all()
