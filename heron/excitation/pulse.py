"""The pulse that a run sends in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

EDGE_LEVEL = 0.3  # of the pulse's spectrum at the ends of the band
# of its centre frequency: a narrower band is excited wider, which takes less time
LEAST_BAND = 0.4
NARROWEST = 0.01  # the same of a pulse that was asked for
LEAST_SHARE = 1e-3  # of the energy: of a band from nearly nothing on
START = 4.6  # widths before its middle the pulse begins, at e^(−START²)
LONGEST = 60.0  # lengths of the pulse that a run goes on after it, unless its plan says how long
LEAST_LEVEL_DB = 40.0  # of its spectrum: below, what is divided by it is mostly rounding
SPECTRUM_END = 1e-4  # beyond this the pulse has nothing


@dataclass(frozen=True)
class Pulse:
    """A Gaussian times a sine: ``centre`` Hz, ``width`` s, delayed so that it starts from
    nothing.
    """

    centre: float
    width: float

    @property
    def duration(self) -> float:
        """s, from nothing to nothing."""
        return 2 * START * self.width

    def level(self, frequency: Any) -> Floats:
        """Its spectrum at frequencies in Hz over the largest, dB."""
        return np.asarray(
            -20 / np.log(10) * (np.pi * self.width * (np.asarray(frequency) - self.centre)) ** 2
        )

    def reach(self, level: float) -> tuple[float, float]:
        """From and to in Hz where its spectrum has fallen by ``level`` dB; from 0 at least."""
        half = float(np.sqrt(level * np.log(10) / 20)) / (np.pi * self.width)
        return max(self.centre - half, 0.0), self.centre + half

    def spectrum(self, frequency: Any) -> NDArray[np.complex128]:
        """∫ p(t) e^(−jωt) dt in s, of the whole Gaussian."""
        f = np.asarray(frequency, dtype=float)
        one, other = (
            np.exp(-((np.pi * self.width * (f + sign * self.centre)) ** 2)) for sign in (-1, 1)
        )
        return np.asarray(
            np.sqrt(np.pi)
            * self.width
            / 2j
            * (one - other)
            * np.exp(-2j * np.pi * f * START * self.width)
        )

    @property
    def lowest(self) -> float:
        """The lower end of its band, Hz."""
        return self.band[0]

    @property
    def band(self) -> tuple[float, float]:
        """From and to in Hz what it was made to cover: where the spectrum has fallen to
        ``EDGE_LEVEL``.
        """
        return self.reach(-20 * float(np.log10(EDGE_LEVEL)))

    @property
    def lowest_share(self) -> float:
        """Of its energy, what lies in an interval as wide as the lowest frequency: all of it if the
        band is no wider than that.
        """
        low, high = self.band
        return float(np.clip(low / (high - low), LEAST_SHARE, 1.0))

    @property
    def highest(self) -> float:
        """Frequency in Hz beyond which the spectrum is below ``SPECTRUM_END``."""
        return float(self.centre + np.sqrt(-np.log(SPECTRUM_END)) / (np.pi * self.width))

    def __call__(self, t: Any) -> Floats:
        x = (t - START * self.width) / self.width
        return np.asarray(
            np.exp(-(x**2)) * np.sin(2 * np.pi * self.centre * (t - START * self.width))
        )


def covered(plan: Any, source: Any = None) -> tuple[float, float, bool]:
    """From and to in Hz what the pulse of an evaluated plan, or of one ``source`` of its model,
    covers; whether all of that was asked for.
    """
    ends = [
        next(
            (own for own in (getattr(source, name, None), getattr(plan, name)) if own is not None),
            None,
        )
        for name in ("pulse_start", "pulse_stop")
    ]
    low, high = (
        band if end is None else end
        for end, band in zip(ends, (plan.f_start, plan.f_stop), strict=True)
    )
    return low, high, None not in ends


def longest_run(plan: Any, pulse: Pulse) -> float:
    """s from the start of the pulse, at which a run by an evaluated plan ends at the latest."""
    own: float | None = plan.settings.transient.longest
    return pulse.duration + LONGEST * max(pulse.duration, 1 / pulse.centre) if own is None else own


def pulse_of(plan: Any, source: Any = None) -> Pulse:
    """The pulse of an evaluated plan, or of one ``source``: as asked for, or for the band, and then
    wide enough to be short.
    """
    low, high, asked = covered(plan, source)
    return pulse_for(low, high, NARROWEST if asked else LEAST_BAND)


def pulse_for(low: float, high: float, least: float = LEAST_BAND) -> Pulse:
    """The pulse whose spectrum falls to ``EDGE_LEVEL`` at the ends of the band, or of one of
    ``least`` times its centre about it.
    """
    centre = 0.5 * (low + high)
    half = max(high - low, least * centre) / 2
    return Pulse(centre, float(np.sqrt(-np.log(EDGE_LEVEL)) / (np.pi * half)))
