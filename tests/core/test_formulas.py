"""Formulas over a run, spec lines, reference curves, and the comparing command."""

from __future__ import annotations

import json

import numpy as np
import pytest

from heron.cli import main
from heron.errors import HeronError, QuantityError
from heron.formats import curves
from heron.jobs import Job, execute
from heron.model import load_document
from heron.quantities import evaluate
from heron.results import patterns, ports, specs, sphere
from heron.results.formulas import Given, Quantities
from tests.models import dipole, plan, solve, touchstone_of

BAND = plan("250 MHz", "350 MHz", 21, segments_per_wavelength="20")


@pytest.fixture(scope="module")
def run() -> Quantities:
    results = solve({**dipole(0.47, 1e-3), "plan": BAND})
    return Quantities(
        sphere.record(results, list(range(21))),
        {"length": evaluate("0.47 m"), "z_wanted": evaluate("73 ohm")},
    )


def test_quantities_are_those_of_the_results(run: Quantities) -> None:
    s = run.results["s"].values[:, 0, 0]
    z = ports.impedances(run.results)[:, 0]
    for formula, value, unit in (
        ("s11", s, ""),
        ("db20(s11)", 20 * np.log10(np.abs(s)), "dB"),
        ("abs(s11)^2", np.abs(s) ** 2, ""),
        ("z", z, "Ω"),
        ("re(z1) - 73 ohm", z.real - 73, "Ω"),
        ("im(z1)/z_wanted", z.imag / 73, ""),
        ("1/y1", z, "Ω"),
        ("vswr", (1 + np.abs(s)) / (1 - np.abs(s)), ""),
        ("return_loss", -20 * np.log10(np.abs(s)), ""),
        ("f*length", run.frequency * 0.47, "m/s"),
        ("f/1 MHz", run.frequency / 1e6, ""),
        ("mismatch", np.abs(s) ** 2, ""),
        ("1 - abs(s11)**2 - accepted", 0 * z.real, ""),
        ("total_efficiency/radiation_efficiency", 1 - np.abs(s) ** 2, ""),
        ("realized_gain/gain", 1 - np.abs(s) ** 2, ""),
        ("conj(s11)*s11", np.abs(s) ** 2, ""),
        ("max(abs(s11))", np.full(21, np.abs(s).max()), ""),
        ("hypot(re(z), im(z))", np.abs(z), "Ω"),
        ("deg(unwrap(s11))", np.degrees(np.unwrap(np.angle(s))), ""),
        ("sqrt(z*z_wanted)", np.sqrt(z * 73), "Ω"),
        ("2", np.full(21, 2.0), ""),
        ("exp(1)", np.full(21, np.e), ""),
    ):
        found = run.curve(formula)
        assert found.unit == unit, formula
        assert np.allclose(found.values, value, rtol=1e-9, atol=1e-9), formula
    assert run.curve("delay(s11)").unit == "s"


def test_gain_towards_a_direction_and_at_its_peak(run: Quantities) -> None:
    """A dipole's peak is broadside; along its axis there is nothing."""
    peak, side, axis = (
        run.curve(f).values
        for f in ("directivity", "directivity(90 deg, 30 deg)", "db10(directivity(0, 0))")
    )
    assert np.allclose(peak, side, rtol=1e-3)
    assert axis.max() < -80
    i = patterns.nearest_index(run.results, 300e6)
    assert 10 * np.log10(peak[i]) == pytest.approx(2.13, abs=0.03)
    assert run.curve("peak_theta").values[i] == pytest.approx(np.pi / 2, abs=0.01)
    assert run.curve("axial_ratio(90 deg, 0)").values.min() > 1e3


