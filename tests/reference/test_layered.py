"""Far fields of currents in layers, and what a model over layers scatters, against closed forms and
the package `tmm`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad
from tmm import coh_tmm

from heron.fields import surface
from heron.fields.layered import Stack, far_field, power_forms
from heron.quantities.constants import C0, ETA0
from heron.results import cross_sections
from tests.models import solve

F = 10e9
K = 2 * np.pi * F / C0
LAMBDA = C0 / F
RNG = np.random.default_rng(868)
NOTHING = np.zeros((1, 1, 3), dtype=complex)


def stack(epsilon: list[complex], heights: list[float]) -> Stack:
    return Stack(
        F, np.array(epsilon, dtype=complex), np.ones(len(epsilon), dtype=complex), np.array(heights)
    )


def test_without_a_layer_it_is_the_field_in_free_space() -> None:
    points = RNG.normal(size=(40, 3)) * LAMBDA / 2
    j, m = (RNG.normal(size=(2, 40, 3)) + 1j * RNG.normal(size=(2, 40, 3)) for _ in range(2))
    theta, phi = np.arccos(RNG.uniform(-1, 1, 300)), RNG.uniform(0, 2 * np.pi, 300)
    wanted = surface.far_field(points, j, m, theta, phi, F)
    for media in (
        stack([1], []),
        stack([1, 1], [0.1 * LAMBDA]),
        stack([1, 1, 1], [0.1 * LAMBDA, -0.3 * LAMBDA]),
    ):
        found = far_field(media, points, j, m, theta, phi)
        assert np.abs(found - wanted).max() < 1e-9 * np.abs(wanted).max()


@pytest.mark.parametrize("below", [False, True])
@pytest.mark.parametrize("angle", [0, 25, 50])
def test_layers_reflect_and_pass_on_what_the_transfer_matrix_says(
    angle: float, below: bool
) -> None:
    """Byrnes, arXiv:1603.02720 (the package `tmm`), whose time factor is exp(−iωt)."""
    t, d = np.radians(angle), 0.2 * LAMBDA
    media = stack(
        [1, 4 - 0.3j, 2.2, 1.5], [0.07 * LAMBDA, 0.07 * LAMBDA - d, 0.07 * LAMBDA - 3 * d]
    )
    order = [1.5, 2.2, 4 - 0.3j, 1] if below else [1, 4 - 0.3j, 2.2, 1.5]
    widths = [np.inf, 2 * d, d, np.inf] if below else [np.inf, d, 2 * d, np.inf]
    sign = 1.0 if below else -1.0
    for polarisation, electric in (
        ("s", np.array([0.0, 1, 0])),
        ("p", np.array([np.cos(t), 0, -sign * np.sin(t)])),
    ):
        wanted = coh_tmm(
            polarisation, [np.conj(np.sqrt(complex(e))) for e in order], widths, t, LAMBDA
        )
        found = {
            bool(w.theta[0] > np.pi / 2): w
            for w in media.leaving(np.array([[np.sin(t), 0, sign * np.cos(t)]]), electric[None])
        }
        power = {
            side: w.admittance * (np.abs(w.field) ** 2).sum() * abs(np.cos(w.theta[0]))
            for side, w in found.items()
        }
        into = np.sqrt(order[0].real) * np.cos(t)
        assert power[below] / into == pytest.approx(wanted["R"], abs=1e-9)
        assert power[not below] / into == pytest.approx(wanted["T"], abs=1e-9)


@pytest.mark.parametrize(
    ("height", "upright"), [(0.05, True), (0.4, True), (0.05, False), (0.4, False)]
)
def test_a_dipole_over_glass_gives_off_the_power_that_sommerfelds_integral_says(
    height: float, upright: bool
) -> None:
    """Novotny and Hecht, *Principles of Nano-Optics*, 2nd ed., eqs.

    10.26 and 10.27 (from memory); a lossless half-space keeps none of it.
    """
    n2 = 2.25
    moment = np.array([[[0, 0, 1.0]]] if upright else [[[1.0, 0, 0]]], dtype=complex)
    sides = power_forms(
        stack([1, n2], [0.0]), np.array([[0.0, 0.0, height * LAMBDA]]), moment, NOTHING
    )[:, 0, 0].real
    free = ETA0 * K**2 / (12 * np.pi)

    def integrand(s: float) -> float:
        z1, z2 = np.sqrt(1 - s * s + 0j), np.sqrt(n2 - s * s + 0j)
        rs, rp = (z1 - z2) / (z1 + z2), (n2 * z1 - z2) / (n2 * z1 + z2)
        phase = np.exp(2j * K * height * LAMBDA * z1)
        return float(
            (
                1.5 * s**3 / z1 * rp * phase
                if upright
                else 0.75 * s / z1 * (rs - z1 * z1 * rp) * phase
            ).real
        )

    # s = 1 ∓ u², so that the root at one is gone
    def stretch(a: float, b: float, at_one: float) -> float:
        return quad(lambda u: 2 * u * integrand(1 + at_one * u * u), a, b, limit=200)[0]

    wanted = (
        1
        + stretch(0, 1, -1.0)
        + stretch(0, np.sqrt(np.sqrt(n2) - 1), 1.0)
        + quad(integrand, np.sqrt(n2), np.sqrt(n2) + 40, limit=200)[0]
    )
    print(
        f"{'upright' if upright else 'level'} dipole {height} λ over ε = {n2}:"
        f" {sides.sum() / free:.5f}, wanted {wanted:.5f}; {100 * sides[1] / sides.sum():.1f} % go"
        " below"
    )
    assert sides.sum() / free == pytest.approx(wanted, rel=2e-5)


def over_glass(below: str = "4", metal: str = "perfect conductor") -> dict[str, Any]:
    """A cube half sunk into a lossless ground, illuminated from above at a slant."""
    return {
        "version": 1,
        "name": "A half sunk cube",
        "materials": [{"kind": "dielectric", "name": "ground", "permittivity": below}],
        "parts": [
            {
                "kind": "box",
                "name": "cube",
                "corner": ["-6 mm", "-6 mm", "-4 mm"],
                "size": ["12 mm", "12 mm", "12 mm"],
                "material": metal,
            }
        ],
        "feeds": [],
        "illuminations": [
            {"name": "wave", "travels": ["0.5", "0.2", "-1"], "electric": ["1", "0", "0.5"]}
        ],
        "surround": {"layers": [{"material": "ground"}]},
        "plan": {
            "engine": "transient",
            "f_start": "6 GHz",
            "f_stop": "12 GHz",
            "points": "4",
            "cells_per_wavelength": "20",
            "decay": "50",
        },
    }


def test_a_small_bead_on_glass_takes_what_it_scatters_and_no_power_is_lost() -> None:
    """Its extinction is a fiftieth of its amplitude forwards, so that phases must be those of the
    grid: without, it is 16 % off at 15 cells a wavelength.

    What goes into a lossless body is nothing by the difference equations; a flux from the middles
    of patches was off by a tenth of the extinction.
    """
    document = over_glass(below="2.25")
    document["materials"].append({"kind": "dielectric", "name": "plastic", "permittivity": "2.5"})
    document["parts"] = [
        {
            "kind": "box",
            "name": "bead",
            "corner": ["-3 mm", "-3 mm", "0 mm"],
            "size": ["6 mm", "6 mm", "6 mm"],
            "material": "plastic",
        }
    ]
    document["illuminations"] = [
        {"name": "straight", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"]},
        {"name": "slanting", "travels": ["0.6", "0.2", "-1"], "electric": ["1", "0", "0"]},
    ]
    document["plan"]["cells_per_wavelength"] = "15"
    results = solve(document)
    for n, name in enumerate(("straight", "slanting")):
        found = cross_sections.cross_sections(results, n)
        print(
            f"bead on glass, {name}: off by {np.round(100 * found.balance, 2)} %, absorbed over"
            f" extinction {np.abs(found.absorbed / found.extinction).max():.1e}"
        )
        assert np.abs(found.balance).max() < 0.04
        assert np.abs(found.absorbed / found.extinction).max() < 1e-4


def test_what_a_sunk_cube_scatters_is_what_it_takes_from_the_waves() -> None:
    """Power by the far fields above and below, against the optical theorem with the reflected and
    the refracted wave, which uses phases only.
    """
    document = over_glass()
    document["plan"]["cells_per_wavelength"] = "15"
    results = solve(document)
    found = cross_sections.cross_sections(results)
    off = np.abs(found.balance)
    print(
        f"half sunk cube: scattered {np.round(found.scattered * 1e4, 3)} cm²,"
        f" {np.round(100 * found.scattered_below / found.scattered)} % below, off by"
        f" {np.round(100 * off, 2)} %"
    )
    assert off.max() < 0.02
    assert np.abs(found.absorbed / found.extinction).max() < 0.02
    assert not cross_sections.kept(results)
