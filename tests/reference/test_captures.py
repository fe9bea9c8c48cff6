"""What runs on a grid record besides ports and patterns: currents, losses by part, power through
surfaces, signals and pictures.
"""

from __future__ import annotations

import json
from functools import cache
from typing import Any

import numpy as np
import pytest
import xarray as xr

from heron.checks import Examination, examine
from heron.engines import ENGINES, silent
from heron.fields import surface
from heron.model import load_document
from heron.quantities.constants import C0, ETA0
from heron.results import currents, near, patterns, ports, signals
from heron.results.origin import capture_of, with_origin
from heron.results.power import budget
from heron.runner import power_through, summarise
from server.config import ROOT
from tests.models import planned

Row = dict[str, Any]
SIDE = 52.0, 80.0  # half sides of a box round the antenna, across and along it, mm


def flux(name: str, axis: int, sign: int) -> Row:
    """One side of the box, counted outward."""
    half = [SIDE[0], SIDE[0], SIDE[1]]
    a, b = (axis + 1) % 3, (axis + 2) % 3
    if sign < 0:
        a, b = b, a
    corner, along, across = (["0", "0", "0"] for _ in range(3))
    for k in range(3):
        corner[k] = f"{(sign if k == axis else -1) * half[k]} mm"
    along[a], across[b] = f"{2 * half[a]} mm", f"{2 * half[b]} mm"
    return {
        "kind": "power_flux",
        "name": name,
        "corner": corner,
        "along": along,
        "across": across,
        "counts": ["41", "41"],
    }


def model(**surround: Any) -> Row:
    """Two square arms of copper with a short wire between them that is fed, in a collar of lossy
    foam; beside it a copper plate.
    """
    arm = {"kind": "box", "material": "copper"}
    return {
        "version": 1,
        "materials": [
            {
                "kind": "dielectric",
                "name": "foam",
                "permittivity": "2.5",
                "loss_tangent": "0.05",
                "conductivity": "0 S/m",
                "permeability": "1",
            }
        ],
        "parts": [
            {
                "kind": "box",
                "name": "collar",
                "corner": ["-9 mm", "-9 mm", "20 mm"],
                "size": ["18 mm", "18 mm", "12 mm"],
                "material": "foam",
            },
            arm
            | {
                "name": "upper",
                "corner": ["-3 mm", "-3 mm", "3 mm"],
                "size": ["6 mm", "6 mm", "60 mm"],
            },
            arm
            | {
                "name": "lower",
                "corner": ["-3 mm", "-3 mm", "-63 mm"],
                "size": ["6 mm", "6 mm", "60 mm"],
            },
            {
                "kind": "rectangle",
                "name": "plate",
                "corner": ["30 mm", "-15 mm", "-60 mm"],
                "size": ["30 mm", "120 mm"],
                "axis": "x",
                "material": "copper",
            },
            {
                "kind": "wire",
                "name": "pin",
                "start": ["0", "0", "-3 mm"],
                "end": ["0", "0", "3 mm"],
                "radius": "0.6 mm",
                "material": "copper",
            },
        ],
        "feeds": [{"number": 1, "part": "pin", "at": "0.5"}],
        "captures": [
            *(flux(f"side {axis} {sign}", axis, sign) for axis in range(3) for sign in (-1, 1)),
            {"kind": "surface_current", "name": "metal", "frequencies": ["0.9 GHz", "1.05 GHz"]},
            {"kind": "surface_current", "name": "arm", "part": "upper"},
            {"kind": "near_point", "name": "at", "point": ["20 mm", "11 mm", "31 mm"]},
            {
                "kind": "near_box",
                "name": "box",
                "corner": ["15 mm", "7 mm", "20 mm"],
                "size": ["10 mm", "8 mm", "22 mm"],
                "counts": ["3", "3", "3"],
            },
            {"kind": "point_trace", "name": "signal", "point": ["20 mm", "11 mm", "31 mm"]},
            {
                "kind": "far_trace",
                "name": "far",
                "theta": "70 deg",
                "phi": "205 deg",
                "distance": "3 m",
            },
            {
                "kind": "snapshots",
                "name": "pictures",
                "corner": ["20 mm", "11 mm", "20 mm"],
                "along": ["10 mm", "0", "0"],
                "across": ["0", "0", "22 mm"],
                "interval": "0.1 ns",
                "counts": ["3", "3"],
            },
        ],
        "surround": surround,
        "plan": {
            "engine": "transient",
            "f_start": "0.8 GHz",
            "f_stop": "1.1 GHz",
            "points": "7",
            "cells_per_wavelength": "18",
            "decay": "60",
        },
    }


