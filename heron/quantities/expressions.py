"""The expression language: a grammar, a tree, and an evaluator that carries dimensions.

Names resolve first to parameters, then to constants. A unit follows a number ("12 mm",
"2 mm^2"); after such a literal a further unit may be multiplied or divided ("5.8e7 S/m")
unless a parameter has that name.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, cast

from lark import Lark, Token, Tree
from lark.exceptions import UnexpectedCharacters, UnexpectedEOF, UnexpectedInput, UnexpectedToken

from heron.errors import QuantityError
from heron.quantities.constants import C0, EPS0, ETA0, MU0
from heron.quantities.units import NONE, Dimension, describe, unit

LENGTH: Dimension = (1.0, 0.0, 0.0, 0.0, 0.0)
FREQUENCY: Dimension = (0.0, 0.0, -1.0, 0.0, 0.0)

_GRAMMAR = r"""
?start: sum
?sum: product
    | sum "+" product -> add
    | sum _MINUS product -> sub
?product: unary
    | product _TIMES unary -> mul
    | product _OVER unary -> div
?unary: power
    | _MINUS unary -> neg
    | "+" unary
?power: atom
    | atom _POW unary -> pow
?atom: NUMBER -> number
    | NUMBER NAME -> literal
    | NUMBER NAME _POW NUMBER -> literal_power
    | NAME -> name
    | NAME "(" sum ("," sum)* ")" -> call
    | "(" sum ")"
