"""Materials: conductors for wires, sheets and solids; media for what fields pass through; and those
a document defines.
"""

from heron.materials.conductors import LIBRARY, PERFECT, Conductor
from heron.materials.media import MEDIA, Medium, Pole, fit_poles, fit_table

__all__ = [
    "LIBRARY",
    "MEDIA",
    "PERFECT",
    "Conductor",
    "Medium",
    "Pole",
    "fit_poles",
    "fit_table",
    "known_material",
]


def known_material(name: str) -> bool:
    """Whether the library has a conductor or medium of this name."""
    return name in LIBRARY or name in MEDIA
