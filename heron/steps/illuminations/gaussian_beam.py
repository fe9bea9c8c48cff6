"""A Gaussian beam."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.feeds.common import DRIVE
from heron.steps.fields import Length, Point
from heron.steps.illuminations.plane_wave import PlaneWave


class GaussianBeam(PlaneWave):
    """A Gaussian beam along a vector: at ``focus`` its field has that peak value, and in the plane
    across falls to 1/e of it at the radius ``waist``.
    """

    kind: Literal["gaussian_beam"]  # type: ignore[assignment]
    focus: Point = ("0", "0", "0")
    waist: Length


KIND = Kind(
    "gaussian_beam",
    "illuminations",
    GaussianBeam,
    "Gaussian beam",
    "{name} along {travels}, electric field along {electric}, focus at {focus},"
    " waist radius {waist}" + DRIVE,
    (
        Entry(
            "Feeds",
            "Gaussian beam",
            {
                "name": "beam",
                "travels": ["0", "0", "-1"],
                "electric": ["1", "0", "0"],
                "waist": "100 mm",
            },
        ),
    ),
)
