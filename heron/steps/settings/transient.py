"""What the transient engine may be told."""

from __future__ import annotations

from typing import Any

from heron.excitation.pulse import pulse_of
from heron.quantities import engineering
from heron.steps.contract import Found, SettingsKind
from heron.steps.fields import Number, Step, Time

LEAST_CELLS, MOST_CELLS = 10, 200  # per wavelength (common practice: 15 and more)
MOST_PER_DETAIL = 20
MOST_PULSES = 10_000
SHALLOWEST_DB, DEEPEST_DB = 20.0, 100.0


class TransientSettings(Step):
    """``cells_per_wavelength`` of every medium, ``cells_per_detail`` from an edge of metal to what
    its field ends on; the ``decay`` of the stored energy in dB at which a run ends, of a band wider
    than 1 : 2 against the energy at its lowest frequencies; the ``longest`` time of a run, 60
    lengths of the pulse after it unless given.
    """

    cells_per_wavelength: Number = "20"
    cells_per_detail: Number = "2.5"
    decay: Number = "60"
    longest: Time | None = None


def check(plan: Any, own: Any) -> Found:
    if not LEAST_CELLS <= own.cells_per_wavelength <= MOST_CELLS:
        yield (
            "cells_per_wavelength",
            f"cells per wavelength lie between {LEAST_CELLS} and {MOST_CELLS}: coarser grids do not"
            " carry a wave, finer ones do not end",
        )
    if not 0 <= own.cells_per_detail <= MOST_PER_DETAIL:
        yield (
            "cells_per_detail",
            "cells per detail lie between 0, where they follow from the wavelength alone, and"
            f" {MOST_PER_DETAIL}",
        )
    if not SHALLOWEST_DB <= own.decay <= DEEPEST_DB:
        yield "decay", "a run ends when its energy has fallen by 20 to 100 dB"
    pulse = pulse_of(plan).duration
    if own.longest is not None and not pulse < own.longest <= MOST_PULSES * pulse:
        yield (
            "longest",
            f"the longest time of a run lies between {engineering(pulse, 's', 3)}, as a shorter one"
            f" would cut the pulse off, and {engineering(MOST_PULSES * pulse, 's', 3)}",
        )


KIND = SettingsKind(
    "transient",
    "settings",
    TransientSettings,
    "Transient engine",
    "[, {cells_per_wavelength} cells per wavelength]"
    "[, {cells_per_detail} cells per detail of metal]"
    "[, until the energy has fallen by {decay} dB]"
    "[, for at most {longest|60 lengths of the pulse}]",
    check=check,
)
