"""Laws that need no reference: what must not change when a model is scaled, turned, moved or taken apart; and what no fault of a grid may break."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import fill
from heron.quantities.constants import C0
from heron.results import scattering
from tests.models import dipole, look, plan, solve
from tests.yee import still


def block(scale: float = 1.0, along: int = 2, shift: float = 0.0, conductivity: float = 0.05) -> dict[str, Any]:
    """A lossy block, tilted, and a conducting rod beside it, illuminated along an axis; ``scale`` of all lengths, m at 1."""
    def at(x: float, y: float, z: float) -> list[str]:
        values = [x, y, z + shift]
        return [f"{scale * values[(k - along - 1) % 3]!r} m" for k in range(3)]

    def way(x: int, y: int, z: int) -> list[str]:
        return [str((x, y, z)[(k - along - 1) % 3]) for k in range(3)]

    return {
        "parts": [{"kind": "box", "name": "straight", "corner": at(-0.08, -0.1, -0.06), "size": at(0.16, 0.2, 0.12 - shift), "material": "stuff"},
                  {"kind": "copy", "name": "bead", "source": "straight", "operation": "turn", "about": at(0.0, 0.0, 0.0), "axis": way(1, 2, 3), "angle": "25 deg", "keep": False},
                  {"kind": "box", "name": "rod", "corner": at(-0.25, -0.05, -0.05), "size": [f"{scale * v!r} m" for v in [(0.1, 0.1, 0.1)[(k - along - 1) % 3] for k in range(3)]],
                   "material": "perfect"}],
        "materials": [{"kind": "dielectric", "name": "stuff", "permittivity": "3", "conductivity": f"{conductivity / scale!r} S/m"}],
        "illuminations": [{"name": "wave", "travels": way(0, 0, 1), "electric": way(1, 0, 0)}],
        "plan": {"engine": "transient", "f_start": f"{3e8 / scale!r} Hz", "f_stop": f"{6e8 / scale!r} Hz", "points": "4", "cells_per_wavelength": "10", "decay": "50"},
    }


def sections(document: dict[str, Any]) -> np.ndarray:
    """Scattered, absorbed and back, (f, 3) in m²."""
    results = solve(document)
    found = scattering.cross_sections(results)
    return np.column_stack((found.scattered, found.absorbed, scattering.monostatic(results)))


@pytest.fixture(scope="module")
def plain() -> np.ndarray:
    return sections(block())


@pytest.mark.parametrize("scale", [1e-6, 1e-3])
def test_scale(plain: np.ndarray, scale: float) -> None:
    """Lengths times s, frequencies and conductivities over s: the same relative cross-sections (Stratton, *Electromagnetic Theory*, ch. 9.3)."""
    off = np.abs(sections(block(scale)) / scale**2 / plain - 1).max()
    print(f"scaled by {scale:g}: {off:.1e}")
    assert off < 1e-4


@pytest.mark.parametrize("along", [0, 1])
def test_turn(plain: np.ndarray, along: int) -> None:
    off = np.abs(sections(block(along=along)) / plain - 1).max()
    print(f"along {'xyz'[along]} instead of z: {off:.1e}")
    assert off < 2e-4


@pytest.mark.parametrize("shift", [0.8, -7.3])
def test_shift_by_metres(plain: np.ndarray, shift: float) -> None:
    """A model that lies far from the origin, which once could not be illuminated at all; a line of the grid more or less is within what rounds state."""
    off = np.abs(sections(block(shift=shift)) / plain - 1).max()
    print(f"moved by {shift} m: {off:.1e}")
    assert off < 0.02


def test_scale_of_wires() -> None:
    one, other = (solve({**dipole(0.45 * s, 3e-3 * s), "plan": plan(f"{270e6 / s} Hz", f"{330e6 / s} Hz", 5, engine="moments", sampling="every")})["s"].values for s in (1.0, 1e-6))
    assert np.abs(one - other).max() < 1e-6


SHELL = [{"kind": "combine", "name": "shell", "operation": "cut", "first": "outer", "others": ["inner"]},
         {"kind": "copy", "name": "turned", "source": "shell", "operation": "turn", "axis": ["1", "0.3", "0.2"], "angle": "angle", "keep": False}]


@pytest.mark.parametrize(("wall", "angle"), [("0.02 mm", "33 deg"), ("0.2 mm", "17 deg"), ("0.7 mm", "33 deg"), ("1.5 mm", "17 deg"), ("2.5 mm", "33 deg")])
def test_a_closed_box_of_thin_slanted_walls_is_tight(wall: str, angle: str) -> None:
    """Nothing leaks from a dipole in a box with walls from a hundredth of a cell to two cells; 60 dB were asked for."""
    document = {
        "parameters": [{"name": "wall", "expression": wall}, {"name": "angle", "expression": angle}, {"name": "a", "expression": "40 mm"}],
        "parts": [{"kind": "box", "name": "outer", "corner": ["-a/2-wall"] * 3, "size": ["a+2*wall"] * 3, "material": "perfect"},
                  {"kind": "box", "name": "inner", "corner": ["-a/2"] * 3, "size": ["a"] * 3, "material": "perfect"}, *SHELL],
        "feeds": [{"kind": "dipole", "number": 1, "centre": ["3 mm", "2 mm", "1 mm"], "along": ["1", "2", "3"]}], "surround": {"margin": "15 mm"},
        "plan": plan("8 GHz", "10 GHz", points=3, engine="transient", cells_per_wavelength="20"),
    }
    found = look(document)
    assert not found.errors
    s = found.discretisation.structure
    fill(s, found.model, found.geometry)
    stepper = Stepper(s, np.zeros(0))
    i, j, k = (int(np.abs(line - place).argmin()) for line, place in zip(s.lines, (3e-3, 2e-3, 1e-3), strict=True))
    stepper.e[2, i, j, k] = 1
    still(stepper, 400)
    inside = float(np.abs(stepper.e[:, i - 2:i + 3, j - 2:j + 3, k - 2:k + 3]).max())
    outside = max(float(np.abs(np.take(stepper.e, [n + 1, -n - 2], axis=axis + 1)).max()) for axis in range(3) for n in range(6) if s.walls[axis].all())
    level = 20 * np.log10(max(outside, 1e-30) / inside)
    print(f"walls of {wall} at {angle}: {level:.0f} dB")
    assert level < -100


@pytest.mark.parametrize("height", ["0", "0.37 mm", "3.1 mm", "-123.4 mm", "0.5 m"])
@pytest.mark.parametrize("way", ["-1", "1"])
def test_phases_of_repeated_cells_refer_to_the_origin_wherever_the_sheet_lies(height: str, way: str) -> None:
    """A conducting sheet at z reflects −e^(−2jkz) of a wave that travels along +z, phases at the origin; within 0.5°, which were 150° off far from it."""
    sheet = {"kind": "rectangle", "name": "plate", "corner": ["-3 mm", "-3 mm", height], "size": ["6 mm", "6 mm"], "material": "perfect"}
    results = solve({
        "parts": [sheet], "feeds": [], "illuminations": [{"name": "wave", "travels": ["0", "0", way], "electric": ["1", "0", "0"]}],
        "surround": {"period": ["6 mm", "6 mm", None]},
        "plan": {"engine": "transient", "f_start": "8 GHz", "f_stop": "12 GHz", "points": "3", "cells_per_wavelength": "20", "decay": "50"}})
    z = float(height.split(maxsplit=1)[0]) * (1.0 if height.endswith(" m") else 1e-3)
    wanted = -np.exp(-4j * np.pi * results["frequency"].values / C0 * z * float(way))
    off = np.degrees(np.abs(np.angle(scattering.shares(results).reflection / wanted))).max()
    print(f"sheet at {height}, wave along {way}: {off:.3f}°")
    assert off < 0.5
