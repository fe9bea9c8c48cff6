"""Formulas of a run's quantities against frequency, in the expression language of the model:
``db20(s11)``, ``gain(30 deg, 0)/directivity``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol, cast

import numpy as np
import xarray as xr
from lark import Token, Tree
from numpy.typing import NDArray

from heron.errors import QuantityError
from heron.quantities import Quantity
from heron.quantities.expressions import CONSTANTS, FREQUENCY, FUNCTIONS, Evaluator, parse
from heron.quantities.units import NONE, Dimension, describe, si_symbol
from heron.results import patterns, ports, scattering
from heron.results.polarisation import ellipse
from heron.results.power import Budget, budget

Floats = NDArray[np.float64]
Values = NDArray[Any]

SECOND: Dimension = (0.0, 0.0, 1.0, 0.0, 0.0)
OHM: Dimension = (2.0, 1.0, -3.0, -2.0, 0.0)
SIEMENS: Dimension = (-2.0, -1.0, 3.0, 2.0, 0.0)

_PORTS = re.compile(r"^(s)(\d)(\d)$|^(s)(\d+)_(\d+)$|^(z|y|vswr|return_loss)(\d*)$")
_ERROR = re.compile(r"^error_s(\d)(\d)$|^error_s(\d+)_(\d+)$")
_RECEIVED = re.compile(r"received(\d*)_section$")
AREA: Dimension = (2.0, 0.0, 0.0, 0.0, 0.0)
SECTIONS = ("scattered", "absorbed", "extinction", "scattered_below")
CELL_NAMES = ["reflectance", "transmittance", "absorptance", "reflection", "transmission"]
LIT_NAMES = ["f", "rcs", *(f"{s}_section" for s in (*SECTIONS, "received"))]
SHARES = {
    "radiated": "radiated",
    "conductor_loss": "conductor",
    "dielectric_loss": "dielectric",
    "load_loss": "loads",
    "accepted": "accepted",
}
GAINS = ("directivity", "gain", "realized_gain")
NAMES = [
    "f",
    "s11",
    "z1",
    "y1",
    "vswr1",
    "return_loss1",
    *SHARES,
    "mismatch",
    "radiation_efficiency",
    "total_efficiency",
    *GAINS,
    "peak_theta",
    "peak_phi",
]
"""Names that a formula may use besides parameters; numbers of ports may differ."""

_REAL: dict[str, Callable[..., Any]] = {
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "asin": np.arcsin,
    "acos": np.arccos,
    "atan": np.arctan,
    "sinh": np.sinh,
    "cosh": np.cosh,
    "tanh": np.tanh,
    "exp": np.exp,
    "ln": np.log,
    "log": np.log,
    "log10": np.log10,
    "log2": np.log2,
    "deg": np.degrees,
    "rad": np.radians,
    "floor": np.floor,
    "ceil": np.ceil,
    "round": np.round,
}
_KEEPS: dict[str, Callable[..., Any]] = {
    "abs": np.abs,
    "re": np.real,
    "im": np.imag,
    "conj": np.conj,
    "mean": np.nanmean,
}
_CURVE_FUNCTIONS = ["db10", "db20", "arg", "unwrap", "delay", *_KEEPS, "axial_ratio", "rcs", *GAINS]


class Source(Protocol):
    """Where a formula finds its names: a run, or a curve from elsewhere."""

    frequency: Floats

    def find(self, name: str) -> Quantity | None: ...
    def towards(self, name: str, theta: float, phi: float) -> Quantity: ...


@dataclass(frozen=True)
class Curve:
    """Values (f,), real or complex, in the SI unit ``unit``; NaN where there is none."""

    values: Values
    unit: str


class Quantities:
    """The named quantities of a run: arrays (f,) over its frequencies, and its parameters.

    :param far: figures of the far field as in ``summary.json``, if they are there already.
    """

    def __init__(
        self,
        results: xr.Dataset,
        parameters: Mapping[str, Quantity] | None = None,
        far: Sequence[Mapping[str, Any]] | None = None,
    ) -> None:
        self.results, self.parameters, self._far = results, parameters or {}, far
        self.frequency: Floats = results["frequency"].values

    @cached_property
    def powers(self) -> Budget:
        return budget(self.results)

    @cached_property
    def far(self) -> list[tuple[int, Mapping[str, Any]]]:
        """Figures of the far field with their places in the sweep."""
        known = (
            self._far
            if self._far is not None
            else [
                patterns.as_dict(patterns.figures(self.results, i, self.powers))
                for i in range(len(self.frequency))
            ]
        )
        return [(patterns.nearest_index(self.results, f["frequency_hz"]), f) for f in known]

    def find(self, name: str) -> Quantity | None:
        """A quantity by its name, ``None`` if there is none of it.

        :raises QuantityError: a port that the run has not.
        """
        if name in ("f", "frequency"):
            return _quantity(self.frequency, FREQUENCY)
        found, of_waves = (
            _PORTS.match(name),
            name == "rcs"
            or name.removesuffix("_section") in SECTIONS
            or _RECEIVED.match(name) is not None,
        )
        if scattering.repeated(self.results):
            if name in CELL_NAMES:
                return _quantity(getattr(scattering.shares(self.results), name))
            if found or of_waves or name in NAMES:
                self._missing(name, "of cells that are repeated", ["f", *CELL_NAMES])
            return self.parameters.get(name)
        if scattering.lit(self.results):
            if not of_waves and (found or name in NAMES):
                self._missing(name, "lit", LIT_NAMES)
            return self._of_light(name) if of_waves else self.parameters.get(name)
        if of_waves:
            self._missing(name, "driven", NAMES)
        if found:
            return self._of_ports([g for g in found.groups() if g is not None])
        if name in GAINS:
            return _quantity(self._spread(name + "_dbi", lambda v: 10 ** (v / 10)))
        if name in ("peak_theta", "peak_phi"):
            return _quantity(self._spread(name + "_deg", np.radians))
        p = self.powers
        wrong = _ERROR.match(name)
        if wrong and "s_error" in self.results:
            numbers = [int(p) for p in self.results["port"].values]
            to, by = (int(g) for g in wrong.groups() if g)
            if to in numbers and by in numbers:
                return _quantity(
                    self.results["s_error"].values[:, numbers.index(to), numbers.index(by)]
                )
        if name == "mismatch":
            return _quantity(1 - p.accepted / p.available)
        if name in SHARES:
            return _quantity(getattr(p, SHARES[name]) / p.available)
        if name in ("radiation_efficiency", "total_efficiency"):
            return _quantity(getattr(p, name))
        return self.parameters.get(name)

    @staticmethod
    def _missing(name: str, kind: str, names: Sequence[str]) -> None:
        raise QuantityError(f"this run is {kind} and has no {name}; it has {', '.join(names)}")

    @cached_property
    def sections(self) -> scattering.CrossSections:
        return scattering.cross_sections(self.results)

    def _of_light(self, name: str) -> Quantity:
        """Of the first illumination alone, m²."""
        at_port = _RECEIVED.match(name)
        if at_port:
            known = [int(p) for p in self.results["port"].values]
            wanted = int(at_port.group(1)) if at_port.group(1) else (known or [0])[0]
            if wanted not in known:
                raise QuantityError(
                    f"this run has no port {wanted or 'that receives'}; it has"
                    f" {', '.join(map(str, known)) or 'none'}"
                )
            return _quantity(scattering.received(self.results)[:, known.index(wanted)], AREA)
        values = (
            scattering.monostatic(self.results)
            if name == "rcs"
            else getattr(self.sections, name.removesuffix("_section"))
        )
        return _quantity(values, AREA)

    def _spread(self, key: str, change: Callable[[Any], Any]) -> Floats:
        out = np.full(len(self.frequency), np.nan)
        for i, f in self.far:
            out[i] = np.nan if f[key] is None else change(f[key])
        return out

    def _of_ports(self, groups: list[str]) -> Quantity:
        kind, *numbers = groups
        known = [int(p) for p in self.results["port"].values]
        wanted = [int(n) if n else known[0] for n in numbers]
        for n in wanted:
            if n not in known:
                raise QuantityError(
                    f"this run has no port {n}; it has {', '.join(map(str, known))}"
                )
        at = [known.index(n) for n in wanted]
        s = self.results["s"].values
        if kind == "s":
            return _quantity(s[:, at[0], at[1]])
        own = s[:, at[0], at[0]]
        if kind in ("z", "y"):
            z = ports.impedances(self.results)[:, at[0]]
            return _quantity(z, OHM) if kind == "z" else _quantity(1 / z, SIEMENS)
        return _quantity(ports.vswr(own)) if kind == "vswr" else _quantity(-ports.magnitude_db(own))

    def towards(self, name: str, theta: float, phi: float) -> Quantity:
        """Gains and axial ratio in a direction, in rad."""
        if scattering.repeated(self.results):
            self._missing(name, "of cells that are repeated", ["f", *CELL_NAMES])
        if name == "rcs" or scattering.lit(self.results):
            if name != "rcs" or not scattering.lit(self.results):
                self._missing(
                    name,
                    *(("lit", LIT_NAMES) if scattering.lit(self.results) else ("driven", NAMES)),
                )
            there = np.array([theta]), np.array([phi])
            return _quantity(
                np.array(
                    [
                        scattering.cross_section(self.results, i, *there)[0]
                        for i in range(len(self.frequency))
                    ]
                ),
                AREA,
            )
        out = np.full(len(self.frequency), np.nan)
        power = {
            "directivity": self.powers.radiated,
            "gain": self.powers.accepted,
            "realized_gain": self.powers.available,
        }.get(name)
        for i, _ in self.far:
            field = patterns.far_field(
                self.results, i, np.array([np.degrees(theta)]), np.array([np.degrees(phi)])
            )
            out[i] = (
                ellipse(field).axial_ratio[0]
                if power is None
                else 4 * np.pi * patterns.intensity(field)[0] / power[i]
            )
        return _quantity(out)

    def curve(self, formula: str) -> Curve:
        """The values of a formula over the run's frequencies.

        :raises QuantityError: it cannot be read or evaluated; says why.
        """
        return _evaluate(self, formula)


class Given:
    """Quantities of a curve from elsewhere over its own frequencies in Hz, by the names that
    formulas use; ``phased`` says which are known with their phase.
    """

    def __init__(
        self,
        frequency: Floats,
        named: Mapping[str, Values],
        phased: Mapping[str, bool],
        z0: float = 50.0,
    ) -> None:
        self.frequency, self.named, self.phased, self.z0 = frequency, named, phased, z0

    def find(self, name: str) -> Quantity | None:
        if name in ("f", "frequency"):
            return _quantity(self.frequency, FREQUENCY)
        if name in ("z", "y", "vswr", "return_loss"):
            name += "1"
        if name in self.named:
            return _quantity(self.named[name], OHM if name.startswith("z") else NONE)
        found = _PORTS.match(name)
        return (
            None if found is None else self._derived(*(g for g in found.groups() if g is not None))
        )

    def _derived(self, kind: str, *numbers: str) -> Quantity | None:
        """What follows from another quantity of one port."""
        own = f"s{numbers[0]}{numbers[0]}"
        z = self.named.get(f"z{numbers[0]}")
        gamma = self.named.get(own)
        if gamma is None and z is not None:
            gamma = (z - self.z0) / (z + self.z0)
        if gamma is None and f"vswr{numbers[0]}" in self.named:
            ratio = self.named[f"vswr{numbers[0]}"]
            gamma = (ratio - 1) / (ratio + 1)
        if gamma is None and f"return_loss{numbers[0]}" in self.named:
            gamma = 10 ** (-np.abs(self.named[f"return_loss{numbers[0]}"]) / 20)
        if gamma is None or (kind == "s" and numbers[0] != numbers[1]):
            return None
        match kind:
            case "s":
                return _quantity(gamma)
            case "vswr":
                return _quantity(ports.vswr(gamma))
            case "return_loss":
                return _quantity(-ports.magnitude_db(gamma))
        if not self.phased.get(own, z is not None):
            raise QuantityError(
                f"only the magnitude of {own} is known here; impedance needs its phase"
            )
        z = self.z0 * (1 + gamma) / (1 - gamma) if z is None else z
        return _quantity(z, OHM) if kind == "z" else _quantity(1 / z, SIEMENS)

    def towards(self, name: str, theta: float, phi: float) -> Quantity:
        """The quantity itself: a curve from elsewhere says its direction in its name."""
        found = self.find(name)
        if found is None:
            raise QuantityError(f"there is no {name} in this curve")
        return found

    def curve(self, formula: str) -> Curve:
        """The values of a formula over the curve's frequencies.

        :raises QuantityError: it cannot be read, or the curve has not what it needs.
        """
        return _evaluate(self, formula)


def _evaluate(source: Source, formula: str) -> Curve:
    with np.errstate(all="ignore"):
        found = _Formula(source).visit(parse(formula))
    values = np.broadcast_to(np.asarray(found.value), source.frequency.shape)
    return Curve(np.where(np.isfinite(values), values, np.nan), si_symbol(found.dimension))


def _quantity(values: Values, dimension: Dimension = NONE) -> Quantity:
    return Quantity(cast(float, values), dimension)


class _Formula(Evaluator):
    """The evaluator of the model's expressions, over arrays and complex numbers."""

    def __init__(self, quantities: Source) -> None:
        super().__init__({})
        self.quantities = quantities

    def name(self, token: Token) -> Quantity:
        text = str(token)
        found = self.quantities.find(text) or CONSTANTS.get(text)
        if found is None:
            raise QuantityError(
                f"“{text}” is neither a quantity of a run nor a parameter; there are"
                f" {', '.join(NAMES)}"
            )
        return found

    def _unit_operand(self, left: Any, right: Any) -> Quantity | None:
        if (
            isinstance(right, Tree)
            and right.data == "name"
            and self.quantities.find(str(right.children[0])) is not None
        ):
            return None
        return super()._unit_operand(left, right)

    def pow(self, base: Tree[Token], exponent: Tree[Token]) -> Quantity:
        b, e = self.visit(base), self.visit(exponent)
        if e.dimension != NONE or (np.ndim(e.value) and b.dimension != NONE):
            raise QuantityError("an exponent must be a plain number")
        dimension = (
            b.dimension
            if b.dimension == NONE
            else cast(Dimension, tuple(x * e.value for x in b.dimension))
        )
        return _quantity(np.power(np.asarray(b.value), e.value), dimension)

    def _call(self, name: str, args: list[Quantity]) -> Quantity:
        values = [np.asarray(a.value) for a in args]
        if name in (*GAINS, "axial_ratio", "rcs") and len(args) == 2:
            if any(np.ndim(v) or a.dimension != NONE for v, a in zip(values, args, strict=True)):
                raise QuantityError(f"{name}(θ, φ) takes two angles, such as 30 deg")
            return self.quantities.towards(name, float(values[0]), float(values[1]))
        if name in ("min", "max") and len(args) == 1:
            return _quantity(
                (np.nanmin if name == "min" else np.nanmax)(_real(name, values[0])),
                args[0].dimension,
            )
        if name in ("min", "max", "hypot", "mod", "atan2"):
            return self._joint(name, args)
        if name not in (
            *_REAL,
            *_KEEPS,
            "db10",
            "db20",
            "arg",
            "unwrap",
            "delay",
            "sqrt",
            "cbrt",
            "sign",
        ):
            raise QuantityError(
                f"there is no function “{name}”; there are"
                f" {', '.join(sorted({*FUNCTIONS, *_CURVE_FUNCTIONS}))}"
            )
        if len(args) != 1:
            raise TypeError
        return self._single(name, values[0], args[0].dimension)

    def _joint(self, name: str, args: list[Quantity]) -> Quantity:
        dimension = args[0].dimension
        if any(a.dimension != dimension for a in args):
            raise QuantityError(
                f"{' and '.join(describe(a.dimension) for a in args)} cannot go into {name}()"
            )
        if len(args) < 2:
            raise TypeError
        function = {
            "min": np.fmin,
            "max": np.fmax,
            "hypot": np.hypot,
            "mod": np.fmod,
            "atan2": np.arctan2,
        }[name]
        value = _real(name, np.asarray(args[0].value))
        for a in args[1:]:
            value = function(value, _real(name, np.asarray(a.value)))
        return _quantity(value, NONE if name == "atan2" else dimension)

    def _single(self, name: str, v: Values, dimension: Dimension) -> Quantity:
        if name in _KEEPS:
            return _quantity(_KEEPS[name](v), dimension)
        if name in ("sqrt", "cbrt"):
            power = 0.5 if name == "sqrt" else 1 / 3
            return _quantity(
                np.power(v, power), cast(Dimension, tuple(x * power for x in dimension))
            )
        if name == "sign":
            return _quantity(np.sign(_real(name, v)))
        if name == "arg":
            return _quantity(np.angle(v))
        if name in ("unwrap", "delay"):
            phase = ports.unwrapped(np.broadcast_to(v, self.quantities.frequency.shape))
            return (
                _quantity(phase)
                if name == "unwrap"
                else _quantity(ports.group_delay(self.quantities.frequency, phase), SECOND)
            )
        if dimension != NONE:
            raise QuantityError(f"{name}() takes a plain number, not {describe(dimension)}")
        if name in ("db10", "db20"):
            # areas of small bodies are far below a square metre
            factor, least = (10, 1e-30) if name == "db10" else (20, 1e-10)
            return _quantity(factor * np.log10(np.maximum(np.abs(v), least)))
        return _quantity(_REAL[name](v if name == "exp" else _real(name, v)))


def _real(name: str, v: Values) -> Values:
    if np.iscomplexobj(v):
        raise QuantityError(
            f"{name}() takes real values; put abs(), re(), im() or arg() round the complex one"
        )
    return v
