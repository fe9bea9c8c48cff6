"""Adaptive sampling against solving every point."""

from __future__ import annotations

import numpy as np

from heron.engines import ENGINES
from heron.engines.moments.forms import radiated_forms
from heron.engines.rational import fit
from heron.fields.radiated import radiated_power
from heron.fields.wires import Sources
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


def test_radiated_power_over_a_band_from_few_frequencies() -> None:
    """A zigzag of wires under arbitrary currents of two ports, over a decade and over a tenth of
    it, against every frequency by itself; the decade's top has it 3.4 λ long.
    """
    draw = np.random.default_rng(4)
    nodes = np.column_stack((np.linspace(0, 1, 21), 0.05 * (-1.0) ** np.arange(21), np.zeros(21)))
    samples = draw.normal(size=(3, 2, 20, 2)) + 1j * draw.normal(size=(3, 2, 20, 2))
    asked: list[float] = []

    def radiated(currents, frequency):
        asked.append(frequency)
        own = Sources(nodes[:-1], nodes[1:], np.full(20, 1e-3), currents, None)
        return radiated_power(own, False, frequency)

    for f in (np.linspace(0.1e9, 1e9, 201), np.linspace(0.9e9, 1e9, 51)):
        weights = draw.normal(size=(len(f), 3)) + 1j * draw.normal(size=(len(f), 3))
        asked.clear()
        found = radiated_forms(radiated, f, weights, samples)
        solves = len(asked)
        true = np.array(
            [radiated(np.tensordot(w, samples, axes=1), x) for x, w in zip(f, weights, strict=True)]
        )
        error = np.abs(found - true).max() / np.abs(true).max()
        print(f"{solves} of {len(f)} frequencies: off by {error:.1e} of the largest")
        assert solves < len(f) / 2
        assert error < 1e-6
        assert np.allclose(found, np.swapaxes(found, 1, 2).conj(), atol=1e-9 * np.abs(found).max())
