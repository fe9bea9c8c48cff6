"""Units, expressions and parameters: dimension-checked, acyclic, parsed and never executed."""

from heron.quantities.engineering import area, engineering
from heron.quantities.expressions import Quantity, evaluate, names_in
from heron.quantities.parameters import Values, resolve_parameters
from heron.quantities.units import Dimension

__all__ = [
    "Dimension",
    "Quantity",
    "Values",
    "area",
    "engineering",
    "evaluate",
    "names_in",
    "resolve_parameters",
]
