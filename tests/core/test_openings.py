"""Openings of line and guide feeds: found on the grid, refused with words, followed over
frequency.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from heron.checks import Examination
from heron.cli import main
from heron.engines.transient.launch import families, section
from heron.engines.transient.modes import solve
from heron.engines.transient.stepper import Stepper
from heron.excitation.pulse import pulse_of
from heron.model import load_document
from heron.model.feeds import ports_of
from tests import models


def window(examination: Examination, number: int = 0) -> dict[int, tuple[float, float]]:
    """From and to in mm along both axes across a feed's."""
    s = examination.discretisation.structure
    p = s.apertures[number]
    return {
        q: (1e3 * float(s.lines[q][lo]), 1e3 * float(s.lines[q][hi]))
        for q, lo, hi in zip(p.across, p.low, p.high, strict=True)
    }


def faults(document: dict[str, Any]) -> list[tuple[str, str, tuple[str | int, ...]]]:
    return [(p.level, p.message, p.path) for p in models.examined(document).problems]


def says(document: dict[str, Any], words: str, level: str = "error", field: str = "centre") -> None:
    found = faults(document)
    assert any(
        mark == level and words in message and path[0] == "feeds" and path[-1] == field
        for mark, message, path in found
    ), found


@pytest.mark.parametrize("along", [0, 1, 2])
def test_the_bore_of_a_guide_is_found_whichever_way_it_runs(along: int) -> None:
    found = window(models.examined(models.rectangular_guide("12 mm", cells="15", along=along)))
    wide, high = found[(along + 1) % 3], found[(along + 2) % 3]
    assert wide == pytest.approx((-11.43, 11.43), abs=1e-6) and high == pytest.approx(
        (-5.08, 5.08), abs=1e-6
    )


