"""What can be looked at of triangles before a run."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from heron.engines.contract import Engine, Seen, View
from heron.engines.moments.surface_checks import densest
from heron.errors import ModelError
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.quantities.constants import C0


class TrianglesAsked(BaseModel):
    """All of them."""

    model_config = ConfigDict(extra="forbid")


def _triangles(
    engine: Engine, model: Evaluated, geometry: Geometry, discretisation: Any, asked: TrianglesAsked
) -> Seen:
    """``corners`` (T, 3, 3) m; which ``part`` (T,) of the header each is of, and whether that is
    ``metal``; a wavelength at the top of the band, in the denser of the media on its sides, over
    its longest side, ``resolved``; and its ``quality`` from 0, a line, to 1, of three equal sides.
    """
    mesh = discretisation.mesh
    if not hasattr(mesh, "triangles"):
        raise ModelError("wires alone are not divided into triangles")
    top = max(model.plan.f_start, model.plan.f_stop)
    wavelength = C0 / top / densest(model, mesh, top)
    return Seen(
        {"parts": mesh.parts},
        {
            "corners": mesh.corners.astype(np.float32),
            "part": mesh.part.astype(np.int32),
            "resolved": (wavelength / mesh.longest_side).astype(np.float32),
            "quality": mesh.quality.astype(np.float32),
            "metal": (mesh.metal if mesh.media else np.ones(len(mesh.part))).astype(np.int32),
        },
    )


VIEWS = {"triangles": View(TrianglesAsked, _triangles)}
