"""Modes of lines, guides and films, and feeds by them, against closed forms and published
designs.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.optimize import fsolve

from heron.discretise.grid import dual
from heron.engines.transient.modes import Section, cut_offs, propagation, solve
from heron.engines.transient.study import Study, study
from heron.quantities.constants import C0, EPS0, MU0
from heron.results import patterns
from heron.results.power import budget
from tests import models
from tests.apertures import WR90, pyramidal_dbi


def looked_at(document: dict[str, Any], count: int, at: float) -> Study:
    examination = models.examined(document)
    assert examination.sound, examination.errors
    return study(examination.discretisation.structure, examination.model, 0, count, at, points=3)


def test_cut_offs_of_a_circular_guide() -> None:
    """p′11 = 1.841, p01 = 2.405, p′21 = 3.054, p′01 = p11 = 3.832 over 2πa/c: Pozar, tables 3.3 and
    3.4. The two TE11 are one across the other.
    """
    found = looked_at(models.round_guide("10 mm", cells="40"), 3, 10.5e9)
    begins = np.concatenate((found.cut_off, found.following))
    exact = np.array([1.841184, 1.841184, 2.404826, 3.054237]) * C0 / (2 * np.pi * 10e-3)
    error = begins[:4] / exact - 1
    print("circular guide, cut-offs:", [f"{e:+.3%}" for e in error])
    assert found.kinds[:3] == ["TE", "TE", "TM"]
    assert np.abs(error[:3]).max() < 2e-3


def test_a_coaxial_line() -> None:
    """Z0 = η0 ln(b/a)/2π (Pozar, ch. 2); TE11 begins near the guide whose circumference is π(a +
    b): c/(π(a + b)) within a few per cent.
    """
    found = looked_at(models.coaxial("1 mm", "3 mm", cells="30"), 2, 6e9)
    z0 = 376.730313668 / (2 * np.pi) * np.log(3)
    print(
        f"coaxial line: Z0 {found.impedance[1, 0].real / z0 - 1:+.3%}, index"
        f" {found.index[1, 0].real - 1:+.3%}, TE11 {found.cut_off[1] / 1e9:.2f} GHz"
    )
    assert found.kinds == ["TEM", "TE"]
    assert found.impedance[:, 0].real == pytest.approx(z0, rel=2e-3)
    assert found.index[:, 0].real == pytest.approx(1, abs=2e-3)
    assert found.cut_off[1] == pytest.approx(C0 / (np.pi * 4e-3), rel=0.05)


def hammerstad(ratio: float, epsilon: float) -> tuple[float, float]:
    """ε_eff and Z0 (Ω) of a microstrip of width over height ``ratio``: Hammerstad and Jensen, IEEE
    MTT-S Digest 1980.
    """
    a = (
        1
        + np.log((ratio**4 + (ratio / 52) ** 2) / (ratio**4 + 0.432)) / 49
        + np.log(1 + (ratio / 18.1) ** 3) / 18.7
    )
    b = 0.564 * ((epsilon - 0.9) / (epsilon + 3)) ** 0.053
    effective = (epsilon + 1) / 2 + (epsilon - 1) / 2 * (1 + 10 / ratio) ** (-a * b)
    f = 6 + (2 * np.pi - 6) * np.exp(-((30.666 / ratio) ** 0.7528))
    return float(effective), float(
        376.730313668
        / (2 * np.pi)
        * np.log(f / ratio + np.sqrt(1 + (2 / ratio) ** 2))
        / np.sqrt(effective)
    )


def test_a_microstrip_against_hammerstad_and_jensen() -> None:
    effective, z0 = hammerstad(2.0, 2.2)
    document = models.microstrip(
        "3 mm", "1.5 mm", "2.2", length="10 mm", cells="40", width="12*w", height="12*h"
    )
    document["refinements"] = [
        {
            "kind": "fine_box",
            "name": "near",
            "corner": ["0", "-1.5*w", "0"],
            "size": ["L", "3*w", "2.5*h"],
            "cell": "0.15 mm",
        }
    ]
    found = looked_at(document, 1, 1e9)
    index, ohms = found.index[0, 0].real, found.impedance[0, 0].real
    print(
        f"microstrip mode: index {index / np.sqrt(effective) - 1:+.2%}, Z0 {ohms:.2f} Ω against"
        f" {z0:.2f} ({ohms / z0 - 1:+.2%})"
    )
    assert found.kinds == ["quasi-TEM"]
    assert index == pytest.approx(np.sqrt(effective), rel=0.01)
    assert ohms == pytest.approx(z0, rel=0.01)


def films(thickness: float, wavelength: float, epsilon: complex) -> list[complex]:
    """Effective indices of both surface waves of a film in air: tanh(k1 a) = −(k2 ε1/k1)^(±1),
    Maier, *Plasmonics*, eqs. 2.28 and 2.29, a half its thickness.
    """
    k0, out = 2 * np.pi / wavelength, []
    for power in (1, -1):

        def equation(x: Any, power: int = power) -> list[float]:
            n = complex(x[0], x[1])
            k1, k2 = k0 * np.sqrt(n**2 - epsilon), k0 * np.sqrt(n**2 - 1)
            residue = np.tanh(k1 * thickness / 2) + (k2 * epsilon / k1) ** power
            return [residue.real, residue.imag]

        single = np.sqrt(epsilon / (epsilon + 1))
        out.append(complex(*fsolve(equation, [single.real, single.imag], xtol=1e-12)))
    return sorted(out, key=lambda n: -n.real)


@pytest.mark.parametrize("thickness", [50e-9, 100e-9])
def test_surface_waves_of_a_silver_film(thickness: float) -> None:
    """Silver at 633 nm, ε = −18.3 − 0.48j (Johnson and Christy, Phys. Rev. B 6 (1972), as engineers
    sign it), in air; decay lengths within 5 %.
    """
    wavelength, epsilon = 633e-9, -18.3 - 0.48j
    step = thickness / 20
    outward = np.cumsum(np.minimum(step * 1.12 ** np.arange(60), 60e-9))
    outward = outward[outward < 2.5e-6]
    lines = np.concatenate(
        (
            -thickness / 2 - outward[::-1],
            np.linspace(-thickness / 2, thickness / 2, 21),
            thickness / 2 + outward,
        )
    )
    steps = np.diff(lines), np.full(2, 50e-9)
    widths = dual(steps[0]), dual(steps[1])
    omega = 2 * np.pi * C0 / wavelength
    middle = 0.5 * (lines[1:] + lines[:-1])
    own = np.where(np.abs(middle) < thickness / 2, epsilon, 1.0 + 0j)
    padded = np.concatenate((own[:1], own, own[-1:]))
    weight = np.concatenate(([steps[0][0]], steps[0], [steps[0][-1]]))
    on_lines = (padded[1:] * weight[1:] + padded[:-1] * weight[:-1]) / (weight[1:] + weight[:-1])
    na = len(own)
    y = [
        1j * omega * EPS0 * np.repeat(values[:, None], n, axis=1)
        for values, n in ((own, 3), (on_lines, 2), (on_lines, 3))
    ]
    z = [np.full(shape, 1j * omega * MU0) for shape in ((na + 1, 2), (na, 3), (na, 2))]
    # magnetic walls on both sides of the invariant direction
    live = [np.ones(values.shape, dtype=bool) for values in y]
    for edges in live[1:]:
        edges[[0, -1]] = False
    section = Section(
        steps,
        widths,
        (y[0], y[1], y[2]),
        (z[0], z[1], z[2]),
        (live[0], live[1], live[2]),
        1e-9,
        omega,
    )
    exact = films(thickness, wavelength, epsilon)
    found = [complex(propagation(m.beta2, 1e-9)) * C0 / omega for m in solve(section, 6)]
    for n in exact:
        near = min(found, key=lambda m: abs(m - np.conj(n) if n.imag > 0 else m - n))
        near_decay = near.imag / (-abs(n.imag))
        print(
            f"silver film of {thickness * 1e9:.0f} nm: index {near.real:.5f} against {n.real:.5f}"
            f" ({near.real / n.real - 1:+.3%}), decay {near_decay - 1:+.2%}"
        )
        assert near.real == pytest.approx(n.real, rel=0.01)
        assert near_decay == pytest.approx(1, rel=0.05)


def uniform_guide(cells: tuple[int, int], frequency: float, step: float) -> Section:
    """A rectangular guide of even cells, without time steps."""
    omega = 2 * np.pi * frequency
    steps = [np.full(n, size / n) for n, size in zip(cells, WR90, strict=True)]
    shapes = (cells[0], cells[1] + 1), (cells[0] + 1, cells[1]), (cells[0] + 1, cells[1] + 1)
    faces = (cells[0] + 1, cells[1]), (cells[0], cells[1] + 1), cells
    live = [np.ones(shape, dtype=bool) for shape in shapes]
    live[0][:, [0, -1]], live[1][[0, -1]] = False, False
    live[2][[0, -1]], live[2][:, [0, -1]] = False, False
    y, z = (
        [np.full(shape, 1j * omega * value) for shape in which]
        for which, value in ((shapes, EPS0), (faces, MU0))
    )
    return Section(
        (steps[0], steps[1]),
        (dual(steps[0]), dual(steps[1])),
        (y[0], y[1], y[2]),
        (z[0], z[1], z[2]),
        (live[0], live[1], live[2]),
        step,
        omega,
    )


def test_modes_of_wr90_follow_the_difference_equations() -> None:
    """TEmn and TMmn of even cells have β̃² = (ω/c)² − (2/Δ sin(πm/2N))² − …, exactly: Taflove and
    Hagness, ch. 4; and near Pozar's (ch. 3) continuous ones.
    """
    cells, f, step = (24, 12), 20e9, 1e-3
    section = uniform_guide(cells, f, step)
    transverse = [
        2 * n / size * np.sin(np.arange(4) * np.pi / (2 * n))
        for n, size in zip(cells, WR90, strict=True)
    ]
    exact = sorted(
        (
            (2 * np.pi * f / C0) ** 2 - a**2 - b**2
            for a in transverse[0]
            for b in transverse[1]
            if a or b
        ),
        reverse=True,
    )[:3]
    assert [m.beta2.real for m in solve(section, 3)] == pytest.approx(exact, rel=1e-9)
    smooth = np.array([C0 / (2 * WR90[0]), C0 / WR90[0], C0 / (2 * WR90[1])])
    assert cut_offs(section, 3) == pytest.approx(smooth, rel=5e-3)


def test_the_phase_constant_of_wr90() -> None:
    """β = √((ω/c)² − (π/a)²): Pozar, ch. 3; at 40 cells to the shortest wavelength, over the band
    of the guide.
    """
    found = looked_at(models.rectangular_guide("12 mm", cells="40"), 1, 10e9)
    exact = np.sqrt(1 - (C0 / (2 * WR90[0] * found.frequency)) ** 2)
    error = found.index[:, 0].real / exact - 1
    print("WR-90, β:", [f"{e:+.3%}" for e in error])
    assert np.abs(error).max() < 1e-3


def test_a_straight_guide_passes_its_mode() -> None:
    """Between two guide feeds nothing comes back, below −40 dB, and the phase is that of the length
    between the planes of reference, one of them moved by 5 mm: as the grid has it, with 2/Δ
    sin(βΔ/2) in place of β along the way and 2/Δt sin(ωΔt/2) in place of ω (Taflove and Hagness,
    ch. 4).
    """
    document = models.rectangular_guide("25 mm", cells="15")
    document["feeds"][1]["shift"] = "5 mm"
    document["surround"]["mirror"] = ["none", "PMC", "PEC"]
    results = models.solve(document)
    s, f = results["s"].values, results["frequency"].values
    omega = 2 * np.pi * f[[0, 5, 10]]
    examination = models.examined(document)
    s_grid = examination.discretisation.structure
    across2 = (omega / C0) ** 2 - (looked_at(document, 1, 10e9).index[:, 0].real * omega / C0) ** 2
    along = np.sqrt((2 / s_grid.step * np.sin(omega * s_grid.step / 2) / C0) ** 2 - across2)
    cells = np.diff(s_grid.x[(s_grid.x > -1e-9) & (s_grid.x < 25e-3 + 1e-9)])
    beta = 2 * np.arcsin(along[:, None] * cells / 2).sum(axis=1) / 25e-3
    turned = -np.unwrap(np.angle(s[:, 1, 0]))[[0, 5, 10]]
    turned += 2 * np.pi * np.round((beta[0] * 20e-3 - turned[0]) / (2 * np.pi))
    error = turned / (beta * 20e-3) - 1
    back = 20 * np.log10(np.abs(np.diagonal(s, axis1=1, axis2=2)).max())
    print(
        f"WR-90 between guide feeds: phase {np.abs(error).max():.1e} of the mode's own, reflection"
        f" {back:.1f} dB, |S21| {np.abs(s[:, 1, 0]).min():.5f}"
    )
    assert back < -40
    assert np.abs(error).max() < 1e-3
    assert np.abs(s[:, 1, 0]) == pytest.approx(1, abs=1e-3)
    assert results["mode"].values.tolist() == [1, 1]


@pytest.fixture(scope="module")
def horn_of_sheets() -> Any:
    return models.solve(models.horn("12", 3))


def on_axis(results: Any) -> Any:
    """dBi (f,): directivity of a horn."""
    return np.array(
        [f.directivity_dbi for f in patterns.figures(results, range(results.sizes["frequency"]))]
    )


def test_a_pyramidal_horn_against_its_aperture(horn_of_sheets: Any) -> None:
    """Directivity by Fresnel integrals: Balanis, *Antenna Theory*, ch. 13.

    A quarter of the horn is solved, between two mirror planes.
    """
    exact = [
        pyramidal_dbi(float(f), 60e-3, 45e-3, 70e-3) for f in horn_of_sheets["frequency"].values
    ]
    off = on_axis(horn_of_sheets) - exact
    print(
        f"horn of sheets: {np.round(off, 3)} dB of directivity over the aperture's"
        f" {np.round(exact, 2)} dBi"
    )
    assert np.abs(off).max() < 0.25
    assert patterns.figures(horn_of_sheets, [1])[0].peak_theta_deg == pytest.approx(0, abs=2)
    assert np.abs(budget(horn_of_sheets).balance_error).max() < 0.01


@pytest.mark.parametrize("wall", [0.2, 5.0])
def test_a_horn_of_solid_walls_is_one_of_sheets(wall: float, horn_of_sheets: Any) -> None:
    """Walls of any thickness that end in a rim of 0.2 mm, and have the sheets' aperture, are tight,
    and cost what sheets do; more of them in ``bench antennas``.
    """
    results = models.solve(models.horn("12", 3, wall=wall))
    off = on_axis(results) - on_axis(horn_of_sheets)
    cost = results.attrs["cells"] / horn_of_sheets.attrs["cells"]
    print(
        f"walls of {wall} mm: {np.round(off, 3)} dB of directivity over sheets, {cost:.2f} times"
        " the cells"
    )
    assert np.abs(off).max() < 0.15
    assert cost < 2


@pytest.mark.parametrize("epsilon", [1.0, 4.0, 10.0])
def test_round_conductors_in_a_medium(epsilon: float) -> None:
    """A coaxial line at default cells, filled: cells that metal cuts are of the medium as far as
    they are free (index 2.9 % low at ε 2.1, 9.6 % at 9 before).
    """
    document = models.coaxial("1 mm", "3 mm", cells="20")
    document["materials"] = [{"kind": "dielectric", "name": "fill", "permittivity": str(epsilon)}]
    document["parts"].append(
        {
            "kind": "cylinder",
            "name": "filling",
            "centre": ["0", "0", "0"],
            "radius": "3 mm",
            "inner": "1 mm",
            "height": "L",
            "material": "fill",
        }
    )
    found = looked_at(document, 1, 6e9)
    z0 = 376.730313668 / (2 * np.pi) * np.log(3) / np.sqrt(epsilon)
    index, ohms = found.index[1, 0].real / np.sqrt(epsilon) - 1, found.impedance[1, 0].real / z0 - 1
    print(f"ε {epsilon:g}: index {index:+.3%}, Z0 {ohms:+.3%}")
    assert abs(index) < 5e-3
    assert abs(ohms) < 1e-2
