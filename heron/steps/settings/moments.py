"""What the moments engine may be told."""

from __future__ import annotations

from typing import Any, Literal

from heron.steps.contract import Found, SettingsKind
from heron.steps.fields import Number, Step

MOST_SEGMENTS = 1000


class MomentsSettings(Step):
    """``segments_per_wavelength`` on wires, a third as many triangles on surfaces; solves at
    ``every`` frequency, or at as many as make the interpolation between them agree to
    ``tolerance``.
    """

    sampling: Literal["adaptive", "every"] = "adaptive"
    tolerance: Number = "1e-3"
    segments_per_wavelength: Number = "50"


def check(plan: Any, own: Any) -> Found:
    if not 1e-8 <= own.tolerance <= 0.1:
        yield "tolerance", "the interpolation tolerance lies between 1e-8 and 0.1"
    if not 5 <= own.segments_per_wavelength <= MOST_SEGMENTS:
        yield (
            "segments_per_wavelength",
            f"segments per wavelength lie between 5 and {MOST_SEGMENTS}",
        )


KIND = SettingsKind(
    "moments",
    "settings",
    MomentsSettings,
    "Moments engine",
    "[, {segments_per_wavelength} segments per wavelength][, {sampling} sampling]"
    "[, tolerance {tolerance}]",
    check=check,
)
