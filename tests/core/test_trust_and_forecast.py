"""What is judged before and after a run."""

from __future__ import annotations

import numpy as np
import pytest

from heron import runner
from heron.checks import examine, trust, trust_card
from heron.checks.trust import deciding, grade
from heron.engines import ENGINES, Event, Signal
from heron.model import load_document
from heron.results.power import budget
from heron.results.readout import sweep
from heron.runner import solve_in_rounds
from tests.models import dipole, examined, plan, solve, wire


def test_a_sound_run_is_graded_a() -> None:
    results = solve_in_rounds(examined(dipole(0.48, 1e-3, plan=plan("200 MHz", "400 MHz", 41))))
    card = trust_card(results)
    assert grade(card) == "A"
    assert [i.name for i in card] == [
        "Error of S, shift aside",
        "Error of the minimum's frequency",
        "Error of the gain",
        "Power in = power out",
        "Passivity",
        "|ΔS| interpolated",
    ]
    assert deciding(card).startswith("Error of S")


def test_a_grade_is_a_statement_about_error() -> None:
    """A coarse mesh balances its power as well as a fine one; its grade must fall all the same, and
    a run that knows nothing of its error has the worst.
    """
    coarse = solve_in_rounds(
        examined(
            dipole(1.4, 1e-5, plan=plan("200 MHz", "350 MHz", 31, segments_per_wavelength="6"))
        )
    )
    marks = {i.name: i.mark for i in trust_card(coarse)}
    assert marks["Power in = power out"] == "good" and grade(trust_card(coarse)) != "A"
    unknown = solve(dipole(0.48, 1e-3))
    assert grade(trust_card(unknown)) == "C" and "not known" in deciding(trust_card(unknown))


def test_a_run_that_loses_power_is_found_out() -> None:
    """The card must fail when the numbers are wrong: a quarter of the radiation is taken away."""
    results = solve(dipole(0.48, 1e-3))
    broken = results.copy()
    broken["radiated_form"] = results["radiated_form"] * 0.75
    card = {i.name: i for i in trust_card(broken)}
    assert card["Power in = power out"].mark == "stop"
    assert grade(list(card.values())) == "C"


def test_an_active_or_one_way_result_is_found_out() -> None:
    document = dipole(0.48, 1e-3)
    document["parts"].append(wire("other", [0.3, 0, -0.2], [0.3, 0, 0.2], 1e-3))
    document["feeds"].append({"number": 2, "part": "other"})
    results = solve(document)
    assert {i.name: i.mark for i in trust_card(results)}["Reciprocity"] == "good"
    one_way = results.copy(deep=True)
    one_way["s"].values[0, 0, 1] *= 2
    assert {i.name: i.mark for i in trust_card(one_way)}["Reciprocity"] != "good"
    active = results.copy(deep=True)
    active["s"].values[:] *= 3
    assert {i.name: i.mark for i in trust_card(active)}["Passivity"] == "stop"


def test_power_budget_adds_up_with_a_terminated_twin() -> None:
    """What the passive port absorbs is not accepted: accepted = radiated + losses, net over all
    ports.
    """
    document = dipole(
        0.48, 1e-3, loads=[{"name": "lossy", "part": "rod", "at": "0.2", "resistance": "40 ohm"}]
    )
    document["parts"][0]["material"] = "brass"
    document["parts"].append(wire("twin", [0.2, 0, -0.24], [0.2, 0, 0.24], 1e-3))
    document["feeds"].append({"number": 2, "part": "twin", "amplitude": "0"})
    results = solve(document)
    b = budget(results)
    assert b.available[0] == pytest.approx(1.0)
    assert b.loads[0] > 0.01
    assert b.conductor[0] > 0
    assert abs(b.balance_error[0]) < 1e-3
    outgoing = np.abs(results["s"].values[0] @ results["drive"].values) ** 2 / 2
    assert b.accepted[0] == pytest.approx(1 - outgoing.sum())
    assert b.total_efficiency[0] < b.radiation_efficiency[0] < 1


def test_other_drives_need_no_new_solve() -> None:
    """The forms are quadratic in the incident waves: half the wave, a quarter of every power;
    phases of one port do not matter.
    """
    results = solve(dipole(0.48, 1e-3))
    one, half = budget(results, np.array([1.0 + 0j])), budget(results, np.array([0.5j]))
    for name in ("available", "accepted", "radiated"):
        assert getattr(half, name)[0] == pytest.approx(getattr(one, name)[0] / 4)


