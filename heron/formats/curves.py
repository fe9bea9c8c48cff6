"""Reference curves: columns of numbers, pasted or from a file, and Touchstone; what they are
is recognised and can be corrected.
"""

from __future__ import annotations

import io
import re
import warnings
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.errors import HeronError

Floats = NDArray[np.float64]

MOST_BYTES, MOST_ROWS, MOST_COLUMNS = 5_000_000, 200_000, 40
X_UNITS = {"Hz": 1.0, "kHz": 1e3, "MHz": 1e6, "GHz": 1e9, "THz": 1e12, "deg": 1.0}
FORMS = ("db20", "db10", "magnitude", "re", "im", "deg", "percent", "value")
"""How a column states its quantity: dB of an amplitude or of a power, a ratio, parts of a complex
number, a phase, percent, or its SI value."""

_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eEdD][+-]?\d+)?$")
_X = re.compile(r"freq|^f\b|^f[/_(\[ ]|^f$|hz\b|wavelength|lambda", re.I)
_ANGLE = re.compile(r"theta|phi|angle|azimuth|elevation|θ|φ|°", re.I)
_MEANINGS: list[tuple[str, str, str]] = [
    (r"\bs\W*(\d)\W*[_,]?\W*(\d)", "s{0}{1}", ""),
    (r"\bgamma|reflection coeff|Γ", "s11", ""),
    (r"return.?loss|\brl\b", "return_loss1", "value"),
    (r"vswr|swr", "vswr1", "value"),
    (r"\bz(in|\d*)\b|impedance|\b(resistance|reactance)\b|\br(in)?\b|\bx(in)?\b", "z1", "value"),
    (r"realized.?gain|realised.?gain", "realized_gain", "db10"),
    (r"directivity", "directivity", "db10"),
    (r"\bgain", "gain", "db10"),
    (r"rad\w*.?eff", "radiation_efficiency", "magnitude"),
    (r"eff", "total_efficiency", "magnitude"),
]
QUANTITIES = [
    "s11",
    "s21",
    "s12",
    "s22",
    "return_loss1",
    "vswr1",
    "z1",
    "realized_gain",
    "gain",
    "directivity",
    "radiation_efficiency",
    "total_efficiency",
]


@dataclass(frozen=True)
class Column:
    """What a column of numbers is: its heading, the quantity by the name formulas use, and in which
    form. Empty quantity: left out.
    """

    heading: str
    quantity: str
    form: str
    guessed: bool = True


@dataclass(frozen=True)
class Table:
    """Columns as read: ``x`` (n,) in ``x_unit`` and ``values`` (n, c) as they stand; ``notes`` say
    what was assumed.
    """

    x: Floats
    x_unit: str
    x_guessed: bool
    columns: list[Column]
    values: Floats
    notes: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Reference:
    """Named quantities over an abscissa: ``axis`` "frequency" with ``x`` (n,) in Hz, or "angle" in
    degrees. Linear and complex; S without phase is its magnitude.
    """

    axis: str
    x: Floats
    named: dict[str, NDArray[Any]]
    phased: dict[str, bool]

    def level(self, quantity: str) -> Floats:
        """A quantity that is a power, such as gain, in dB."""
        return np.asarray(10 * np.log10(np.maximum(np.abs(self.named[quantity]), 1e-10)))


def read(text: str, name: str = "") -> Table:
    """Reads columns or Touchstone, told by the name's ending or an option line.

    :raises HeronError: nothing that can be read; says where.
    """
    if len(text.encode(errors="replace")) > MOST_BYTES:
        raise HeronError(f"the text is larger than {MOST_BYTES // 1_000_000} MB")
    if re.search(r"\.s\d+p$", name, re.I) or re.search(
        r"^\s*#\s*(?:[kmg]?hz\b|s\b).*", text, re.I | re.M
    ):
        return _touchstone(text, name)
    return _columns(text)


def _touchstone(text: str, name: str) -> Table:
    import skrf  # heavy; only this needs it

    source = io.StringIO(text)
    ending = re.search(r"\.(s\d+p)$", name, re.I)
    if not ending:
        raise HeronError(
            "this looks like Touchstone; name it with its number of ports, such as curve.s1p"
        )
    source.name = f"reference.{ending.group(1).lower()}"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            network = skrf.Network(source)
        f, s = np.asarray(network.f, dtype=float), np.asarray(network.s, dtype=complex)
    except Exception as error:  # the library raises whatever its own parsing meets
        raise HeronError(f"{name or 'the text'} cannot be read as Touchstone: {error}") from error
    if not len(f):
        raise HeronError(f"{name} holds no frequencies")
    count = s.shape[1]
    columns, values = [], []
    for i in range(count):
        for j in range(count):
            label = f"s{i + 1}{j + 1}" if count < 10 else f"s{i + 1}_{j + 1}"
            for form, part in (("re", s[:, i, j].real), ("im", s[:, i, j].imag)):
                columns.append(Column(f"{label.upper()} {form}", label, form, False))
                values.append(part)
    return Table(
        f,
        "Hz",
        False,
        columns,
        np.column_stack(values),
        [
            f"Touchstone of {count} port{'s' if count > 1 else ''},"
            f" {float(np.real(network.z0[0, 0])):g} Ω"
        ],
    )


