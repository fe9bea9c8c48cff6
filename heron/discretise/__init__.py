"""Exact geometry to what an engine computes on. So far: wires to straight segments."""

from heron.discretise.wires import Gap, Joint, NearMiss, WireMesh, mesh_wires

__all__ = ["Gap", "Joint", "NearMiss", "WireMesh", "mesh_wires"]