def test_forecast_grows_with_the_model_and_matches_its_size() -> None:
    small, large = examined(dipole(0.5, 1e-5, 40)), examined(dipole(20.0, 1e-5, 40))
    assert small.forecast is not None
    assert large.forecast is not None
    results = solve(dipole(0.5, 1e-5, 40))
    assert small.forecast.size == results.attrs["unknowns"]
    assert large.forecast.size > 15 * small.forecast.size, (
        "gaps and open ends take as many segments however long the wire"
    )
    assert large.forecast.memory_bytes > small.forecast.memory_bytes
    assert large.forecast.seconds > small.forecast.seconds > 0


@pytest.mark.parametrize("engine", ["moments", "transient"])
def test_a_forecast_has_the_stages_that_the_run_then_reports(engine: str) -> None:
    found = examine(load_document(dipole(0.5, 1e-3)), {}, engine)
    assert found.forecast is not None
    for stage in found.forecast.stages:
        assert 0 <= stage.least <= stage.seconds <= stage.most and stage.memory_bytes > 0, stage
    told = found.forecast.as_json()
    assert told["least_seconds"] < told["seconds"] < told["most_seconds"]
    reported: list[str] = []

    def progress(event: Event, /) -> Signal:
        reported.append(event.stage)
        return Signal.CONTINUE

    runner.solve(found, progress)
    assert set(reported) - {"preparing"} == {s.name for s in found.forecast.stages} - {"preparing"}


@pytest.mark.parametrize("degree", [3, 4, 5])
def test_unknowns_of_a_joint(degree: int) -> None:
    """A joint of degree d has d - 1 unknowns: one more arm adds its own inner nodes and one."""
    arms = [
        wire(f"arm {i}", [0, 0, 0], [float(0.2 * np.cos(i)), float(0.2 * np.sin(i)), 0.0])
        for i in range(degree)
    ]
    examination = examined(
        {"parts": arms, "feeds": [{"number": 1, "part": "arm 0"}], "plan": plan()}
    )
    found = examination.discretisation
    inner = len(found.mesh.segments) - degree
    assert found.unknowns == inner + degree - 1
    results = ENGINES["moments"].solve(examination.model, found)
    currents = results["current"].values[0, 0]
    starts = results["segment_start"].values
    at_joint = np.linalg.norm(starts, axis=1) < 1e-9
    assert at_joint.sum() == degree
    assert abs(currents[at_joint, 0].sum()) < 1e-12 * np.abs(currents).max(), "Kirchhoff's law"


def test_series_capacitor_and_coil_resonate_away() -> None:
    """At 1/(2π√LC) a series pair adds nothing to the impedance."""
    from tests.models import C0, impedance

    inductance = 10e-9
    capacitance = 1 / ((2 * np.pi * C0) ** 2 * inductance)
    bare = impedance(dipole(0.48, 1e-3, loads=[{"name": "nothing", "part": "rod", "at": "0.3"}]))
    tuned = impedance(
        dipole(
            0.48,
            1e-3,
            loads=[
                {
                    "name": "trap",
                    "part": "rod",
                    "at": "0.3",
                    "inductance": f"{inductance!r} H",
                    "capacitance": f"{capacitance!r} F",
                }
            ],
        )
    )
    assert tuned == pytest.approx(bare, rel=1e-6)


def test_a_large_resistor_opens_the_wire() -> None:
    """A megohm in each arm leaves only the stub between them: far more reactive than the whole
    wire.
    """
    from tests.models import impedance

    opened = impedance(
        dipole(
            0.48,
            1e-3,
            loads=[
                {"name": f"r{at}", "part": "rod", "at": at, "resistance": "1e6 ohm"}
                for at in ("0.4", "0.6")
            ],
        )
    )
    assert opened.imag < -300
    assert abs(impedance(dipole(0.48, 1e-3)).imag) < 60


def test_wires_in_line_but_apart_are_solved() -> None:
    """Points on the extension of another wire's axis are regular: two dipoles end to end, equal and
    unequal radii.
    """
    from tests.models import impedance

    for radius in (1e-3, 2e-3):
        parts = [
            wire("low", [0, 0, -0.5], [0, 0, -0.02], 1e-3),
            wire("high", [0, 0, 0.02], [0, 0, 0.5], radius),
            wire("side", [0.1, 0, 0.6], [0.3, 0, 0.6], 1e-3),
        ]
        z = impedance({"parts": parts, "feeds": [{"number": 1, "part": "low"}], "plan": plan()})
        assert np.isfinite(z)
        assert 50 < z.real < 120


