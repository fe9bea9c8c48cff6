"""Studies: which variants they want, what they find, and what they refuse; on functions whose
answers are published, and through the command line on wires.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest
import xarray as xr
from scipy import stats

from heron import steps
from heron.cli import main
from heron.errors import HeronError
from heron.interface import Model
from heron.jobs import Variant
from heron.model import load_document
from heron.phrases import printed, step_from
from heron.results.formulas import Quantities
from heron.steps.contract import Kind
from heron.steps.studies.common import Studied
from heron.studies.constraints import constraint
from heron.studies.contract import Made, Point, Trial, Value
from heron.studies.digests import Digests
from heron.studies.here import Here
from heron.studies.kinds import made, problems, register, step_of
from heron.studies.minimise import FAILED, minimise
from heron.studies.outcomes import outcome
from heron.studies.polynomial import fitted
from heron.studies.rescale import lengths_of
from heron.studies.sensitivity import Sensitivity
from heron.studies.sweep import Sweep
from heron.studies.tolerance import Spread, Tolerance, indices, spread
from heron.studies.tune import Tune, goal
from heron.studies.variables import (
    Variable,
    combined,
    stepped,
    variables_of,
    variant_of,
    with_variant,
)

PLAIN = (0.0, 0.0, 0.0, 0.0, 0.0)


def variable(name: str, nominal: float = 0.5) -> Variable:
    return Variable(name, PLAIN, nominal)


def solver(name: str, function: Callable[..., float]) -> Any:
    """Solves variants by a function of their values."""

    def solve(points: Sequence[Point]) -> list[Trial]:
        return [Trial(p, {name: Value("", function(*p))}) for p in points]

    return solve


def rosenbrock(x: float, y: float) -> float:
    return 100 * (y - x * x) ** 2 + (1 - x) ** 2


def hartmann(x: Any) -> float:
    """Of six dimensions; least −3.32237 (Dixon and Szegő, *Towards Global Optimisation 2*)."""
    a = np.array(
        [
            [10, 3, 17, 3.5, 1.7, 8],
            [0.05, 10, 17, 0.1, 8, 14],
            [3, 3.5, 1.7, 10, 17, 8],
            [17, 8, 0.05, 10, 0.1, 14],
        ]
    )
    p = 1e-4 * np.array(
        [
            [1312, 1696, 5569, 124, 8283, 5886],
            [2329, 4135, 8307, 3736, 1004, 9991],
            [2348, 1451, 3522, 2883, 3047, 6650],
            [4047, 8828, 8732, 5743, 1091, 381],
        ]
    )
    inner = np.sum(a * (np.asarray(x) - p) ** 2, axis=1)
    return float(-np.array([1, 1.2, 3, 3.2]) @ np.exp(-inner))


@pytest.mark.parametrize(
    ("method", "budget"), [("local", 200), ("simplex", 250), ("auto", 160), ("evolution", 900)]
)
def test_rosenbrock_s_valley_is_followed_to_its_end(method: Any, budget: int) -> None:
    """Rosenbrock, *Computer Journal* 3 (1960): 0 at (1, 1)."""
    calls: list[int] = []

    def values(points: Sequence[Any]) -> list[float]:
        calls.append(len(points))
        return [rosenbrock(*(4 * p - 2)) for p in points]

    place, least = minimise(values, np.array([0.2, 0.75]), budget, method)
    print(f"{method}: {least:.2e} at {4 * place - 2} after {sum(calls)}")
    assert sum(calls) <= budget
    assert least < 1e-3


@pytest.mark.parametrize(("method", "budget"), [("global", 300), ("evolution", 1200)])
def test_hartmann_s_hills_are_searched_for_the_deepest(method: Any, budget: int) -> None:
    calls: list[int] = []

    def values(points: Sequence[Any]) -> list[float]:
        calls.append(len(points))
        return [hartmann(p) for p in points]

    place, least = minimise(values, np.full(6, 0.5), budget, method)
    print(f"{method}: {least:.5f} at {place.round(4)}, {max(calls)} at once")
    assert sum(calls) <= budget
    assert least == pytest.approx(-3.32237, abs=1e-3)


def test_generations_are_solved_together() -> None:
    """As many variants at once as workers can share, all within the budget."""
    calls: list[int] = []

    def values(points: Sequence[Any]) -> list[float]:
        calls.append(len(points))
        return [float(np.sum((p - 0.3) ** 2)) for p in points]

    minimise(values, np.full(3, 0.5), 60, "evolution")
    assert sum(calls) == 60
    assert sorted(calls)[len(calls) // 2] == 7  # 4 + 3 ln 3


@pytest.mark.parametrize("method", ["local", "evolution"])
def test_a_search_keeps_constraints_and_what_fails_is_worth_nothing(method: Any) -> None:
    seen: list[Any] = []

    def values(points: Sequence[Any]) -> list[float]:
        seen.extend(points)
        return [FAILED if p[0] > 0.9 else float(np.sum((p - 1.0) ** 2)) for p in points]

    place, _ = minimise(
        values, np.array([0.1, 0.1]), 160, method, lambda p: float(1.0 - p[0] - p[1])
    )
    assert place == pytest.approx([0.5, 0.5], abs=0.02)
    with pytest.raises(HeronError, match="keeps all constraints"):
        minimise(values, np.array([0.1, 0.1]), 80, "local", lambda p: -1.0)


def test_a_search_that_is_repeated_asks_for_the_same() -> None:
    def asked() -> list[Any]:
        seen: list[Any] = []

        def values(points: Sequence[Any]) -> list[float]:
            seen.extend(tuple(p) for p in points)
            return [hartmann(p) for p in points]

        minimise(values, np.full(6, 0.5), 60, "auto")
        return seen

    assert asked() == asked()


def test_goals_are_weighed_and_tuning_ends_when_they_are_met() -> None:
    tune = Tune(
        [variable("x"), variable("y")],
        np.array([[-2.0, 2.0], [-2.0, 2.0]]),
        [goal("x > 1.5; weight 2"), goal("x < 1.9")],
        (0.0, 0.0),
        40,
    )

    def solve(points: Sequence[Point]) -> list[Trial]:
        return [
            Trial(p, {"x > 1.5": Value("", p[0] - 1.5), "x < 1.9": Value("", 1.9 - p[0])})
            for p in points
        ]

    found = tune.run(solve)
    best = found.told["best"]
    assert best["met"] and 1.5 <= best["values"]["x"] <= 1.9
    assert len(found.trials) < 40
    assert found.told["lacks"][0] == pytest.approx(2 * 1.5 * 10 / 1.5)  # tenths of the limit, twice
    with pytest.raises(HeronError, match="needs a goal"):
        Tune([variable("x")], np.array([[0.0, 1.0]]), [], (0.0,)).run(solve)


def test_sobol_s_indices_of_ishigami_s_function() -> None:
    """a = 7, b = 0.1: first 0.3139, 0.4424, 0; total 0.5576, 0.4424, 0.2437 (Saltelli and others,
    *Global Sensitivity Analysis*, section 4.6; closed forms by Ishigami and Homma, 1990).
    """

    def ishigami(x: Any) -> Any:
        return np.sin(x[:, 0]) + 7 * np.sin(x[:, 1]) ** 2 + 0.1 * x[:, 2] ** 4 * np.sin(x[:, 0])

    first, total = indices(ishigami, [stats.uniform(-np.pi, 2 * np.pi)] * 3, 8192)
    print(f"first {first.round(4)}, total {total.round(4)}")
    assert first == pytest.approx([0.3139, 0.4424, 0.0], abs=0.01)
    assert total == pytest.approx([0.5576, 0.4424, 0.2437], abs=0.01)


def test_the_yield_of_a_resonant_circuit_is_the_analytic_one() -> None:
    """f = 1/(2π√(LC)) with L spread by 5 %: within 2 % of nominal the share that the normal
    distribution has between L(1.02)⁻² and L(0.98)⁻².
    """
    l0, c = 1e-6, 1e-12

    def off(l: float) -> float:
        return abs(np.sqrt(l0 / l) - 1)

    own = Spread(variable("L", l0), "normal", 0.05 * l0)
    study = Tolerance([own], 512, ["off < 0.02"])

    def solve(points: Sequence[Point]) -> list[Trial]:
        return [Trial(p, {"off < 0.02": Value("", 0.02 - off(*p))}) for p in points]

    found = study.run(solve).told
    exact = stats.norm.cdf((0.98**-2 - 1) / 0.05) - stats.norm.cdf((1.02**-2 - 1) / 0.05)
    print(f"yield {found['yield']}, exact {exact:.4f}; C {c}")
    assert found["yield"]["low"] < exact < found["yield"]["high"]
    assert found["yield"]["value"] == pytest.approx(exact, abs=0.01)
    assert found["worst"]["margin"] < 0


def test_what_the_spread_comes_from_and_what_correlation_does() -> None:
    spreads = [
        Spread(variable("a", 1.0), "normal", 0.1),
        Spread(variable("b", 2.0), "uniform", 0.3),
    ]
    solve = solver("y", lambda a, b: 3 * a + 2 * b)
    own = Tolerance(spreads, 256).run(solve).told["outcomes"]["y"]
    variance = np.array([9 * 0.1**2, 4 * 0.3**2 / 3])
    assert own["mean"] == pytest.approx(7.0, abs=0.005)
    assert own["deviation"] == pytest.approx(np.sqrt(variance.sum()), rel=0.02)
    shares = [own["shares"][n]["first"] for n in "ab"]
    assert shares == pytest.approx(variance / variance.sum(), abs=0.02)
    together = Tolerance(spreads[:1] * 2, 256, correlation=np.array([[1, 0.999], [0.999, 1]]))
    points = np.array(together.points())
    assert np.corrcoef(points.T)[0, 1] > 0.99
    with pytest.raises(HeronError, match="contradict"):
        Tolerance(spreads, 8, correlation=np.array([[1.0, 2.0], [2.0, 1.0]])).points()


def test_a_polynomial_says_how_far_off_it_is() -> None:
    points = np.random.default_rng(3).uniform(-1, 1, (60, 2))
    exact = fitted(points, 1 + points[:, 0] * points[:, 1] - points[:, 1] ** 2)
    assert exact is not None and exact.error < 1e-12
    rough = fitted(points, np.exp(3 * points[:, 0]))
    assert rough is not None
    fresh = np.random.default_rng(4).uniform(-1, 1, (2000, 2))
    off = np.sqrt(np.mean((rough(fresh) - np.exp(3 * fresh[:, 0])) ** 2))
    assert rough.error == pytest.approx(off, rel=0.5)
    assert fitted(points[:6], points[:6, 0]) is None


def test_derivatives_cover_their_error() -> None:
    study = Sensitivity([variable("x", 2.0), variable("y", -3.0)], 0.02)
    found = study.run(solver("z", lambda x, y: np.sin(x) * y**3)).told["sensitivities"]["z"]
    for name, exact in (("x", np.cos(2.0) * -27), ("y", np.sin(2.0) * 27)):
        row = found["by"][name]
        assert abs(row["derivative"] - exact) < row["error"]
        assert row["derivative"] == pytest.approx(exact, rel=1e-6)
    assert list(found["by"]) == ["y", "x"]  # what a per cent of each does, the most first
    with pytest.raises(HeronError, match="no step"):
        Sensitivity([variable("x", 0.0)]).points()


MODEL = {
    "name": "post",
    "parameters": [
        {"name": "L", "expression": "160 mm", "low": "100 mm", "high": "220 mm"},
        {"name": "half", "expression": "L / 2"},
        {"name": "r", "expression": "1 mm"},
    ],
    "parts": [
        {
            "kind": "wire",
            "name": "rod",
            "start": ["0", "0", "-half"],
            "end": ["0", "0", "half"],
            "radius": "r",
        }
    ],
    "feeds": [{"kind": "gap", "number": 1, "part": "rod"}],
    "plans": [{"f_start": "700 MHz", "f_stop": "1.1 GHz", "points": "41", "rounds": "1"}],
}


@pytest.fixture(scope="module")
def model(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("studies") / "post.json"
    path.write_text(json.dumps(MODEL))
    return path


def study(model: Path, out: Path, *words: str) -> Any:
    words = ("--quiet", "--workers", "1", *words)
    assert main(["study", str(model), "--out", str(out), *words]) == 0
    return json.loads((out / "study.json").read_text())


RESONANCE = "f where abs(s11) is smallest"


def test_a_sweep_is_a_table_a_dataset_and_is_not_solved_twice(model: Path, tmp_path: Path) -> None:
    words = ("--sweep", "L=150 mm:170 mm:3", "--sweep", "r=0.5 mm,1 mm", "--outcome", RESONANCE)
    told = study(model, tmp_path, *words, "--outcome", "s11")
    assert told["kind"] == "sweep" and len(told["variants"]) == 6
    found = [v["outcome"][RESONANCE]["value"] for v in told["variants"]]
    assert found == sorted(found, reverse=True)[: len(found)] or found[0] > found[-1]
    rows = list(csv.reader((tmp_path / "study.csv").open()))
    assert rows[0][:4] == ["variant", "L [m]", "r [m]", "status"]
    assert float(rows[1][1]) == pytest.approx(0.15)
    with xr.open_dataset(tmp_path / "study.nc", engine="h5netcdf") as data:
        assert data["s11_re"].dims == ("L", "r", "frequency")
        assert data["s11_re"].shape == (3, 2, 41)
        assert data["f_where_abs_s11_is_smallest"].values.ravel() == pytest.approx(found)
    kept = {p: p.stat().st_mtime_ns for p in (tmp_path / "variants").iterdir()}
    assert len(kept) == 6
    longer = ("--sweep", "L=150 mm:170 mm:3", "--sweep", "r=0.5 mm,1 mm,2 mm")
    again = study(model, tmp_path, *longer, "--outcome", RESONANCE)
    assert len(again["variants"]) == 9
    assert all(p.stat().st_mtime_ns == t for p, t in kept.items()), "what is known is not solved"


def test_all_lengths_are_scaled_whatever_they_follow_from() -> None:
    """Those of a wavelength by it, those of a sum by themselves."""
    texts = {
        "f0": "868 MHz",
        "arm": "0.23 * wave",
        "wave": "c0 / f0",
        "radius": "1.5 mm",
        "boom": "radius + 20 mm",
        "n": "3",
    }
    document = load_document(
        MODEL
        | {
            "parameters": [
                *MODEL["parameters"],
                *({"name": n, "expression": t} for n, t in texts.items()),
            ]
        }
    )
    assert lengths_of(document) == ["L", "r", "wave", "radius", "boom"]


def test_a_dipole_is_rescaled_to_its_frequency_in_one_step(model: Path, tmp_path: Path) -> None:
    told = study(model, tmp_path, "--rescale", "868 MHz")
    print(f"ratio {told['ratio']:.4f}, off by {told['off']:.2e}")
    assert abs(told["off"]) < 3e-3
    assert set(told["best"]["values"]) == {"L", "r"}  # not what follows from another one


def test_a_dipole_is_tuned_to_a_spec_line(model: Path, tmp_path: Path) -> None:
    target = "|S11| < -14 dB from 866 to 870 MHz"
    words = ("--tune", target, "--vary", "L=140 mm:200 mm", "--constraint", "half < 95 mm")
    told = study(model, tmp_path, *words, "--budget", "20")
    assert told["best"]["met"], told["best"]
    assert len(told["variants"]) <= 20
    assert told["best"]["margins"][target] >= 0


def test_derivatives_of_wires_are_those_of_wider_differences(model: Path, tmp_path: Path) -> None:
    out = f"{RESONANCE}"
    told = study(model, tmp_path, "--sensitivity", "L", "--sensitivity", "r", "--outcome", out)
    by = told["sensitivities"][RESONANCE]["by"]
    found = by["L"]["per_cent"] / told["sensitivities"][RESONANCE]["value"]
    assert found == pytest.approx(-0.01, abs=0.0007)  # a resonance goes as one over the length
    assert list(by) == ["L", "r"]


def test_the_spread_of_a_wire_s_length(model: Path, tmp_path: Path) -> None:
    spec = "|S11| < -10 dB from 860 to 876 MHz"
    words = ("--tolerance", "L=2 %", "--tolerance", "r=uniform 0.2 mm", "--spec", spec)
    told = study(model, tmp_path, *words, "--samples", "24", "--outcome", RESONANCE)
    own = told["outcomes"][RESONANCE]
    assert own["deviation"] / own["mean"] == pytest.approx(0.02, rel=0.25)
    assert own["shares"]["L"]["first"] > 0.9
    assert told["yield"]["low"] <= told["yield"]["value"] <= told["yield"]["high"]


BAD = [
    (["--sweep", "L=150 mm:170 mm:9", "--outcome", "gadget"], "gadget"),
    (["--sweep", "L=150 mm:400 mm:3"], "is 220 mm at most in the model, not 400 mm"),
    (["--sweep", "L=150:170:3"], "write it with its unit"),
    (["--sweep", "width=1 mm"], "no parameter “width” to vary; the model has L, half, r"),
    (["--sweep", "L=150 mm", "--sweep", "L=160 mm"], "“L” is varied twice"),
    (["--sweep", "L=110 mm:210 mm:1000", "--sweep", "r=1 mm:2 mm:1000"], "1 000 000 variants"),
    (["--sweep", "L"], "--sweep takes"),
    (["--sweep", "L=150 mm:160 mm"], "150 mm:160 mm” is no range"),
    (["--sweep", "L=150 mm,160 mm", "--sweep", "r=1 mm", "--side-by-side"], "there are 2, 1"),
    (["--tune", "gadget < 3", "--vary", "L=150 mm:170 mm"], "gadget"),
    (["--tune", "|S11| < -10 dB"], "--vary name=low:high"),
    (["--tune", "|S11| < -10 dB", "--vary", "L=170 mm:150 mm"], "write the lower end first"),
    (
        ["--tune", "|S11| < -10 dB", "--vary", "L=150 mm:170 mm", "--constraint", "L < 1 mm"],
        "keeps all constraints",
    ),
    (
        ["--tune", "|S11| < -10 dB", "--vary", "L=150 mm:170 mm", "--constraint", "L < 1 GHz"],
        "compares",
    ),
    (["--tolerance", "L=0 mm"], "must be above zero"),
    (["--tolerance", "L=3 GHz"], "“L” is a length"),
    (["--rescale", "868 mm mm"], "868 mm mm"),
    (["--study", "no such"], "there is no study “no such”"),
    (["--tolerance", "L=1 %", "--correlate", "L,r=0.5"], "“r” has no spread here"),
    ([], "a study is one of"),
    (["--sweep", "L=150 mm", "--rescale", "868 MHz"], "not --sweep and --rescale"),
]


@pytest.mark.parametrize(("words", "said"), BAD, ids=lambda v: v if isinstance(v, str) else "")
def test_bad_input_is_said_where_it_was_made(
    model: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], words: list[str], said: str
) -> None:
    outcome_words = [] if "--rescale" in words else ["--outcome", RESONANCE]
    quiet = ["--quiet", "--workers", "1"]
    code = main(["study", str(model), "--out", str(tmp_path), *quiet, *words, *outcome_words])
    assert code == 2
    assert said in capsys.readouterr().err


def test_variants_that_break_are_told_and_the_rest_is_kept(tmp_path: Path) -> None:
    data = json.loads(json.dumps(MODEL))
    data["parameters"][0] |= {"low": "", "high": ""}
    path = tmp_path / "post.json"
    path.write_text(json.dumps(data))
    told = study(path, tmp_path / "out", "--sweep", "L=-10 mm,0 mm,160 mm", "--outcome", RESONANCE)
    assert [v["status"] for v in told["variants"]] == ["solved", "failed", "solved"]
    assert "rod" in told["variants"][1]["reason"] or "wire" in told["variants"][1]["reason"]


def test_a_process_that_ends_fails_one_variant_and_no_other(
    model: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (length,), _ = variables_of(load_document(MODEL), ["L"])
    with Here(model, [length], [outcome(RESONANCE)], workers=1) as solve:
        ended: list[int] = []

        def told(trial: Trial, done: int) -> None:
            if done == 1 and not ended:  # the process is killed while others wait
                assert solve._pool is not None
                ended.extend(solve._pool._processes)
                for process in list(solve._pool._processes.values()):
                    process.kill()

        solve.told = told
        trials = solve([(0.15,), (0.155,), (0.16,), (0.165,)])
    assert ended
    failed = [t for t in trials if t.failure]
    assert len(failed) == 1 and "ended" in failed[0].failure
    assert all(t.outcomes for t in trials if not t.failure)


def test_python_sweeps() -> None:
    swept = Model(load_document(MODEL)).sweep(L=["150 mm", "170 mm"], r=["1 mm"])
    resonances = swept.outcome(RESONANCE)
    assert resonances.shape == (2, 1)
    assert resonances[0, 0] / resonances[1, 0] == pytest.approx(170 / 150, rel=0.01)
    assert swept.outcome("s11").shape == (2, 1, 41)


class Curve:
    """Quantities of a made-up run."""

    frequency = np.linspace(1e9, 2e9, 11)

    def curve(self, formula: str) -> Any:
        found = {
            "f": self.frequency,
            "x": (self.frequency / 1e9 - 1.53) ** 2 + 0.25,
            "z": self.frequency / 1e9 - 1.47,
        }[formula]
        return type("Found", (), {"values": found, "unit": ""})


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("x at 1.5 GHz", 0.2509),
        ("smallest x", 0.2509),
        ("largest x from 1.1 GHz to 1.2 GHz", 0.43**2 + 0.25),
        ("mean z from 1.4 to 1.6 GHz".replace("1.4 to", "1.4 GHz to"), 0.03),
        ("f where x is smallest", 1.53e9),
        ("f where z is zero", 1.47e9),
        ("z where x is smallest", 0.06),
    ],
)
def test_outcomes_are_read_between_samples(text: str, value: float) -> None:
    quantities: Quantities = Curve()  # type: ignore[assignment]
    assert outcome(text)(quantities).number == pytest.approx(value, rel=1e-6)


def test_ranges_and_constraints_follow_the_model() -> None:
    document = load_document(MODEL)
    (length,), values = variables_of(document, ["L"])
    assert stepped("150 mm to 170 mm in 3 steps", length, values) == pytest.approx(
        [0.15, 0.16, 0.17]
    )
    assert stepped("100 mm to 200 mm in 3 steps of equal ratios", length, values)[
        1
    ] == pytest.approx(0.1 * 2**0.5)
    assert stepped("150 mm or r * 160", length, values) == pytest.approx([0.15, 0.16])
    assert combined([[1, 2], [3, 4]]) == [(1, 3), (1, 4), (2, 3), (2, 4)]
    assert combined([[1, 2], [3, 4]], side_by_side=True) == [(1, 3), (2, 4)]
    room = constraint("half < 90 mm", document, [length])
    assert room((0.179,)) > 0 > room((0.181,))
    cut = spread("normal 1 % truncated at 2 %", length, values)
    assert cut.width == pytest.approx(0.0016) and cut.cut == pytest.approx(0.0032)
    assert cut.distribution.support() == pytest.approx((0.1568, 0.1632))


STUDIES = [
    "Sweep lengths over L = 150 mm to 170 mm in 3 steps and r = 1 mm or 2 mm, reading largest gain",
    "Sweep plans over plan = fine or coarse and rod material = brass or perfect conductor",
    "Sweep parts over rod = present or absent and L = 150 mm or 160 mm, side by side",
    "Sweep slim over L = 150 mm or 160 mm and r = L / 100 or L / 200",
    "Tune match with L = 140 mm to 200 mm, so that |S11| < -14 dB at 868 MHz, where half < 95 mm,"
    " 20 variants at most, local search",
    "Tolerance saw cuts of L ± 2 % and r ± uniform 0.2 mm, judged by |S11| < -10 dB at 868 MHz,"
    " 24 samples, correlated L with r by 0.5",
    "Sensitivity all by L and r, steps of 0.02, reading smallest gain, by plan fine",
    "Rescale band to 868 MHz by L",
]


@pytest.mark.parametrize("text", STUDIES)
def test_a_study_is_a_sentence_that_is_read_as_it_is_printed(text: str) -> None:
    document = _with_choices()
    step = step_from(text, document, [])
    assert step.chapter == "studies" and step.step is not None
    assert printed("studies", step.step) == text  # without quotes
    own = document.model_copy(update={"studies": [_study(step.step)]})
    assert problems(load_document(own.model_dump(mode="json"))) == []


def _study(step: Any) -> Any:
    fields = {k: v for k, v in step.items() if k != "kind"}
    outcomes = fields.pop("outcomes", None) or ["s11"]
    return step_of(step["kind"], **fields, outcomes=outcomes)


def _with_choices() -> Any:
    data = json.loads(json.dumps(MODEL))
    data["plans"] = [data["plans"][0] | {"name": n} for n in ("coarse", "fine")]
    data["materials"] = [{"kind": "conductor", "name": "brass", "conductivity": "15e6 S/m"}]
    return load_document(data)


def test_what_is_chosen_and_what_follows_from_it_makes_variants() -> None:
    document = _with_choices()

    def variants(text: str) -> list[Variant]:
        found = made(_study(step_from(text, document, []).step), document)
        return [variant_of(found.variables, p) for p in found.study.points]  # type: ignore[attr-defined]

    first, *_, last = variants(STUDIES[1])
    assert (first.plan, dict(first.materials)) == ("fine", {"rod": "brass"})
    assert (last.plan, dict(last.materials)) == ("coarse", {"rod": "perfect conductor"})
    assert first.of(document).parts[0].material == "brass"
    whole, bare = variants(STUDIES[2])
    assert not whole.without and bare.without == {"rod"} and bare.overrides == {"L": "0.16 m"}
    found = made(_study(step_from(STUDIES[2], document, []).step), document)
    used = with_variant(document, found.variables, (1.0, 0.16))
    present, absent = (variant_of(found.variables, p) for p in ((0.0, 0.16), (1.0, 0.16)))
    assert not present.of(used).parts[0].suspended, "it is taken back where it is suspended"
    assert absent.of(document).parts[0].suspended
    assert Digests(used, None)(present) != Digests(used, None)(absent)
    assert used.parts[0].suspended and used.parameters[0].expression == "160 mm"
    again = with_variant(used, found.variables, (0.0, 0.15))
    assert not again.parts[0].suspended and again.parameters[0].expression == "150 mm"
    radii = [float(v.overrides["r"].split()[0]) * 1e3 for v in variants(STUDIES[3])]
    assert radii == pytest.approx([1.5, 0.75, 1.6, 0.8])


WRONG = [
    ("Sweep a over L = 150 mm to 400 mm in 3 steps", ("vary", 0, "values"), "220 mm at most"),
    ("Sweep a over L = 1 mm to 2 mm", ("vary", 0, "values"), "in how many steps"),
    ("Sweep a over L = 150 mm and L = 160 mm", ("vary", 1, "parameter"), "varied twice"),
    ("Sweep a over plan = rough or fine", ("vary", 0, "values"), "no choice of plan"),
    ("Tune a with L = 150 mm to 170 mm, so that colour < 3", ("goals", 0), "colour"),
    (
        "Tune a with L = 150 mm to 170 mm, so that |S11| < -9 dB, where L < 1 mm",
        ("constraints",),
        "keeps all",
    ),
    ("Tolerance a of L ± 0 mm", ("spreads", 0, "spread"), "above zero"),
    ("Tolerance a of L ± 1 %, 0 samples", ("samples",), "whole number"),
    ("Sensitivity a by L, steps of 2", ("step",), "at most 0.2"),
    ("Rescale a to 0 MHz", ("wished",), "above zero"),
    ("Rescale a to 433 MHz", ("wished",), "not in the plan's band"),
]


@pytest.mark.parametrize(("text", "path", "said"), WRONG)
def test_what_is_wrong_with_a_study_is_said_where_it_stands(
    text: str, path: tuple[str | int, ...], said: str
) -> None:
    document = _with_choices()
    studies = [_study(step_from(text, document, []).step)]
    (problem,) = problems(document.model_copy(update={"studies": studies}))
    assert problem.path == ("studies", 0, *path)
    assert said in problem.message


def test_a_study_of_the_model_runs_from_the_command_line(tmp_path: Path) -> None:
    document = _with_choices()
    step = step_from(STUDIES[0], document, []).step
    path = tmp_path / "post.json"
    data = document.model_dump(mode="json")
    path.write_text(json.dumps(data | {"studies": [step | {"outcomes": [RESONANCE]}]}))
    told = study(path, tmp_path / "out", "--study", "lengths")
    assert len(told["variants"]) == 6
    assert told["variants"][0]["outcome"][RESONANCE]["value"] > 0


class Once(Studied):
    """The model as it is."""

    kind: Literal["once"] = "once"


class Single:
    """What makes a study of that step."""

    def made(self, step: Any, document: Any) -> Made:
        (variable,), _ = variables_of(document, ["L"])
        return Made(Sweep([(variable.nominal,)]), [variable], step.outcomes, 1)


def test_a_kind_of_study_is_added_by_two_registrations() -> None:
    kind = Kind("once", "studies", Once, "Once", "{name}[, reading <outcomes/and: {.}>]")
    steps.register(kind)
    try:
        register("once", Single())
        read = step_from("Once more, reading s11", load_document(MODEL), []).step
        document = load_document(MODEL | {"studies": [read]})
        assert problems(document) == [] and printed("studies", read) == "Once more, reading s11"
        found = made(document.studies[0], document)
        assert (found.most, found.outcomes) == (1, ["s11"])
        wrong = load_document(MODEL | {"studies": [read | {"outcomes": ["colour"]}]})
        assert problems(wrong)[0].path == ("studies", 0, "outcomes", 0)
    finally:
        steps.forget(kind)
