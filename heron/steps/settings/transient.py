"""What the transient engine may be told."""

from __future__ import annotations

from typing import Any

from heron.steps.contract import Found, SettingsKind
from heron.steps.fields import Number, Step

LEAST_CELLS, MOST_CELLS = 10, 200  # per wavelength (common practice: 15 and more)
MOST_PER_DETAIL = 20
SHALLOWEST_DB, DEEPEST_DB = 20.0, 100.0


class TransientSettings(Step):
    """``cells_per_wavelength`` of every medium, ``cells_per_detail`` from an edge of metal to what
    its field ends on; the ``decay`` of the stored energy in dB at which a run ends, of a band wider
    than 1 : 2 against the energy at its lowest frequencies; the ``longest`` run in lengths of the
    pulse.
    """

    cells_per_wavelength: Number = "20"
    cells_per_detail: Number = "2.5"
    decay: Number = "60"
    longest: Number = "60"


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
    if not 1 <= own.longest <= 10_000:
        yield (
            "longest",
            "the longest run lies between 1 and 10,000 lengths of the pulse: a shorter one would"
            " cut the pulse off",
        )


KIND = SettingsKind(
    "transient",
    "settings",
    TransientSettings,
    "Transient engine",
    "[, {cells_per_wavelength} cells per wavelength]"
    "[, {cells_per_detail} cells per detail of metal]"
    "[, until the energy has fallen by {decay} dB][, for at most {longest} pulse lengths]",
    check=check,
)
