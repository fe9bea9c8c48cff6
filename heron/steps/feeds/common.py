"""What feeds and illuminations have in common."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from heron.steps.fields import Commented, Frequency, Length, Number, Point

Axis = Literal["+x", "-x", "+y", "-y", "+z", "-z"]
PortNumber = Annotated[int, Field(ge=1, le=64)]
PULSE = "[, pulse from {pulse_start|the plan’s start} to {pulse_stop|the plan’s end}]"
DRIVE = "[, amplitude {amplitude}][, phase {phase}]" + PULSE


class Source(Commented):
    """What sends power in.

    In time its pulse covers ``pulse_start`` to ``pulse_stop``; where one is not given, what the
    plan's covers.
    """

    pulse_start: Frequency | None = None
    pulse_stop: Frequency | None = None


class ModeFeed(Source):
    """The mode of a line or of a hollow guide, fed through a plane across an axis.

    ``centre`` is a point of the plane, on the strip or inner conductor of a line, in the opening of
    a guide; the wave goes in ``towards`` an axis. The opening is found on the grid, unless its
    ``width`` and ``height`` (along the earlier and the later of the other two axes in the order x,
    y, z) are given. ``modes`` above one take as many ports, from ``number`` on; the first of them
    is driven. ``shift`` shifts the reference plane along the wave's way.
    """

    number: PortNumber
    centre: Point
    towards: Axis = "+x"
    width: Length | None = None
    height: Length | None = None
    modes: Number = "1"
    shift: Length = "0"
    amplitude: Number = "1"
    phase: Number = "0"


THROUGH = (
    ", going {towards}[, opening {width|automatic} by {height|automatic}][, {modes} modes]"
    "[, reference plane shifted by {shift}]" + DRIVE
)
NEW = {"number": 1, "centre": ["0", "0", "0"], "towards": "+x"}
