"""Mirror planes and reflecting walls of the time-domain engine: a part of a model gives what the
whole gives; walls give what images give.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import scipy.optimize
import xarray as xr

from heron import fields
from heron.checks import examine
from heron.engines import ENGINES, silent
from heron.engines.transient.stepper import Stepper
from heron.model import load_document
from heron.results import patterns
from heron.results.near import near_field
from heron.results.power import budget
from tests.yee import still

Row = dict[str, Any]


def tuned(**surround: Any) -> Row:
    """A copper dipole along z between two dielectric collars, with a trap in either arm and a lossy
    disc of sheet in its middle plane's neighbourhood.
    """
    collar = {"kind": "box", "material": "foam"}
    return {
        "version": 1,
        "materials": [
            {
                "kind": "dielectric",
                "name": "foam",
                "permittivity": "2.5",
                "loss_tangent": "0.02",
                "conductivity": "0 S/m",
                "permeability": "1",
            }
        ],
        "parts": [
            {
                "kind": "wire",
                "name": "rod",
                "start": ["0", "0", "-70 mm"],
                "end": ["0", "0", "70 mm"],
                "radius": "2 mm",
                "material": "copper",
            },
            collar
            | {
                "name": "upper",
                "corner": ["-9 mm", "-12 mm", "0"],
                "size": ["18 mm", "24 mm", "6 mm"],
            },
            collar
            | {
                "name": "lower",
                "corner": ["-9 mm", "-12 mm", "-6 mm"],
                "size": ["18 mm", "24 mm", "6 mm"],
            },
        ],
        "feeds": [{"number": 1, "part": "rod", "at": "0.5"}],
        "loads": [
            {
                "kind": "series",
                "name": name,
                "part": "rod",
                "at": at,
                "resistance": "20 ohm",
                "inductance": "3 nH",
            }
            for name, at in (("up", "0.8"), ("down", "0.2"))
        ],
        "captures": [
            {
                "kind": "near_line",
                "name": "line",
                "start": ["-30 mm", "-24 mm", "-50 mm"],
                "end": ["40 mm", "33 mm", "61 mm"],
                "count": "9",
            }
        ],
        "surround": surround,
        "plan": {
            "engine": "transient",
            "f_start": "0.7 GHz",
            "f_stop": "1.1 GHz",
            "points": "9",
            "cells_per_wavelength": "10",
            "decay": "60",
        },
    }


def solve(document: Row) -> xr.Dataset:
    found = examine(load_document(document))
    assert not found.errors, [p.message for p in found.errors]
    return ENGINES["transient"].solve(found.model, found.discretisation, silent)


@pytest.fixture(scope="module")
def whole() -> xr.Dataset:
    return solve(tuned())


MIRRORS = [
    ("PMC", "none", "none"),
    ("none", "none", "PEC"),
    ("PMC", "PMC", "PEC"),
]


@pytest.mark.parametrize("mirror", MIRRORS, ids=["half", "across the gap", "an eighth"])
def test_a_part_of_the_model_gives_what_the_whole_gives(
    whole: xr.Dataset, mirror: tuple[str, str, str]
) -> None:
    part = solve(tuned(mirror=mirror))
    share = part.attrs["cells"] / whole.attrs["cells"]
    worst = float(np.abs(part["s"].values - whole["s"].values).max())
    powers = [budget(r) for r in (part, whole)]
    ratios = {
        name: float(np.abs(getattr(powers[0], name) / getattr(powers[1], name) - 1).max())
        for name in ("radiated", "conductor", "dielectric", "loads")
    }
    theta, phi = np.array([20.0, 75.0, 120.0, 160.0]), np.array([10.0, 100.0, 200.0, 300.0])
    far = [patterns.far_field(r, 4, theta, phi) for r in (part, whole)]
    points = whole["near 0_at"].values
    near = [near_field(r, 4, points) for r in (part, whole)]
    off = {"far field": np.abs(far[0] - far[1]).max() / np.abs(far[1]).max()} | {
        k: np.abs(near[0][i] - near[1][i]).max() / np.abs(near[1][i]).max()
        for i, k in enumerate("EH")
    }
    print(
        f"{mirror}: {share:.3f} of the cells, |ΔS| {worst:.1e}, powers",
        {k: f"{v:.1e}" for k, v in (ratios | off).items()},
    )
    assert share < 0.62
    assert worst < 1e-3
    assert max(ratios.values()) < 1e-3 and max(off.values()) < 1e-3


PLAN = {
    "f_start": "0.8 GHz",
    "f_stop": "1 GHz",
    "points": "5",
    "cells_per_wavelength": "24",
    "decay": "50",
}


def dipoles(*places: str, **surround: Any) -> Row:
    """Dipoles along y, all driven in phase."""
    return {
        "version": 1,
        "surround": {"margin": "100 mm"} | surround,
        "plan": PLAN | {"engine": "transient"},
        "parts": [
            {
                "kind": "wire",
                "name": f"rod{k}",
                "start": [x, "-75 mm", "0"],
                "end": [x, "75 mm", "0"],
                "radius": "2.5 mm",
                "material": "perfect conductor",
            }
            for k, x in enumerate(places)
        ],
        "feeds": [
            {
                "number": k + 1,
                "part": f"rod{k}",
                "at": "0.5",
                "width": "8 mm",
                "impedance": "73 ohm",
            }
            for k in range(len(places))
        ],
    }


@pytest.fixture(scope="module")
def pair() -> xr.Dataset:
    return solve(dipoles("0", "200 mm"))


@pytest.mark.parametrize(("kind", "sign"), [("PEC", -1), ("PMC", 1)])
def test_a_wall_is_an_image(pair: xr.Dataset, kind: str, sign: int) -> None:
    """Image theory (Balanis, Antenna Theory, ch. 4): a wall and a second antenna, driven alike or
    opposite, do the same on the antenna's side, with half of the power.
    """
    wall = solve(dipoles("0", walls=["open", kind, "open", "open", "open", "open"]))
    waves = np.array([1.0, sign]) * pair["drive"].values
    off = float(
        np.abs(
            wall["s"].values[:, 0, 0] - pair["s"].values[:, 0, 0] - sign * pair["s"].values[:, 0, 1]
        ).max()
    )
    powers = [budget(wall), budget(pair, waves)]
    shares = powers[0].total_efficiency[2] / powers[1].total_efficiency[2]
    theta, phi = np.array([90.0, 60.0, 90.0, 90.0]), np.array([180.0, 150.0, 240.0, 20.0])
    both = fields.source(pair, 2, waves).far_field(
        np.radians(theta), np.radians(phi), float(wall["frequency"][2])
    )[0]
    level = [np.abs(field).max(axis=1) for field in (patterns.far_field(wall, 2, theta, phi), both)]
    ratio = 20 * np.log10(level[0][:3] / level[1][:3])
    balance = float(np.abs(powers[0].balance_error).max())
    print(
        f"{kind} wall against the image: |ΔS11| {off:.4f}, radiated share {shares - 1:+.2%}, far"
        " field",
        ratio.round(4),
        f"dB, balance {balance:.1%}",
    )
    assert off < 1e-3
    assert shares == pytest.approx(1, rel=1e-3)
    np.testing.assert_allclose(ratio, 0, atol=0.01)
    assert level[0][3] == 0  # nothing behind the wall
    assert balance < 0.01


@pytest.mark.parametrize(
    ("change", "path", "words"),
    [
        (
            {"surround": {"mirror": ["none", "PMC", "none"]}, "shift": "1 mm"},
            ("parts", 1),
            "no mirror image in y = 0",
        ),
        (
            {"surround": {"mirror": ["none", "none", "PMC"]}},
            ("feeds", 0, "at"),
            "lets no current through",
        ),
        (
            {"surround": {"mirror": ["PEC", "none", "none"]}},
            ("feeds", 0, "at"),
            "would short it",
        ),
        (
            {
                "surround": {
                    "mirror": ["none", "none", "PEC"],
                    "walls": ["open"] * 5 + ["PEC"],
                }
            },
            ("surround", "mirror"),
            "for ever",
        ),
        (
            {"surround": {"mirror": ["none", "none", "PEC"]}, "at": "0.6"},
            ("feeds", 0, "at"),
            "does not lie in the mirror plane",
        ),
    ],
)
def test_symmetry_that_the_model_does_not_have_is_told_before_the_run(
    change: Row, path: tuple[Any, ...], words: str
) -> None:
    document = tuned(**change["surround"])
    if "shift" in change:
        document["parts"][1]["corner"][1] = "-11 mm"
    document["feeds"][0]["at"] = change.get("at", "0.5")
    errors = examine(load_document(document)).errors
    assert any(e.path == path and words in e.message for e in errors), [
        (e.path, e.message) for e in errors
    ]


def characteristic(index: float) -> complex:
    """k0 a of the TE111 mode of a dielectric sphere: the zero of Mie's denominator b1 (Bohren and
    Huffman, ch. 4) for outgoing waves exp(+jωt).
    """

    def psi(z: complex) -> tuple[complex, complex]:
        return np.sin(z) / z - np.cos(z), np.cos(z) / z - np.sin(z) / z**2 + np.sin(z)

    def xi(z: complex) -> tuple[complex, complex]:
        e = np.exp(-1j * z)
        return e * (1j / z - 1), e * (1 / z - 1j / z**2 + 1j)

    def denominator(z: complex) -> complex:
        (p, dp), (x, dx) = psi(index * z), xi(z)
        return complex(p * dx - index * x * dp)

    guess = np.pi / index * (0.95 + 0.05j)
    found = scipy.optimize.newton(denominator, guess, tol=1e-12)
    assert abs(denominator(found)) < 1e-9
    return complex(found)


def test_a_hemispherical_resonator_rings_at_its_characteristic_frequency() -> None:
    """Permittivity 9.5, radius 12.5 mm on a ground plane: 3.68 GHz in the literature (Petosa,
    Dielectric Resonator Antenna Handbook, from memory).
    """
    radius, index = 12.5e-3, np.sqrt(9.5)
    exact = characteristic(index)
    f0, q0 = exact.real * 299792458 / (2 * np.pi * radius), exact.real / (2 * abs(exact.imag))
    assert f0 == pytest.approx(3.68e9, rel=0.02)
    found = examine(
        load_document(
            {
                "version": 1,
                "parts": [
                    {
                        "kind": "sphere",
                        "name": "bead",
                        "centre": ["0", "0", "0"],
                        "radius": f"{radius} m",
                        "material": "ceramic",
                    }
                ],
                "materials": [
                    {
                        "kind": "dielectric",
                        "name": "ceramic",
                        "permittivity": "9.5",
                        "loss_tangent": "0",
                        "conductivity": "0 S/m",
                        "permeability": "1",
                    }
                ],
                "surround": {"mirror": ["PEC", "PMC", "PEC"]},
                "plan": {
                    "engine": "transient",
                    "f_start": "3 GHz",
                    "f_stop": "4.5 GHz",
                    "points": "3",
                    "cells_per_wavelength": "20",
                },
            }
        )
    )
    s = found.discretisation.structure
    stepper = Stepper(s, np.zeros(0))
    lag, width = int(0.2 / (f0 * stepper.dt)), 1 / f0
    signal = []
    # a small magnetic dipole at the centre excites what has one: TE11r, and the pulse only the
    # first of those
    for n in range(110 * lag):
        t = (n + 0.5) * stepper.dt - 4.5 * width
        stepper.h[1, 0, 0, 0] += np.exp(-((t / width) ** 2)) * np.sin(2 * np.pi * f0 * t)
        still(stepper, 1)
        if n % lag == 0:
            signal.append(float(stepper.h[1, 0, 0, 0]))
    v, order = np.array(signal[50:]), 4
    rows = np.array([v[n : n + order] for n in range(len(v) - order)])
    poles = np.roots(
        np.concatenate(([1.0], -np.linalg.lstsq(rows, v[order:], rcond=None)[0][::-1]))
    )
    rates = np.log(poles.astype(complex)) / (lag * stepper.dt)
    rate = min(rates, key=lambda r: abs(r.imag / (2 * np.pi) - f0))
    f, q = rate.imag / (2 * np.pi), rate.imag / (-2 * rate.real)
    print(
        f"hemisphere: {f0 / 1e9:.4f} GHz, Q {q0:.2f}; on the grid {f / f0 - 1:+.2%}, Q"
        f" {q / q0 - 1:+.1%}"
    )
    assert abs(f / f0 - 1) < 0.01
    assert abs(q / q0 - 1) < 0.05
