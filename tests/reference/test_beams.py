"""Gaussian beams: they stay in their box, have the field of a Gaussian beam, and give off what
bodies in them scatter and absorb.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.engines.transient.beams import beam_rays
from heron.errors import ModelError
from heron.excitation.waves import Beam
from heron.fields.layered import Stack
from heron.materials import Medium
from heron.quantities.constants import C0, ETA0
from heron.results import cross_sections
from tests.core.test_incidence import PULSE, N, leak, made, wave
from tests.models import solve


def beam(
    travels: tuple[float, ...],
    waist: float,
    focus: tuple[float, ...] = (0, 0, 0),
    normal: int | None = None,
) -> Beam:
    light = wave(travels, (1, 0, 0))
    return Beam(
        light.travels,
        light.electric,
        light.normal if normal is None else normal,
        np.array(focus, dtype=float),
        waist,
    )


@pytest.mark.parametrize(
    "light",
    [beam((0, 0, -1), 0.03), beam((0.5, 0.2, 1), 0.04, (0.002, 0, 0.003))],
    ids=["along an axis", "slanted, its focus aside"],
)
def test_nothing_of_a_beam_leaks_out(light: Beam) -> None:
    found = leak(made(), light, 900)
    print(f"waist {light.waist * 1e3:g} mm: {found:.0f} dB")
    assert found < -85


def test_nothing_leaks_where_a_beam_meets_a_layer() -> None:
    found = leak(
        made(layer=(slice(0, N // 2), Medium("glass", 4.0))),
        beam((0.3, 0, -1), 0.03, normal=2),
        900,
    )
    print(f"onto glass at 17°: {found:.0f} dB")
    assert found < -85


def test_what_no_rays_can_make_is_refused() -> None:
    with pytest.raises(ModelError, match="not come from its side"):
        beam_rays(made(), beam((1, 0.95, 0.9), 0.016), PULSE, 5e9)
    with pytest.raises(ModelError, match="plane waves"):
        beam_rays(made(), beam((0, 0, 1), 0.03, (0, 0, 20)), PULSE, 5e9)


def illuminated(waist: str, focus: list[str], **more: Any) -> dict[str, Any]:
    return {
        "version": 1,
        "name": "In a beam",
        "parameters": [{"name": "cells", "expression": "16"}],
        "parts": [{"kind": "sphere", "name": "bead", "radius": "5 mm", "material": "bead"}],
        "feeds": [],
        "materials": [
            {"kind": "dielectric", "name": "bead", "permittivity": "4", "loss_tangent": "0.05"}
        ],
        "illuminations": [
            {
                "kind": "gaussian_beam",
                "name": "beam",
                "travels": ["0", "0", "-1"],
                "electric": ["1", "0", "0"],
                "waist": waist,
                "focus": focus,
            }
        ],
        "plan": {
            "engine": "transient",
            "f_start": "8 GHz",
            "f_stop": "12 GHz",
            "points": "3",
            "cells_per_wavelength": "cells",
            "decay": "40",
        },
        **more,
    }


def test_it_is_the_field_of_a_gaussian_beam() -> None:
    """E over E at the focus = (w0/w) exp(−ρ²/w²), w = w0 √(1 + (z/z0)²), z0 = πw0²/λ: Goldsmith,
    *Quasioptical Systems*, ch. 2; of 1.5 wavelengths radius, where what that form leaves out is of
    the order 1/(k w0)², 1 %.
    """
    w0, f = 45e-3, 10e9
    results = solve(
        illuminated(
            "45 mm",
            ["0", "0", "10 mm"],
            surround={"margin": "45 mm"},
            captures=[
                {
                    "kind": "near_line",
                    "name": "across",
                    "start": ["-36 mm", "0", "10 mm"],
                    "end": ["36 mm", "0", "10 mm"],
                    "count": "31",
                },
                {
                    "kind": "near_line",
                    "name": "along",
                    "start": ["0", "0", "36 mm"],
                    "end": ["0", "0", "-36 mm"],
                    "count": "31",
                },
            ],
        ),
        empty=True,
    )
    x, z = np.linspace(-36e-3, 36e-3, 31), np.linspace(36e-3, -36e-3, 31) - 10e-3
    across, along = (np.abs(results[f"near {n}_e"].values[1, 0, :, 0]) for n in range(2))
    off = (
        np.abs(across - np.exp(-((x / w0) ** 2))).max(),
        np.abs(along - 1 / np.sqrt(1 + (z / (np.pi * w0**2 * f / C0)) ** 2)).max(),
    )
    print(
        f"off the form of a beam by {off[0]:.4f} across and {off[1]:.4f} along its axis; leaks"
        f" {cross_sections.leakage(results).max():.0f} dB"
    )
    assert max(off) < 0.02
    assert cross_sections.leakage(results).max() < -60
    power = cross_sections.beam_power(results)[1]
    print(f"power {power:.4g} W, of the form π w0²/4η {np.pi * w0**2 / (4 * ETA0):.4g} W")
    assert power == pytest.approx(np.pi * w0**2 / (4 * ETA0), rel=0.02)


def test_a_lossy_bead_in_a_beam_takes_what_it_scatters_and_absorbs() -> None:
    """The optical theorem with every ray of the beam; a bead at the focus of a wide beam sees a
    plane wave.
    """
    found = cross_sections.cross_sections(
        solve(illuminated("25 mm", ["3 mm", "0", "0"]), cells="24")
    )
    print(f"beam: off by {np.round(100 * found.balance, 2)} %")
    assert np.abs(found.balance).max() < 0.02
    plane = illuminated("1 m", [])
    plane["illuminations"] = [
        {"name": "wave", "travels": ["0", "0", "-1"], "electric": ["1", "0", "0"]}
    ]
    of_wave, wide = (
        cross_sections.cross_sections(solve(plane)),
        cross_sections.cross_sections(solve(illuminated("150 mm", ["0", "0", "0"]))),
    )
    print(
        "wide beam over plane wave: extinction"
        f" {np.round(wide.extinction / of_wave.extinction, 4)}, scattered"
        f" {np.round(wide.scattered / of_wave.scattered, 4)}"
    )
    assert np.abs(wide.extinction / of_wave.extinction - 1).max() < 0.01
    assert np.abs(wide.scattered / of_wave.scattered - 1).max() < 0.01


def test_rays_that_leave_a_stack_are_told_apart() -> None:
    """Of rays from the dense side, those beyond the critical angle are reflected only."""
    media = Stack(10e9, np.array([1, 4], dtype=complex), np.ones(2, dtype=complex), np.array([0.0]))
    angle = np.radians([10.0, 25.0, 35.0])
    travels = np.column_stack((np.sin(angle), 0 * angle, np.cos(angle)))
    electric = np.tile([0.0, 1.0, 0.0], (3, 1))
    back, on = media.leaving(travels, electric)
    assert back.of.tolist() == [0, 1, 2] and on.of.tolist() == [0, 1]
    assert np.abs(back.field[2, 1]) == pytest.approx(1.0)
