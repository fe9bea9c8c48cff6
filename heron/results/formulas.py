"""Formulas of a run's quantities against frequency, in the expression language of the model:
``db20(s11)``, ``gain(30 deg, 0)/directivity``.
"""

from __future__ import annotations

import io
import json
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
from heron.results import cross_sections, patterns, ports
from heron.results.capabilities import CAPABILITIES, Capability, directional, provided
from heron.results.capabilities.ports import PORT_QUANTITY
from heron.results.origin import frames_of
from heron.results.power import Budget, budget
from heron.results.quantity import OHM, SECOND, SIEMENS, quantity
from heron.results.sphere import directions

Floats = NDArray[np.float64]
Values = NDArray[Any]

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
_CURVE_FUNCTIONS = ["db10", "db20", "arg", "unwrap", "delay", *_KEEPS]


class Source(Protocol):
    """Where a formula finds its names: a run, or a reference curve."""

    frequency: Floats

    def names(self) -> list[str]: ...
    def find(self, name: str) -> Quantity | None: ...
    def towards(self, name: str, theta: float, phi: float, frame: str = "") -> Quantity: ...


class Curves(Protocol):
    """What formulas of one run can be asked of."""

    @property
    def frequency(self) -> Floats: ...
    def curve(self, formula: str) -> Curve: ...


@dataclass(frozen=True)
class Curve:
    """Values (f,), real or complex, in the SI unit ``unit``, or "dB"; NaN where there is none."""

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
                patterns.as_dict(f)
                for f in patterns.figures(self.results, range(len(self.frequency)))
            ]
        )
        return [(patterns.nearest_index(self.results, f["frequency_hz"]), f) for f in known]

    @cached_property
    def sections(self) -> cross_sections.CrossSections:
        """Of the first illumination alone."""
        return cross_sections.cross_sections(self.results)

    @cached_property
    def capabilities(self) -> list[Capability]:
        return provided(self.results)

    def names(self) -> list[str]:
        """What a formula may use besides parameters; numbers of ports may differ."""
        return ["f", *(name for c in self.capabilities for name in c.names())]

    def find(self, name: str) -> Quantity | None:
        """A quantity by its name, ``None`` if there is none of it.

        :raises QuantityError: one that other runs have, or a port that this one has not.
        """
        if name in ("f", "frequency"):
            return quantity(self.frequency, FREQUENCY)
        for capability in self.capabilities:
            found = capability.find(self, name)
            if found is not None:
                return found
        if name in self.parameters:
            return self.parameters[name]
        if any(c.knows(name) for c in CAPABILITIES.values()):
            raise self._missing(name)
        return None

    def _missing(self, name: str) -> QuantityError:
        return QuantityError(f"this run has no {name}; it has {', '.join(self.names())}")

    def towards(self, name: str, theta: float, phi: float, frame: str = "") -> Quantity:
        """A quantity in a direction, in rad, as seen from a frame's axes or the world's.

        :raises QuantityError: this run has none of it, or no such frame.
        """
        if frame:
            theta, phi = self._turned(theta, phi, frame)
        for capability in self.capabilities:
            found = capability.towards(self, name, theta, phi)
            if found is not None:
                return found
        raise self._missing(name)

    def _turned(self, theta: float, phi: float, frame: str) -> tuple[float, float]:
        """A direction of a frame in the world."""
        known = frames_of(self.results)
        if frame not in known:
            listed = ", ".join(known) or "none"
            raise QuantityError(f"this run has no frame “{frame}”; it has {listed}")
        x, y, z = known[frame] @ directions(np.array(theta), np.array(phi))
        return float(np.arctan2(np.hypot(x, y), z)), float(np.arctan2(y, x))

    def curve(self, formula: str) -> Curve:
        """The values of a formula over the run's frequencies.

        :raises QuantityError: it cannot be read or evaluated; says why.
        """
        return _evaluate(self, formula)


