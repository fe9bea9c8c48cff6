"""Rescaling: the ratio of lengths that brings a frequency to where it is wished."""

from __future__ import annotations

from typing import Literal

from heron.steps.contract import Entry, Kind
from heron.steps.fields import Frequency
from heron.steps.studies.common import READING, Studied, Texts


class Rescale(Studied):
    """Lengths scaled by one ratio, so that the first outcome becomes the wished frequency.

    The outcome is where |S11| is smallest unless given; the ``parameters`` are, unless given, those
    from which all lengths follow. The frequency before and the wished one are in the plan's band.
    """

    kind: Literal["rescale"] = "rescale"
    wished: Frequency
    parameters: Texts = []


KIND = Kind(
    "rescale",
    "studies",
    Rescale,
    "Rescale",
    "{name} to {wished}[ by <parameters/and: {.:parameter}>]" + READING,
    (Entry("Studies", "Rescale", {"name": "rescale", "wished": "868 MHz"}),),
    members={"parameters": "", "outcomes": "f where abs(s11) is smallest"},
    widget="study",
)