def test_sweep_json_has_no_nan() -> None:
    import json

    results = solve(dipole(0.48, 1e-3, plan=plan("200 MHz", "400 MHz", 21)))
    text = json.dumps(sweep(results), allow_nan=False)
    data = json.loads(text)
    assert len(data["frequency_hz"]) == len(data["power_share"]["radiated"]) == 21
    share = data["power_share"]
    assert share["accepted"][10] == pytest.approx(
        share["radiated"][10] + share["conductor"][10] + share["loads"][10], rel=1e-3
    )
    assert data["badges"]["1"]["minimum"]["level_db"] < -5


def test_logarithmic_band_and_pattern_frequencies() -> None:
    from heron.checks import examine
    from heron.model import load_document
    from heron.runner import solve

    document = dipole(
        0.48,
        1e-3,
        plan=plan(
            "100 MHz",
            "400 MHz",
            5,
            spacing="logarithmic",
            pattern_frequencies=["150 MHz", "400 MHz"],
        ),
    )
    run = solve(examine(load_document(document)))
    f = np.array(run.summary["frequency_hz"])
    assert f[1:] / f[:-1] == pytest.approx([2**0.5] * 4)
    assert [x["frequency_hz"] for x in run.summary["far_field"]] == pytest.approx(
        [100e6 * 2**0.5, 400e6]
    )


def test_a_moved_ground_plane_changes_nothing_but_the_place() -> None:
    from tests.models import impedance

    def whip(height: float) -> dict[str, object]:
        return {
            "parts": [wire("whip", [0, 0, height], [0, 0, height + 0.24], 1e-3)],
            "feeds": [{"number": 1, "part": "whip", "at": "0"}],
            "surround": {"kind": "ground", "height": f"{height!r} m"},
            "plan": plan(),
        }

    assert impedance(whip(0.7)) == pytest.approx(impedance(whip(0.0)), rel=1e-9)


def test_turning_the_whole_structure_changes_nothing() -> None:
    """Coordinates do not matter: a bent wire in a turned frame has the same impedance."""
    from tests.models import impedance

    bent = {
        "kind": "polyline",
        "name": "bent",
        "radius": "1 mm",
        "points": [["0", "0", "0"], ["0", "0", "0.2 m"], ["0.15 m", "0", "0.2 m"]],
    }
    common = {"feeds": [{"number": 1, "part": "bent", "at": "0.3"}], "plan": plan()}
    plain = impedance({"parts": [bent], **common})
    turned = impedance(
        {
            "parts": [{**bent, "frame": "turned"}],
            "frames": [
                {
                    "name": "turned",
                    "origin": ["1 m", "-2 m", "0.3 m"],
                    "turn": ["20 deg", "35 deg", "50 deg"],
                }
            ],
            **common,
        }
    )
    assert turned == pytest.approx(plain, rel=1e-7)


def test_splitting_a_wire_in_two_parts_changes_little() -> None:
    """Two parts that join end to end are one wire."""
    from tests.models import impedance

    whole = impedance(dipole(0.48, 1e-3, 60, feeds=[{"number": 1, "part": "rod", "at": "0.25"}]))
    parts = [
        wire("low", [0, 0, -0.24], [0, 0, 0.0], 1e-3),
        wire("high", [0, 0, 0.0], [0, 0, 0.24], 1e-3),
    ]
    split = impedance(
        {
            "parts": parts,
            "feeds": [{"number": 1, "part": "low", "at": "0.5"}],
            "plan": plan(segments_per_wavelength="60"),
        }
    )
    assert split == pytest.approx(whole, rel=0.01)


@pytest.mark.parametrize("segments", ["30", "60"])
def test_the_error_of_s_covers_what_a_finer_mesh_changes(segments: str) -> None:
    """The estimate against a mesh four times as fine; it must not promise more than there is, nor
    be far from it.
    """
    band = {"f_start": "250 MHz", "f_stop": "350 MHz", "points": "5", "sampling": "every"}
    coarse, fine = (
        solve_in_rounds(
            examined({**dipole(0.47, 1e-3), "plan": plan(**band, segments_per_wavelength=n)})
        )
        for n in (segments, str(4 * int(segments)))
    )
    true = float(np.abs(coarse["s"].values - fine["s"].values).max())
    told = trust.estimate(coarse).s
    assert told is not None
    print(f"{segments} segments a wavelength: estimated {told:.2g}, true {true:.2g}")
    assert true < told < 30 * true
