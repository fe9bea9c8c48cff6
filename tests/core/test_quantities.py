"""Expressions and parameters: values, dimensions, refusals."""

from __future__ import annotations

from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from heron.errors import QuantityError
from heron.model import evaluate_document, load_document
from heron.quantities import engineering, evaluate, resolve_parameters, units
from heron.quantities.units import si_symbol, unit


@dataclass
class P:
    name: str
    expression: str
    unit: str = ""


LENGTH = (1.0, 0.0, 0.0, 0.0, 0.0)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("12 mm", 0.012),
        ("868 MHz", 868e6),
        ("2 mm^2", 2e-6),
        ("5.8e7 S/m", 5.8e7),
        ("10 kΩ", 1e4),
        ("3.3 pF", 3.3e-12),
        ("12k", 12e3),
        ("30°", 0.5235987755982988),
        ("90 deg / 2", 0.7853981633974483),
        ("2^3^2", 512),
        ("-2^2", -4),
        ("1 + 2 × 3", 7),
        ("8 ÷ 4 ÷ 2", 1),
        ("7 − 2", 5),
        ("sqrt(4 mm^2)", 0.002),
        ("c0 / 299792458 Hz", 1),
        ("η0 / 1 ohm", 376.730313668),
        ("hypot(3 mm, 4 mm)", 0.005),
        ("max(1 mm, 2 cm)", 0.02),
        ("atan2(1 m, 1 m) * 4", 3.141592653589793),
        ("1 in", 0.0254),
        ("50 %", 0.5),
        ("1 / sqrt(eps0 * mu0) / 1 m * 1 s", 299792458),
        ("0 + 3 mm", 0.003),
    ],
)
def test_values(text: str, value: float) -> None:
    assert evaluate(text).value == pytest.approx(value, rel=1e-9)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "needed"),
        ("1 +", "too early"),
        ("foo", "“foo” is not defined"),
        ("12 m + 3 s", "a length and a time cannot be added"),
        ("sin(2 mm)", "plain number"),
        ("2^(1 mm)", "exponent"),
        ("sqrt(-1)", "no real value"),
        ("1/0", "no finite value"),
        ("9**9**9", "no finite value"),
        ("(-8)^0.5", "negative number"),
        ("12 foo", "not a unit"),
        ("nofun(1)", "there is no function"),
        ("sin(1, 2)", "arguments"),
        ("__import__('os')", "cannot be used"),
        ("a.b", "character"),
        ("-" * 300 + "1", "nested"),
        ("1+" * 600 + "1", "characters"),
    ],
)
def test_refusals(text: str, words: str) -> None:
    with pytest.raises(QuantityError, match=words.replace("(", r"\(")):
        evaluate(text)


def test_dimension_wanted() -> None:
    assert evaluate("0", expect=LENGTH).dimension == LENGTH
    with pytest.raises(QuantityError, match="“3 s” is a time, but a length is needed here"):
        evaluate("3 s", expect=LENGTH)
    with pytest.raises(QuantityError, match="a plain number"):
        evaluate("3", expect=LENGTH)


def test_a_wavelength_says_a_frequency_where_one_is_needed() -> None:
    """In vacuum, exactly (SI Brochure: c0)."""
    hertz = (0, 0, -1, 0, 0)
    assert evaluate("600 nm", {}, hertz).value == pytest.approx(299792458 / 600e-9, rel=1e-14)
    assert evaluate("2 * 62.5 mm", {}, hertz).value == pytest.approx(299792458 / 0.125, rel=1e-14)
    for text in ("0 mm", "-3 mm", "3 s"):
        with pytest.raises(QuantityError, match="is needed here"):
            evaluate(text, {}, hertz)
    document = load_document(
        {"version": 1, "plan": {"engine": "transient", "f_start": "800 nm", "f_stop": "500 nm"}}
    )
    model = evaluate_document(document, {})
    assert (model.plan.f_start, model.plan.f_stop) == pytest.approx(
        (299792458 / 800e-9, 299792458 / 500e-9), rel=1e-14
    )


def test_parameters_shadow_units_but_not_after_a_number() -> None:
    values, errors = resolve_parameters([P("m", "3"), P("a", "2 m"), P("b", "a / m")])
    assert not errors
    assert values["a"].value == 2
    assert values["b"].value == pytest.approx(2 / 3)


