"""A medium with poles."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

from pydantic import Field

from heron.errors import ModelError
from heron.materials import Medium, Pole
from heron.steps.contract import Entry, MaterialKind
from heron.steps.fields import Conductivity, Frequency, Number, Step, Time
from heron.steps.materials.common import MaterialStep, passive

TURN = 2 * math.pi


class DebyePole(Step):
    """A relaxation of ``strength`` Δε in ``time``; ``spread`` as of Cole and Cole."""

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


class Dispersive(MaterialStep):
    """A permittivity above all resonances with any sum of poles and a conductivity."""

    kind: Literal["dispersive"]
    permittivity: Number = "1"
    conductivity: Conductivity = "0 S/m"
    debye: Annotated[list[DebyePole], Field(max_length=10)] = []
    lorentz: Annotated[list[LorentzPole], Field(max_length=10)] = []
    drude: Annotated[list[DrudePole], Field(max_length=10)] = []


def substance(step: Any) -> Medium:
    if step.permittivity < 1:
        raise ModelError(
            "the permittivity far above all poles is that of vacuum, 1, at least", ("permittivity",)
        )
    passive(step, "conductivity")
    for field, names in (
        ("debye", ("strength", "time")),
        ("lorentz", ("strength", "frequency", "damping")),
        ("drude", ("frequency", "damping")),
    ):
        for k, pole in enumerate(getattr(step, field)):
            for name in names:
                if getattr(pole, name) < 0 or (name != "damping" and getattr(pole, name) == 0):
                    raise ModelError(f"a pole's {name} must be above zero", (field, k, name))
    poles = [Pole("debye", strength=p.strength, time=p.time, spread=p.spread) for p in step.debye]
    poles += [
        Pole("lorentz", strength=p.strength, omega=TURN * p.frequency, gamma=TURN * p.damping)
        for p in step.lorentz
    ]
    poles += [Pole("drude", omega=TURN * p.frequency, gamma=TURN * p.damping) for p in step.drude]
    return Medium(step.name, step.permittivity, conductivity=step.conductivity, poles=tuple(poles))


KIND = MaterialKind(
    "dispersive",
    "materials",
    Dispersive,
    "Dispersive medium",
    "{name} of permittivity {permittivity} above all resonances[, conductivity {conductivity}]"
    "[, <debye/and: relaxing by {strength} over {time}[ spread {spread}]>]"
    "[, <lorentz/and: resonant by {strength} at {frequency} damped by {damping}>]"
    "[, <drude/and: free charges up to {frequency} damped by {damping}>]",
    (
        Entry(
            "Materials",
            "Dispersive medium",
            {
                "name": "dispersive",
                "permittivity": "5",
                "debye": [{"strength": "70", "time": "8 ps"}],
            },
        ),
    ),
    members={
        "debye": {"strength": "1", "time": "8 ps"},
        "lorentz": {"strength": "1", "frequency": "10 GHz", "damping": "1 GHz"},
        "drude": {"frequency": "10 GHz", "damping": "1 GHz"},
    },
    substance=substance,
)
