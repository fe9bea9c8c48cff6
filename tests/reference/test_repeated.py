"""Models that are repeated without end: reflection and transmission, against `tmm`,
handbook grids and the balance of power.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tmm import coh_tmm

from heron.errors import HeronError
from heron.materials import MEDIA
from heron.quantities.constants import C0
from heron.results import cross_sections, near, signals
from tests import gratings
from tests.models import examined, solve

SLAB = {
    "kind": "box",
    "name": "slab",
    "corner": ["-3 mm", "-3 mm", "-4 mm"],
    "size": ["6 mm", "6 mm", "4 mm"],
    "material": "stuff",
}
STUFF = {"kind": "dielectric", "name": "stuff", "permittivity": "4", "conductivity": "0.1 S/m"}
STRIP = {
    "kind": "rectangle",
    "name": "strip",
    "corner": ["-1.5 mm", "-0.3 mm", "0"],
    "size": ["3 mm", "0.6 mm"],
    "material": "perfect conductor",
}


def cell(parts: list[Any], electric: str = "x", **more: Any) -> dict[str, Any]:
    e = {"x": ["1", "0", "0"], "y": ["0", "1", "0"]}[electric]
    return {
        "version": 1,
        "name": "A cell",
        "parameters": [{"name": "cells", "expression": "40"}],
        "parts": parts,
        "materials": [STUFF],
        "feeds": [],
        "illuminations": [{"name": "wave", "travels": ["0", "0", "-1"], "electric": e}],
        "surround": {"period": ["6 mm", "6 mm", None], **more},
        "plan": {
            "engine": "transient",
            "f_start": "8 GHz",
            "f_stop": "12 GHz",
            "points": "5",
            "cells_per_wavelength": "cells",
            "decay": "50",
        },
    }


@pytest.mark.parametrize("below", [False, True], ids=["free", "over a layer"])
def test_a_slab_reflects_as_the_transfer_matrix_says(below: bool) -> None:
    """Byrnes, arXiv:1603.02720 (the package `tmm`); a part that fills the cell is a layer, and must
    be told from the layers that the wave knows of.
    """
    layers = [{"material": "stuff", "thickness": "2 mm"}] if below else []
    found = cross_sections.shares(solve(cell([SLAB], top="-4 mm", layers=layers)))
    f = np.linspace(8e9, 12e9, 5)
    thick = 6e-3 if below else 4e-3
    wanted = [
        coh_tmm(
            "s",
            [1, np.sqrt(4 + 0.1j / (2 * np.pi * hz * 8.8541878128e-12)), 1],
            [np.inf, thick, np.inf],
            0,
            C0 / hz,
        )
        for hz in f
    ]
    off = [
        np.abs(values - np.array([w[name] for w in wanted])).max()
        for name, values in (("R", found.reflectance), ("T", found.transmittance))
    ]
    phase = (
        np.abs(found.reflection - np.conj([w["r"] for w in wanted])).max(),
        np.abs(
            found.transmission
            - np.conj([w["t"] for w in wanted]) * np.exp(2j * np.pi * f / C0 * thick)
        ).max(),
    )
    print(
        f"{'over a layer' if below else 'slab'}: |ΔR| {off[0]:.4f}, |ΔT| {off[1]:.4f}, |Δr|"
        f" {phase[0]:.4f}, |Δt| {phase[1]:.4f}, balance {np.abs(found.balance).max():.4f}"
    )
    assert max(off) < 0.005
    assert max(phase) < 0.01
    assert np.abs(found.balance).max() < 0.005


@pytest.mark.parametrize("way", ["-1", "1"])
def test_planes_of_reference_may_lie_anywhere(way: str) -> None:
    """At the slab's own faces its reflection is that of `tmm`, and so is what it lets through,
    whichever side the wave comes from.
    """
    slab = {
        "kind": "box",
        "name": "slab",
        "corner": ["-3 mm", "-3 mm", "5 mm"],
        "size": ["6 mm", "6 mm", "4 mm"],
        "material": "stuff",
    }
    made = cell([slab], references=["5 mm", "9 mm"])
    made["illuminations"] = [
        {"name": "wave", "travels": ["0", "0", way], "electric": ["0", "1", "0"]}
    ]
    made["plan"]["rounds"] = "1"
    found = cross_sections.shares(solve(made))
    wanted = [
        coh_tmm(
            "s",
            [1, np.sqrt(4 + 0.1j / (2 * np.pi * hz * 8.8541878128e-12)), 1],
            [np.inf, 4e-3, np.inf],
            0,
            C0 / hz,
        )
        for hz in np.linspace(8e9, 12e9, 5)
    ]
    off = [
        np.abs(np.degrees(np.angle(values / np.conj([w[name] for w in wanted])))).max()
        for name, values in (("r", found.reflection), ("t", found.transmission))
    ]
    print(f"slab at its own faces: phases of r and t off by {off[0]:.2f}° and {off[1]:.2f}°")
    assert max(off) < 0.5


def test_a_gold_film_reflects_as_the_transfer_matrix_says() -> None:
    """30 nm, 500 to 800 nm, cells of 5 nm: the fit of gold by poles, 2 % of ε, is what remains
    (each face off by half a cell would make T 30 to 60 % wrong).
    """
    film = {
        "kind": "box",
        "name": "film",
        "corner": ["-10 nm", "-10 nm", "-30 nm"],
        "size": ["20 nm", "20 nm", "30 nm"],
        "material": "optical gold",
    }
    made = cell([film], period=["20 nm", "20 nm", None])
    made["refinements"] = [{"kind": "fine_part", "name": "fine", "part": "film", "cell": "5 nm"}]
    made["plan"] |= {
        "f_start": f"{C0 / 800e-9} Hz",
        "f_stop": f"{C0 / 500e-9} Hz",
        "points": "7",
        "cells_per_wavelength": "20",
    }
    results = solve(made)
    found, f = cross_sections.shares(results), results["frequency"].values
    wanted = [
        coh_tmm(
            "s",
            [1, np.conj(np.sqrt(MEDIA["optical gold"].epsilon(hz)[0])), 1],
            [np.inf, 30e-9, np.inf],
            0,
            C0 / hz,
        )
        for hz in f
    ]
    off = (
        np.abs(found.reflectance - [w["R"] for w in wanted]).max(),
        np.abs(found.transmittance / [w["T"] for w in wanted] - 1).max(),
    )
    print(f"gold film of 30 nm: |ΔR| {off[0]:.4f}, T within {100 * off[1]:.1f} %")
    assert off[0] < 0.012
    assert off[1] < 0.05


def strips(parts: list[Any], electric: str) -> dict[str, Any]:
    """Strips along y, of 0.6 mm in each cell."""
    return cell(parts, electric, period=["6 mm", "0.6 mm", None])


@pytest.mark.parametrize("electric", ["y", "x"])
def test_strips_are_the_grids_of_the_waveguide_handbook(electric: str) -> None:
    """Marcuvitz, *Waveguide Handbook*, 5.18 and 5.19 (from memory, leading terms): X/η = (p/λ) ln
    csc(πw/2p) of strips along E, B η = (4p/λ) ln csc(πg/2p) across; what is left out is under 2 %
    up to p = λ/4.
    """
    found = cross_sections.shares(solve(strips([STRIP], electric)))
    p = 6e-3 * np.linspace(8e9, 12e9, 5) / C0
    if electric == "y":
        value, wanted = (
            (found.transmission / (2 * (1 - found.transmission))).imag,
            p * np.log(1 / np.sin(np.pi / 4)),
        )
    else:
        value, wanted = (
            (2 * (1 - found.transmission) / found.transmission).imag,
            4 * p * np.log(1 / np.sin(np.pi / 4)),
        )
    off = value / wanted - 1
    print(
        f"strips {'along' if electric == 'y' else 'across'} E: {np.round(value, 4)}, wanted"
        f" {np.round(wanted, 4)}, off by {np.round(100 * off, 1)} %; balance"
        f" {np.abs(found.balance).max():.4f}"
    )
    assert np.abs(off).max() < 0.04
    assert np.abs(found.balance).max() < 0.005


def test_the_two_polarisations_of_strips_are_complements() -> None:
    """The reference itself: strips along E and slots across it add up to 1 (Babinet), and its sums
    have settled.
    """
    for period, width in ((0.1, 0.09), (0.6, 0.3), (0.9, 0.1)):
        one, other = (
            gratings.reflection(period, w, 1.0, along)
            for w, along in ((width, True), (period - width, False))
        )
        assert abs(one + other + 1) < 2e-4
        assert gratings.reflection(period, width, 1.0, True, order=14, waves=6000) == pytest.approx(
            one, abs=1e-4
        )


@pytest.mark.parametrize("electric", ["x", "y"], ids=["along", "across"])
def test_strips_of_all_widths_and_periods(electric: str) -> None:
    """With the cells a plan asks for by default, against Galerkin's method (tests/gratings.py):
    periods up to 0.9 λ, fillings from 0.1 to 0.9.
    """
    wave = C0 / 10e9
    off = []
    for period, filling in (
        (0.1, 0.1),
        (0.3, 0.1),
        (0.3, 0.5),
        (0.6, 0.5),
        (0.6, 0.9),
        (0.9, 0.1),
        (0.9, 0.5),
    ):
        p, w = period * wave, filling * period * wave
        strip = {
            **STRIP,
            "corner": [f"{-wave / 120} m", f"{-w / 2} m", "0"],
            "size": [f"{wave / 60} m", f"{w} m"],
        }
        made = cell([strip], electric, period=[f"{wave / 60} m", f"{p} m", None], margin="20 mm")
        made["plan"] |= {
            "f_start": "9 GHz",
            "f_stop": "10 GHz",
            "points": "2",
            "cells_per_wavelength": "20",
            "rounds": "1",
        }
        found = float(np.sqrt(cross_sections.shares(solve(made)).reflectance[-1]))
        off.append(found - abs(gratings.reflection(p, w, wave, electric == "x")))
        print(
            f"strips {'along' if electric == 'x' else 'across'} E, period {period} λ, filling"
            f" {filling}: |R| {found:.4f} ({off[-1]:+.4f})"
        )
    assert np.abs(off).max() < 0.02


@pytest.mark.parametrize(
    ("pairs", "indices"), [(1, (2.3, 1.45)), (3, (1.38, 2.0)), (4, (2.3, 1.45)), (8, (2.3, 1.45))]
)
def test_stacks_of_quarter_wave_films(pairs: int, indices: tuple[float, float]) -> None:
    """Byrnes' `tmm` over an octave, with the cells a plan asks for by default: each film has as
    many as the phase over the whole stack needs.
    """
    parts: list[Any] = []
    z, thick = 0.0, []
    for k in range(pairs):
        for name, n in zip(("one", "two"), indices, strict=True):
            thick.append(600e-9 / 4 / n)
            z -= thick[-1]
            parts.append(
                {
                    "kind": "box",
                    "name": f"{name} {k}",
                    "corner": ["-10 nm", "-10 nm", f"{z} m"],
                    "size": ["20 nm", "20 nm", f"{thick[-1]} m"],
                    "material": name,
                }
            )
    made = cell(parts, period=["20 nm", "20 nm", None])
    made["materials"] = [
        {"kind": "dielectric", "name": name, "permittivity": f"{n**2}"}
        for name, n in zip(("one", "two"), indices, strict=True)
    ]
    made["plan"] |= {
        "f_start": f"{C0 / 900e-9} Hz",
        "f_stop": f"{C0 / 450e-9} Hz",
        "points": "31",
        "cells_per_wavelength": "20",
        "decay": "60",
        "rounds": "1",
    }
    results = solve(made)
    found = cross_sections.shares(results)
    wanted = [
        coh_tmm("s", [1, *indices * pairs, 1], [np.inf, *thick, np.inf], 0, C0 / hz)["r"]
        for hz in results["frequency"].values
    ]
    off = np.abs(np.sqrt(found.reflectance) - np.abs(wanted)).max()
    print(
        f"{pairs} pairs of {indices}: |r| within {off:.4f}, r within"
        f" {np.abs(found.reflection - np.conj(wanted)).max():.4f}, balance"
        f" {np.abs(found.balance).max():.4f}"
    )
    assert off < 0.01
    assert np.abs(found.balance).max() < 0.01


def test_a_mirror_sends_back_all_of_the_power() -> None:
    """Whatever the cells at it: waves have their amplitude in the outer cells, where what comes
    back is read.
    """
    sheet = {
        "kind": "rectangle",
        "name": "mirror",
        "corner": ["-1 mm", "-1 mm", "0"],
        "size": ["2 mm", "2 mm"],
        "material": "perfect conductor",
    }
    made = cell([sheet], period=["2 mm", "2 mm", None])
    made["refinements"] = [
        {
            "kind": "fine_box",
            "name": "fine",
            "corner": ["-1 mm", "-1 mm", "-1 mm"],
            "size": ["2 mm", "2 mm", "2 mm"],
            "cell": "0.1 mm",
        }
    ]
    made["plan"] |= {"cells_per_wavelength": "20", "rounds": "1"}
    found = cross_sections.shares(solve(made))
    print(f"mirror, fine cells about it: reflectance {np.round(found.reflectance, 4)}")
    assert found.reflectance == pytest.approx(1, abs=1e-3)


def test_where_the_cell_is_cut_makes_no_difference() -> None:
    """The same strips, one across the wall."""
    moved = [
        {**STRIP, "size": ["1.5 mm", "0.6 mm"], "corner": ["-3 mm", "-0.3 mm", "0"]},
        {
            **STRIP,
            "name": "rest",
            "size": ["1.5 mm", "0.6 mm"],
            "corner": ["1.5 mm", "-0.3 mm", "0"],
        },
    ]
    one, other = (cross_sections.shares(solve(strips(parts, "y"))) for parts in ([STRIP], moved))
    print(f"|Δt| {np.abs(one.transmission - other.transmission).max():.1e}")
    assert np.abs(one.transmission - other.transmission).max() < 1e-4


def test_higher_orders_take_their_share_and_an_empty_cell_passes_all() -> None:
    """A grating of a period of 1.5 wavelengths: more than the straight waves carry power, and it
    all adds up.
    """
    grating = cell(
        [{**STRIP, "size": ["24 mm", "3 mm"], "corner": ["-12 mm", "-1.5 mm", "0"]}],
        "x",
        margin="30 mm",
        period=["48 mm", "3 mm", None],
    )
    grating["plan"].update(f_start="8.5 GHz", f_stop="10 GHz", cells_per_wavelength="30")
    found = cross_sections.shares(solve(grating))
    straight = np.abs(found.reflection) ** 2 + np.abs(found.transmission) ** 2
    print(
        f"straight {np.round(straight, 3)}, all"
        f" {np.round(found.reflectance + found.transmittance, 4)}"
    )
    assert (straight < 0.9).all()
    assert np.abs(found.reflectance + found.transmittance - 1).max() < 0.01
    results = solve(cell([SLAB]), empty=True)
    nothing = cross_sections.shares(results)
    assert np.abs(nothing.transmission - 1).max() < 1e-4 and np.abs(nothing.reflection).max() < 1e-4
    assert cross_sections.leakage(results).max() < -90


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"surround": {"period": ["6 mm", None, None]}}, "two of the three axes"),
        ({"surround": {"period": ["6 mm", "5 mm", None]}}, "reaches beyond the period"),
        ({"surround": {"period": ["6 mm", "-6 mm", None]}}, "above zero"),
        (
            {
                "surround": {
                    "period": ["6 mm", "6 mm", None],
                    "mirror": ["PEC", "none", "none"],
                }
            },
            "mirror",
        ),
        ({"illuminations": [{"name": "wave", "travels": ["0.1", "0", "-1"]}]}, "straight along z"),
        (
            {
                "illuminations": [
                    {
                        "kind": "gaussian_beam",
                        "name": "wave",
                        "waist": "1 m",
                        "travels": ["0", "0", "-1"],
                    }
                ]
            },
            "a beam cannot be repeated",
        ),
        (
            {"illuminations": [], "feeds": [{"number": 1, "part": "slab"}]},
            "illuminated by a plane wave",
        ),
        ({"captures": [{"kind": "scattered_cut", "name": "cut"}]}, "no far field"),
        (
            {
                "captures": [
                    {
                        "kind": "near_line",
                        "name": "long",
                        "start": ["0", "0", "1 mm"],
                        "end": ["9 mm", "0", "1 mm"],
                    }
                ]
            },
            "of what is repeated",
        ),
    ],
)
def test_what_cannot_be_repeated_is_said_before_the_run(
    change: dict[str, Any], message: str
) -> None:
    errors = [p.message for p in examined({**cell([SLAB]), **change}).errors]
    assert any(message in e for e in errors), errors


def mirror(cells: int = 20, **captures: Any) -> dict[str, Any]:
    """A perfect mirror in a column of air, the wave and what comes back apart in time 100 mm above
    it; captures there.
    """
    made = cell(
        [
            {
                "kind": "rectangle",
                "name": "mirror",
                "corner": ["-1 mm", "-1 mm", "0"],
                "size": ["2 mm", "2 mm"],
                "material": "perfect conductor",
            }
        ],
        margin="120 mm",
        period=["2 mm", "2 mm", None],
    )
    made["captures"] = [
        {"kind": "near_point", "name": name, "point": ["0", "0", "100 mm"], **more}
        for name, more in captures.items()
    ]
    made["captures"].append(
        {"kind": "point_trace", "name": "signal", "point": ["0", "0", "100 mm"]}
    )
    made["plan"] |= {
        "pulse_start": "4 GHz",
        "pulse_stop": "16 GHz",
        "cells_per_wavelength": str(cells),
        "points": "41",
    }
    return made


def test_a_capture_may_open_late_or_close_early() -> None:
    """Before the mirror's answer there is the wave alone, after it the answer alone; together they
    are a standing wave, 2|sin kz|.
    """
    first = solve(mirror(40))
    signal = np.abs(first["trace 0_e"].values[0, :, 0, 0])
    time = first["trace 0_time"].values
    high = np.flatnonzero(signal > 0.9 * signal.max())
    middle = 0.5 * (time[high[0]] + time[high[-1]])
    assert signal[np.abs(time - middle) < 0.05e-9].max() < 0.01 * signal.max(), "the two are apart"
    point = np.array([[0, 0, 0.1]])
    results = solve(
        mirror(
            40,
            whole={},
            wave={"closes": f"{middle} s"},
            answer={"opens": f"{middle} s"},
            stopped={"opens": f"{middle} s", "closes": f"{middle + 1e-9} s"},
        )
    )
    found = {
        name: np.array(
            [
                near.near_field(results, i, point, name)[0][0, 0]
                for i in range(results.sizes["frequency"])
            ]
        )
        for name in ("whole", "wave", "answer", "stopped")
    }
    k = 2 * np.pi * results["frequency"].values / C0
    standing = np.abs(np.abs(found["whole"]) - 2 * np.abs(np.sin(k * 0.1)))
    print(
        f"standing wave off by {standing.max():.4f}; the wave alone"
        f" {np.abs(np.abs(found['wave']) - 1).max():.4f}, the answer alone"
        f" {np.abs(np.abs(found['answer']) - 1).max():.4f}"
    )
    assert standing.max() < 0.05, "the grid lags by this much over 200 mm"
    assert np.abs(found["wave"] + found["answer"] - found["whole"]).max() < 2e-3
    for name in ("wave", "answer", "stopped"):
        assert np.abs(np.abs(found[name]) - 1).max() < 0.005, name


def test_an_average_over_a_line_is_of_powers() -> None:
    """Light so wide that the standing wave is washed out: 4 sin² over a whole period of its
    frequency is 2.
    """
    results = solve(mirror(whole={}))
    point, middle = np.array([[0, 0, 0.1]]), 20
    period = C0 / (2 * 0.1)
    f = results["frequency"].values
    weight = near.line_shape(results, middle, period)
    assert weight.sum() == pytest.approx(1)
    assert f[weight > weight.max() / 2].min() == pytest.approx(
        f[middle] - period / 2, abs=f[1] - f[0]
    )
    size = np.array([np.abs(near.near_field(results, i, point)[0]).max() for i in range(len(f))])
    found = near.averaged(results, middle, point, "", period, "ex")[0]
    assert found == pytest.approx(np.sqrt((weight * size**2).sum()), rel=1e-3)
    assert found**2 == pytest.approx(2, rel=0.15)
    with pytest.raises(HeronError, match="fewer than three points"):
        near.averaged(results, middle, point, "", 1e6, "ex")


def test_fields_as_the_pulse_had_them_are_the_transform_of_the_signal() -> None:
    results = solve(mirror(whole={}, lying={"reading": "nearest grid point"}))
    f, time = results["frequency"].values, results["trace 0_time"].values
    signal = results["trace 0_e"].values[0, :, 0, 0]
    wanted = np.array(
        [(signal * np.exp(-2j * np.pi * hz * time)).sum() * (time[1] - time[0]) for hz in f]
    )
    raw = np.array(
        [
            near.near_field(near.as_pulsed(results, i), i, np.array([[0, 0, 0.1]]), "whole")[0][
                0, 0
            ]
            for i in range(len(f))
        ]
    )
    print(
        "spectrum of the signal against the raw field:"
        f" {np.abs(np.abs(raw) - np.abs(wanted)).max() / np.abs(wanted).max():.1e} of the largest"
    )
    assert np.abs(np.abs(raw) - np.abs(wanted)).max() < 2e-3 * np.abs(wanted).max()
    lying = np.array(
        [near.near_field(results, i, np.array([[0, 0, 0.1]]), "lying") for i in range(len(f))]
    )[:, :, 0]
    whole = np.array(
        [near.near_field(results, i, np.array([[0, 0, 0.1]]), "whole") for i in range(len(f))]
    )[:, :, 0]
    assert not np.allclose(lying[:, 1, 1], whole[:, 1, 1], rtol=1e-3), "H lies half a cell away"


def test_each_wave_may_have_a_pulse_of_its_own() -> None:
    """What is found at a frequency is of the model, whatever pulse asked."""
    made = cell([SLAB])
    made["illuminations"].append(
        {
            **made["illuminations"][0],
            "name": "narrow",
            "pulse_start": "8.5 GHz",
            "pulse_stop": "11.5 GHz",
        }
    )
    made["captures"] = [{"kind": "point_trace", "name": "signal", "point": ["0", "0", "3 mm"]}]
    results = solve(made)
    one, other = (cross_sections.shares(results, n) for n in (0, 1))
    first, second = (signals.signals(results, "signal", n) for n in (0, 1))
    print(
        f"|ΔR| of two pulses {np.abs(one.reflectance - other.reflectance).max():.1e}, |Δt|"
        f" {np.abs(one.transmission - other.transmission).max():.1e}"
    )
    assert np.abs(one.reflectance - other.reflectance).max() < 1e-4
    assert np.abs(one.transmission - other.transmission).max() < 1e-4
    level = np.abs(results["pulse_spectrum"].values)
    assert level[0, 1] / level[2, 1] < level[0, 0] / level[2, 0], "the second is narrower"
    assert (
        np.flatnonzero(np.abs(second.pulse) > 0.01).max()
        > np.flatnonzero(np.abs(first.pulse) > 0.01).max()
    ), "and longer"
    narrow = examined(
        {
            **made,
            "illuminations": [
                {**made["illuminations"][0], "pulse_start": "9.9 GHz", "pulse_stop": "10.1 GHz"}
            ],
        }
    ).errors
    assert (
        narrow
        and narrow[0].path == ("illuminations", 0, "pulse_start")
        and "let it cover the band" in narrow[0].message
    )


def test_layers_alone_need_no_part() -> None:
    """A layer of 3 mm, ε 4, in a repeated cell with nothing else in it, against the transfer
    matrix.
    """
    results = solve(cell([], layers=[{"material": "stuff", "thickness": "3 mm"}]))
    found, f = cross_sections.shares(results), results["frequency"].values
    wanted = [
        coh_tmm(
            "s",
            [1, np.sqrt(4 + 0.1j / (2 * np.pi * hz * 8.8541878128e-12)), 1],
            [np.inf, 3e-3, np.inf],
            0,
            C0 / hz,
        )
        for hz in f
    ]
    off = (
        np.abs(found.reflectance - [w["R"] for w in wanted]).max(),
        np.abs(found.transmittance - [w["T"] for w in wanted]).max(),
    )
    print(f"a layer alone: |ΔR| {off[0]:.4f}, |ΔT| {off[1]:.4f}")
    assert max(off) < 1e-3