def _columns(text: str) -> Table:
    lines = [(n, line.strip()) for n, line in enumerate(text.splitlines(), 1)]
    lines = [(n, line) for n, line in lines if line and not re.fullmatch(r"[#!%;]+", line)]
    first = next((k for k, (_, line) in enumerate(lines) if _is_data(line)), None)
    if first is None:
        raise HeronError(
            "there are no columns of numbers here; each line needs a frequency and at least one"
            " value"
        )
    notes: list[str] = []
    rows, count = [], 0
    for n, line in lines[first:]:
        if line[0] in "#!%":
            continue
        cells = _cells(line)
        if not all(_NUMBER.match(c) for c in cells):
            raise HeronError(
                f"line {n}: “{next(c for c in cells if not _NUMBER.match(c))[:40]}” is not a number"
            )
        count = count or len(cells)
        if len(cells) != count:
            raise HeronError(f"line {n} has {len(cells)} columns, the lines before it {count}")
        rows.append([float(re.sub("[dD]", "e", c).replace(",", ".")) for c in cells])
        if len(rows) > MOST_ROWS:
            raise HeronError(f"there are more than {MOST_ROWS} lines")
    if not 2 <= count <= MOST_COLUMNS:
        raise HeronError(
            f"there {'is one column' if count == 1 else f'are {count} columns'}; between 2 and"
            f" {MOST_COLUMNS} can be read: the first is the frequency"
        )
    data = np.array(rows)
    if not np.isfinite(data).all():
        raise HeronError("a number is too large to be read")
    headings = _headings(lines[:first], count)
    x_unit, x_guessed = _x_unit(headings[0], data[:, 0])
    if x_guessed:
        notes.append(f"the first column's unit is not stated; taken as {x_unit}")
    columns = [_column(h, data[:, k + 1]) for k, h in enumerate(headings[1:])]
    if (
        len(columns) > 1
        and not headings[2]
        and columns[0].quantity.startswith("s")
        and np.abs(data[:, 2]).max() <= 360
    ):
        columns[1] = Column("", columns[0].quantity, "deg")
    columns = [replace(c, form=_paired(columns, k)) for k, c in enumerate(columns)]
    return Table(data[:, 0], x_unit, x_guessed, columns, data[:, 1:], notes)


def _cells(line: str) -> list[str]:
    for mark in (";", "\t"):
        if mark in line:
            return [c.strip() for c in line.strip(mark).split(mark)]
    if "," in line and not re.search(r"\d,\d+\s+[-+\d]", line):
        return [c.strip() for c in line.rstrip(",").split(",")]
    return line.split()


def _is_data(line: str) -> bool:
    return line[0] not in "#!%" and all(_NUMBER.match(c) for c in _cells(line))


def _headings(lines: list[tuple[int, str]], count: int) -> list[str]:
    for _, line in reversed(lines):
        cells = [c.strip().strip('"') for c in _cells(line.lstrip("#!% "))]
        if len(cells) == count:
            return cells
    return [""] * count


def _x_unit(heading: str, x: Floats) -> tuple[str, bool]:
    for symbol in ("THz", "GHz", "MHz", "kHz", "Hz"):
        if re.search(rf"(^|[^a-z]){symbol}($|[^a-z])", heading, re.I):
            return symbol, False
    if _ANGLE.search(heading) or re.search(r"\bdeg", heading, re.I):
        return "deg", not re.search(r"deg|°", heading, re.I)
    top = float(np.abs(x).max())
    if not _X.search(heading) and x.min() < 0:
        return "deg", True
    return ("GHz" if top < 300 else "MHz" if top < 3e5 else "Hz"), True


def _column(heading: str, values: Floats) -> Column:
    for pattern, quantity, form in _MEANINGS:
        found = re.search(pattern, heading.replace("_", " "), re.I)
        if found:
            return Column(
                heading,
                quantity.format(*(g for g in found.groups() if g is not None)),
                _form(heading, form, values),
                False,
            )
    if heading and not re.search(r"db|magn|ampl|level|^y$", heading, re.I):
        return Column(heading, "", "value")
    if re.search(r"dbi", heading, re.I):
        return Column(heading, "realized_gain", "db10")
    if values.min() >= 1 and not re.search("db", heading, re.I):
        return Column(heading, "vswr1", "value")
    return Column(
        heading,
        "s11",
        "db20" if values.min() < 0 or re.search("db", heading, re.I) else "magnitude",
    )


