"""The materials of a document: the library's, shadowed by the project's own."""

from __future__ import annotations

import math
from typing import Any

from heron.errors import HeronError, ModelError
from heron.materials import LIBRARY, MEDIA, Conductor, Medium, Pole
from heron.model.evaluation import Evaluated

TURN = 2 * math.pi


def conductors_of(model: Evaluated) -> tuple[dict[str, Conductor], list[HeronError]]:
    """Conductors by name, and what is wrong with the project's own."""
    known = dict(LIBRARY)
    errors: list[HeronError] = []
    for i, m in enumerate(model.materials):
        if m is None:
            continue
        known.pop(m.name, None)
        if m.kind != "conductor":
            continue
        if m.conductivity <= 0:
            errors.append(
                ModelError("the conductivity must be above zero", ("materials", i, "conductivity"))
            )
            continue
        if m.thickness is not None and m.thickness <= 0:
            errors.append(
                ModelError(
                    "the thickness must be above zero; leave it out for a thick sheet",
                    ("materials", i, "thickness"),
                )
            )
            continue
        if m.roughness < 0:
            errors.append(
                ModelError("the roughness must not be negative", ("materials", i, "roughness"))
            )
            continue
        known[m.name] = Conductor(
            m.name,
            m.conductivity,
            "this project",
            math.inf if m.thickness is None else m.thickness,
            m.roughness,
        )
    return known, errors


def media_of(model: Evaluated) -> tuple[dict[str, Medium], list[HeronError]]:
    """Media by name, and what is wrong with the project's own."""
    known = dict(MEDIA)
    errors: list[HeronError] = []
    for i, m in enumerate(model.materials):
        if m is None:
            continue
        known.pop(m.name, None)
        if m.kind == "conductor":
            continue
        try:
            known[m.name] = MAKERS[m.kind](m)
        except HeronError as error:
            errors.append(error.within("materials", i))
    return known, errors


def conducting(model: Evaluated, name: str) -> bool:
    """Whether a material is a conductor rather than a medium."""
    return name in conductors_of(model)[0]


def _dielectric(m: Any) -> Medium:
    for name in ("permittivity", "permeability"):
        if getattr(m, name) <= 0:
            raise ModelError(f"the relative {name} must be above zero", (name,))
    for name in ("loss_tangent", "magnetic_loss_tangent", "conductivity"):
        if getattr(m, name) < 0:
            raise ModelError(
                f"the {name.replace('_', ' ')} must not be negative: the medium would make power",
                (name,),
            )
    return Medium(
        m.name,
        m.permittivity,
        m.loss_tangent,
        m.conductivity,
        m.permeability,
        m.magnetic_loss_tangent,
    )


def _dispersive(m: Any) -> Medium:
    if m.permittivity < 1:
        raise ModelError(
            "the permittivity far above all poles is that of vacuum, 1, at least", ("permittivity",)
        )
    if m.conductivity < 0:
        raise ModelError(
            "the conductivity must not be negative: the medium would make power", ("conductivity",)
        )
    for field, names in (
        ("debye", ("strength", "time")),
        ("lorentz", ("strength", "frequency", "damping")),
        ("drude", ("frequency", "damping")),
    ):
        for k, pole in enumerate(getattr(m, field)):
            for name in names:
                if getattr(pole, name) < 0 or (name != "damping" and getattr(pole, name) == 0):
                    raise ModelError(f"a pole's {name} must be above zero", (field, k, name))
    poles = [Pole("debye", strength=p.strength, time=p.time, spread=p.spread) for p in m.debye]
    poles += [
        Pole("lorentz", strength=p.strength, omega=TURN * p.frequency, gamma=TURN * p.damping)
        for p in m.lorentz
    ]
    poles += [Pole("drude", omega=TURN * p.frequency, gamma=TURN * p.damping) for p in m.drude]
    return Medium(m.name, m.permittivity, conductivity=m.conductivity, poles=tuple(poles))


def _table(m: Any) -> Medium:
    for k, (f, _, imag) in enumerate(m.rows):
        if f <= 0 or (k and f <= m.rows[k - 1][0]):
            raise ModelError("frequencies are above zero and rise from row to row", ("rows", k, 0))
        if imag < 0:
            raise ModelError(
                "the imaginary part is given positive for losses; a negative one would make power",
                ("rows", k, 2),
            )
    return Medium(m.name, table=tuple(m.rows))


MAKERS = {"dielectric": _dielectric, "dispersive": _dispersive, "table": _table}
