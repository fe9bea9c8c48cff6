"""How much space there is round a model, and the wavelengths in it that this goes by."""

from __future__ import annotations

import numpy as np

from heron.engines.transient.structure import SCATTERED
from heron.excitation.pulse import pulse_of
from heron.materials import Medium
from heron.model import Evaluated
from heron.model.substances import media_of
from heron.model.surroundings import layers_of
from heron.quantities.constants import C0

ROOM_IN_BOX = 4  # cells at least between the model and the sides of that box
BESIDE = 3  # cells from there to the total-field box, unless its place is given
# of the longest wavelength, between model and absorbing layer (common practice)
MARGIN = 0.25


def wall_distance(model: Evaluated, scale: float = 1.0) -> float:
    """From the model to the absorbing layers, m; with cells ``scale`` times as large at least as
    far as an illuminated model needs then.
    """
    asked = model.surround.margin if model.surround is not None else None
    least = least_distance(model, scale) if model.document.illuminations else 0.0
    if asked is not None:
        return float(max(asked, least) if scale > 1 else asked)
    return float(max(MARGIN * C0 / model.plan.f_start, least))


def least_distance(model: Evaluated, scale: float = 1.0) -> float:
    """Least distance in m of the walls from an illuminated model, with the total-field box
    between them, in cells of the largest size.
    """
    return float(
        (SCATTERED + BESIDE + ROOM_IN_BOX + 1)
        * scale
        * C0
        / model.plan.f_stop
        / model.plan.settings.transient.cells_per_wavelength
    )


def lowest_frequency(model: Evaluated) -> float:
    """Hz down to which the pulses of a run reach."""
    return min(
        pulse_of(model.plan, source).lowest
        for source in model.illuminations or model.feeds or [None]
    )


def interfaces_of(model: Evaluated) -> list[float]:
    """Heights of the boundaries of layers from above, m."""
    layers = layers_of(model)
    return [top for _, _, top in layers] + [
        bottom for _, bottom, _ in layers[-1:] if np.isfinite(bottom)
    ]


def slowest(model: Evaluated) -> float:
    """The largest refractive index of layers, 1 without any."""
    media = media_of(model)[0]
    return max(
        (index_of(media[name], model.plan.f_stop) for name, _, _ in layers_of(model)), default=1.0
    )


def index_of(medium: Medium, frequency: float) -> float:
    """Refractive index of a medium at a frequency in Hz."""
    return max(1.0, float(np.sqrt(abs(medium.epsilon(frequency)[0] * medium.mu(frequency)[0]))))
