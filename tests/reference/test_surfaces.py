"""Surfaces in the moments engine against closed forms, series, the wires of the same engine, and
balances.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import xarray as xr
from scipy.special import spherical_jn, spherical_yn

from heron.fields import source
from heron.networks import s_to_y
from heron.results import cross_sections, near, patterns
from heron.results.power import budget
from tests.apertures import pyramidal_dbi
from tests.models import C0, METRE_WAVE, dipole, impedance, plan, solve, wire

WAVE = {"kind": "plane_wave", "name": "radar", "travels": ["0", "0", "1"]}


def sheet(name: str, corner: tuple[Any, ...], size: tuple[Any, Any], **more: Any) -> dict[str, Any]:
    """A rectangle across z from a corner, m."""
    return {
        "kind": "rectangle",
        "name": name,
        "corner": [f"{c!r} m" for c in corner],
        "size": [f"{s!r} m" for s in size],
        "material": "perfect conductor",
        **more,
    }


def metal(parts: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
    """A model at a wavelength of 1 m that the moments engine solves once."""
    settings = {"moments": more.pop("settings", {})}
    own = plan(rounds="1", engine="moments", settings=settings)
    return {"name": "metal", "parts": parts, "plans": [own], **more}


def impedances(results: xr.Dataset) -> np.ndarray:
    """(P, P) Ω at the only frequency."""
    return np.linalg.inv(s_to_y(results["s"].values[0], results["z0"].values))


def driven(document: dict[str, Any]) -> tuple[complex, xr.Dataset]:
    """Impedance at the only frequency, and results."""
    results = solve(document)
    return complex(impedances(results)[0, 0]), results


def mie(ka: float, theta: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """|S1|² and |S2|² of a conducting sphere: Bohren and Huffman, ch. 4, with m → ∞."""
    n = np.arange(1, int(ka + 4 * np.cbrt(ka) + 12))
    j, y = spherical_jn(n, ka), spherical_yn(n, ka)
    h = j - 1j * y
    dj = ka * spherical_jn(n, ka, True) + j
    dh = ka * (spherical_jn(n, ka, True) - 1j * spherical_yn(n, ka, True)) + h
    a, b = dj / dh, j / h
    mu = np.cos(theta)
    pi, tau = np.zeros((len(n) + 1, len(mu))), np.zeros((len(n) + 1, len(mu)))
    pi[1] = 1
    for k in n:
        if k > 1:
            pi[k] = ((2 * k - 1) * mu * pi[k - 1] - k * pi[k - 2]) / (k - 1)
        tau[k] = k * mu * pi[k] - (k + 1) * pi[k - 1]
    share = (2 * n + 1) / (n * (n + 1))
    return (
        np.abs((share * a) @ pi[1:] + (share * b) @ tau[1:]) ** 2,
        np.abs((share * a) @ tau[1:] + (share * b) @ pi[1:]) ** 2,
    )


def test_strip_dipole_is_a_wire_of_a_quarter_of_its_width() -> None:
    """Balanis, *Antenna Theory*, table of equivalent radii: within 2 %."""
    width, gap = 0.008, 0.02
    arm = 0.5 * (0.47 - gap)
    strip = metal(
        [
            sheet("upper", (-width / 2, gap / 2, 0.0), (width, arm)),
            sheet("lower", (-width / 2, -gap / 2 - arm, 0.0), (width, arm)),
        ],
        feeds=[
            {
                "kind": "between",
                "number": 1,
                "start": ["0", f"{-gap / 2} m", "0"],
                "end": ["0", f"{gap / 2} m", "0"],
                "across": [f"{width} m", "0", "0"],
            }
        ],
    )
    found = driven(strip)[0]
    alike = dipole(0.47, width / 4, 80)
    alike["feeds"][0]["width"] = f"{gap} m"
    expected = impedance(alike)
    print("strip against wire:", found, expected, abs(found / expected - 1))
    assert abs(found / expected - 1) < 0.02


def test_wire_beside_a_sheet_far_away_is_the_wire() -> None:
    """A strip in the place of a wire, with a patch of metal three wavelengths off its end: within
    2 % at a radius of 0.001 λ (2.2 % at 0.002 λ, 1 % at 0.0005 λ).
    """
    far = sheet("far", (-0.01, -0.01, 3.0), (0.02, 0.02))
    found = driven(
        metal(
            [far, wire("arm", [0, 0, -0.235], [0, 0, 0.235], 0.001)],
            feeds=[{"kind": "gap", "number": 1, "part": "arm", "width": "0.01 m"}],
        )
    )[0]
    alike = dipole(0.47, 0.001, 80)
    alike["feeds"][0]["width"] = "0.01 m"
    expected = impedance(alike)
    print("wire as strip:", found, expected, abs(found / expected - 1))
    assert abs(found / expected - 1) < 0.02


def monopole(side: float, radius: float = 0.002) -> dict[str, Any]:
    """On the middle of a square plate."""
    return metal(
        [
            sheet("plate", (-side / 2, -side / 2, 0.0), (side, side)),
            wire("whip", [0, 0, 0], [0, 0, 0.235], radius),
        ],
        feeds=[{"kind": "gap", "number": 1, "part": "whip", "at": "0.03", "width": "0.01 m"}],
        settings={"segments_per_wavelength": "30"},
    )


def test_monopole_on_a_plate_tends_to_that_on_a_plane() -> None:
    """Image theory; on a finite plate the impedance swings about that by what its rim reflects
    (common practice: within some 10 Ω for sides above one wavelength).
    """
    plane = metal(
        [wire("whip", [0, 0, 0], [0, 0, 0.235], 0.002)],
        feeds=[{"kind": "gap", "number": 1, "part": "whip", "at": "0.03", "width": "0.01 m"}],
        surround={"kind": "ground"},
        settings={"segments_per_wavelength": "80"},
    )
    expected = driven(plane)[0]
    off = {}
    for side in (0.5, 1.0, 1.5):
        z, results = driven(monopole(side))
        off[side] = abs(z - expected)
        balance = float(np.abs(budget(results).balance_error).max())
        print("plate of", side, "λ:", z, "plane:", expected, "balance", balance)
        assert balance < 5e-3
    assert off[1.5] < off[0.5] and off[1.5] < 12


def test_strip_above_a_ground_plane_is_that_with_its_image() -> None:
    """Images: a strip dipole over a plane against itself and its turned image in open space."""

    def model(**more: Any) -> dict[str, Any]:
        height = 0.2
        parts = [sheet("patch", (-0.05, -0.02, height), (0.02, 0.02))]
        feeds = [{"kind": "gap", "number": 1, "part": "arm", "width": "0.02 m"}]
        parts.append(wire("arm", [-0.2, 0.1, height], [0.2, 0.1, height], 0.004))
        if more.pop("twin", False):
            parts.append(sheet("image", (-0.05, -0.02, -height), (0.02, 0.02)))
            parts.append(wire("turned", [-0.2, 0.1, -height], [0.2, 0.1, -height], 0.004))
            feeds.append({"kind": "gap", "number": 2, "part": "turned", "width": "0.02 m"})
        return metal(parts, feeds=feeds, **more)

    alone = solve(model(surround={"kind": "ground"}))
    twins = solve(model(twin=True))
    z = impedances(twins)
    one = impedances(alone)[0, 0]
    print("over a plane", one, "against its image", z[0, 0] - z[0, 1], "reciprocity")
    assert one == pytest.approx(z[0, 0] - z[0, 1], rel=2e-3)
    assert abs(z[0, 1] - z[1, 0]) < 1e-6 * abs(z[0, 1])


@pytest.mark.parametrize("ka", [0.5, 2.0, 2.744, 8.0])
def test_conducting_sphere_against_mie(ka: float) -> None:
    """Bistatic in both planes, at a resonance of the inside (2.744) too: RMS below 0.1 dB where
    the pattern is within 20 dB of its peak.
    """
    radius = ka / (2 * np.pi)
    results = solve(
        metal(
            [
                {
                    "kind": "sphere",
                    "name": "sphere",
                    "radius": f"{radius!r} m",
                    "material": "perfect conductor",
                }
            ],
            illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
            settings={"segments_per_wavelength": {0.5: "100", 8.0: "30"}.get(ka, "50")},
        )
    )
    theta = np.radians(np.arange(0, 181, 5.0))
    one, two = mie(ka, theta)
    off = []
    for phi, exact in ((0.0, two), (np.pi / 2, one)):
        found = cross_sections.cross_section(results, 0, theta, np.full(len(theta), phi))
        expected = exact / np.pi  # λ²/π |S|² at a wavelength of 1 m
        strong = expected > 1e-2 * expected.max()
        off.append(10 * np.log10(found[strong] / expected[strong]))
    rms = float(np.sqrt(np.mean(np.concatenate(off) ** 2)))
    balance = float(np.abs(cross_sections.cross_sections(results).balance).max())
    print(f"ka {ka}: bistatic RMS {rms:.3f} dB, optical theorem {balance:.1e}")
    assert rms < 0.1 and balance < 5e-3


@pytest.mark.parametrize(
    ("plate", "area"),
    [
        (sheet("plate", (-1.5, -1.5, 0.0), (3.0, 3.0)), 9.0),
        (
            {
                "kind": "disc",
                "name": "disc",
                "radius": "1.5 m",
                "material": "perfect conductor",
            },
            np.pi * 1.5**2,
        ),
    ],
)
def test_plates_at_normal_incidence(plate: dict[str, Any], area: float) -> None:
    """4πA²/λ² of physical optics (Knott, *Radar Cross Section*) at three wavelengths across, where
    the rim adds some tenths of a dB.
    """
    results = solve(
        metal(
            [plate],
            illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
            settings={"segments_per_wavelength": "30"},
        )
    )
    found = float(cross_sections.monostatic(results)[0])
    off = 10 * np.log10(found / (4 * np.pi * area**2))
    balance = float(np.abs(cross_sections.cross_sections(results).balance).max())
    print(f"{plate['name']}: {off:.2f} dB against physical optics, optical theorem {balance:.1e}")
    assert abs(off) < 0.35 and balance < 5e-3


def test_loop_far_smaller_than_the_wave() -> None:
    """A frame of strip 0.03 and 0.01 λ round, fed across a gap: radiation resistance as the fourth
    power of its size, reactance as the first (Balanis, *Antenna Theory*, ch. 5: 320 π⁴ (S/λ²)² of
    a loop that encloses S, that of the strip's middle within 10 %), and the balance within 0.5 %.
    """
    found = []
    for round_ in (0.03, 0.01):
        side = round_ / 4
        width, half = side / 6, side / 2
        frame = [
            sheet("outer", (-half, -half, 0.0), (side, side)),
            sheet("inner", (width - half,) * 2 + (0.0,), (side - 2 * width,) * 2),
            sheet("slot", (half - 1.5 * width, -width / 4, 0.0), (2 * width, width / 2)),
            {
                "kind": "combine",
                "name": "frame",
                "operation": "cut",
                "first": "outer",
                "others": ["inner", "slot"],
            },
        ]
        ends = [[f"{half - width / 2!r} m", f"{y!r} m", "0"] for y in (-width / 4, width / 4)]
        feed = {
            "kind": "between",
            "number": 1,
            "start": ends[0],
            "end": ends[1],
            "radius": f"{width / 8!r} m",
        }
        coarse = {"segments_per_wavelength": "30"}
        z, results = driven(metal(frame, feeds=[feed], settings=coarse))
        enclosed = (side - width) ** 2
        balance = float(budget(results).balance_error[0])
        print(f"loop of {round_} λ: {z.real:.3e} Ω, balance {balance:.0e}")
        assert abs(balance) < 0.005
        found.append((z.real / (320 * np.pi**4 * enclosed**2), z.imag / round_))
    print(f"over those of small loops: {found}")
    assert found[1][0] == pytest.approx(found[0][0], rel=0.02)
    assert found[1][1] == pytest.approx(found[0][1], rel=0.01)
    assert found[1][0] == pytest.approx(1.0, abs=0.1)


def test_pyramidal_horn_against_fresnel_integrals() -> None:
    """A guide of 0.75 by 0.35 λ fed by a probe, opening to 3 by 2.2 λ over 5 λ: directivity within
    0.3 dB (Balanis, *Antenna Theory*, ch. 13).
    """
    a, b, back = 0.75, 0.35, 1.0
    probe = 0.25 / np.sqrt(1 - (0.5 / a) ** 2) - back  # a quarter of the guide's wavelength

    def section(z: float, width: float, height: float) -> dict[str, Any]:
        return {"at": ["0", "0", f"{z} m"], "width": f"{width} m", "height": f"{height} m"}

    horn = {
        "kind": "loft",
        "name": "horn",
        "sections": [section(-back, a, b), section(0, a, b), section(5.0, 3.0, 2.2)],
        "shell": True,
        "material": "perfect conductor",
    }
    parts = [
        horn,
        sheet("end", (-a / 2, -b / 2, -back), (a, b)),
        wire("probe", [0.0, -b / 2, probe], [0.0, 0.22 - b / 2, probe], 0.01),
    ]
    feed = {"number": 1, "part": "probe", "at": "0.15"}
    results = solve(metal(parts, feeds=[feed], settings={"segments_per_wavelength": "20"}))
    ahead = np.abs(
        source(results, 0, results["drive"].values).far_field(np.zeros(1), np.zeros(1), C0)
    )
    found = 10 * np.log10(
        4 * np.pi * (ahead**2).sum() / (2 * 376.730313668) / budget(results).radiated[0]
    )
    expected = pyramidal_dbi(C0, 3.0, 2.2, 5.0, (a, b))
    print(f"horn {found:.3f} dBi, Fresnel integrals {expected:.3f}: {found - expected:+.3f} dB")
    assert found == pytest.approx(expected, abs=0.3)


def test_reflector_against_its_aperture_integral() -> None:
    """A paraboloid of 8 λ across and focus 3.2 λ under a wave along its axis: the field at its
    focus within 0.3 dB of the integral over what the wave induces on it (physical optics: Balanis,
    *Antenna Theory*, ch. 15); by reciprocity that is its gain over that of a small feed.
    """
    diameter, focus, count = 8.0, 3.2, 256
    dish = {
        "kind": "dish",
        "name": "dish",
        "focus": f"{focus} m",
        "diameter": f"{diameter} m",
        "material": "perfect conductor",
    }
    wave = {"kind": "plane_wave", "name": "wave", "travels": ["0", "0", "-1"]}
    results = solve(metal([dish], illuminations=[wave], settings={"segments_per_wavelength": "16"}))
    place = np.array([[0.0, 0.0, focus]])
    found = source(results, 0, results["drive"].values).near_field(place, C0)[0][0, 0]

    at, weight = np.polynomial.legendre.leggauss(count)
    r, phi = np.meshgrid(
        (at + 1) * diameter / 4, 2 * np.pi * np.arange(count) / count, indexing="ij"
    )
    dish_points = np.stack((r * np.cos(phi), r * np.sin(phi), r**2 / (4 * focus)), axis=-1)
    slope = np.stack((-r * np.cos(phi), -r * np.sin(phi), 2 * focus + 0 * r), axis=-1) / (2 * focus)
    area = weight[:, None] * diameter / 4 * r * 2 * np.pi / count
    k, eta = 2 * np.pi, 376.730313668
    travels, electric = results["travels"].values[0], results["electric"].values[0]
    phase = np.exp(-1j * k * dish_points @ travels)
    current = 2 * np.cross(slope, np.cross(travels, electric) / eta) * (area * phase)[..., None]
    way = place[0] - dish_points
    far = np.linalg.norm(way, axis=-1)[..., None]
    along = way / far * (way / far * current).sum(axis=-1, keepdims=True)
    z = 1j * k * far
    near_terms = (1 + 1 / z + 1 / z**2) * current - (1 + 3 / z + 3 / z**2) * along
    scattered = (-1j * k * eta * near_terms * np.exp(-z) / (4 * np.pi * far)).sum(axis=(0, 1))
    expected = scattered + electric * np.exp(-1j * k * place[0] @ travels)
    off = 20 * np.log10(np.linalg.norm(found) / np.linalg.norm(expected))
    print(f"field at the focus of a dish of 8 λ: {off:+.3f} dB of the aperture integral")
    assert abs(off) < 0.3


def test_a_dipole_that_is_lit_receives_what_its_gain_says() -> None:
    """Effective area λ²/4π times the realized gain (Balanis ch. 2.15), of a strip that is lit and
    the same strip that is driven.
    """
    parts = [
        wire("arm", [0, 0, -0.235], [0, 0, 0.235], 0.002),
        sheet("far", (0.3, -0.05, -0.05), (0.1, 0.1)),
    ]
    feeds = [{"kind": "gap", "number": 1, "part": "arm", "width": "0.01 m"}]
    lit = solve(
        metal(
            parts,
            feeds=feeds,
            illuminations=[{**WAVE, "travels": ["1", "0", "0"], "electric": ["0", "0", "1"]}],
        )
    )
    sent = solve(metal(parts, feeds=feeds))
    area = float(cross_sections.received(lit)[0, 0])
    field = patterns.far_field(sent, 0, np.array([90.0]), np.array([180.0]))[0]
    offered = float(budget(sent).available[0])
    realized = 2 * np.pi * float((np.abs(field) ** 2).sum()) / 376.730313668 / offered
    balance = float(np.abs(cross_sections.cross_sections(lit).balance).max())
    print("received area", area, "realized gain says", realized / (4 * np.pi), balance)
    assert area == pytest.approx(realized / (4 * np.pi), rel=5e-3)
    assert balance < 5e-3


def test_near_field_is_zero_inside_a_lit_sphere_and_follows_its_own_far_field() -> None:
    results = solve(
        metal(
            [
                {
                    "kind": "sphere",
                    "name": "sphere",
                    "radius": "0.2 m",
                    "material": "perfect conductor",
                }
            ],
            illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
        )
    )
    inside = np.array([[0.0, 0.0, 0.0], [0.05, 0.05, 0.02], [0.0, 0.0, -0.1]])
    e, _ = near.near_field(results, 0, inside)
    print("field inside of 1 V/m:", np.abs(e).max())
    assert np.abs(e).max() < 0.03
    e, _ = near.near_field(results, 0, np.array([[0.0, 0.0, -300.0]]))
    scattered = e[0] - np.array([np.exp(2j * np.pi * 300 * 1), 0, 0])
    far = cross_sections.far_field(results, 0, np.array([np.pi]), np.array([0.0]))[0]
    assert abs(scattered[0]) * 300 == pytest.approx(np.abs(far).max(), rel=1e-2)
    assert f"{C0:.0f} Hz" == METRE_WAVE


def test_characteristic_modes_of_a_sphere_are_spherical_waves() -> None:
    """Eigenvalues −y/j of spherical functions: −(x y)′/(x j)′ of TM and −y/j of TE waves (Garbacz,
    Proc. IEEE 53 (1965), from memory; spherical functions as in Abramowitz and Stegun, ch. 10),
    each 2n + 1 times, in our sign: negative stores electric energy. Within 1 %, |λ| up to 40.
    """
    radius = 1 / (2 * np.pi)
    ball = {
        "kind": "sphere",
        "name": "ball",
        "radius": f"{radius!r} m",
        "material": "perfect conductor",
    }
    capture = {"kind": "characteristic_modes", "name": "modes", "count": "8", "points": "3"}
    own = plan(f"{0.5 * C0} Hz", f"{1.5 * C0} Hz", 2, rounds="1", engine="moments")
    results = solve(
        {
            "name": "ball",
            "parts": [ball],
            "illuminations": [WAVE],
            "captures": [capture],
            "plans": [own],
        }
    )
    compared = 0
    for f, found in zip(
        results["mode_frequency"].values, results["mode_eigenvalue"].values, strict=True
    ):
        x, n = 2 * np.pi * f / C0 * radius, np.arange(1, 4)
        j, y = spherical_jn(n, x), spherical_yn(n, x)
        electric = -(y + x * spherical_yn(n, x, True)) / (j + x * spherical_jn(n, x, True))
        known = np.sort(
            np.concatenate((np.repeat(electric, 2 * n + 1), np.repeat(-y / j, 2 * n + 1)))
        )
        for value in found[np.abs(found) < 40]:
            nearest = known[np.abs(known - value).argmin()]
            print(f"ka {x:.2f}: λ {value:.4f}, {nearest:.4f}: {value / nearest - 1:.2%}")
            assert value == pytest.approx(nearest, rel=0.01)
            compared += 1
        assert (np.abs(found - electric[0]) < 0.01 * abs(electric[0])).sum() == 3
    assert compared >= 20