def test_a_coaxial_line_ends_at_its_shield() -> None:
    examination = models.examined(models.coaxial("1 mm", "3 mm", cells="15"))
    p = examination.discretisation.structure.apertures[0]
    assert all(-3.7 < lo < -2.9 and 2.9 < hi < 3.7 for lo, hi in window(examination).values())
    # the corners outside the shield are closed
    assert p.shut[2][0, 0] and not p.shut[2][p.shut[2].shape[0] // 4, p.shut[2].shape[1] // 2]


def test_a_strip_is_seen_from_its_ground_up() -> None:
    """Six widths and five heights at least, twice that where the next mode allows it."""
    found = window(models.examined(models.microstrip("3 mm", "1.5 mm", "2.2")))
    assert found[2][0] == pytest.approx(0, abs=1e-9)
    assert 1.5 + 5 * 1.5 <= found[2][1] < 1.5 + 11 * 1.5
    assert found[1][1] == pytest.approx(-found[1][0], rel=1e-6) and 9 <= found[1][1] < 20
    high = window(
        models.examined(models.microstrip("3 mm", "1.5 mm", "2.2", band=("4 GHz", "12 GHz")))
    )
    assert high[1][1] < 10.5 and high[2][1] < 10.5


def test_a_size_that_is_asked_for_is_kept() -> None:
    found = window(
        models.examined(
            models.microstrip("3 mm", "1.5 mm", "2.2", cells="40", width="20 mm", height="12 mm")
        )
    )
    assert np.ptp(found[1]) == pytest.approx(20, abs=1.5)
    assert found[2][0] == pytest.approx(0, abs=1e-9) and found[2][1] == pytest.approx(12, abs=1.5)


def test_a_quarter_between_mirror_planes_shares_its_opening() -> None:
    examination = models.examined(models.horn(cells="15"))
    s = examination.discretisation.structure
    p = s.apertures[0]
    assert p.share == 0.25
    # open to the magnetic plane x = 0, closed by the electric one, y = 0
    assert not p.shut[1][0].any() and p.shut[0][:, 0].all()
    # A wall beyond the mirror plane once left metal in the plane itself.
    inner = (s.z > -0.025) & (s.z < -0.005)
    assert not s.metal[1][0, :4][:, inner].any()


def test_what_cannot_be_an_opening() -> None:
    guide = models.rectangular_guide("12 mm", cells="15")
    guide["feeds"][0]["centre"] = ["0", "a/2 + t/2", "0"]
    says(guide, "lies in metal")
    bare = models.rectangular_guide("12 mm", cells="15")
    bare["feeds"] = bare["feeds"][:1]
    bare["parts"] = [
        {
            "kind": "rectangle",
            "name": "floor",
            "corner": ["0", "-a/2", "-b/2"],
            "size": ["L", "a"],
            "material": "perfect conductor",
        }
    ]
    says(bare, "no closed metal wall")
    beside = models.rectangular_guide("12 mm", cells="15")
    beside["feeds"][1] |= {"centre": ["3 * L", "0", "0"], "towards": "+x"}
    says(beside, "no closed metal wall")
    line = models.microstrip("3 mm", "1.5 mm", "2.2")
    line["feeds"][0]["centre"] = ["0", "30 mm", "10 mm"]
    says(line, "no conductor at its centre")
    alone = models.microstrip("3 mm", "1.5 mm", "2.2")
    alone["parts"] = [p for p in alone["parts"] if p["name"] != "ground"]
    says(alone, "no ground faces its conductor")
    inside = models.microstrip("3 mm", "1.5 mm", "2.2")
    inside["feeds"][0]["centre"] = ["12 mm", "0", "h"]
    inside["parts"].append(
        {
            "kind": "box",
            "name": "lid",
            "corner": ["2 mm", "-2 mm", "2 mm"],
            "size": ["4 mm", "4 mm", "2 mm"],
            "material": "FR4",
        }
    )
    says(inside, "“lid” stands behind its plane")
    narrow = models.microstrip("3 mm", "1.5 mm", "2.2", width="0.05 mm")
    says(narrow, "narrower than two cells", field="width")
    below = models.horn(cells="15")
    below["surround"] = {"kind": "ground", "height": "-35 mm"}
    says(below, "no room behind its plane")


def test_modes_that_do_not_travel_and_modes_that_do() -> None:
    says(
        models.rectangular_guide("12 mm", cells="15", band=("5 GHz", "9 GHz")),
        "mode 1 of port 1 is cut off below 6.5",
    )
    says(
        models.rectangular_guide("12 mm", cells="15", band=("6.7 GHz", "9 GHz")),
        "above the cut-off of mode 1 of port 1, 6.5",
    )
    says(
        models.rectangular_guide("12 mm", cells="15", modes="2"),
        "mode 2 of port 1 is cut off below 13.",
        field="modes",
    )
    says(
        models.rectangular_guide("12 mm", cells="15", band=("8.2 GHz", "14 GHz")),
        "at port 1 mode 2 propagates from 13.",
        "look",
        "modes",
    )


def test_feeds_that_contradict_the_rest() -> None:
    twice = models.rectangular_guide("12 mm", cells="15", modes="2", band=("14 GHz", "16 GHz"))
    twice["feeds"][1]["number"] = 2
    says(twice, "port 2 is already taken by feed 1", field="number")
    many = models.rectangular_guide("12 mm", cells="15")
    many["feeds"][0]["modes"] = "1.5"
    says(many, "whole one from 1 to 10", field="modes")
    flat = models.rectangular_guide("12 mm", cells="15")
    flat["feeds"][0] |= {"width": "-1 mm"}
    says(flat, "width of the opening must be above zero", field="width")
    wired = models.rectangular_guide(
        "12 mm",
        cells="15",
        more=[models.wire("pin", ["0", "0", "-b/2"], ["12 mm", "0", "-b/2"], "0.1 mm")],
    )
    wired["parts"][-1] |= {"start": ["0", "0", "0"], "end": ["12 mm", "0", "0"]}
    says(wired, "a thin wire runs through the opening of port 1")
    illuminated = {"illuminations": [{"kind": "plane_wave", "name": "wave"}], "surround": {}}
    assert any(
        "an illuminated model has no line feeds" in message
        for _, message, _ in faults(
            models.microstrip("3 mm", "1.5 mm", "2.2", cells="15") | illuminated
        )
    )
    assert not any(
        "an illuminated model has no" in message
        for _, message, _ in faults(models.horn(cells="15") | illuminated)
    ), "a guide's case is shut"
    assert any(
        "gap feeds only" in p.message
        for p in models.examined(
            models.horn() | {"plan": models.plan("9 GHz", "10 GHz", 3, engine="moments")}
        ).errors
    )


def test_a_mode_between_its_solutions() -> None:
    """A microstrip's fields change with frequency; between the frequencies solved for they are as
    good as solved.
    """
    examination = models.examined(
        models.microstrip("3 mm", "1.5 mm", "9.8", length="20 mm", band=("2 GHz", "12 GHz"))
    )
    s, plan = examination.discretisation.structure, examination.model.plan
    stepper, p = Stepper(s, np.zeros(0)), s.apertures[0]
    family = families(stepper, p, pulse_of(plan), 1, plan.f_stop)[0]
    for f in (2e9, 6.3e9, 12e9):
        own = section(stepper, p, f)
        exact, found = solve(own, 1)[0], family.mode(f)
        overlap = abs((own.weight * exact.e.conj() * found.e).sum()) / np.sqrt(
            (own.weight * np.abs(exact.e) ** 2).sum() * (own.weight * np.abs(found.e) ** 2).sum()
        )
        assert found.beta2.real == pytest.approx(exact.beta2.real, rel=2e-3)
        assert overlap > 1 - 1e-3
    _, e, q = family.at(np.array([5e9]))
    assert np.einsum("fr,rs,fs->f", e, family.flux, q)[0] == pytest.approx(1)


def test_ports_of_several_modes() -> None:
    feed = load_document(models.rectangular_guide("12 mm", modes="2")).feeds[0]
    assert feed.model_dump()["modes"] == "2"
    evaluated = models.examined(
        models.rectangular_guide("12 mm", modes="2", cells="15")
    ).model.feeds
    assert [list(ports_of(f)) for f in evaluated] == [[1, 2], [3, 4]]


def test_modes_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    model = tmp_path / "guide.json"
    model.write_text(json.dumps(models.rectangular_guide("12 mm", cells="15")))
    assert main(["modes", str(model), "--out", str(tmp_path / "out"), "--modes", "2"]) == 0
    summary = json.loads((tmp_path / "out" / "summary.json").read_text())
    assert [m["kind"] for m in summary["modes"]] == ["TE", "TE"]
    assert summary["modes"][0]["cut_off_hz"] == pytest.approx(6.557e9, rel=5e-3)
    rows = np.genfromtxt(tmp_path / "out" / "modes.csv", delimiter=",", names=True)
    first = rows[rows["mode"] == 1]
    exact = np.sqrt(1 - (6.557e9 / first["frequency_hz"]) ** 2)
    assert first["index_re"] == pytest.approx(exact, rel=2e-2) and len(first) == 41
    fields = np.genfromtxt(tmp_path / "out" / "fields.csv", delimiter=",", names=True)
    strong = fields[fields["mode"] == 1]
    assert (
        np.abs(strong["e_z_re"]).max() == pytest.approx(1, abs=0.01)
        and np.abs(strong["e_y_re"]).max() < 1e-6
    )
    # strongest in the middle of the wide side
    assert abs(strong["y_m"][np.abs(strong["e_z_re"]).argmax()]) < 2e-3
    assert main(["modes", str(model), "--out", str(tmp_path / "out"), "--port", "7"]) == 2
    assert "no line or guide feed with port 7" in capsys.readouterr().err
    assert main(["modes", str(model), "--out", str(tmp_path / "out"), "--modes", "99"]) == 2
    assert main(["modes", str(model), "--out", str(tmp_path / "out"), "--frequency", "1e9"]) == 2
    assert "outside the band" in capsys.readouterr().err
