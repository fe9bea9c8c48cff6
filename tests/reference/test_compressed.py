"""The compressed matrix of large surfaces against the whole one, and what it says of its error."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from heron.engines.moments import clusters, compressed, surface_system
from heron.engines.moments.formulation import circuit
from heron.engines.moments.trust import trust
from heron.errors import ModelError
from tests.models import examined, solve, wire
from tests.reference.test_surfaces import WAVE, metal, monopole, sheet

F = 299792458.0


def system_of(document: dict[str, Any]) -> surface_system.SurfaceSystem:
    found = examined(document)
    made = found.discretisation
    return surface_system.SurfaceSystem(made.mesh, made.made_of, *circuit(found.model, made))


def whip() -> dict[str, Any]:
    """A wire on a plate, with a gap and a load."""
    return {
        **monopole(0.5),
        "loads": [
            {"kind": "series", "name": "end", "part": "whip", "at": "0.6", "resistance": "40 ohm"}
        ],
    }


def above_ground() -> dict[str, Any]:
    return metal(
        [
            sheet("patch", (-0.25, -0.2, 0.1), (0.5, 0.4)),
            wire("arm", [-0.2, 0.3, 0.2], [0.2, 0.3, 0.2], 0.004),
        ],
        feeds=[{"kind": "gap", "number": 1, "part": "arm", "width": "0.02 m"}],
        surround={"kind": "ground"},
    )


def ball() -> dict[str, Any]:
    """Above the lowest resonance of its inside: both equations are combined."""
    return metal(
        [
            {
                "kind": "sphere",
                "name": "ball",
                "centre": ["0", "0", "0"],
                "radius": "0.45 m",
                "material": "perfect conductor",
            }
        ],
        illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
        settings={"segments_per_wavelength": "36"},
    )


def lit_plate() -> dict[str, Any]:
    return metal(
        [sheet("plate", (0.0, 0.0, 0.0), (1.5, 1.5))],
        illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
        settings={"segments_per_wavelength": "30"},
    )


@pytest.fixture
def always(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(surface_system, "COMPRESSED_FROM", 0)
    monkeypatch.setattr(surface_system, "COMBINED_FROM", 0)
    monkeypatch.setattr(surface_system, "FINEST", 1e9)


@pytest.mark.parametrize("model", [whip, above_ground, ball])
def test_compressed_matrix_is_the_whole_one(model: Any) -> None:
    """Times a vector: with loads and losses, over a ground, of both equations."""
    system, combined = system_of(model()), model is ball
    made = system.large.compressed(F, *system.rows(F, combined))
    x = np.random.default_rng(5).normal(size=(system.size, 1)) + 0j
    order = system.large.order
    true = system.matrix(F, combined)[np.ix_(order, order)] @ x
    off = float(np.linalg.norm(made.times(x) - true) / np.linalg.norm(true))
    print(f"{model.__name__}: {system.size} unknowns, off by {off:.1e}, stated {made.error():.1e}")
    assert off < 1e-5
    assert 0 < made.error() < compressed.TOLERANCE


@pytest.mark.parametrize("model", [lit_plate, ball, whip])
def test_currents_are_those_of_the_whole_matrix(model: Any, request: pytest.FixtureRequest) -> None:
    whole = solve(model())
    assert whole.attrs["matrix_error"] == 0
    request.getfixturevalue("always")
    if model is whip:  # finer than the wave asks for: more is inverted before
        request.getfixturevalue("monkeypatch").setattr(surface_system, "MOST_WHOLE", 0)
    found = solve(model())
    own, true = (r["edge_current"].values for r in (found, whole))
    off = float(np.linalg.norm(own - true) / np.linalg.norm(true))
    stated, residual = found.attrs["matrix_error"], found.attrs["residual"]
    print(f"{model.__name__}: currents off by {off:.1e}; stated {stated:.1e}, left {residual:.1e}")
    assert 0 < stated < compressed.TOLERANCE
    assert 0 < residual <= 2 * compressed.RESIDUAL
    assert off < 1e-3
    assert {i.name for i in trust(found)} - {i.name for i in trust(whole)} == {"Compressed matrix"}


def test_what_steps_do_not_solve_is_solved_whole_or_refused(
    request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A whip whose strip is far finer than the wave asks for."""
    whole = solve(whip())
    request.getfixturevalue("always")
    found = solve(whip())
    assert found.attrs["matrix_error"] == 0
    assert found["s"].values == pytest.approx(whole["s"].values, rel=1e-9)
    monkeypatch.setattr(surface_system, "MOST_WHOLE", 0)
    monkeypatch.setattr(compressed, "WITHIN", ((0.0, 40),))
    with pytest.raises(ModelError, match="not solved in reasonable time"):
        solve(whip())


def test_terms_are_few_where_clusters_are_far_apart() -> None:
    """Memory grows little faster than the number of unknowns (Bebendorf and Rjasanow, 2003): of
    plates at one size of triangles, twice as many take less than 2^1.5 times as much.
    """
    taken = {}
    for side in (1.0, 1.42):
        document = metal(
            [sheet("plate", (0.0, 0.0, 0.0), (side, side))],
            illuminations=[{**WAVE, "electric": ["1", "0", "0"]}],
            settings={"segments_per_wavelength": "75"},
        )
        system = system_of(document)
        made = system.large.compressed(F, *system.rows(F, False))
        taken[system.size] = made.bytes
        error = made.error()
        print(f"{system.size} unknowns: {made.bytes / 1e6:.1f} MB, off by {error:.1e}")
        assert error < compressed.TOLERANCE
        assert made.bytes < 8 * system.size**2
    (small, little), (large, much) = sorted(taken.items())
    assert much / little < (large / small) ** 1.5


def test_a_wrong_block_shows_in_the_stated_error(monkeypatch: pytest.MonkeyPatch) -> None:
    system = system_of(ball())
    monkeypatch.setattr(compressed, "TOLERANCE", 3e-2)
    made = system.large.compressed(F, *system.rows(F, True))
    x = np.random.default_rng(5).normal(size=(system.size, 1)) + 0j
    true = system.matrix(F, True)[np.ix_(system.large.order, system.large.order)] @ x
    off = float(np.linalg.norm(made.times(x) - true) / np.linalg.norm(true))
    print(f"off by {off:.1e}, stated {made.error():.1e}")
    assert off > 1e-6
    assert 0.3 * off < made.error() < 3 * off


def test_clusters_tile_the_matrix_once() -> None:
    draw = np.random.default_rng(1)
    root, order = clusters.tree(draw.uniform(size=(700, 3)) * [9, 1, 0], np.full(700, 0.01))
    assert np.array_equal(np.sort(order), np.arange(700))
    for symmetric in (True, False):
        seen = np.zeros((700, 700), dtype=int)
        near, far = clusters.pairs(root, symmetric)
        for a, b in (*near, *far):
            seen[a.start : a.stop, b.start : b.stop] += 1
            if symmetric and a is not b:
                seen[b.start : b.stop, a.start : a.stop] += 1
        assert (seen == 1).all()
        assert far and all(
            min(a.diameter, b.diameter) <= clusters.APART * a.distance(b) for a, b in far
        )
