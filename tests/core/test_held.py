"""Variants whose grid or mesh is that of their model, moved."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from heron.cli import main
from heron.discretise.held import MOST_STRETCH, Laid, moved
from heron.jobs import Job, Variant, execute
from heron.studies.digests import Digests
from heron.studies.outcomes import outcome
from tests.models import rod, strips


def test_lines_move_with_their_marks_or_are_laid_anew() -> None:
    like = Laid(np.array([0.0, 1.0, 3.0]), np.array([0.0, 0.4, 1.0, 1.5, 3.0]))
    found = moved(like, np.array([0.0, 1.1, 3.0]))
    assert found is not None and found.held
    assert found.lines == pytest.approx([0.0, 0.44, 1.1, 1.575, 3.0])
    assert moved(like, np.array([0.0, 0.5, 1.1, 3.0])) is None, "another mark"
    assert moved(like, np.array([0.0, 1.01 * MOST_STRETCH, 3.0])) is None, "stretched too far"
    assert moved(like, np.array([0.0, 1.0, 3.0]), unit=1.3) is None, "a wire as much longer"
    assert moved(None, np.array([0.0, 1.0])) is None


@pytest.mark.parametrize("size", [1.0, 1.6])
def test_segments_of_wires_are_as_many_in_every_variant(size: float) -> None:
    def segments(length: float, held: bool) -> int:
        job = Job(rod(), Variant({"length": f"{length} mm"}, held=held))
        found = job.examined().discretised(size)
        assert found.held is held
        lengths = found.mesh.length
        assert lengths.sum() == pytest.approx(length * 1e-3)
        return len(lengths)

    lengths = range(140, 185, 4)
    assert len({segments(v, held=False) for v in lengths}) > 1, "else there is nothing to hold"
    assert len({segments(v, held=True) for v in lengths}) == 1


def test_grid_lines_are_as_many_and_lie_on_the_metal() -> None:
    def lines(length: float, held: bool) -> list[Any]:
        job = Job(strips("14"), Variant({"L": f"{length} mm"}, held=held))
        found = job.examined().discretisation
        assert found.held is held
        ends = found.structure.laid[2].marks
        assert np.abs(found.structure.z[:, None] - ends).min(axis=0).max() < 1e-9
        return list(found.structure.lines)

    lengths = range(128, 161, 4)
    assert len({len(lines(v, held=False)[2]) for v in lengths}) > 1, "else there is nothing to hold"
    assert len({len(lines(v, held=True)[2]) for v in lengths}) == 1
    own = lines(140, held=True)
    for a, b in zip(own, lines(140, held=False), strict=True):
        assert a == pytest.approx(b, abs=1e-12)


def test_a_variant_too_far_away_is_laid_out_for_itself() -> None:
    job = Job(rod(), Variant({"length": "260 mm"}, held=True))
    done = execute(job)
    assert not done.run.summary["held"]
    assert done.run.results.attrs["held"] == 0
    assert execute(Job(rod("3"), Variant({"length": "165 mm"}, held=True))).run.summary["held"]


def test_curves_over_a_length_do_not_jump() -> None:
    """Against the smooth curve through all variants, in parts of the resonance."""
    read = outcome("f where im(z1) is zero")
    lengths = np.arange(152.0, 170.0, 1.0)
    rough = {}
    for held in (True, False):
        f = [
            read(execute(Job(rod(), Variant({"length": f"{v} mm"}, held=held))).quantities).number
            for v in lengths
        ]
        smooth = np.polyval(np.polyfit(lengths - 160, f, 4), lengths - 160)
        rough[held] = float(np.abs(f / smooth - 1).max())
    print(f"held {rough[True]:.1e}, laid out anew {rough[False]:.1e}")
    assert rough[True] < 5e-6
    assert rough[True] < 0.3 * rough[False]


def test_what_variants_are_held_to_has_a_digest_of_its_own() -> None:
    other = rod().model_copy(update={"parameters": [*rod().parameters]})
    other.parameters[0] = other.parameters[0].model_copy(update={"expression": "158 mm"})
    one, two = (Digests(d, None) for d in (rod(), other))
    variant = Variant({"length": "165 mm"}, held=True)
    assert one(variant) == two(variant), "its values are the same"
    assert one.layout != two.layout


def test_derivatives_take_only_what_is_held_alike(tmp_path: Path) -> None:
    """A sweep may use what was solved with another layout, a sensitivity not."""
    path = tmp_path / "rod.json"

    def solved_again(kind: Sequence[str], length: str) -> int:
        document = rod("3")
        document.parameters[0] = document.parameters[0].model_copy(update={"expression": length})
        path.write_text(document.model_dump_json())
        out, read = tmp_path / "out", ["--outcome", "re(z1) at 900 MHz", "--quiet"]
        before = {p: p.stat().st_mtime_ns for p in (out / "variants").glob("*.json")}
        assert main(["study", str(path), *kind, *read, "--out", str(out)]) == 0
        after = {p: p.stat().st_mtime_ns for p in (out / "variants").glob("*.json")}
        return sum(before.get(p) != t for p, t in after.items())

    sweep = ["--sweep", "length=160 mm:161.6 mm:2"]
    assert solved_again(sweep, "158 mm") == 2
    assert solved_again(sweep, "160 mm") == 0
    assert solved_again(["--sensitivity", "length"], "160 mm") == 5, "two of them are known"
