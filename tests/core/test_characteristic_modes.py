"""Characteristic modes: the eigenproblem, how modes are followed, and what asks for them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import xarray as xr
from scipy.linalg import eigh

from heron.engines import Event, Signal
from heron.engines.moments.modes import _followed, _shares, characteristic
from heron.errors import QuantityError
from heron.results import currents
from heron.results.capabilities import CAPABILITIES, provides
from heron.results.formulas import Quantities
from heron.results.readout import sweep
from heron.runner import solve_in_rounds
from tests.models import dipole, examined, plan


def matrices(size: int = 40, rank: int = 6) -> tuple[np.ndarray, np.ndarray]:
    """Resistances of few directions and reactances of all."""
    random = np.random.default_rng(7)
    some = random.normal(size=(size, rank)) * 2.0 ** -np.arange(rank)
    more = random.normal(size=(size, size))
    return some @ some.T, more + more.T


def test_modes_are_those_of_the_generalised_eigenproblem() -> None:
    """X J = λ R J as it stands; and where X is positive definite, against a general solver."""
    resistance, reactance = matrices()
    found, modes = characteristic(resistance, reactance, 5)
    left, right = reactance @ modes, (resistance @ modes) * found
    print("residuals:", np.abs(left - right).max() / np.abs(left).max())
    assert np.abs(left - right).max() < 1e-6 * np.abs(left).max()
    power = 0.5 * modes.T @ resistance @ modes
    assert np.allclose(power, np.eye(5), atol=1e-6), "1 W each, and none of one in another"
    definite = reactance @ reactance.T + np.eye(len(reactance))
    expected = eigh(resistance, definite, eigvals_only=True)[::-1][:5]
    assert np.allclose(1 / characteristic(resistance, definite, 5)[0], expected, rtol=1e-6)


def test_fewer_modes_than_asked_for_where_fewer_radiate() -> None:
    resistance, reactance = matrices(rank=2)
    found, modes = characteristic(resistance, reactance, 5)
    assert len(found) == 2 and modes.shape == (40, 2)


def test_modes_that_change_places_are_followed() -> None:
    resistance, reactance = matrices()
    own, modes = characteristic(resistance, reactance, 4)
    order = [2, 0, 3, 1]
    values, kept = _followed(modes, own[order], -modes[:, order], resistance)
    assert np.allclose(values, own) and np.allclose(kept, modes)
    other = np.random.default_rng(1).normal(size=modes.shape) * 1e-3
    values, kept = _followed(modes, own, other, np.diag(np.ones(len(modes))) + 0 * resistance)
    assert np.isnan(values).all() and np.allclose(kept, modes), "like none of them"
    shares = _shares((1 + 2j) * modes[:, 0] + 1j * modes[:, 1], modes, resistance)
    assert np.allclose(shares, [5 / 6, 1 / 6, 0, 0], atol=1e-6)


@pytest.fixture(scope="module")
def wire() -> xr.Dataset:
    """A wire alone, whose modes are of the strip that stands for it."""
    document = dipole(0.5, 2e-3, plan=plan("240 MHz", "320 MHz", 9, rounds="2"))
    document["captures"] = [
        {"kind": "characteristic_modes", "name": "modes", "count": "3", "points": "5"}
    ]
    examination = examined(document)
    assert not examination.problems and examination.engine == "moments"
    less = examined(document | {"captures": []})
    assert examination.discretisation.unknowns != less.discretisation.unknowns
    return solve_in_rounds(examination)


def test_a_half_wave_wire_is_its_first_mode(wire: xr.Dataset) -> None:
    """Common practice: a thin wire resonates a little below half a wavelength, 0.47 to 0.49, there
    its significance is 1, below it is capacitive, and a feed in its middle drives nothing else.
    """
    run = Quantities(wire)
    assert provides(wire, "characteristic modes")
    f, one = run.frequency, run.curve("modal_significance1").values
    best = f[one.argmax()] / 599584916 * 2 * 0.5
    print("first mode at", best, "wavelengths")
    assert 0.46 < best < 0.495 and one.max() > 0.98
    angle = np.degrees(run.curve("characteristic_angle1").values)
    assert angle[0] > 180 > angle[-1], "capacitive below its resonance"
    assert np.allclose(one, -np.cos(np.radians(angle)))
    assert np.allclose(run.curve("eigenvalue1").values, -np.tan(np.radians(angle)))
    assert (run.curve("mode_share1").values > 0.99).all()
    assert (np.abs(run.curve("modal_significance2").values) < 0.2).all()
    with pytest.raises(QuantityError, match="modes 1 to 3"):
        run.curve("eigenvalue4")
    with pytest.raises(QuantityError, match="no eigenvalue1"):
        Quantities(wire.assign_attrs(provides='["ports"]')).curve("eigenvalue1")


def test_currents_of_modes_are_among_those_of_surfaces(wire: xr.Dataset) -> None:
    told = sweep(wire)
    assert told["modes"] == 3 and told["mode_angle_error_deg"] > 0
    assert told["surfaces"] == ["all metal", "mode 1", "mode 2", "mode 3"]
    second = currents.surface_current(wire, "mode 2", 300e6)
    assert second.under == "radiating 1 W" and (second.k.imag == 0).all()
    height, k = second.middle[:, 2], second.k[:, 2].real
    above, below = k[height > 0.1].mean(), k[height < -0.1].mean()
    assert above * below < 0, "the second mode is odd"
    first = currents.surface_current(wire, "mode 1", 300e6)
    driven = currents.surface_current(wire, "all metal", 300e6)
    likeness = np.abs(np.vdot(first.k, driven.k))
    assert likeness > 0.98 * np.linalg.norm(first.k) * np.linalg.norm(driven.k)
    capability = CAPABILITIES["characteristic modes"]
    text = capability.files(wire, {})["modes.csv"].splitlines()
    assert text[0].startswith("frequency_hz,eigenvalue1,share1") and len(text) == 6
    nearest = capability.summary(wire, None, [])["characteristic_modes"][0]
    assert nearest["mode"] == 1 and nearest["significance"] > 0.98


def test_stopping_while_modes_are_found_keeps_the_rest() -> None:
    document = dipole(0.5, 2e-3, plan=plan("240 MHz", "320 MHz", 3, rounds="1"))
    document["captures"] = [{"kind": "characteristic_modes", "name": "modes", "points": "3"}]

    def ask(event: Event, /) -> Signal:
        return Signal.STOP if event.stage == "modes" else Signal.CONTINUE

    results = solve_in_rounds(examined(document), ask)
    assert results.attrs["stopped"] and "modes" in results.attrs["status"]
    assert not provides(results, "characteristic modes") and provides(results, "ports")


@pytest.mark.parametrize(
    ("capture", "message"),
    [
        ({"count": "0"}, "whole number of modes"),
        ({"count": "2.5"}, "whole number of modes"),
        ({"points": "1000"}, "whole number of frequencies"),
    ],
)
def test_what_cannot_be_asked_of_modes(capture: dict[str, Any], message: str) -> None:
    own = {"kind": "characteristic_modes", "name": "modes", **capture}
    found = examined(dipole(0.5, 2e-3) | {"captures": [own]})
    (problem,) = [p for p in found.problems if p.level == "error"]
    assert message in problem.message and problem.path[:2] == ("captures", 0)


def test_modes_are_asked_for_once_and_of_one_engine() -> None:
    own = [{"kind": "characteristic_modes", "name": n} for n in ("modes", "more")]
    (problem,) = examined(dipole(0.5, 2e-3) | {"captures": own}).errors
    assert problem.path == ("captures", 1, "name") and "once" in problem.message
    timed = dipole(0.5, 2e-3, plan=plan("250 MHz", "350 MHz", 3, engine="transient"))
    found = examined(timed | {"captures": own[:1]})
    assert any("transient engine has no characteristic modes" in p.message for p in found.problems)


def test_modes_are_in_the_forecast() -> None:
    def seconds(points: str) -> float:
        capture = {"kind": "characteristic_modes", "name": "modes", "points": points}
        document = dipole(0.5, 2e-3, plan=plan("240 MHz", "320 MHz", 9)) | {"captures": [capture]}
        forecast = examined(document).forecast
        assert forecast is not None
        return float(forecast.seconds)

    assert seconds("101") > 2 * seconds("2")