def run(document: Row) -> tuple[Examination, xr.Dataset]:
    found = examine(load_document(document))
    assert found.sound, [p.message for p in found.errors]
    return found, ENGINES["transient"].solve(found.model, found.discretisation, silent)


@pytest.fixture(scope="module")
def solved() -> tuple[Examination, xr.Dataset]:
    return run(model())


def capture(found: Examination, name: str) -> Any:
    return next(c for c in found.model.captures if c.name == name)


def test_power_through_a_closed_box_is_what_is_radiated(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    found, bare = solved
    results = with_origin(bare, found.model)
    powers = budget(results)
    for i in (2, 4, 6):
        through = sum(
            power_through(results, i, capture_of(results, f"side {axis} {sign}"))
            for axis in range(3)
            for sign in (-1, 1)
        )
        print(
            f"power through six rectangles over radiated: {through / powers.radiated[i] - 1:+.2%}"
        )
        assert through == pytest.approx(powers.radiated[i], rel=0.02)
    listed = summarise(found, results, 1.0)["power_flux"]["side 0 1"]
    assert listed[4]["power_w"] == pytest.approx(
        power_through(results, 4, capture_of(results, "side 0 1"))
    )


def test_flux_of_a_plane_wave() -> None:
    """|E|²/2η through a rectangle that stands across the wave (Balanis, Advanced Engineering
    Electromagnetics, ch. 4), with the sign of its edges' product.
    """
    points = near_grid()
    e, h = np.zeros((12, 3), dtype=complex), np.zeros((12, 3), dtype=complex)
    e[:, 0], h[:, 1] = 2.0, 2.0 / 376.730313668
    assert near.flux(points, (4, 3), e, h) == pytest.approx(4 / (2 * 376.730313668) * 0.06)
    assert near.flux(
        points.reshape(3, 4, 3).transpose(1, 0, 2).reshape(-1, 3), (3, 4), e, h
    ) == pytest.approx(-4 / (2 * 376.730313668) * 0.06)


def near_grid() -> np.ndarray:
    u, v = np.meshgrid(np.linspace(0, 0.3, 4), np.linspace(0, 0.2, 3))
    return np.column_stack((u.ravel(), v.ravel(), np.zeros(12)))


def test_losses_of_parts_add_up_and_name_who_absorbs(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    _, results = solved
    powers, parts = budget(results), currents.absorbed(results)
    assert set(parts) == {"collar", "upper", "lower", "plate", "pin"}
    assert parts["collar"] == pytest.approx(powers.dielectric, rel=1e-9)
    assert sum(p for n, p in parts.items() if n != "collar") == pytest.approx(
        powers.conductor, rel=1e-9
    )
    assert parts["upper"] == pytest.approx(parts["lower"], rel=0.4), (
        "the collar alone makes the arms differ"
    )


def test_the_current_of_an_arm_continues_that_of_its_wire(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    """Kirchhoff's law at the gap; then the charge on the arm takes it up, to nothing at the end."""
    _, results = solved
    i = 4
    f = float(results["frequency"].values[i])
    wave, s = results["drive"].values[0], results["s"].values[i, 0, 0]
    at_port = abs(wave * (1 - s)) / np.sqrt(50)
    own = np.abs(results["current"].values[i, 0] * wave)
    assert own == pytest.approx(at_port, rel=0.03), "a short wire carries one current"
    k = currents.surface_current(results, "arm", f)
    assert k.frequency_hz == pytest.approx(f, rel=0.02)

    def around(z: float) -> float:
        """Σ Kz · width over the cells of the walls that hold the height z."""
        wall = (k.facing < 2) & (k.low[:, 2] <= z) & (k.high[:, 2] > z)
        width = np.where(k.facing == 0, k.high[:, 1] - k.low[:, 1], k.high[:, 0] - k.low[:, 0])
        return float(abs((k.k[wall, 2] * width[wall]).sum()))

    along = np.array([around(z) for z in np.linspace(4e-3, 62e-3, 9)])
    print("current along the arm over that at the port:", (along / at_port).round(3))
    assert along[0] == pytest.approx(at_port, rel=0.12)
    assert (np.diff(along) < 0).all()
    assert along[-1] < 0.25 * at_port
    # Balanis, Antenna Theory, ch. 4, up to the end's charge and the collar
    sine = np.sin(2 * np.pi * f / 299792458.0 * (66e-3 - np.linspace(4e-3, 62e-3, 9)))
    assert along[2:7] / along[2] == pytest.approx(sine[2:7] / sine[2], abs=0.12)


def test_surface_currents_of_one_part_and_of_all(solved: tuple[Examination, xr.Dataset]) -> None:
    _, results = solved
    every, one = (currents.surface_current(results, name, 0.9e9) for name in ("metal", "arm"))
    assert every.frequency_hz == 0.9e9
    assert len(one.facing) < len(every.facing)
    plate = every.low[:, 0] > 29e-3
    assert plate.any() and (every.facing[plate] == 0).all()
    area = np.prod(np.where(every.high > every.low, every.high - every.low, 1.0), axis=1)[
        plate
    ].sum()
    assert area == pytest.approx(30e-3 * 120e-3, rel=0.08)
    assert np.abs(every.k[np.arange(len(every.facing)), every.facing]).max() == 0, (
        "no current leaves a surface"
    )
    with pytest.raises(LookupError, match="no surface current"):
        currents.surface_current(results, "nothing", 1e9)


def test_a_signal_transformed_is_the_field_at_its_point(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    _, results = solved
    signal = signals.signals(results, "signal")
    assert signal.h is not None
    f = results["frequency"].values
    kernel = np.exp(-2j * np.pi * np.outer(f, signal.time))
    spectrum = (
        (kernel @ signal.e[:, 0]) / (kernel @ signal.pulse)[:, None] * results["drive"].values[0]
    )
    for i in range(len(f)):
        e, _ = near.near_field(results, i, signal.points)
        assert spectrum[i] == pytest.approx(e[0], rel=2e-3, abs=2e-3 * float(np.abs(e).max()))
    assert signal.e.shape == (len(signal.time), 1, 3) and signal.h.shape == signal.e.shape


def far_off(results: xr.Dataset, name: str, theta: float, phi: float, distance: float) -> float:
    """The largest difference between a signal far away, transformed, and the far field at that
    distance, over the largest.
    """
    signal = signals.signals(results, name)
    f = results["frequency"].values
    kernel = np.exp(-2j * np.pi * np.outer(f, signal.time))
    pulse = results["pulse_spectrum"].values[:, 0]
    found = (
        (kernel @ signal.e[:, 0])
        * (signal.time[1] - signal.time[0])
        / pulse[:, None]
        * results["drive"].values[0]
    )
    field = np.array(
        [
            patterns.far_field(results, i, np.array([theta]), np.array([phi]))[0]
            for i in range(len(f))
        ]
    )
    _, *across = (v[0] for v in surface.spherical(np.radians([theta]), np.radians([phi])))
    wanted = (
        field @ np.array(across) * (np.exp(-2j * np.pi * f * distance / C0) / distance)[:, None]
    )
    assert signal.h is not None
    assert np.linalg.norm(signal.e, axis=-1) == pytest.approx(
        ETA0 * np.linalg.norm(signal.h, axis=-1)
    )
    return float(np.abs(found - wanted).max() / np.abs(wanted).max())


def test_a_signal_far_away_transformed_is_the_far_field(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    off = far_off(solved[1], "far", 70, 205, 3.0)
    print(f"a signal at 3 m against the far field at frequencies: {off:.1e} of the largest")
    assert off < 2e-3


def test_pictures_are_the_signals_of_their_points_at_their_times(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    _, results = solved
    signal, pictures = signals.signals(results, "signal"), signals.signals(results, "pictures")
    assert pictures.h is None
    assert np.diff(pictures.time) == pytest.approx(0.1e-9, rel=0.3), (
        "as near to the interval as the samples allow"
    )
    middle = np.flatnonzero(np.linalg.norm(pictures.points - signal.points[0], axis=1) < 1e-9)
    assert len(middle) == 1
    shared = [int(np.abs(signal.time - t).argmin()) for t in pictures.time]
    assert signal.time[shared] == pytest.approx(pictures.time)
    assert pictures.e[:, middle[0]] == pytest.approx(signal.e[shared, 0], rel=1e-5, abs=1e-6)


def test_a_box_of_points_holds_what_its_points_hold(solved: tuple[Examination, xr.Dataset]) -> None:
    found, results = solved
    from heron.geometry.places import capture_points

    points = capture_points(capture(found, "box"), np.eye(4))
    assert points.shape == (27, 3)
    assert points[1] - points[0] == pytest.approx([0, 0, 11e-3])
    e, h = near.near_field(results, 3, points)
    alone = near.near_field(results, 3, capture_points(capture(found, "at"), np.eye(4)))
    assert e[13] == pytest.approx(alone[0][0], rel=1e-6) and h[13] == pytest.approx(
        alone[1][0], rel=1e-6
    )


def test_half_of_a_model_shows_the_currents_of_the_whole(
    solved: tuple[Examination, xr.Dataset],
) -> None:
    """The plate away, so that x = 0 and y = 0 are planes of symmetry."""
    document = model()
    document["parts"] = [p for p in document["parts"] if p["name"] != "plate"]
    document["captures"] = [c for c in document["captures"] if c["name"] in ("metal", "far")]
    document["plan"] |= {"cells_per_wavelength": "12", "points": "3"}
    whole = run(document)[1]
    quarter = run(document | {"surround": {"mirror": ["PMC", "PMC", "none"]}})[1]
    a, b = (currents.surface_current(r, "metal", 0.9e9) for r in (whole, quarter))
    assert len(a.facing) == len(b.facing)

    def ordered(k: currents.SurfaceCurrent) -> Any:
        key = np.round(np.column_stack((k.low, k.high)) * 1e7)
        return k.k[np.lexsort(key.T)]

    error = np.abs(ordered(a) - ordered(b)).max() / np.abs(a.k).max()
    wires = [np.abs(r["current"].values).max() for r in (whole, quarter)]
    parts = [currents.absorbed(r) for r in (whole, quarter)]
    print(
        f"currents of a quarter against the whole: {error:.1e}, in the wire"
        f" {wires[1] / wires[0] - 1:+.1e}"
    )
    assert error < 1e-3
    far = []
    for r in (whole, quarter):  # each at its own times, as their steps differ by 2e-5
        signal = signals.signals(r, "far")
        far.append(
            np.exp(-2j * np.pi * np.outer(r["frequency"].values, signal.time))
            @ signal.e[:, 0]
            * (signal.time[1] - signal.time[0])
        )
    assert np.abs(far[1] - far[0]).max() < 1e-4 * np.abs(far[0]).max(), "images send their part"
    assert wires[1] == pytest.approx(wires[0], rel=1e-3)
    assert parts[1]["upper"] == pytest.approx(parts[0]["upper"], rel=1e-3)


def dipole(engine: str, cells: str = "30", **more: Any) -> xr.Dataset:
    """The mast's dipole; on a grid a quarter of it between mirror planes."""
    document = json.loads((ROOT / "examples" / "mast-dipole.json").read_text()) | more
    document["captures"] = []
    document["surround"] = document.get("surround", {}) | {"mirror": ["PMC", "PMC", "none"]}
    document = planned(document, cells_per_wavelength=cells, decay="60")
    found = examine(load_document(document), {"points": "31"}, engine)
    assert found.sound, [p.message for p in found.errors]
    return ENGINES[engine].solve(found.model, found.discretisation, silent)


def test_a_parallel_trap_against_moments_and_against_circuit_theory() -> None:
    """R, L and C side by side half-way out on one arm; at resonance the trap is its resistor (any
    book on circuits).
    """
    trap = {
        "kind": "parallel",
        "name": "trap",
        "part": "rod",
        "at": "0.75",
        "resistance": "400 ohm",
        "inductance": "12 nH",
        "capacitance": "2.5 pF",
    }
    grid, thin = (dipole(engine, "40", loads=[trap]) for engine in ("transient", "moments"))
    s = [np.abs(r["s"].values[:, 0, 0]) for r in (grid, thin)]
    share = [budget(r).loads / budget(r).accepted for r in (grid, thin)]
    bare = np.abs(dipole("moments")["s"].values[:, 0, 0])
    print(
        f"parallel trap: |S11| within {np.abs(s[0] - s[1]).max():.3f}, share in the load within"
        f" {np.abs(share[0] - share[1]).max():.3f} of at most {share[1].max():.2f}"
    )
    assert np.abs(bare - s[1]).max() > 0.15 and share[1].max() > 0.2
    assert np.abs(s[0] - s[1]).max() < 0.05
    assert np.abs(share[0] - share[1]).max() < 0.04
    own, f = grid["current"].values[:, 0], grid["frequency"].values
    assert np.abs(own).shape[0] == len(f)
    feed = [np.abs(ports.impedances(r)[:, 0]) for r in (grid, thin)]
    assert np.median(np.abs(feed[0] / feed[1] - 1)) < 0.06


NETWORKS = {
    "series": {"resistance": "8 ohm", "inductance": "12 nH", "capacitance": "3 pF"},
    "parallel": {"resistance": "300 ohm", "inductance": "9 nH", "capacitance": "3 pF"},
}


FEED = {"number": 1, "part": "rod", "at": "0.5", "width": "gap"}


@cache
def bare_dipole(engine: str) -> xr.Dataset:
    return dipole(engine, "20", feeds=[FEED])


@pytest.mark.parametrize("kind", NETWORKS)
def test_what_stands_between_a_port_and_its_gap_is_circuit_theory(kind: str) -> None:
    """Z + R + jωL + 1/jωC, or the sum of admittances (any book on circuits), in both engines, with
    the power its resistor takes.
    """
    network = FEED | {"network": kind, **NETWORKS[kind]}
    values = {
        k: float(v.split()[0]) * {"resistance": 1, "inductance": 1e-9, "capacitance": 1e-12}[k]
        for k, v in NETWORKS[kind].items()
    }
    # moments: the interpolation of its sweep
    for engine, limit in (("moments", 1e-4), ("transient", 0.012)):
        bare, behind = bare_dipole(engine), dipole(engine, "20", feeds=[network])
        s, z = 2j * np.pi * bare["frequency"].values, ports.impedances(bare)[:, 0]
        r, l, c = values["resistance"], values["inductance"], values["capacitance"]
        wanted = (
            z + r + s * l + 1 / (s * c)
            if kind == "series"
            else 1 / (1 / z + 1 / r + 1 / (s * l) + s * c)
        )
        off = np.abs(behind["s"].values[:, 0, 0] - (wanted - 50) / (wanted + 50)).max()
        print(f"{engine}, {kind}: |ΔS| {off:.1e} from circuit theory")
        assert off < limit
        powers = budget(behind)
        current = 2 * np.sqrt(2 * 50) / np.abs(wanted + 50)  # peak, of a port that is offered 1 W
        lost = 0.5 * current**2 * r if kind == "series" else 0.5 * np.abs(current * wanted) ** 2 / r
        assert powers.loads == pytest.approx(lost, rel=1e-4 if engine == "moments" else 0.04)
        counts = powers.accepted > 0.1
        assert np.abs(powers.balance_error[counts]).max() < (1e-4 if engine == "moments" else 0.02)


def test_a_wire_drawn_the_other_way_is_the_same_wire() -> None:
    trap = {
        "kind": "series",
        "name": "trap",
        "part": "rod",
        "resistance": "20 ohm",
        "inductance": "60 nH",
        "capacitance": "0.6 pF",
    }
    up, down = (
        {
            "kind": "wire",
            "name": "rod",
            "start": ["0", "0", f"{-s} * length / 2"],
            "end": ["0", "0", f"{s} * length / 2"],
            "radius": "radius",
            "material": "copper",
        }
        for s in (1, -1)
    )
    one = dipole("transient", "12", parts=[up], loads=[trap | {"at": "0.75"}])
    other = dipole("transient", "12", parts=[down], loads=[trap | {"at": "0.25"}])
    assert np.abs(one["s"].values - other["s"].values).max() < 1e-4
    assert (
        np.abs(np.abs(one["current"].values).max() / np.abs(other["current"].values).max() - 1)
        < 1e-3
    )


def test_currents_along_a_wire_are_those_of_moments() -> None:
    grid, thin = (dipole(engine) for engine in ("transient", "moments"))
    i = int(np.abs(thin["frequency"].values - 868e6).argmin())

    def along(r: xr.Dataset) -> np.ndarray:
        span, size = (
            r["segment_span"].values.mean(axis=1),
            np.abs(r["current"].values[i, 0]).mean(axis=1),
        )
        order = np.argsort(span)
        return np.interp(np.linspace(0.05, 0.95, 19), span[order], size[order])

    a, b = along(grid), along(thin)
    print(
        f"current along the dipole over that of moments: {(a / b).min():.3f} to {(a / b).max():.3f}"
    )
    assert a == pytest.approx(b, rel=0.06)
