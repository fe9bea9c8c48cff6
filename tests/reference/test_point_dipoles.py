"""Point dipoles against closed forms: images in a ground plane, coupling, patterns (Balanis,
*Antenna Theory*, ch. 4 and 5; images: ch. 4.7).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.quantities.constants import C0
from heron.results import patterns
from heron.results.power import budget
from tests.models import examined, solve

BAND = np.linspace(0.8e9, 1.2e9, 5)


def dipoles(*feeds: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "version": 1,
        "name": "Dipoles",
        "parts": [],
        "feeds": [{"kind": "dipole", "number": n + 1, **f} for n, f in enumerate(feeds)],
        "plan": {
            "engine": "transient",
            "f_start": "0.8 GHz",
            "f_stop": "1.2 GHz",
            "points": "5",
            "cells_per_wavelength": "20",
            "decay": "60",
        },
        **more,
    }


def impedance(s: np.ndarray) -> np.ndarray:
    """Over the resistance alone, (f, n, n)."""
    one = np.eye(s.shape[1])
    return np.array([np.linalg.solve(one - x, one + x) for x in s])


@pytest.mark.parametrize(
    "feed",
    [
        {"centre": ["0", "0", "0"]},
        {"centre": ["1.3 mm", "2.2 mm", "-3.1 mm"], "along": ["1", "1", "0.5"]},
        {"centre": ["0", "0", "0"], "moment": "magnetic"},
    ],
    ids=["on a line", "between lines, slanting", "magnetic"],
)
def test_alone_it_is_matched_and_has_the_pattern_of_a_dipole(feed: dict[str, Any]) -> None:
    results = solve(dipoles(feed))
    powers = budget(results)
    found = patterns.figures(results, [2])[0]
    print(
        f"|S11| {np.abs(results['s'].values).max():.1e}, directivity {found.directivity_dbi:.3f}"
        f" dBi (1.761), balance {100 * np.abs(powers.balance_error).max():.2f} %"
    )
    assert np.abs(results["s"].values).max() < 1e-3
    assert np.abs(powers.balance_error).max() < 0.01
    assert found.directivity_dbi == pytest.approx(10 * np.log10(1.5), abs=0.03)
    along = np.array(feed.get("along", ["0", "0", "1"]), dtype=float)
    theta, phi = (
        np.degrees(np.arccos(along[2] / np.linalg.norm(along))),
        np.degrees(np.arctan2(along[1], along[0])),
    )
    assert np.abs(
        patterns.far_field(results, 2, np.array([theta]), np.array([phi]))
    ).max() < 0.02 * np.sqrt(60 * 1.5), "nothing along it"


@pytest.mark.parametrize("height", [60e-3, 120e-3])
@pytest.mark.parametrize("upright", [True, False], ids=["upright", "level"])
def test_over_a_ground_its_resistance_is_that_of_its_image(height: float, upright: bool) -> None:
    along = ["0", "0", "1"] if upright else ["1", "0", "0"]
    results = solve(
        dipoles({"centre": ["0", "0", f"{height} m"], "along": along}, surround={"kind": "ground"})
    )
    x = 2 * 2 * np.pi * BAND / C0 * height
    wanted = (
        1 - 3 * np.cos(x) / x**2 + 3 * np.sin(x) / x**3
        if upright
        else 1 - 1.5 * (np.sin(x) / x + np.cos(x) / x**2 - np.sin(x) / x**3)
    )
    found = impedance(results["s"].values)[:, 0, 0].real
    print(
        f"{'upright' if upright else 'level'}, {height * 1e3:g} mm: R over that alone"
        f" {np.round(found, 4)}, off by {np.round(100 * (found / wanted - 1), 2)} %"
    )
    assert found == pytest.approx(wanted, rel=5e-3)


def test_two_of_them_couple_as_their_fields_say() -> None:
    """Side by side, Z21/R = 3j/2x (1 + 1/jx − 1/x²) e^(−jx)."""
    results = solve(dipoles({"centre": ["0", "0", "0"]}, {"centre": ["150 mm", "0", "0"]}))
    x = 2 * np.pi * BAND / C0 * 0.15
    wanted = 1.5j / x * (1 + 1 / (1j * x) - 1 / x**2) * np.exp(-1j * x)
    z = impedance(results["s"].values)
    off = np.abs(z[:, 1, 0] - wanted)
    print(
        f"Z21 over R: {np.round(z[:, 1, 0], 3)}, off by {off.max():.4f}; reciprocal within"
        f" {np.abs(z[:, 1, 0] - z[:, 0, 1]).max():.1e}"
    )
    assert off.max() < 0.01
    assert np.abs(z[:, 1, 0] - z[:, 0, 1]).max() < 1e-3
    assert np.abs(z[:, 0, 0] - 1).max() < 0.01
    assert np.abs(budget(results).balance_error).max() < 0.01


def test_each_feed_may_have_a_pulse_of_its_own() -> None:
    """What is found at a frequency is of the model, whatever pulses asked: a dipole's own in a
    scattering matrix with another's.
    """
    pair = {"centre": ["0", "0", "0"]}, {"centre": ["100 mm", "0", "0"]}
    first, second = (
        solve(dipoles(*pair)),
        solve(dipoles(pair[0], {**pair[1], "pulse_start": "0.85 GHz", "pulse_stop": "1.15 GHz"})),
    )
    level = np.abs(second["pulse_spectrum"].values)
    print(f"|ΔS| of two pulses {np.abs(second['s'].values - first['s'].values).max():.1e}")
    assert level[0, 1] / level[2, 1] < 0.9 * level[0, 0] / level[2, 0], "the second is narrower"
    assert np.abs(second["s"].values - first["s"].values).max() < 1e-3
    errors = examined(
        dipoles({**pair[0], "pulse_start": "0.99 GHz", "pulse_stop": "1.01 GHz"})
    ).errors
    assert (
        errors
        and errors[0].path == ("feeds", 0, "pulse_start")
        and "let it cover the band" in errors[0].message
    )


def test_a_loop_and_a_rod_are_reciprocal() -> None:
    """Beside a rod, a loop in one plane with it: E/η = H across, so that Z21/R = 3/2x (1 + 1/jx)
    e^(−jx), turned by a quarter (duality).
    """
    results = solve(
        dipoles(
            {"centre": ["0", "0", "0"]},
            {"centre": ["150 mm", "0", "0"], "along": ["0", "1", "0"], "moment": "magnetic"},
        )
    )
    x = 2 * np.pi * BAND / C0 * 0.15
    z = impedance(results["s"].values)
    off = np.abs(np.abs(z[:, 1, 0]) - np.abs(1.5 / x * (1 + 1 / (1j * x))))
    print(
        f"rod and loop: |Z21| over R off by {off.max():.4f}; reciprocal within"
        f" {np.abs(z[:, 1, 0] - z[:, 0, 1]).max():.1e}"
    )
    assert off.max() < 0.01
    assert np.abs(z[:, 1, 0] - z[:, 0, 1]).max() < 1e-3


def test_a_dipole_tells_what_an_antenna_sends_to_its_place() -> None:
    """From the gap of a wire to a dipole a wavelength away: what comes over is gain by gain (Friis;
    Balanis ch. 2.17) up to what is left of near fields.
    """
    far = 0.9
    document = dipoles({"centre": [f"{far} m", "0", "0"]})
    document["parts"] = [
        {
            "kind": "wire",
            "name": "rod",
            "start": ["0", "0", "-68 mm"],
            "end": ["0", "0", "68 mm"],
            "radius": "2 mm",
        }
    ]
    rod = {"number": 1, "part": "rod", "impedance": "70 ohm"}
    document["plan"] |= {"cells_per_wavelength": "16"}
    s = solve({**document, "feeds": [rod, {**document["feeds"][0], "number": 2}]})["s"].values
    alone = solve({**document, "feeds": [rod]})
    gain = np.array([10 ** (f.realized_gain_dbi / 10) for f in patterns.figures(alone, range(5))])
    wanted = C0 / BAND / (4 * np.pi * far) * np.sqrt(gain * 1.5)
    print(f"|S21| {np.round(np.abs(s[:, 1, 0]), 4)}, by Friis {np.round(wanted, 4)}")
    assert np.abs(s[:, 1, 0]) == pytest.approx(wanted, rel=0.03)
    assert np.abs(s[:, 1, 0] - s[:, 0, 1]).max() < 2e-3


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (
            {
                "feeds": [
                    {
                        "kind": "dipole",
                        "number": 1,
                        "centre": ["0", "0", "0"],
                        "along": ["0", "0", "0"],
                    }
                ]
            },
            "points nowhere",
        ),
        ({"surround": {"mirror": ["PMC", "none", "none"]}}, "no image in mirror planes"),
        (
            {
                "parts": [
                    {
                        "kind": "box",
                        "name": "plate",
                        "corner": ["-9 mm", "-9 mm", "4 mm"],
                        "size": ["18 mm", "18 mm", "4 mm"],
                        "material": "perfect conductor",
                    }
                ]
            },
            "within 2 cells of metal",
        ),
        (
            {
                "parts": [
                    {
                        "kind": "box",
                        "name": "sea",
                        "corner": ["-90 mm", "-90 mm", "-90 mm"],
                        "size": ["180 mm", "180 mm", "180 mm"],
                        "material": "wet",
                    }
                ],
                "materials": [
                    {
                        "kind": "dielectric",
                        "name": "wet",
                        "permittivity": "3",
                        "loss_tangent": "0.1",
                    }
                ],
            },
            "takes power",
        ),
        (
            {"plan": {"engine": "moments", "f_start": "0.8 GHz", "f_stop": "1.2 GHz"}},
            "point dipoles are of the transient engine",
        ),
        ({"illuminations": [{"name": "wave"}]}, "an illuminated model has no point dipoles"),
    ],
)
def test_where_it_cannot_stand_is_said_before_the_run(change: dict[str, Any], message: str) -> None:
    errors = [
        p.message for p in examined({**dipoles({"centre": ["0", "0", "0"]}), **change}).errors
    ]
    assert any(message in e for e in errors), errors