@pytest.mark.parametrize(
    ("formula", "message"),
    [
        ("s12", "no port 2; it has 1"),
        ("colour", "neither a quantity of a run nor a parameter"),
        ("z1 + 1", "a resistance and a plain number cannot be added"),
        ("db20(z1)", "db20.* takes a plain number, not a resistance"),
        ("sin(s11)", "takes real values"),
        ("gain(f, 0)", "takes two angles"),
        ("__import__(1)", "no function"),
        ("s11 +", "ends too early"),
        ("max(f, z1)", "cannot go into max"),
        ("abs(1, 2)", "does not take 2 arguments"),
        ("2^(1 m)", "an exponent must be a plain number"),
    ],
)
def test_formulas_that_cannot_be_meant(run: Quantities, formula: str, message: str) -> None:
    with pytest.raises(QuantityError, match=message):
        run.curve(formula)


@pytest.mark.parametrize(
    ("text", "formula", "above", "limit", "unit", "low", "high"),
    [
        ("|S11| < −10 dB from 863 to 873 MHz", "abs(s11)", False, -10, "dB", 863e6, 873e6),
        ("gain > 5 dBi at θ = 0", "gain(0 deg, 0 deg)", True, 5, "dBi", None, None),
        (
            "realized gain >= 4 dBi at theta = 30, phi = 90 deg",
            "realized_gain(30 deg, 90 deg)",
            True,
            4,
            "dBi",
            None,
            None,
        ),
        ("total efficiency > 90 %", "total_efficiency", True, 90, "%", None, None),
        ("VSWR < 2 from 2.43 GHz to 2.47 GHz", "vswr1", False, 2, "", 2.43e9, 2.47e9),
        ("VSWR2 <= 2, 868 MHz – 870 MHz", "vswr2", False, 2, "", 868e6, 870e6),
        ("re(z1) < 80 ohm at 300 MHz", "re(z1)", False, 80, "ohm", 300e6, 300e6),
        ("S21 < -20 dB", "s21", False, -20, "dB", None, None),
        (
            "axial ratio < 3 dB at theta = 10",
            "axial_ratio(10 deg, 0 deg)",
            False,
            3,
            "dB",
            None,
            None,
        ),
    ],
)
def test_spec_lines_are_read(
    text: str,
    formula: str,
    above: bool,
    limit: float,
    unit: str,
    low: float | None,
    high: float | None,
) -> None:
    s = specs.read(text)
    assert (s.formula, s.above, s.limit, s.unit) == (formula, above, limit, unit)
    assert (s.low, s.high) == pytest.approx((low, high)) if low else (s.low, s.high) == (None, None)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("S11 small", "a quantity, < or >, and a limit"),
        ("S11 < much", "is no limit"),
        ("S11 < -10 parrots", "neither a unit nor a band"),
        ("s11 < -10 dB from 3 to 2 GHz", "lower frequency first"),
        ("axial ratio < 3 dB", "needs a direction"),
        ("s11 < -10 dB at theta = 3", "a direction can be given for"),
        ("< 3", "a quantity, < or >"),
        ("s11 +* 2 < 3", "not expected"),
    ],
)
def test_spec_lines_that_cannot_be_read(text: str, message: str) -> None:
    with pytest.raises(HeronError, match=message):
        specs.read(text)


def test_verdicts(run: Quantities) -> None:
    level = run.curve("db20(s11)").values
    at = patterns.nearest_index(run.results, 300e6)
    low = float(level[at])
    kept = specs.judge(specs.read(f"|S11| < {low + 1} dB at 300 MHz"), run)
    assert kept.passed
    assert (kept.worst, kept.margin, kept.frequency) == pytest.approx((low, 1, 300e6))
    broken = specs.judge(specs.read("|S11| < -10 dB from 250 to 350 MHz"), run)
    assert broken.passed is False
    assert broken.worst == pytest.approx(level.max())
    assert specs.judge(specs.read("gain > 2 dBi at theta = 90"), run).passed
    assert specs.judge(specs.read("gain > 2 dBi"), run).passed
    assert specs.judge(specs.read("radiation efficiency > 99 %"), run).passed
    assert (
        "covers 250 to 350 MHz only"
        in specs.judge(specs.read("|S11| < -10 dB from 100 to 300 MHz"), run).reason
    )
    assert "no port 2" in specs.judge(specs.read("S21 < -10 dB"), run).reason
    assert "in Ω" in specs.judge(specs.read("re(z1) < 3 dB"), run).reason
    assert "not in mm" in specs.judge(specs.read("re(z1) < 3 mm"), run).reason
    # between two samples: on the line through them
    between = specs.judge(specs.read("re(z1) < 1 kohm from 301.3 to 301.9 MHz"), run)
    assert between.passed
    assert between.worst == pytest.approx(
        float(np.interp(301.9e6, run.frequency, run.curve("re(z1)").values)) / 1e3
    )


