"""Surrogates of resonances that are narrower than they move, and what is found by them: the match
of a patch, the yield of a circuit.

The patch is its circuit (Carver and Mink, *IEEE Transactions on Antennas and Propagation* 29,
1981): a parallel resonance, whose resistance falls as cos² of the feed's way to the middle, and the
reactance of the feed in series.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest
from scipy.stats import qmc

from heron.errors import HeronError
from heron.results.formulas import Given
from heron.studies.contract import Floats, Point, Trial, Value
from heron.studies.outcomes import outcome
from heron.studies.poles import curves_of, fitted
from heron.studies.predicted import Predicted, scattering
from heron.studies.surrogate import surrogate
from heron.studies.tolerance import Spread, Tolerance
from heron.studies.tune import Tune, goal
from heron.studies.variables import Variable

F = np.linspace(2.2e9, 2.7e9, 101)
LENGTH = (1, 0, 0, 0, 0, 0, 0)
LOW, HIGH = np.array([31e-3, 8e-3]), np.array([34e-3, 12e-3])


def patch(length: float, inset: float) -> Any:
    """S11 (101,) of a patch resonant at 2.45 GHz with 32.3 mm, Q = 60."""
    resonance = 2.45e9 * 32.3e-3 / length
    z = 250 * np.cos(np.pi * inset / length) ** 2 / (1 + 60j * (F / resonance - resonance / F))
    z = z + 8j * F / 2.45e9
    return (z - 50) / (z + 50)


class Patches:
    """A solver of patches that counts."""

    def __init__(self, *texts: str) -> None:
        self.outcomes = [outcome(t) for t in texts]
        self.count = 0

    def __call__(self, points: Sequence[Point]) -> list[Trial]:
        self.count += len(points)
        out = []
        for p in points:
            s = patch(*p)
            given = Given(F, {"s11": s}, {"s11": True})
            own = {o.text: o(given) for o in self.outcomes}
            out.append(Trial(p, own | {"s11": Value("", x=F, y=s)}))
        return out


def tuned(text: str, start: Point, budget: int, **more: Any) -> tuple[Patches, dict[str, Any]]:
    solve = Patches(text)
    names = ("length", "inset")
    variables = [Variable(n, LENGTH, v) for n, v in zip(names, start, strict=True)]
    study = Tune(variables, np.column_stack([LOW, HIGH]), [goal(text)], start, budget, **more)
    return solve, study.run(solve).told


def test_poles_are_found_and_put_together_again() -> None:
    x = np.linspace(-1, 1, 60)
    own = np.array([-0.4 + 0.05j, 0.3 - 0.2j, 0.02 + 0.1j, 0.3 + 0j, 0.1 - 0.4j, 0.2j])
    curve = curves_of(own[None], x)[0]
    found = fitted(x, curve, 2)
    assert found[:2] == pytest.approx(own[:2], abs=1e-6)
    assert np.abs(curves_of(found[None], x)[0] - curve).max() < 1e-9


@pytest.mark.parametrize("count", [8, 16])
def test_a_resonance_that_moves_by_more_than_its_width_is_predicted(count: int) -> None:
    known = LOW + (HIGH - LOW) * qmc.Sobol(2, rng=1).random(count)
    fresh = LOW + (HIGH - LOW) * np.random.default_rng(3).random((100, 2))
    curves, truth = (np.array([patch(*p) for p in own]) for own in (known, fresh))
    off = []
    for x in (None, F):
        found = surrogate(known, curves, x)
        said, band = found(fresh)
        off.append(float(np.sqrt(np.mean(np.abs(said - truth) ** 2))))
        inside = float(np.mean(np.abs(said - truth) <= band))
        print(f"{found.poles} poles: off by {off[-1]:.1e}, {inside:.3f} inside the band")
    assert found.poles > 0
    assert inside >= 0.95
    assert off[1] < 0.3 * off[0]
    assert np.abs(found(known)[0] - curves).max() < 0.02, "what is solved is met"


@pytest.mark.parametrize("start", [(31.2e-3, 9e-3), (33.8e-3, 8.2e-3)])
def test_a_patch_is_matched_in_a_few_variants(start: Point) -> None:
    solve, told = tuned("|S11| < -20 dB at 2.45 GHz", start, 12)
    _, before = tuned("|S11| < -20 dB at 2.45 GHz", start, 12, method="local")
    print(f"from {start}: {solve.count} variants, {told['best']}; without: {before['best']}")
    assert told["best"]["met"]
    assert not before["best"]["met"], "a search that knows no curves takes longer"


def test_what_cannot_be_met_is_given_up_before_the_budget_is() -> None:
    solve, told = tuned("|S11| < -40 dB from 2.40 to 2.50 GHz", (32.4e-3, 11.5e-3), 60)
    worths = [
        -o.number
        for p in LOW + (HIGH - LOW) * qmc.Sobol(2, rng=5).random(512)
        for o in [outcome("|S11| < -40 dB from 2.40 to 2.50 GHz")(_given(p))]
        if o.number is not None
    ]
    print(f"{solve.count} variants lack {told['best']['lacks']:.2f}, of 512 {min(worths):.2f}")
    assert solve.count < 60
    assert told["best"]["lacks"] < min(worths) + 0.1


def _given(point: Floats) -> Given:
    return Given(F, {"s11": patch(*point)}, {"s11": True})


def test_constraints_hold_and_failures_are_gone_round() -> None:
    text = "|S11| < -20 dB at 2.45 GHz"
    solve = Patches(text)

    def broken(points: Sequence[Point]) -> list[Trial]:
        whole = solve(points)
        return [Trial(t.point, failure="broken") if t.point[1] > 11.8e-3 else t for t in whole]

    start = (31.5e-3, 8.2e-3)
    variables = [Variable(n, LENGTH, v) for n, v in zip(("l", "i"), start, strict=True)]
    study = Tune(
        variables,
        np.column_stack([LOW, HIGH]),
        [goal(text)],
        start,
        30,
        constraints=[lambda p: p[0] - 2.95 * p[1] + 3e-3],
    )
    found = study.run(broken)
    assert found.told["best"]["met"]
    assert all(t.point[0] - 2.95 * t.point[1] + 3e-3 >= -1e-9 for t in found.trials)


def test_outcomes_that_follow_from_s_parameters_are_known() -> None:
    assert scattering(outcome("|S11| < -10 dB from 2.4 to 2.5 GHz")) == ["s11"]
    assert scattering(outcome("f where abs(s21) is largest")) == ["s21"]
    assert scattering(outcome("VSWR < 2")) == ["s11"]
    assert scattering(outcome("largest re(z1)")) == [], "it takes the reference impedance"
    assert scattering(outcome("gain > 5 dBi at 2.45 GHz")) == []


def test_predictions_say_what_they_are_off() -> None:
    texts = ("f where abs(s11) is smallest", "smallest db20(s11)")
    points = LOW + (HIGH - LOW) * qmc.Sobol(2, rng=1).random(16)
    known = Patches(*texts)([tuple(p) for p in points])
    model = Predicted([outcome(t) for t in texts], known)
    fresh = [tuple(p) for p in LOW + (HIGH - LOW) * (0.1 + 0.8 * qmc.Sobol(2, rng=9).random(32))]
    truth = Patches(*texts)(fresh)
    said, alone = model(fresh), model.alone()
    for text in texts:
        off, left_out = (
            float(np.sqrt(np.mean([(p[text].number - t.number(text)) ** 2 for p, t in pairs])))
            for pairs in (zip(said, truth, strict=True), zip(alone, known, strict=True))
        )
        print(f"{text}: off by {off:.3g}, when left out {left_out:.3g}")
        assert off < 2 * left_out
    with pytest.raises(HeronError, match="need"):
        Predicted([outcome(texts[0])], Patches(texts[0])([tuple(points[0])]))


def test_a_yield_through_a_surrogate_is_the_one_of_many() -> None:
    """Against 8,192 samples worked out one by one."""
    text = "|S11| < -10 dB from 2.445 to 2.455 GHz"
    centre = (32.3e-3, 11.2e-3)
    spreads = [
        Spread(Variable("length", LENGTH, centre[0]), "normal", 0.12e-3),
        Spread(Variable("inset", LENGTH, centre[1]), "uniform", 0.8e-3),
    ]
    many = Tolerance(spreads, 8192, [text]).run(Patches(text)).told["yield"]["value"]
    alone = Tolerance(spreads, 24, [text]).run(Patches(text)).told["yield"]
    solve = Patches(text)
    told = Tolerance(spreads, 1024, [text], solved=24).run(solve).told
    own = told["yield"]
    print(
        f"exact {many:.3f}; 24 solved of 1024: {own['value']:.3f}, {own['low']:.3f} to"
        f" {own['high']:.3f}; 24 alone {alone['low']:.3f} to {alone['high']:.3f};"
        f" margins off by {told['predicted']['error']['']:.2g} dB"
    )
    assert solve.count == 24
    assert told["predicted"]["count"] == 1000
    assert own["low"] <= many <= own["high"]
    assert own["high"] - own["low"] < 0.6 * (alone["high"] - alone["low"])
