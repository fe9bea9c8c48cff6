"""Steps to exact shapes. Wire parts become chains of curves in world coordinates."""

from heron.geometry.build import BuiltPart, Geometry, build_geometry
from heron.shapes.curves import Curve, Path

__all__ = ["BuiltPart", "Curve", "Geometry", "Path", "build_geometry"]