def reference(text: str, name: str = "", **more) -> Given:
    r = curves.reference(curves.read(text, name), **more)
    return Given(r.x, r.named, r.phased)


@pytest.mark.parametrize(
    ("text", "x", "formula", "value"),
    [
        ("freq_GHz,S11_dB\n2.4,-10\n2.5,-20\n", [2.4e9, 2.5e9], "db20(s11)", [-10, -20]),
        (
            "f/MHz;|S11| in dB\n2400;-10,5\n2500;-20,5\n",
            [2.4e9, 2.5e9],
            "db20(s11)",
            [-10.5, -20.5],
        ),
        (
            (
                "# bench, 3 May\n# frequency (Hz)\tS21 (dB)\tS21 phase"
                " (deg)\n1e9\t-3.0103\t90\n2e9\t-3.0103\t180\n"
            ),
            [1e9, 2e9],
            "s21",
            [0.7071j, -0.7071],
        ),
        ("2.4 -10\n2.5 -20", [2.4e9, 2.5e9], "db20(s11)", [-10, -20]),
        ("868 1.5\n870 2", [868e6, 870e6], "vswr", [1.5, 2]),
        ("2.4 -20 90\n2.5 -20 180", [2.4e9, 2.5e9], "s11", [0.1j, -0.1]),
        ("870 2\n868 1.5", [868e6, 870e6], "abs(s11)", [0.2, 1 / 3]),
        (
            "Frequency [MHz],Rin,Xin\n300,73,42\n310,80,60\n",
            [300e6, 310e6],
            "z1",
            [73 + 42j, 80 + 60j],
        ),
        ("MHz,efficiency (%)\n300,80\n310,85\n", [300e6, 310e6], "total_efficiency", [0.8, 0.85]),
        ("GHz,realized gain dBi\n1,3.0103\n2,0\n", [1e9, 2e9], "realized_gain", [2, 1]),
        ("GHz,realized gain dBi\n1,3.0103\n2,0\n", [1e9, 2e9], "realized_gain(0, 0)", [2, 1]),
        ("MHz,return loss\n300,10\n310,20\n", [300e6, 310e6], "db20(s11)", [-10, -20]),
        ("GHz, S11 re, S11 im\n1,0.5,0\n2,0,0.5\n", [1e9, 2e9], "z1/1 ohm", [150, 30 + 40j]),
    ],
)
def test_curves_are_recognised(
    text: str, x: list[float], formula: str, value: list[complex]
) -> None:
    found = reference(text)
    assert np.allclose(found.frequency, x)
    assert np.allclose(found.curve(formula).values, value, rtol=2e-4)


def test_touchstone_comes_back_and_corrections_count(run: Quantities) -> None:
    back = reference(touchstone_of(run.results), "run.s1p")
    assert np.allclose(back.curve("s11").values, run.curve("s11").values, rtol=1e-9)
    assert np.allclose(back.curve("z1").values, run.curve("z1").values, rtol=1e-6)
    table = curves.read("a,b\n1,2\n2,3\n")
    assert table.x_guessed
    assert table.columns[0].quantity == ""
    with pytest.raises(HeronError, match="no column is used"):
        curves.reference(table)
    mended = curves.reference(table, "MHz", [curves.Column("b", "vswr1", "value")])
    assert np.allclose(mended.x, [1e6, 2e6])
    cut = curves.reference(curves.read("theta (deg), gain (dBi)\n-90,-3\n0,6\n90,-3\n"))
    assert cut.axis == "angle"
    assert cut.named["gain"][1] == pytest.approx(10**0.6)