class Given:
    """Quantities of a reference curve over its own frequencies in Hz, by the names that
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

    def names(self) -> list[str]:
        return ["f", *self.named]

    def find(self, name: str) -> Quantity | None:
        if name in ("f", "frequency"):
            return quantity(self.frequency, FREQUENCY)
        if name in ("z", "y", "vswr", "return_loss"):
            name += "1"
        if name in self.named:
            return quantity(self.named[name], OHM if name.startswith("z") else NONE)
        found = PORT_QUANTITY.match(name)
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
                return quantity(gamma)
            case "vswr":
                return quantity(ports.vswr(gamma))
            case "return_loss":
                return quantity(-ports.magnitude_db(gamma))
        if not self.phased.get(own, z is not None):
            raise QuantityError(
                f"only the magnitude of {own} is known here; impedance needs its phase"
            )
        z = self.z0 * (1 + gamma) / (1 - gamma) if z is None else z
        return quantity(z, OHM) if kind == "z" else quantity(1 / z, SIEMENS)

    def towards(self, name: str, theta: float, phi: float, frame: str = "") -> Quantity:
        """The quantity itself: a reference curve says its direction in its name."""
        found = self.find(name)
        if found is None:
            raise QuantityError(f"there is no {name} in this curve")
        return found

    def curve(self, formula: str) -> Curve:
        """The values of a formula over the curve's frequencies.

        :raises QuantityError: it cannot be read, or the curve has not what it needs.
        """
        return _evaluate(self, formula)


MOST_KEPT = 80  # names: runs of many ports have more, which are asked of the run


class Kept:
    """Quantities of a run as they were kept beside it, which are at hand without its dataset. What
    takes a direction, or has no such name, is asked of the ``whole`` run.
    """

    def __init__(self, data: bytes, whole: Callable[[], Quantities]) -> None:
        """:param data: what :func:`kept` made."""
        with np.load(io.BytesIO(data)) as arrays:
            self.frequency: Floats = arrays["frequency"]
            dimensions = json.loads(str(arrays["dimensions"]))
            self.named = {
                name: quantity(arrays[f"q_{name}"], tuple(own)) for name, own in dimensions.items()
            }
        self.whole = whole

    def names(self) -> list[str]:
        return self.whole().names()

    def find(self, name: str) -> Quantity | None:
        if name in ("f", "frequency"):
            return quantity(self.frequency, FREQUENCY)
        if name in self.named:
            return self.named[name]
        # a unit, which no run has, is not worth the dataset
        known = any(c.knows(name) for c in CAPABILITIES.values())
        return self.whole().find(name) if known else None

    def towards(self, name: str, theta: float, phi: float, frame: str = "") -> Quantity:
        return self.whole().towards(name, theta, phi, frame)

    def curve(self, formula: str) -> Curve:
        """The values of a formula over the run's frequencies.

        :raises QuantityError: it cannot be read or evaluated; says why.
        """
        return _evaluate(self, formula)


def kept(quantities: Quantities) -> bytes:
    """Frequencies, named quantities and parameters of a run, compressed."""
    named = dict(quantities.parameters)
    for name in quantities.names()[1 : 1 + MOST_KEPT]:
        try:
            found = quantities.find(name)
        except QuantityError:
            continue
        if found is not None:
            named[name] = found
    dimensions = {name: list(q.dimension) for name, q in named.items()}
    out = io.BytesIO()
    arrays: dict[str, Any] = {f"q_{name}": np.asarray(q.value) for name, q in named.items()}
    arrays |= {"frequency": quantities.frequency, "dimensions": json.dumps(dimensions)}
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def _evaluate(source: Source, formula: str) -> Curve:
    tree = parse(formula)
    with np.errstate(all="ignore"):
        found = _Formula(source).visit(tree)
    values = np.broadcast_to(np.asarray(found.value), source.frequency.shape)
    unit = si_symbol(found.dimension) or ("dB" if _in_decibels(tree) else "")
    return Curve(np.where(np.isfinite(values), values, np.nan), unit)


def _in_decibels(tree: Any) -> bool:
    """Whether a formula of plain numbers comes to a level: what it adds, negates or chooses from
    is one.
    """
    if not isinstance(tree, Tree):
        return False
    if tree.data == "call":
        function, *arguments = tree.children
        if str(function) in ("min", "max", "mean"):
            return any(_in_decibels(a) for a in arguments)
        return str(function) in ("db10", "db20")
    return tree.data in ("add", "sub", "neg") and any(_in_decibels(a) for a in tree.children)


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
                f" {', '.join(self.quantities.names())}"
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
        return quantity(np.power(np.asarray(b.value), e.value), dimension)

    def call(self, function: Token, *arguments: Tree[Token]) -> Quantity:
        name, last = str(function), arguments[-1] if arguments else None
        if name not in directional() or len(arguments) not in (2, 3):
            return super().call(function, *arguments)
        frame = ""
        if len(arguments) == 3:
            if not isinstance(last, Tree) or last.data != "name":
                raise QuantityError(f"what follows the angles of {name}(θ, φ, …) is a frame's name")
            frame = str(last.children[0])
        angles = [self.visit(a) for a in arguments[:2]]
        if any(np.ndim(a.value) or a.dimension != NONE for a in angles):
            raise QuantityError(f"{name}(θ, φ) takes two angles, such as 30 deg")
        theta, phi = (float(a.value) for a in angles)
        return self.quantities.towards(name, theta, phi, frame)

    def _call(self, name: str, args: list[Quantity]) -> Quantity:
        values = [np.asarray(a.value) for a in args]
        if name in ("min", "max") and len(args) == 1:
            return quantity(
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
                f" {', '.join(sorted({*FUNCTIONS, *_CURVE_FUNCTIONS, *directional()}))}"
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
        return quantity(value, NONE if name == "atan2" else dimension)

    def _single(self, name: str, v: Values, dimension: Dimension) -> Quantity:
        if name in _KEEPS:
            return quantity(_KEEPS[name](v), dimension)
        if name in ("sqrt", "cbrt"):
            power = 0.5 if name == "sqrt" else 1 / 3
            return quantity(
                np.power(v, power), cast(Dimension, tuple(x * power for x in dimension))
            )
        if name == "sign":
            return quantity(np.sign(_real(name, v)))
        if name == "arg":
            return quantity(np.angle(v))
        if name in ("unwrap", "delay"):
            phase = ports.unwrapped(np.broadcast_to(v, self.quantities.frequency.shape))
            return (
                quantity(phase)
                if name == "unwrap"
                else quantity(ports.group_delay(self.quantities.frequency, phase), SECOND)
            )
        if dimension != NONE:
            raise QuantityError(f"{name}() takes a plain number, not {describe(dimension)}")
        if name in ("db10", "db20"):
            # areas of small bodies are far below a square metre
            factor, least = (10, 1e-30) if name == "db10" else (20, 1e-10)
            return quantity(factor * np.log10(np.maximum(np.abs(v), least)))
        return quantity(_REAL[name](v if name == "exp" else _real(name, v)))


def _real(name: str, v: Values) -> Values:
    if np.iscomplexobj(v):
        raise QuantityError(
            f"{name}() takes real values; put abs(), re(), im() or arg() round the complex one"
        )
    return v
