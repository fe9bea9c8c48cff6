"""A medium of constant permittivity."""

from __future__ import annotations

from typing import Any, Literal

from heron.errors import ModelError
from heron.materials import Medium
from heron.steps.contract import Entry, MaterialKind
from heron.steps.fields import Conductivity, Number
from heron.steps.materials.common import MaterialStep, passive


class Dielectric(MaterialStep):
    """Constant permittivity and permeability, with loss tangents and a conductivity."""

    kind: Literal["dielectric"]
    permittivity: Number
    loss_tangent: Number = "0"
    conductivity: Conductivity = "0 S/m"
    permeability: Number = "1"
    magnetic_loss_tangent: Number = "0"


def substance(step: Any) -> Medium:
    for name in ("permittivity", "permeability"):
        if getattr(step, name) <= 0:
            raise ModelError(f"the relative {name} must be above zero", (name,))
    passive(step, "loss_tangent", "magnetic_loss_tangent", "conductivity")
    return Medium(
        step.name,
        step.permittivity,
        step.loss_tangent,
        step.conductivity,
        step.permeability,
        step.magnetic_loss_tangent,
    )


KIND = MaterialKind(
    "dielectric",
    "materials",
    Dielectric,
    "Dielectric",
    "{name} of permittivity {permittivity}[, loss tangent {loss_tangent}]"
    "[, conductivity {conductivity}][, permeability {permeability}]"
    "[, magnetic loss tangent {magnetic_loss_tangent}]",
    (
        Entry(
            "Materials",
            "Dielectric",
            {"name": "dielectric", "permittivity": "3", "loss_tangent": "0.01"},
        ),
    ),
    substance=substance,
)
