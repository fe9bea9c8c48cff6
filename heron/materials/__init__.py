"""Materials of wires: perfect conductor, library conductors, and those a document defines."""

from heron.materials.conductors import LIBRARY, PERFECT, Conductor

__all__ = ["LIBRARY", "PERFECT", "Conductor"]