def test_parameters_in_any_order() -> None:
    values, errors = resolve_parameters(
        [P("b", "2 * a"), P("a", "c0 / f"), P("f", "868 MHz", "GHz")], {"f": "434 MHz"}
    )
    assert not errors
    assert values["b"].value == pytest.approx(2 * 299792458 / 434e6)


@pytest.mark.parametrize(
    ("parameters", "words", "path"),
    [
        ([P("a", "b"), P("b", "c"), P("c", "a")], "a → b → c → a", ("parameters", 2, "expression")),
        ([P("a", "a + 1")], "a → a", ("parameters", 0, "expression")),
        ([P("a", "1"), P("a", "2")], "defined twice", ("parameters", 1, "name")),
        ([P("pi", "3")], "constant of nature", ("parameters", 0, "name")),
        ([P("a", "3 s", "mm")], "the unit mm is of a length", ("parameters", 0, "expression")),
        ([P("a", "3", "furlongish")], "not a unit", ("parameters", 0, "expression")),
        ([P("a", "zz")], "“zz” is not defined", ("parameters", 0, "expression")),
    ],
)
def test_parameter_faults_carry_their_path(
    parameters: list[P], words: str, path: tuple[object, ...]
) -> None:
    errors = resolve_parameters(parameters)[1]
    assert words in errors[0].message
    assert errors[0].path == path


def test_a_fault_does_not_spread_to_independent_parameters() -> None:
    values, errors = resolve_parameters([P("bad", "zz"), P("uses", "bad + 1"), P("good", "2")])
    assert values["good"].value == 2
    assert [e.path[1] for e in errors] == [0, 1]


def test_unknown_override_names_what_there_is() -> None:
    assert "the model has a" in resolve_parameters([P("a", "1")], {"b": "2"})[1][0].message


@given(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6))
def test_arithmetic_agrees_with_python(a: float, b: float) -> None:
    assert evaluate(f"({a!r}) - ({b!r}) * 2").value == a - b * 2


@given(st.text(max_size=40))
def test_no_text_can_do_more_than_raise(text: str) -> None:
    try:
        evaluate(text)
    except QuantityError as error:
        assert error.message


def test_engineering_and_units() -> None:
    assert engineering(868e6, "Hz") == "868 MHz" and engineering(868e6, "Hz", 2) == "870 MHz"
    assert engineering(1.5e-3, "m") == "1.5 mm"
    assert unit("mm") == (pytest.approx(1e-3), LENGTH)


@pytest.mark.parametrize(
    ("text", "factor", "symbol"),
    [
        ("S/m", 1.0, "S/m"),
        ("kg·m^2/s**3/A", 1.0, "V"),
        ("m s⁻¹", 1.0, "m/s"),
        ("1/ns", 1e9, "Hz"),
        ("mm²", 1e-6, "m²"),
        ("mil", 2.54e-5, "m"),
        ("kΩ", 1e3, "Ω"),
    ],
)
def test_units_are_names_with_small_powers(text: str, factor: float, symbol: str) -> None:
    found = unit(text)
    assert found is not None
    assert found[0] == pytest.approx(factor) and si_symbol(found[1]) == symbol


@pytest.mark.parametrize(
    "text",
    [
        "9**9**9",
        "10^10^10",
        "m^9^9^9",
        "m^99999999",
        "Ym^9·Ym^9·Ym^9",
        "ym^9*ym^9*ym^9",
        "(((",
        "m)(",
        "m//s",
        "/m",
        "m*",
        "\0",
        "📡",
        "m" * 100_000,
        "m*" * 20_000 + "m",
        "__import__",
        "dBm",
        "",
    ],
)
def test_what_is_no_unit_is_told_at_once(text: str) -> None:
    """A units library that evaluates text computed 9**9**9 for ever, for everybody."""
    assert unit(text) is None


def test_common_units_are_those_of_the_unit_library() -> None:
    """Each with each prefix, against pint's definitions."""
    for name in units._COMMON:
        for prefix in ("", *units._PREFIXED):
            if prefix + name in units._NOT_PREFIXED:
                continue
            found = units._from_pint(prefix + name)
            mine = units._named(prefix + name)
            assert mine is not None and found is not None, prefix + name
            assert mine[0] == pytest.approx(found[0], rel=1e-12), prefix + name
            assert mine[1] == found[1], prefix + name
    for name, (factor, dimension) in units._OTHERS.items():
        assert units._from_pint(name) == (pytest.approx(factor), dimension)
