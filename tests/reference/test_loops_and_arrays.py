"""Loops against King's and Storer's Fourier series, Yagi-Uda arrays against NBS TN 688, coupled
loops against the trade.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.special import i0, j0, jv, k0, struve

from heron.results import patterns, ports
from heron.results.power import budget
from tests.models import METRE_WAVE, impedance, plan, solve, wire

ETA0 = 376.730313668
EULER = 0.5772156649015329


def loop(bend: float, radius: float, **more: Any) -> dict[str, Any]:
    return {
        "parts": [
            {"kind": "arc", "name": "loop", "bend": f"{bend!r} m", "radius": f"{float(radius)!r} m"}
        ],
        "feeds": [{"number": 1, "part": "loop", "at": "0.5"}],
        "plan": plan(segments_per_wavelength="60"),
        **more,
    }


def fourier_loop(kb: float, radius_over_bend: float, terms: int = 20) -> complex:
    """Input admittance in S of a circular loop by the Fourier series of Storer (Trans. AIEE 75,
    1956) and King (Collin & Zucker, Antenna Theory, part 1, ch. 11), as restated in Balanis section
    5.3, eqs. 5-37.

    Y = (1/jπη) (1/a0 + 2 Σ 1/a_n), a_n = (kb/2)(N_{n+1} + N_{n-1}) - (n²/kb) N_n.
    """

    def omega(n: int, x: float) -> float:
        return quad(lambda t: np.sin(x * np.sin(t) - n * t) / np.pi, 0, np.pi, limit=200)[0]

    def n_of(n: int) -> complex:
        # N_n = (1/π)(K0(n a/b) I0(n a/b) + C_n) - ½ ∫_0^{2kb} [Ω_2n(x) + j J_2n(x)] dx,
        # C_n = ln 4n + γ - 2 Σ 1/(2m+1);  N_0 = (1/π) ln(8b/a) - ½ ∫ [Ω_0 + j J_0].
        n = abs(n)
        integral = (
            quad(lambda x: omega_even(n, x), 0, 2 * kb)[0]
            + 1j * quad(lambda x: jv(2 * n, x), 0, 2 * kb)[0]
        )
        if n == 0:
            return np.log(8 / radius_over_bend) / np.pi - 0.5 * integral
        c = np.log(4 * n) + EULER - 2 * sum(1 / (2 * m + 1) for m in range(n))
        return (k0(n * radius_over_bend) * i0(n * radius_over_bend) + c) / np.pi - 0.5 * integral

    def omega_even(n: int, x: float) -> float:
        """Lommel-Weber function of even order, (1/π)∫ sin(x sin t - 2nt) dt; order 0 is Struve's
        H_0.
        """
        return float(struve(0, x)) if n == 0 else omega(2 * n, x)

    values = [n_of(n) for n in range(terms + 2)]
    total = 0j
    for n in range(terms + 1):
        a_n = kb / 2 * (values[n + 1] + values[abs(n - 1)]) - n**2 / kb * values[n]
        total += (1 if n == 0 else 2) / a_n
    return total / (1j * np.pi * ETA0)


def test_one_wavelength_loop_against_the_fourier_series() -> None:
    """Ω = 2 ln(2πb/a) = 15; the series' susceptance depends on where it is cut, its conductance
    does not.
    """
    bend = 1 / (2 * np.pi)
    radius = 2 * np.pi * bend / np.exp(15 / 2)
    exact = fourier_loop(1.0, radius / bend)
    found = 1 / impedance(loop(bend, radius))
    print(
        f"G = {found.real * 1e3:.4f} mS against {exact.real * 1e3:.4f} mS, error"
        f" {found.real / exact.real - 1:.4f}"
    )
    assert found.real == pytest.approx(exact.real, rel=0.05)


def test_small_loop_radiation_resistance() -> None:
    """20 π² (C/λ)⁴: Balanis eq. 5-24. The current is not quite uniform, so the loop is very
    small.
    """
    circumference = 0.03
    found = impedance(loop(circumference / (2 * np.pi), 1e-5)).real
    exact = 20 * np.pi**2 * circumference**4
    print("relative error:", found / exact - 1)
    assert found == pytest.approx(exact, rel=0.02)


def test_small_loop_fourier_term_is_the_closed_form() -> None:
    """Guards the reference: the series' conductance over |Y|² gives the small loop's resistance."""
    y = fourier_loop(0.02, 0.01, terms=4)
    assert (1 / y).real == pytest.approx(20 * np.pi**2 * 0.02**4, rel=0.02)
    assert j0(0) == 1


def yagi(lengths: list[float], places: list[float], diameter: float) -> dict[str, Any]:
    """Elements along y at x, all in wavelengths; the second is driven."""
    parts = [
        wire(f"element {i}", [x, -h / 2, 0], [x, h / 2, 0], diameter / 2)
        for i, (h, x) in enumerate(zip(lengths, places, strict=True))
    ]
    return {
        "parts": parts,
        "feeds": [{"number": 1, "part": "element 1"}],
        "plan": plan(METRE_WAVE, segments_per_wavelength="60"),
    }


# NBS Technical Note 688 (Viezbicke, 1976), table 1, diameter 0.0085 λ, reflector spaced 0.2 λ: from
# memory. Gains over a half-wave dipole.
NBS = {
    "3 elements, 0.4 λ": ([0.482, 0.462, 0.442], [-0.2, 0, 0.2], 7.1),
    "5 elements, 0.8 λ": ([0.482, 0.460, 0.428, 0.424, 0.428], [-0.2, 0, 0.2, 0.4, 0.6], 9.2),
    "6 elements, 1.2 λ": (
        [0.482, 0.460, 0.428, 0.420, 0.420, 0.428],
        [-0.2, 0, 0.25, 0.5, 0.75, 1.0],
        10.2,
    ),
}


@pytest.mark.parametrize("name", NBS)
def test_yagi_gain(name: str) -> None:
    lengths, places, gain_dbd = NBS[name]
    figures = patterns.figures(solve(yagi(lengths, places, 0.0085)), [0])[0]
    error = figures.directivity_dbi - 2.15 - gain_dbd
    print(
        f"{name}: {figures.directivity_dbi:.2f} dBi against {gain_dbd + 2.15:.2f}, error"
        f" {error:+.2f} dB"
    )
    assert abs(error) < 0.5
    assert (figures.peak_theta_deg, figures.peak_phi_deg) == (
        pytest.approx(90, abs=1),
        pytest.approx(0, abs=1),
    )


def twin_loops(spacing: str) -> dict[str, Any]:
    arc = {"kind": "arc", "bend": "c0 / 150 MHz / (2 * pi)", "radius": "1 mm"}
    return {
        "frames": [{"name": "far side", "origin": ["0", "0", spacing]}],
        "parts": [{**arc, "name": "loop"}, {**arc, "name": "twin", "frame": "far side"}],
        "feeds": [{"number": 1, "part": "loop"}, {"number": 2, "part": "twin", "amplitude": "0"}],
        "plan": plan("130 MHz", "200 MHz", 141),
    }


def test_single_loop_of_the_trade() -> None:
    """One wavelength round at 150 MHz, 1 mm radius: |S11| about -6 dB in 50 Ω (common practice)."""
    document = twin_loops("1 m")
    document["parts"], document["feeds"] = document["parts"][:1], document["feeds"][:1]
    results = solve(
        document,
    )
    at = int(np.abs(results["frequency"].values - 150e6).argmin())
    s11 = float(ports.magnitude_db(results["s"].values[:, 0, 0])[at])
    level = ports.magnitude_db(results["s"].values[:, 0, 0])
    print(
        "S11 at 150 MHz:",
        s11,
        "dB; lowest",
        level.min(),
        "dB at",
        results["frequency"].values[level.argmin()],
    )
    assert level.min() == pytest.approx(-6, abs=2)


def test_two_loops_couple_and_shift() -> None:
    """A passive twin: S21 peaks near -7 dB just above 150 MHz (common practice, distance said to be
    1 m).

    At 1 m between planes even simultaneous conjugate matching cannot pass more than the maximum
    available gain computed here, about -10 dB; the trade's -7 dB is met at 0.4 m. Both are checked.
    """
    results = solve(twin_loops("1 m"))
    f = results["frequency"].values
    s = results["s"].values
    s21 = ports.magnitude_db(s[:, 1, 0])
    rollett = (1 - abs(s[:, 0, 0]) ** 2 - abs(s[:, 1, 1]) ** 2 + abs(np.linalg.det(s)) ** 2) / (
        2 * abs(s[:, 0, 1] * s[:, 1, 0])
    )
    # Pozar, Microwave Engineering, eq. 12.41
    available = 10 * np.log10(rollett - np.sqrt(rollett**2 - 1))
    close = solve(twin_loops("0.4 m"))
    close21 = ports.magnitude_db(close["s"].values[:, 1, 0])
    print(
        f"S21 peaks at {s21.max():.2f} dB at {f[s21.argmax()] / 1e6:.1f} MHz, available"
        f" {available.max():.2f} dB; at 0.4 m {close21.max():.2f} dB at"
        f" {f[close21.argmax()] / 1e6:.1f} MHz"
    )
    assert (s21 <= available + 1e-6).all()
    assert 150e6 < f[s21.argmax()] < 175e6
    assert close21.max() == pytest.approx(-7, abs=1)
    assert 150e6 <= f[close21.argmax()] < 160e6
    apart = solve(twin_loops("20 m"))
    near, far = (f[ports.magnitude_db(r["s"].values[:, 0, 0]).argmin()] for r in (results, apart))
    print(f"lowest |S11| moves from {far / 1e6:.1f} to {near / 1e6:.1f} MHz")
    assert near != far
    s = results["s"].values
    assert np.abs(s - s.swapaxes(1, 2)).max() < 1e-6
    assert np.abs(budget(results).balance_error).max() < 0.005


def test_helix_radiates_along_its_axis_and_turns_right() -> None:
    """Axial mode when one wavelength round, right-handed helix gives right-hand circular: Balanis
    section 10.3.1.
    """
    turns = 6
    document = {
        "parts": [
            {
                "kind": "helix",
                "name": "coil",
                "centre": ["0", "0", "0.02 m"],
                "bend": "1 m / (2 * pi)",
                "pitch": "0.22 m",
                "turns": str(turns),
                "radius": "3 mm",
            },
            wire("stub", ["1 m / (2 * pi)", 0, 0], ["1 m / (2 * pi)", 0, "0.02 m"], "3 mm"),
        ],
        "feeds": [{"number": 1, "part": "stub", "at": "0", "impedance": "140 ohm"}],
        "surround": {"kind": "ground"},
        "plan": plan(),
    }
    results = solve(document)
    figures = patterns.figures(results, [0])[0]
    assert figures.peak_theta_deg < 10
    e_theta, e_phi = patterns.far_field(results, 0, np.array([0.0]), np.array([0.0]))[0]
    right, left = abs(e_theta + 1j * e_phi), abs(e_theta - 1j * e_phi)
    axial_ratio = (right + left) / abs(right - left)
    print(
        f"axial ratio {axial_ratio:.3f}, directivity {figures.directivity_dbi:.2f} dBi; Balanis eq."
        f" 10-34 gives {(2 * turns + 1) / (2 * turns):.3f}"
    )
    assert right > 5 * left
    assert axial_ratio < 1.35
