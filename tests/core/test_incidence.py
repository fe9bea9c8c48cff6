"""Waves let in through a box: nothing leaks out, inside is the wave asked for, through layers and
media with poles; and what layers reflect against `tmm`.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tmm import coh_tmm

from heron.engines.transient.beams import beam_rays, incident_beam
from heron.engines.transient.incidence import incidence, stratified
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Dispersion
from heron.errors import ModelError
from heron.excitation.pulse import pulse_for
from heron.excitation.waves import PlaneWave
from heron.materials import MEDIA, Medium, Pole
from heron.materials.rational import exact, rational
from tests.yee import C0, empty, still

N, CELL = 52, 0.75e-3
LOW, HIGH = np.full(3, 15), np.full(3, N - 15)
PULSE = pulse_for(5e9, 15e9)
POLES = Medium(
    "three poles",
    2.0,
    conductivity=0.05,
    poles=(
        Pole("debye", 3.0, time=1.5e-11),
        Pole("lorentz", 1.0, omega=2 * np.pi * 12e9, gamma=2 * np.pi * 2e9),
        Pole("drude", omega=2 * np.pi * 6e9, gamma=2 * np.pi * 1e9),
    ),
)


def graded(middle: float) -> np.ndarray:
    """Cells that shrink to ``middle`` of the outer ones and grow again."""
    steps = np.concatenate(
        (
            np.ones(16),
            np.linspace(1, middle, 7)[1:],
            np.full(8, middle),
            np.linspace(middle, 1, 7)[1:],
            np.ones(16),
        )
    )
    line = np.concatenate(([0.0], np.cumsum(steps))) * CELL
    return np.asarray(line - line.mean())


def wave(travels: tuple[float, ...], electric: tuple[float, ...]) -> PlaneWave:
    u = np.array(travels) / np.linalg.norm(travels)
    e = np.array(electric) - (np.array(electric) @ u) * u
    return PlaneWave(u, e / np.linalg.norm(e), int(np.abs(u).argmax()))


def made(
    lines: list[np.ndarray] | None = None, layer: tuple[slice, Medium] | None = None
) -> Stepper:
    s = empty(lines or [np.arange(N + 1) * CELL - N * CELL / 2] * 3, ((10, 10),) * 3)
    s.box = LOW.copy(), np.array(s.shape) - 15
    if layer is not None:
        law, share = exact(layer[1], 10e9), np.zeros(s.shape, dtype=np.float32)
        share[:, :, layer[0]] = 1
        s.epsilon += share * (law.infinity - 1)
        s.sigma += share * law.conductivity
        if law.poles:
            s.dispersions = [Dispersion("layer", law, share)]
    return Stepper(s, np.zeros(0))


def leak(stepper: Stepper, light: PlaneWave, steps: int = 520) -> float:
    """Largest field outside the box over the largest inside, dB, in the whole run."""
    stepper.light = incident_beam(
        stepper, light, beam_rays(stepper, light, PULSE, 5e9), PULSE
    ).light
    low, high = stepper.structure.box
    outside = np.ones(stepper.e.shape, dtype=bool)
    outside[(slice(None), *(slice(a - 1, b + 2) for a, b in zip(low, high, strict=True)))] = False
    outside[..., stepper.structure.shape[2] + 1 :] = False
    inside = stepper.e[(slice(None), *(slice(a + 1, b) for a, b in zip(low, high, strict=True)))]
    most, lost = 0.0, 0.0
    for _ in range(0, steps, 20):
        still(stepper, 20)
        most, lost = (
            max(most, float(np.abs(inside).max())),
            max(lost, float(np.abs(stepper.e[outside]).max())),
        )
    assert most > 0.3, "the wave did enter"
    return float(20 * np.log10(lost / most))


@pytest.mark.parametrize("travels", [(0, 0, -1), (1, 0, 0)])
def test_nothing_leaks_along_an_axis_even_on_graded_cells(travels: tuple[float, ...]) -> None:
    found = leak(made([graded(0.6)] * 3), wave(travels, (1.0, 2.0, 3.0)), 700)
    print(f"along {travels}: {found:.0f} dB")
    assert found < -110


@pytest.mark.parametrize(
    ("travels", "electric"),
    [((1, 0.9, -1.1), (0, 1, 0)), ((1, 1, 1), (1, -1, 0)), ((-3, 1, 0.5), (0, 0, 1))],
)
def test_nothing_leaks_at_an_angle(travels: tuple[float, ...], electric: tuple[float, ...]) -> None:
    found = leak(made(), wave(travels, electric))
    print(f"along {travels}: {found:.0f} dB")
    assert found < -95


def test_cells_that_change_across_the_way_leak_a_little() -> None:
    """The wave is exact for cells of one size across; graded ones are within the −45 dB asked for
    oblique incidence.
    """
    found = leak(made([graded(0.6)] * 3), wave((0.5, 0.2, 1), (1, 0, 0)), 700)
    print(f"graded, oblique: {found:.0f} dB")
    assert -100 < found < -50


@pytest.mark.parametrize(
    ("medium", "electric"),
    [(Medium("lossy", 4.0, conductivity=0.3), (1, 0, 0)), (POLES, (1, 0, 0)), (POLES, (0, 1, 0))],
)
def test_nothing_leaks_through_a_half_space(medium: Medium, electric: tuple[float, ...]) -> None:
    found = leak(made(layer=(slice(0, N // 2), medium)), wave((0.5, 0.2, -1), electric), 700)
    print(f"{medium.name}, field along {electric}: {found:.0f} dB")
    assert found < -95


@pytest.mark.parametrize("electric", [(1, 0, 0)])
def test_nothing_leaks_of_a_wave_out_of_glass(electric: tuple[float, ...]) -> None:
    """At 20° from the normal in n = 2; beyond 30° all of it would be reflected, which is
    refused.
    """
    stepper = made(layer=(slice(0, N // 2), Medium("glass", 4.0)))
    found = leak(stepper, wave((0.3, 0.2, 1), electric), 700)
    print(f"out of glass, field along {electric}: {found:.0f} dB")
    assert found < -95
    with pytest.raises(ModelError, match=r"beyond 30\.0°"):
        incidence(stepper, wave((0.6, 0.3, 1), electric), PULSE)


def test_a_wave_over_layers_is_stratified_across_them_however_it_slants() -> None:
    u, e = np.array([0.9, 0, -np.sqrt(1 - 0.81)]), np.array([0.0, 1.0, 0.0])
    found = leak(made(layer=(slice(0, N // 2), Medium("glass", 4.0))), PlaneWave(u, e, 2), 700)
    print(f"64° from the normal: {found:.0f} dB")
    assert found < -95


def test_inside_is_the_wave_that_was_asked_for() -> None:
    """Amplitude and phase at the box's points, against e^(−jk·r) with the phase of the pulse at the
    origin.
    """
    light = wave((0.6, -0.3, 1), (0.2, 1, 0))
    stepper = made()
    wave_in = incidence(stepper, light, PULSE)
    stepper.light = wave_in.light
    f, dt = 10e9, stepper.dt
    total = np.zeros(stepper.e.shape, dtype=complex)
    pulse = 0j
    for n in range(1, 521):
        still(stepper, 1)
        total += stepper.e * np.exp(-2j * np.pi * f * n * dt)
        pulse += PULSE(np.array([n * dt - wave_in.delay]))[0] * np.exp(-2j * np.pi * f * n * dt)
    lines = stepper.structure.lines
    worst = 0.0
    for c in range(3):
        at = [
            np.asarray(line[:-1] + CELL / 2 if k == c else line[:-1])
            for k, line in enumerate(lines)
        ]
        x, y, z = np.meshgrid(*(a[17 : N - 17] for a in at), indexing="ij")
        phase = np.exp(
            -2j
            * np.pi
            * f
            / C0
            * (light.travels[0] * x + light.travels[1] * y + light.travels[2] * z)
        )
        found = total[c, 17 : N - 17, 17 : N - 17, 17 : N - 17] / pulse
        worst = max(worst, float(np.abs(found - light.electric[c] * phase).max()))
    print(
        f"worst error of E inside {worst:.4f} V/m for 1 V/m, at {C0 / f / CELL:.0f} cells per"
        " wavelength"
    )
    assert worst < 0.01


def reflected(stepper: Stepper, light: PlaneWave, f: np.ndarray) -> np.ndarray:
    """Power reflected towards +z, from the standing field of the stratified solution above the
    layers.
    """
    field = stratified(
        stepper,
        light.normal,
        np.tile(light.travels, (len(f), 1)),
        np.tile(light.electric, (len(f), 1)),
        2 * np.pi * f,
    )
    c = int(np.abs(light.electric[:2]).argmax())
    values, z = field[False, c], stepper.structure.z
    kz = 2 * np.pi * f / C0 * abs(light.travels[2])
    top = np.arange(N - 14, N - 4)
    out = []
    for v, k in zip(values[:, top], kz, strict=True):
        x, *_ = np.linalg.lstsq(
            np.column_stack((np.exp(1j * k * z[top]), np.exp(-1j * k * z[top]))), v, rcond=None
        )
        out.append(abs(x[1] / x[0]) ** 2)
    return np.array(out)


@pytest.mark.parametrize(
    "medium", [Medium("lossy", 4.0, conductivity=0.3), POLES], ids=lambda m: m.name
)
@pytest.mark.parametrize(("angle", "polarisation"), [(0, "s"), (35, "s"), (35, "p")])
def test_a_slab_reflects_as_the_transfer_matrix_says(
    medium: Medium, angle: float, polarisation: str
) -> None:
    """Byrnes, arXiv:1603.02720 (the package `tmm`); its time factor is exp(−iωt).

    Cells of λ/80 in air, as the scheme is of second order.
    """
    t = np.radians(angle)
    light = wave(
        (np.sin(t), 0, -np.cos(t)), (0, 1, 0) if polarisation == "s" else (np.cos(t), 0, np.sin(t))
    )
    s = [(np.arange(N + 1) - N / 2) * CELL / 3] * 3
    stepper = made(s, (slice(18, 30), medium))
    f = np.linspace(5e9, 15e9, 9)
    found = reflected(stepper, light, f)
    wanted = np.array(
        [
            coh_tmm(
                polarisation,
                [1, np.conj(np.sqrt(medium.epsilon(hz)[0])), 1],
                [np.inf, 4 * CELL, np.inf],
                t,
                C0 / hz,
            )["R"]
            for hz in f
        ]
    )
    print(f"{medium.name} {angle}° {polarisation}: |ΔR| {np.abs(found - wanted).max():.4f}")
    assert np.abs(found - wanted).max() < 0.005


def test_a_wave_that_comes_out_of_a_lossy_layer_is_refused() -> None:
    with pytest.raises(ModelError, match="medium that it comes from"):
        incidence(made(layer=(slice(0, N // 2), POLES)), wave((0, 0, 1), (1, 0, 0)), PULSE)


@pytest.mark.parametrize(
    "pole",
    [
        *POLES.poles,
        Pole("lorentz", 2.0, omega=1e11, gamma=5e11),
        Pole("lorentz", 2.0, omega=1e11, gamma=2e11),
        Pole("drude", omega=1e11),
    ],
)
def test_poles_are_what_their_formulas_say(pole: Pole) -> None:
    medium, f = Medium("one", 1.5, conductivity=0.01, poles=(pole,)), np.geomspace(1e9, 1e11, 30)
    wanted = medium.epsilon(f)
    assert np.abs(exact(medium, 1e10).epsilon(f) / wanted - 1).max() < 1e-5


@pytest.mark.parametrize(
    ("name", "low", "high", "most"),
    [
        ("optical gold", C0 / 800e-9, C0 / 500e-9, 0.025),
        ("optical silver", C0 / 800e-9, C0 / 500e-9, 0.015),
        ("muscle", 0.4e9, 3e9, 0.01),
        ("dry skin", 0.4e9, 3e9, 0.01),
    ],
)
def test_tables_and_spread_relaxations_are_fitted_within_a_band(
    name: str, low: float, high: float, most: float
) -> None:
    law, error, _ = rational(MEDIA[name], low, high)
    print(f"{name}: {len(law.poles)} poles, {100 * error:.2f} %")
    assert error < most
    assert law.infinity >= 1
    assert (law.epsilon(np.geomspace(low / 10, high * 10, 300)).imag <= 0).all(), "passive"


def test_a_medium_with_poles_stays_bounded_for_long() -> None:
    stepper = made(layer=(slice(0, N // 2), POLES))
    stepper.light = incidence(stepper, wave((0.3, 0.1, -1), (1, 0, 0)), PULSE).light
    still(stepper, 600)
    early: Any = stepper.stored()
    still(stepper, 1500)
    assert stepper.stored() < 0.1 * early
