"""Finite differences in time on a nonuniform grid."""

from heron.engines.transient.engine import TransientEngine

__all__ = ["TransientEngine"]
