"""The schema of a project's own materials; each shadows the library's of the same name."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Discriminator, Field, Tag

from heron.model.fields import Conductivity, Frequency, Length, Name, Number, Step, Time


class _Material(Step):
    name: Name
    comment: Annotated[str, Field(max_length=200)] = ""


class Conductor(_Material):
    """A good conductor; ``thickness`` of the sheets made of it, rms ``roughness`` of its
    surface.
    """

    kind: Literal["conductor"] = "conductor"
    conductivity: Conductivity
    thickness: Length | None = None
    roughness: Length = "0"


class Dielectric(_Material):
    """Constant permittivity and permeability, with loss tangents and a conductivity."""

    kind: Literal["dielectric"]
    permittivity: Number
    loss_tangent: Number = "0"
    conductivity: Conductivity = "0 S/m"
    permeability: Number = "1"
    magnetic_loss_tangent: Number = "0"


class DebyePole(Step):
    strength: Number
    time: Time
    spread: Number = "0"


class LorentzPole(Step):
    """``frequency`` ω0/2π and ``damping`` γ/2π."""

    strength: Number
    frequency: Frequency
    damping: Frequency


class DrudePole(Step):
    """``frequency`` ωp/2π and ``damping`` γ/2π."""

    frequency: Frequency
    damping: Frequency


class Dispersive(_Material):
    """A permittivity above all resonances with any sum of poles and a conductivity."""

    kind: Literal["dispersive"]
    permittivity: Number = "1"
    conductivity: Conductivity = "0 S/m"
    debye: Annotated[list[DebyePole], Field(max_length=10)] = []
    lorentz: Annotated[list[LorentzPole], Field(max_length=10)] = []
    drude: Annotated[list[DrudePole], Field(max_length=10)] = []


class Tabulated(_Material):
    """Rows of frequency, ε′ and ε″ (positive for losses), in rising order."""

    kind: Literal["table"]
    rows: Annotated[list[tuple[Frequency, Number, Number]], Field(min_length=2, max_length=2000)]


def _kind(value: Any) -> str:
    return str(
        value.get("kind", "conductor")
        if isinstance(value, dict)
        else getattr(value, "kind", "conductor")
    )


Material = Annotated[
    Annotated[Conductor, Tag("conductor")]
    | Annotated[Dielectric, Tag("dielectric")]
    | Annotated[Dispersive, Tag("dispersive")]
    | Annotated[Tabulated, Tag("table")],
    Discriminator(_kind),
]