@pytest.mark.parametrize(
    ("text", "name", "message"),
    [
        ("hello\nthere", "", "no columns of numbers"),
        ("1,2\n2,x\n", "", "line 2: “x” is not a number"),
        ("1,2\n2,3,4\n", "", "line 2 has 3 columns"),
        ("1\n2\n", "", "one column"),
        ("1,2\n1,3\n", "", "has 1 twice"),
        ("# Hz S RI R 50\n1 2\n", "a.s1p", "cannot be read as Touchstone"),
        ("# GHz S RI R 50\n1 2 3\n", "a.txt", "name it with its number of ports"),
        ("1,1e999\n2,3\n", "", "too large"),
        ("MHz,S11 im\n1,2\n2,3\n", "", "a real part needs an imaginary one"),
        ("1,-2\n", "", "at least two lines"),
    ],
)
def test_curves_that_cannot_be_read(text: str, name: str, message: str) -> None:
    with pytest.raises(HeronError, match=message):
        reference(text, name)


def test_a_magnitude_alone_has_no_impedance() -> None:
    with pytest.raises(QuantityError, match="only the magnitude"):
        reference("868 1.5\n870 2").curve("z1")
    with pytest.raises(QuantityError, match="neither a quantity"):
        reference("868 1.5\n870 2").curve("gain")


def test_compare_command(tmp_path, capsys: pytest.CaptureFixture[str]) -> None:
    x = np.linspace(1, 2, 101)
    for name, y in (("a", np.sin(9 * x)), ("b", np.sin(9 * x) + 0.05)):
        (tmp_path / f"{name}.csv").write_text(
            "f,y\n" + "".join(f"{u},{v}\n" for u, v in zip(x, y, strict=True))
        )
    a, b = (str(tmp_path / f"{n}.csv") for n in "ab")
    assert main(["compare", a, a, "--json"]) == 0
    same = json.loads(capsys.readouterr().out)
    assert same == {"adm": 0, "fdm": 0, "gdm": 0, "grade": "excellent"}
    assert main(["compare", a, b, "--json"]) == 0
    other = json.loads(capsys.readouterr().out)
    assert other["adm"] > 0.01
    assert main(["compare", a, b]) == 0
    assert other["grade"] in capsys.readouterr().out
    (tmp_path / "bad.csv").write_text("nothing here")
    assert main(["compare", a, str(tmp_path / "bad.csv"), "--json"]) == 2
    assert "bad.csv: there are no columns of numbers" in capsys.readouterr().err
    assert main(["compare", a, str(tmp_path / "none.csv")]) == 2


def test_a_direction_seen_from_a_frame() -> None:
    """A dipole along z, and a frame turned 90° about x and then 40° about its own y: its z axis
    lies abeam, its y axis along the dipole, so that 50° from the one to the other is 40° off it.
    """
    frame = {"name": "dish", "origin": ["1 m", "0", "0"], "turn": ["90 deg", "40 deg", "0"]}
    q = execute(Job(load_document(dipole() | {"frames": [frame]}))).quantities
    own = q.curve("directivity(50 deg, 90 deg, dish)").values
    assert np.allclose(own, q.curve("directivity(40 deg, 0)").values, rtol=1e-6)
    assert not np.allclose(own, q.curve("directivity(50 deg, 90 deg)").values, rtol=1e-2)
    line = specs.read("directivity > 0 dBi at theta = 50, phi = 90 in dish")
    assert line.formula == "directivity(50 deg, 90 deg, dish)"
    assert specs.judge(line, q).worst == pytest.approx(10 * np.log10(own[0]), abs=1e-3)
    with pytest.raises(QuantityError, match="no frame “hull”; it has dish"):
        q.curve("gain(0, 0, hull)")
    with pytest.raises(QuantityError, match="a frame's name"):
        q.curve("gain(0, 0, 3)")
    with pytest.raises(HeronError, match="needs a direction in that frame"):
        specs.read("gain > 0 dBi in dish")
