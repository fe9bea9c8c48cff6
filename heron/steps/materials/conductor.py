"""A conductor."""

from __future__ import annotations

import math
from typing import Any, Literal

from heron.errors import ModelError
from heron.materials import Conductor
from heron.steps.contract import Entry, MaterialKind
from heron.steps.fields import Conductivity, Length
from heron.steps.materials.common import MaterialStep


class GoodConductor(MaterialStep):
    """A good conductor; ``thickness`` of the sheets made of it, rms ``roughness`` of its
    surface.
    """

    kind: Literal["conductor"] = "conductor"
    conductivity: Conductivity
    thickness: Length | None = None
    roughness: Length = "0"


def substance(step: Any) -> Conductor:
    if step.conductivity <= 0:
        raise ModelError("the conductivity must be above zero", ("conductivity",))
    if step.thickness is not None and step.thickness <= 0:
        raise ModelError(
            "the thickness must be above zero; leave it out for a thick sheet", ("thickness",)
        )
    if step.roughness < 0:
        raise ModelError("the roughness must not be negative", ("roughness",))
    thickness = math.inf if step.thickness is None else step.thickness
    return Conductor(step.name, step.conductivity, "this project", thickness, step.roughness)


KIND = MaterialKind(
    "conductor",
    "materials",
    GoodConductor,
    "Conductor",
    "{name} of {conductivity}[, sheet thickness {thickness|zero}][, roughness {roughness}]",
    (Entry("Materials", "Conductor", {"name": "conductor", "conductivity": "1e7 S/m"}),),
    conducts=True,
    substance=substance,
)
