"""Media against published figures and closed forms."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.engines.transient.media import edge_media
from heron.errors import HeronError
from heron.materials import LIBRARY, MEDIA, Medium, Pole, fit_poles, fit_table
from heron.materials.rational import rational
from heron.model import evaluate_document, load_document
from heron.model.substances import conducting, media_of
from tests.models import examined, plan

EPS0, C0, ETA0 = 8.8541878128e-12, 299792458.0, 376.730313668


@pytest.mark.parametrize(
    ("name", "permittivity", "conductivity"),
    [("muscle", 55.03, 0.943), ("fat", 5.46, 0.051), ("dry skin", 41.41, 0.867)],
)
def test_tissues_at_900_megahertz(name: str, permittivity: float, conductivity: float) -> None:
    """Published figures of the Gabriel parametric model at 900 MHz (from memory)."""
    eps = MEDIA[name].epsilon(900e6)[0]
    sigma = MEDIA[name].effective_conductivity(900e6)[0]
    print(f"{name}: ε′ {eps.real:.2f} ({permittivity}), σ {sigma:.4f} ({conductivity}) S/m")
    assert eps.real == pytest.approx(permittivity, rel=2e-3)
    assert sigma == pytest.approx(conductivity, rel=1e-2)


def test_water_relaxes_where_kaatze_measured() -> None:
    """Kaatze 1989, 25 °C: ε(0) = 78.36, largest loss at 1/(2πτ) = 19.24 GHz (from memory)."""
    water = MEDIA["water"]
    f = np.geomspace(1e8, 1e12, 4001)
    assert water.epsilon(1e6)[0].real == pytest.approx(78.36, rel=1e-4)
    assert f[np.argmax(-water.epsilon(f).imag)] == pytest.approx(19.24e9, rel=2e-3)


def test_skin_depth_of_copper_and_of_a_poor_conductor() -> None:
    """√(2/(ωμσ)) for good conductors: 0.66 µm for copper at 10 GHz (Pozar, ch. 1); 2/(ση) √ε for
    low loss.
    """
    copper = Medium("copper", conductivity=LIBRARY["copper"].conductivity)
    assert copper.skin_depth(10e9)[0] == pytest.approx(
        np.sqrt(2 / (2 * np.pi * 10e9 * 1.25663706212e-6 * 5.813e7)), rel=1e-4
    )
    assert copper.skin_depth(10e9)[0] == pytest.approx(0.66e-6, rel=0.01)
    poor = Medium("poor", 4.0, conductivity=1e-4)
    assert poor.skin_depth(1e9)[0] == pytest.approx(2 * np.sqrt(4.0) / (1e-4 * ETA0), rel=1e-4)


def test_poles_against_their_closed_forms() -> None:
    f = 3e9
    w = 2 * np.pi * f
    assert Medium("d", 2.0, poles=(Pole("debye", 10.0, 1 / w),)).epsilon(f)[0] == pytest.approx(
        2 + 10 / (1 + 1j)
    )
    assert Medium("l", 1.0, poles=(Pole("lorentz", 3.0, omega=w, gamma=w / 5),)).epsilon(f)[
        0
    ] == pytest.approx(1 + 3 / (1j / 5))
    assert Medium("p", 1.0, poles=(Pole("drude", omega=w, gamma=0.0),)).epsilon(f)[
        0
    ] == pytest.approx(0, abs=1e-12), "ε = 0 at the plasma frequency"
    assert Medium("s", 1.0, conductivity=w * EPS0).epsilon(f)[0] == pytest.approx(1 - 1j)


def test_fit_recovers_poles_and_stays_passive() -> None:
    f = np.geomspace(1e8, 1e11, 60)
    truth = Medium(
        "t", 3.0, conductivity=0.02, poles=(Pole("debye", 20.0, 2e-11), Pole("debye", 5.0, 1e-9))
    )
    found, error = fit_poles(f, truth.epsilon(f), ("debye",) * 2)
    muscle = [fit_poles(f, MEDIA["muscle"].epsilon(f), ("debye",) * n)[1] for n in (1, 2, 3)]
    print(
        f"two poles recovered to {error:.1e}; muscle with 1, 2, 3 poles to",
        [f"{e:.3f}" for e in muscle],
    )
    assert error < 1e-6
    assert sorted(p.time for p in found.poles) == pytest.approx([2e-11, 1e-9], rel=1e-4)
    noisy = truth.epsilon(f) * (1 + 0.2 * np.random.default_rng(5).standard_normal(60)) + 0.5j
    assert fit_poles(f, noisy, ("debye",) * 3)[0].passive
    with pytest.raises(ValueError, match="at least 5"):
        fit_poles(f[:3], truth.epsilon(f[:3]), ("debye",) * 4)


def test_a_metal_at_optical_frequencies_is_fitted_by_drude_and_lorentz_poles() -> None:
    f = np.linspace(300e12, 700e12, 20)
    truth = Medium(
        "metal",
        9.0,
        poles=(
            Pole("drude", omega=1.37e16, gamma=1.05e14),
            Pole("lorentz", 1.0, omega=4.1e15, gamma=8e14),
        ),
    )
    found, error = fit_poles(f, truth.epsilon(f), ("drude", "lorentz"))
    print(f"Drude and Lorentz pole recovered to {error:.1e}")
    assert error < 1e-6
    assert {p.kind: p.omega for p in found.poles} == pytest.approx(
        {"drude": 1.37e16, "lorentz": 4.1e15}, rel=1e-4
    )
    table = Medium(
        "table", table=tuple((a, e.real, -e.imag) for a, e in zip(f, truth.epsilon(f), strict=True))
    )
    chosen, table_error = fit_table(table)
    assert table_error < 1e-3
    assert chosen.passive
    g = np.geomspace(1e9, 2e10, 12)
    water = Medium(
        "table",
        table=tuple(
            (a, e.real, -e.imag) for a, e in zip(g, MEDIA["water"].epsilon(g), strict=True)
        ),
    )
    assert [p.kind for p in fit_table(water)[0].poles] == ["debye"], (
        "the simplest fit that is good enough"
    )


@pytest.mark.parametrize("name", MEDIA)
def test_the_library_is_passive_and_says_where_it_comes_from(name: str) -> None:
    assert MEDIA[name].passive
    assert MEDIA[name].source


def materials(*entries: dict[str, Any]) -> Any:
    return evaluate_document(
        load_document({"materials": list(entries), "plan": plan("1 GHz", "2 GHz", 3)})
    )


def test_a_project_s_own_materials_shadow_the_library() -> None:
    model = materials(
        {"kind": "dielectric", "name": "FR4", "permittivity": "4.2", "loss_tangent": "0.015"},
        {"name": "tin", "conductivity": "8.7e6 S/m"},
        {
            "kind": "dispersive",
            "name": "mud",
            "permittivity": "6",
            "debye": [{"strength": "30", "time": "9 ps"}],
            "drude": [{"frequency": "1 MHz", "damping": "1 MHz"}],
        },
        {"kind": "table", "name": "moss", "rows": [["1 GHz", "3", "0.1"], ["2 GHz", "2", "0.3"]]},
        {"kind": "dielectric", "name": "copper", "permittivity": "2"},
    )
    media, errors = media_of(model)
    assert not errors
    assert media["FR4"].epsilon(1e9)[0] == pytest.approx(4.2 * (1 - 0.015j))
    assert media["moss"].epsilon(1.5e9)[0] == pytest.approx(2.5 - 0.2j)
    assert len(media["mud"].poles) == 2
    assert conducting(model, "tin")
    assert not conducting(model, "copper"), "the project's copper is a medium"


@pytest.mark.parametrize(
    ("entry", "where"),
    [
        ({"kind": "dielectric", "name": "a", "permittivity": "-1"}, "permittivity"),
        (
            {"kind": "dielectric", "name": "a", "permittivity": "2", "loss_tangent": "-0.1"},
            "loss_tangent",
        ),
        (
            {"kind": "dispersive", "name": "a", "debye": [{"strength": "-3", "time": "1 ps"}]},
            "strength",
        ),
        ({"kind": "table", "name": "a", "rows": [["2 GHz", "1", "0"], ["1 GHz", "1", "0"]]}, 0),
        ({"kind": "table", "name": "a", "rows": [["1 GHz", "1", "0"], ["2 GHz", "1", "-1"]]}, 2),
    ],
)
def test_media_that_make_power_are_refused_at_their_place(
    entry: dict[str, Any], where: Any
) -> None:
    (error,) = media_of(materials(entry))[1]
    assert isinstance(error, HeronError)
    assert error.path[:2] == ("materials", 0)
    assert error.path[-1] == where


@pytest.mark.parametrize("tangent", [1e-3, 0.02, 0.3])
@pytest.mark.parametrize("ratio", [1.05, 1.5, 3.0, 10.0, 50.0])
def test_a_constant_loss_tangent_holds_over_the_band(tangent: float, ratio: float) -> None:
    """ε″ within 3 % from end to end (a conductivity is off by half of the band); passive; and
    causal: ε′ falls by 2/π ε″ for every factor of e (Kramers and Kronig).
    """
    low, high = 1e9, ratio * 1e9
    fit = rational(Medium("board", 4.4, tangent), low, high)
    f = np.geomspace(low, high, 301)
    loss = -fit.law.epsilon(f).imag / (4.4 * tangent)
    print(
        f"tan δ {tangent}, 1 to {ratio:g} GHz: ε″ within {100 * np.abs(loss - 1).max():.2f} % with"
        f" {len(fit.law.poles)} relaxations"
    )
    assert np.abs(loss - 1).max() < 0.03
    assert fit.loss_error < 0.03
    assert fit.law.epsilon(0.5 * (low + high))[0].real == pytest.approx(4.4)
    assert (
        fit.law.epsilon(np.geomspace(low / 100, high * 100, 400)).imag <= 0
    ).all() and fit.law.infinity >= 1
    falls = float(np.diff(fit.law.epsilon(f[[0, -1]]).real)[0]) / (4.4 * tangent)
    if ratio > 2:  # within a narrow band one relaxation may lie anywhere
        assert falls == pytest.approx(-2 / np.pi * np.log(ratio), rel=0.2)


@pytest.mark.parametrize(("epsilon", "tangent"), [(2.0, 0.4), (2.7, 0.5), (4.0, 0.8)])
def test_a_loss_tangent_too_large_to_be_constant_spoils_neither_part_alone(
    epsilon: float, tangent: float
) -> None:
    """Over an octave ε′ must fall by 2/π ε″ ln 2 at least (Kramers and Kronig), ±0.22 ε″; with ε∞ ≥
    1 no sum of relaxations has both, and the fit parts the error between ε′ and ε″. Constant ε″
    would leave ε′ 15, 18 and 45 % off.
    """
    fit = rational(Medium("foam", epsilon, tangent), 1e9, 2e9)
    print(
        f"ε {epsilon}, tan δ {tangent}, 1 to 2 GHz: ε within {100 * fit.error:.1f} %, ε″ within"
        f" {100 * fit.loss_error:.1f} %"
    )
    assert max(fit.error, fit.loss_error) < 0.22 * tangent
    assert fit.law.infinity >= 1 and (fit.law.epsilon(np.geomspace(1e7, 1e11, 400)).imag <= 0).all()


def test_a_table_of_low_losses_is_fitted_in_its_losses_too() -> None:
    """A board whose ε′ and tan δ drift slowly: errors of a per cent of |ε| would be all of its
    losses.
    """
    board = Medium(
        "board", table=tuple((f * 1e9, 3.5 - 0.01 * f, 0.01 + 0.002 * f) for f in range(1, 11))
    )
    fit = rational(board, 2e9, 9e9)
    assert fit.loss_error < 0.03 and fit.error < 0.02


def test_edges_at_slanted_surfaces_are_never_less_than_vacuum_at_an_instant() -> None:
    """ε 2.7 with a loss tangent of 0.45: what answers at once cannot be as little as would make ε′
    2.7 in mid-band, which preflight tells; a round body of it must not have it either, or no time
    step that suits vacuum is short enough (such a ball grew without bound).
    """
    ball = {
        "kind": "sphere",
        "name": "ball",
        "centre": ["0", "0", "0"],
        "radius": "1 m",
        "material": "stuff",
    }
    found = examined(
        {
            "parts": [ball],
            "materials": [
                {
                    "kind": "dielectric",
                    "name": "stuff",
                    "permittivity": "2.7",
                    "loss_tangent": "0.45",
                }
            ],
            "feeds": [],
            "illuminations": [
                {"name": "wave", "travels": ["0", "0", "1"], "electric": ["1", "0", "0"]}
            ],
            "plan": {
                "engine": "transient",
                "f_start": "26 MHz",
                "f_stop": "44 MHz",
                "points": "3",
                "cells_per_wavelength": "10",
            },
        }
    )
    assert found.sound
    structure = found.discretisation.structure
    assert structure.averages is not None
    assert edge_media(structure)[0].min() > 1 - 1e-6
    assert any("stuff" in p.message for p in found.problems), [p.message for p in found.problems]