_TIMES: "*" | "×" | "·" | "⋅"
_OVER: "/" | "÷"
_MINUS: "-" | "−" | "–"
_POW: "^" | "**"
NUMBER: /(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?/
NAME: /[^\W\d][\w]*|[µμ°%Ω]\w*/
%ignore /\s+/
"""

MAX_LENGTH = 1000  # characters; longer input is refused before it is parsed
MAX_DEPTH = 200  # nesting levels of the tree; bounds the recursion of the evaluator


@dataclass(frozen=True)
class Quantity:
    """An SI value with the exponents of its dimension over (m, kg, s, A, K)."""

    value: float
    dimension: Dimension = NONE


def _c(value: float, *dimension: float) -> Quantity:
    return Quantity(value, cast(Dimension, dimension) if dimension else NONE)


CONSTANTS: dict[str, Quantity] = {
    "pi": _c(math.pi),
    "π": _c(math.pi),
    "c0": _c(C0, 1, 0, -1, 0, 0),
    "eps0": _c(EPS0, -3, -1, 4, 2, 0),
    "ε0": _c(EPS0, -3, -1, 4, 2, 0),
    "epsilon0": _c(EPS0, -3, -1, 4, 2, 0),
    "mu0": _c(MU0, 1, 1, -2, -2, 0),
    "μ0": _c(MU0, 1, 1, -2, -2, 0),
    "µ0": _c(MU0, 1, 1, -2, -2, 0),
    "eta0": _c(ETA0, 2, 1, -3, -2, 0),
    "η0": _c(ETA0, 2, 1, -3, -2, 0),
}

_PLAIN: dict[str, Callable[..., float]] = {
    "sin": math.sin,
    "cos": math.cos,
    "tan": math.tan,
    "asin": math.asin,
    "acos": math.acos,
    "atan": math.atan,
    "sinh": math.sinh,
    "cosh": math.cosh,
    "tanh": math.tanh,
    "exp": math.exp,
    "ln": math.log,
    "log": math.log,
    "log10": math.log10,
    "log2": math.log2,
    "deg": math.degrees,
    "rad": math.radians,
    "floor": math.floor,
    "ceil": math.ceil,
    "round": round,
}
_SAME: dict[str, Callable[..., float]] = {
    "min": min,
    "max": max,
    "hypot": math.hypot,
    "mod": math.fmod,
}
FUNCTIONS = sorted({*_PLAIN, *_SAME, "sqrt", "cbrt", "abs", "sign", "atan2"})


@lru_cache(maxsize=1)
def _parser() -> Lark:
    return Lark(_GRAMMAR, parser="lalr", propagate_positions=True)


@lru_cache(maxsize=4096)
def parse(text: str) -> Tree[Token]:
    """The tree of an expression. Raises :class:`QuantityError` naming the place of the fault."""
    if not text.strip():
        raise QuantityError("an expression is needed here, for example 12 mm")
    if len(text) > MAX_LENGTH:
        raise QuantityError(f"the expression has {len(text)} characters; the most is {MAX_LENGTH}")
    try:
        tree = _parser().parse(text)
    except UnexpectedEOF as error:
        raise QuantityError(f"“{text}” ends too early") from error
    except UnexpectedToken as error:
        if error.token.type == "$END":
            raise QuantityError(f"“{text}” ends too early") from error
        raise QuantityError(
            f"“{error.token}” is not expected at character {error.column} of “{text}”"
        ) from error
    except UnexpectedCharacters as error:
        raise QuantityError(
            f"“{error.char}” cannot be used at character {error.column} of “{text}”"
        ) from error
    except UnexpectedInput as error:
        raise QuantityError(f"“{text}” cannot be read") from error
    if _depth(tree) > MAX_DEPTH:
        raise QuantityError("the expression is nested too deeply")
    return tree


_NUMBER = re.compile(r"(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")
_NAMED = re.compile(r"[^\W\d]\w*|[µμ°%Ω]\w*")
_OPERATOR = re.compile(r"\*\*|[-+−–*×·⋅/÷^]")
# words of sentences that are also rare units (at, the technical atmosphere)
_WORDS = frozenset(
    ("at", "to", "by", "of", "on", "for", "from", "with", "and", "x", "turns", "points")
)
_POWER = re.compile(r"\s*(?:\^|\*\*)\s*(?=[\d.])")
_SPACE = re.compile(r"\s*")


def expression_end(text: str, at: int, products: bool = True) -> int:
    """Where the longest expression that begins at a place of a text ends; the place itself where
    none does. Without ``products``, "×" is not of it: it parts sizes.

    A name behind a number belongs to it only as a unit, so that words may follow.
    """
    end = at
    start = _space(text, at)
    while True:
        while start < len(text) and text[start] in "-−–+":
            start = _space(text, start + 1)
        start = _operand_end(text, start)
        if start < 0:
            return end
        end = start
        operator = _OPERATOR.match(text, _space(text, end))
        if operator is None or (not products and operator.group() == "×"):
            return end
        start = _space(text, operator.end())


def _space(text: str, at: int) -> int:
    found = _SPACE.match(text, at)
    return found.end() if found else at


def _operand_end(text: str, at: int) -> int:
    """Where a number with its unit, a name, a call or a bracket ends, −1 where there is none."""
    number = _NUMBER.match(text, at)
    if number:
        named = _NAMED.match(text, _space(text, number.end()))
        if named is None or named.group() in _WORDS or unit(named.group()) is None:
            return number.end()
        power = _POWER.match(text, named.end())
        exponent = _NUMBER.match(text, power.end()) if power else None
        return exponent.end() if exponent else named.end()
    named = _NAMED.match(text, at)
    if named:
        opening = _space(text, named.end())
        if named.group() in FUNCTIONS and text[opening : opening + 1] == "(":
            return _bracket_end(text, opening, commas=True)
        return named.end()
    return _bracket_end(text, at, commas=False) if text[at : at + 1] == "(" else -1


def _bracket_end(text: str, at: int, commas: bool) -> int:
    """Where the bracket at a place closes, if all within can be of an expression; −1 if not."""
    depth = 0
    for k in range(at, min(len(text), at + MAX_LENGTH)):
        depth += (text[k] == "(") - (text[k] == ")")
        if depth == 0:
            return k + 1
        if text[k] in ';:"' or (text[k] == "," and not commas and depth == 1):
            return -1
    return -1


def _depth(tree: Tree[Token]) -> int:
    deepest, level = 0, [tree]
    while level:
        deepest += 1
        level = [c for t in level for c in t.children if isinstance(c, Tree)]
    return deepest


def names_in(text: str) -> set[str]:
    """Names that the expression refers to, without functions and units after numbers."""
    return {str(node.children[0]) for node in parse(text).iter_subtrees() if node.data == "name"}


def evaluate(
    text: str, names: Mapping[str, Quantity] | None = None, expect: Dimension | None = None
) -> Quantity:
    """Value of an expression.

    :param names: parameters by name.
    :param expect: the dimension the result must have. A bare ``0`` is accepted for any, and for a
        frequency a wavelength in vacuum.
    :raises QuantityError: unknown name or unit, mixed dimensions, no finite value.
    """
    try:
        result = Evaluator(names or {}).visit(parse(text))
    except (OverflowError, ZeroDivisionError) as error:
        raise QuantityError(f"“{text}” has no finite value") from error
    if not math.isfinite(result.value):
        raise QuantityError(f"“{text}” has no finite value")
    if expect is not None and result.dimension != expect:
        if result.value == 0 and result.dimension == NONE:
            return Quantity(0.0, expect)
        if expect == FREQUENCY and result.dimension == LENGTH and result.value > 0:
            return Quantity(C0 / result.value, expect)
        raise QuantityError(
            f"“{text}” is {describe(result.dimension)}, but {describe(expect)} is needed here"
        )
    return result


class Evaluator:
    """Walks a tree; :meth:`name` and :meth:`call` may be given other meanings."""

    def __init__(self, names: Mapping[str, Quantity]) -> None:
        self.names = names

    def visit(self, tree: Tree[Token]) -> Quantity:
        return cast(Quantity, getattr(self, str(tree.data))(*tree.children))

    def number(self, token: Token) -> Quantity:
        return Quantity(float(token))

    def literal(self, number: Token, name: Token) -> Quantity:
        factor, dimension = self._unit(name)
        return Quantity(float(number) * factor, dimension)

    def literal_power(self, number: Token, name: Token, power: Token) -> Quantity:
        factor, dimension = self._unit(name)
        p = float(power)
        return Quantity(float(number) * factor**p, _scale(dimension, p))

    def _unit(self, name: Token) -> tuple[float, Dimension]:
        found = unit(str(name))
        if found is None:
            raise QuantityError(f"“{name}” is not a unit; put * between a number and a parameter")
        return found

    def name(self, token: Token) -> Quantity:
        text = str(token)
        if text in self.names:
            return self.names[text]
        if text in CONSTANTS:
            return CONSTANTS[text]
        raise QuantityError(
            f"“{text}” is not defined; add it to the parameters or correct the name"
        )

    def _unit_operand(self, left: Any, right: Any) -> Quantity | None:
        """The right operand as a unit, when the left one is a number with a unit ("5.8e7 S/m")."""
        if not (isinstance(right, Tree) and right.data == "name" and _is_literal(left)):
            return None
        text = str(right.children[0])
        if text in self.names or text in CONSTANTS:
            return None
        found = unit(text)
        return None if found is None else Quantity(*found)

    def mul(self, left: Tree[Token], right: Tree[Token]) -> Quantity:
        a, b = self.visit(left), self._unit_operand(left, right) or self.visit(right)
        return Quantity(a.value * b.value, _add(a.dimension, b.dimension))

    def div(self, left: Tree[Token], right: Tree[Token]) -> Quantity:
        a, b = self.visit(left), self._unit_operand(left, right) or self.visit(right)
        return Quantity(a.value / b.value, _add(a.dimension, _scale(b.dimension, -1)))

    def add(self, left: Tree[Token], right: Tree[Token]) -> Quantity:
        return self._sum(left, right, 1)

    def sub(self, left: Tree[Token], right: Tree[Token]) -> Quantity:
        return self._sum(left, right, -1)

    def _sum(self, left: Tree[Token], right: Tree[Token], sign: int) -> Quantity:
        a, b = _alike([self.visit(left), self.visit(right)], "be added or subtracted")
        return Quantity(a.value + sign * b.value, a.dimension)

    def neg(self, child: Tree[Token]) -> Quantity:
        q = self.visit(child)
        return Quantity(-q.value, q.dimension)

    def pow(self, base: Tree[Token], exponent: Tree[Token]) -> Quantity:
        b, e = self.visit(base), self.visit(exponent)
        if e.dimension != NONE:
            raise QuantityError(f"an exponent must be a plain number, not {describe(e.dimension)}")
        value = b.value**e.value
        if isinstance(value, complex):
            raise QuantityError("a negative number has no real fractional power")
        return Quantity(value, _scale(b.dimension, e.value))

    def call(self, function: Token, *arguments: Tree[Token]) -> Quantity:
        name, args = str(function), [self.visit(a) for a in arguments]
        try:
            return self._call(name, args)
        except TypeError as error:
            raise QuantityError(f"{name}() does not take {len(args)} arguments") from error
        except ValueError as error:
            if isinstance(error, QuantityError):
                raise
            raise QuantityError(
                f"{name}() has no real value for {', '.join(f'{a.value:g}' for a in args)}"
            ) from error

    def _call(self, name: str, args: list[Quantity]) -> Quantity:
        values = [a.value for a in args]
        if name in _PLAIN:
            if any(a.dimension != NONE for a in args):
                bad = next(a for a in args if a.dimension != NONE)
                raise QuantityError(
                    f"{name}() takes a plain number or an angle, not {describe(bad.dimension)}"
                )
            return Quantity(float(_PLAIN[name](*values)))
        if name in _SAME:
            _alike(args, f"go into {name}()")
            return Quantity(float(_SAME[name](*values)), args[0].dimension)
        if name == "atan2":
            _alike(args, "go into atan2()")
            return Quantity(math.atan2(*values))
        one = {
            "sqrt": lambda v, d: Quantity(math.sqrt(v), _scale(d, 0.5)),
            "cbrt": lambda v, d: Quantity(math.cbrt(v), _scale(d, 1 / 3)),
            "abs": lambda v, d: Quantity(abs(v), d),
            "sign": lambda v, d: Quantity(math.copysign(1.0, v) if v else 0.0),
        }
        if name not in one:
            raise QuantityError(f"there is no function “{name}”; there are {', '.join(FUNCTIONS)}")
        if len(args) != 1:
            raise TypeError
        return one[name](args[0].value, args[0].dimension)


def _is_literal(node: Any) -> bool:
    if not isinstance(node, Tree):
        return False
    if node.data in ("literal", "literal_power"):
        return True
    return node.data in ("mul", "div") and _is_literal(node.children[0])


def _add(a: Dimension, b: Dimension) -> Dimension:
    return cast(Dimension, tuple(round(x + y, 9) for x, y in zip(a, b, strict=True)))


def _scale(a: Dimension, factor: float) -> Dimension:
    return cast(Dimension, tuple(round(x * factor, 9) + 0.0 for x in a))


def _alike(args: list[Quantity], verb: str) -> list[Quantity]:
    """The operands in one dimension; a bare zero takes the dimension of the others."""

    def bare_zero(a: Quantity) -> bool:
        return a.dimension == NONE and isinstance(a.value, int | float) and a.value == 0

    dimension = next((a.dimension for a in args if not bare_zero(a)), NONE)
    for a in args:
        if a.dimension != dimension and not bare_zero(a):
            raise QuantityError(f"{describe(dimension)} and {describe(a.dimension)} cannot {verb}")
    return [type(a)(a.value, dimension) for a in args]
