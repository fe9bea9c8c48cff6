"""Errors of near fields and currents, place by place, against finer solutions and closed forms."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tmm import coh_tmm

from heron.quantities.constants import C0, EPS0
from heron.results import confidence, currents, near
from heron.results.convergence import Floats
from heron.results.origin import places
from heron.runner import solve_in_rounds
from tests.models import dipole, examined, plan, solve
from tests.reference.test_repeated import SLAB, STRIP, cell

PLANE = {
    "kind": "near_plane",
    "name": "beside",
    "corner": ["5 cm", "-50 cm", "-50 cm"],
    "along": ["0 m", "1 m", "0 m"],
    "across": ["0 m", "0 m", "1 m"],
    "counts": ["41", "41"],
}
COVERED = 0.95  # of all places


def wire(segments: int, rounds: str) -> dict[str, Any]:
    made = dipole(
        0.48,
        1e-3,
        plan=plan("250 MHz", "350 MHz", 5, segments_per_wavelength=str(segments), rounds=rounds),
    )
    return made | {"captures": [PLANE]}


def size(field: Any) -> Floats:
    return np.asarray(np.linalg.norm(field, axis=-1))


def test_fields_and_currents_of_a_wire_are_covered() -> None:
    """On a plane a tenth of a wavelength away, and along the wire, against eight times as many
    segments.
    """
    looked = examined(wire(20, "3"))
    coarse, fine, points = (
        solve_in_rounds(looked),
        solve(wire(160, "1")),
        places(looked.model)["beside"],
    )
    assert len(points) > confidence.PLACES, "some places lie between those that are compared"
    for i, f in enumerate(coarse["frequency"].values):
        stated = confidence.of_capture(coarse, "beside", points, float(f))
        assert stated is not None
        for k, (field, wanted) in enumerate(
            zip(near.near_field(coarse, i, points), near.near_field(fine, i, points), strict=True)
        ):
            true = size(field - wanted) / size(wanted)
            print(
                f"{f / 1e6:.0f} MHz, {'EH'[k]}: off by {np.median(true):.4f}, at most"
                f" {true.max():.4f}; stated {np.median(stated[:, k]):.4f}, {stated[:, k].max():.4f}"
            )
            assert (stated[:, k] >= true).mean() > COVERED
            assert np.median(stated[:, k] / true) < 5
        along = [currents.along_wires(r, i, confidence.SPANS)[0] for r in (coarse, fine)]
        shares = confidence.of_wires(coarse, float(f))
        assert shares is not None
        allowed = np.interp(
            confidence.SPANS, coarse["segment_span"].values.ravel(), shares.ravel()
        ) * np.maximum(abs(along[0]), 0.1 * np.median(abs(along[0])))
        assert (abs(along[0] - along[1]) <= allowed).mean() > COVERED


def test_the_field_before_a_slab_is_covered() -> None:
    """The standing wave above a lossy slab, 1 V/m and what `tmm` says comes back, with 15 cells per
    wavelength in three rounds.
    """
    capture = {
        "kind": "near_line",
        "name": "above",
        "start": ["0", "0", "1 mm"],
        "end": ["0", "0", "6 mm"],
        "count": "21",
    }
    made = cell([SLAB]) | {"captures": [capture]}
    made["plan"] |= {"rounds": "3", "cells_per_wavelength": "15"}
    looked = examined(made)
    results, points = solve_in_rounds(looked), places(looked.model)["above"]
    for i, f in enumerate(results["frequency"].values):
        k = 2 * np.pi * f / C0
        r = np.conj(
            coh_tmm(
                "s",
                [1, np.sqrt(4 + 0.1j / (2 * np.pi * f * EPS0)), 1],
                [np.inf, 4e-3, np.inf],
                0,
                C0 / f,
            )["r"]
        )
        z = points[:, 2]
        true = abs(
            near.near_field(results, i, points, "above")[0][:, 0]
            / (np.exp(1j * k * z) + r * np.exp(-1j * k * z))
            - 1
        )
        stated = confidence.of_capture(results, "above", points, float(f))
        assert stated is not None
        print(f"{f / 1e9:.1f} GHz: off by {true.max():.4f}, stated {stated[:, 0].max():.4f}")
        assert (stated[:, 0] >= true).all()


@pytest.mark.parametrize("rounds", ["1", "3"])
def test_currents_on_surfaces_have_errors_if_there_were_rounds(rounds: str) -> None:
    """On a plate, against cells half as large, at the rectangles of the coarser grid; nothing is
    said after a single round.
    """
    plate = STRIP | {"corner": ["-2.5 mm", "-2 mm", "0"], "size": ["5 mm", "4 mm"]}
    made = cell([plate]) | {
        "captures": [{"kind": "surface_current", "name": "on it", "part": "strip"}]
    }
    made["plan"] |= {"rounds": rounds, "cells_per_wavelength": "20"}
    results = solve_in_rounds(examined(made))
    stated = confidence.of_surface(results, "on it", 10e9)
    if rounds == "1":
        assert stated is None
        return
    found = currents.surface_current(results, "on it", 10e9)
    assert stated is not None and stated.shape == found.facing.shape
    fine = currents.surface_current(
        solve({**made, "plan": made["plan"] | {"rounds": "1", "cells_per_wavelength": "40"}}),
        "on it",
        10e9,
    )
    off = size(found.k - confidence.at_rectangles(fine, found))
    covered = off <= stated * np.maximum(size(found.k), confidence.FAINT * np.median(size(found.k)))
    print(
        f"current on a plate: off by {np.median(off / size(found.k)):.3f}, stated"
        f" {np.median(stated):.3f}, covered {covered.mean():.3f}"
    )
    assert covered.mean() > COVERED
    assert np.median(stated) < 0.6
