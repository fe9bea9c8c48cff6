"""Method of moments. So far: wires (Galerkin, piecewise-linear currents)."""

from heron.engines.moments.engine import MomentsEngine

__all__ = ["MomentsEngine"]