def _form(heading: str, default: str, values: Floats) -> str:
    if re.search(r"\bdbi?\b|_dbi?\b|dbi?$", heading, re.I):
        return (
            "value"
            if default == "value"
            else default
            if default.startswith("db")
            else "db10"
            if default
            else "db20"
        )
    if "%" in heading or re.search("percent|pct", heading, re.I):
        return "percent"
    if re.search(r"\b(re|real|r|rin|resistance)\b|_re\b|_re_", heading, re.I):
        return "re"
    if re.search(r"\b(im|imag\w*|x|xin|reactance)\b|_im\b|_im_", heading, re.I):
        return "im"
    if re.search(r"phase|arg|\bang|deg|°", heading, re.I):
        return "deg"
    if default == "db10":
        return default
    if default:
        return "percent" if default == "magnitude" and values.max() > 1.5 else default
    return "db20" if values.min() < 0 else "magnitude"


def _paired(columns: list[Column], k: int) -> str:
    """S as two unlabelled columns beside a phase keeps its form; a real part without an imaginary
    one is the value.
    """
    own = columns[k]
    others = {c.form for c in columns if c.quantity == own.quantity}
    return "value" if own.form == "re" and "im" not in others else own.form


def reference(
    table: Table, x_unit: str | None = None, columns: Sequence[Column] | None = None
) -> Reference:
    """The named quantities of a table, with what its reader corrected.

    :raises HeronError: an unknown unit or form, two columns for the same thing, no column used, an
        abscissa that repeats.
    """
    x_unit, columns = x_unit or table.x_unit, list(columns or table.columns)
    if x_unit not in X_UNITS:
        raise HeronError(f"the first column is in one of {', '.join(X_UNITS)}, not “{x_unit}”")
    if len(columns) != table.values.shape[1]:
        raise HeronError(
            f"there are {table.values.shape[1]} columns beside the first, not {len(columns)}"
        )
    order = np.argsort(table.x, kind="stable")
    x = table.x[order] * X_UNITS[x_unit]
    if len(x) < 2:
        raise HeronError("a curve needs at least two lines")
    if (np.diff(x) == 0).any():
        at = float(table.x[order][1:][np.diff(x) == 0][0])
        raise HeronError(f"the first column has {at:g} twice; a curve has one value at each place")
    named: dict[str, NDArray[Any]] = {}
    phased: dict[str, bool] = {}
    for quantity in dict.fromkeys(c.quantity for c in columns if c.quantity):
        own: dict[str, Floats] = {}
        for k, c in enumerate(columns):
            if c.quantity == quantity:
                if c.form not in FORMS:
                    raise HeronError(
                        f"“{c.form}” is no form of a column; there are {', '.join(FORMS)}"
                    )
                kind = c.form if c.form in ("re", "im", "deg") else "size"
                if kind in own:
                    raise HeronError(f"two columns are both {quantity} as {c.form}; leave one out")
                own[kind] = _linear(table.values[order, k], c.form)
        named[quantity], phased[quantity] = _joined(quantity, own)
    if not named:
        raise HeronError("no column is used; say what at least one of them is")
    return Reference("angle" if x_unit == "deg" else "frequency", x, named, phased)


def _linear(values: Floats, form: str) -> Floats:
    match form:
        case "db20":
            return np.asarray(10 ** (values / 20))
        case "db10":
            return np.asarray(10 ** (values / 10))
        case "percent":
            return values / 100
    return values


def _joined(quantity: str, own: dict[str, Floats]) -> tuple[NDArray[Any], bool]:
    if "re" in own and "im" in own:
        return own["re"] + 1j * own["im"], True
    if "size" in own and "deg" in own:
        return own["size"] * np.exp(1j * np.radians(own["deg"])), True
    if "size" in own and len(own) == 1:
        return own["size"], False
    raise HeronError(
        f"{quantity} has {' and '.join(sorted(own))} only; a real part needs an imaginary one, a"
        " phase a magnitude"
    )


def two_columns(text: str, name: str) -> tuple[Floats, Floats]:
    """The first two columns as they stand.

    :raises HeronError: the text holds no such thing.
    """
    table = _columns(text)
    if table.values.shape[1] < 1:
        raise HeronError(f"{name} needs two columns")
    return table.x, table.values[:, 0]
