"""Point dipoles as feeds: a current moment at a point, and its port.

The moment is spread over the edges about the point with the weights by which the field there is
read, so that the scheme stays reciprocal. The port's impedance is −E·u/moment, over that of the
same dipole alone in the same cells and medium, which is solved for on a small grid of its own: of
that the reactance is the cells' (the field of a point has no bound) and is left out, and the
resistance is that of radiation, η k²/6π for an electric moment (Balanis, *Antenna Theory*, ch. 4).
So a dipole alone is matched, and its S11 is what its surroundings send back.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from heron.engines.transient import samples, sums
from heron.engines.transient.incidence import EARLY, Incidence, Longs
from heron.engines.transient.kernels.tables import Entry
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import LAYERS, Floats, Structure
from heron.engines.transient.sums import Complexes, Rows
from heron.excitation.pulse import Pulse
from heron.quantities.constants import C0

BESIDE = 16  # cells on each side of a dipole that is solved for alone
RINGS = 12.0  # times across that grid, after the pulse, until nothing is left of it
SAMPLED = 8  # samples per period of the pulse's highest frequency, of that grid


@dataclass
class PointFeed:
    """A dipole of feed ``feed`` ready to run: edges ``at`` (n,) of one field with the weights (n,)
    that read it, and its field alone.
    """

    feed: int
    magnetic: bool
    at: Longs
    weight: Floats
    scale: float
    delay: float
    pulse: Pulse
    alone: tuple[Floats, Floats]

    driven = 1
    impedance = (1.0,)

    def numbered(self, mode: int) -> int:
        """None of a guide's: zero, as of a gap."""
        return 0

    def others(self, frequency: Floats, a: Complexes, b: Complexes) -> None:
        """It has no other modes to watch."""

    def record(self, s: Structure, e: Rows, h: Rows) -> None:
        """Adds the field along the dipole."""
        rows = h if self.magnetic else e
        rows.add(np.zeros(len(self.at)), self.at, self.weight)
        rows.count += 1

    def moment(self, frequency: Floats) -> Complexes:
        """The spectrum (f,) of its moment when it is driven, A m s or V m s."""
        return np.asarray(
            self.scale
            * self.pulse.spectrum(frequency)
            * np.exp(-2j * np.pi * frequency * self.delay)
        )

    def own(self, frequency: Floats) -> Complexes:
        """Impedance (f,) alone, per moment."""
        times, values = self.alone
        return np.asarray(
            -(np.exp(-2j * np.pi * np.outer(frequency, times)) @ values * (times[1] - times[0]))
            / self.moment(frequency)
        )

    def waves(
        self, frequency: Floats, e: Complexes, h: Complexes, driven: bool
    ) -> tuple[Complexes, Complexes]:
        """a and b (f, 1), √W, from transforms (f, 1) of the field along it; of a magnetic one with
        the phase of the current in the loop that it stands for, M = jωμ0 I A, as ports of both
        kinds are reciprocal with each other only so.
        """
        own = self.own(frequency)
        current = self.moment(frequency) * float(driven)
        volts = -(h if self.magnetic else e)[:, 0] - 1j * own.imag * current
        root = np.sqrt(own.real)
        if self.magnetic:
            volts, current = -1j * volts, -1j * current
        return ((volts / root + root * current) / 2)[:, None], (
            (volts / root - root * current) / 2
        )[:, None]

    def launch(self, stepper: Stepper, mode: int, start: float) -> Incidence:
        """Its moment as the pulse has it."""
        samples = int((self.pulse.duration + self.delay) / stepper.dt) + 8 * EARLY
        # a current flows half a step after the field that it changes
        later = 0.0 if self.magnetic else 0.5
        signal = self.scale * self.pulse(
            (np.arange(samples) - EARLY + later) * stepper.dt - self.delay
        )
        entry, none = (
            _entry(stepper, self.at[:count], self.weight[:count], self.magnetic)
            for count in (len(self.at), 0)
        )
        of_e, of_h = (none, entry) if self.magnetic else (entry, none)
        return Incidence(
            np.ascontiguousarray(signal[None, :, None], dtype=np.float32),
            of_e,
            of_h,
            self.delay,
            self.delay,
        )


def point_feed(stepper: Stepper, number: int, feed: Any, pulse: Pulse) -> PointFeed:
    """Feed ``number``, an evaluated step of a model; its moment is such that alone the pulse stands
    for a wave of as many √W, in its middle.
    """
    s, point = stepper.structure, np.array(feed.centre, dtype=float)
    small = Stepper(
        _about(s, point, float(s.epsilon[cell_of(s, point)])), np.zeros(0), dt=stepper.dt
    )
    magnetic, delay = feed.moment == "magnetic", (EARLY + 2) * stepper.dt
    alone = PointFeed(
        number,
        magnetic,
        *reading(small.structure, feed),
        1.0,
        delay,
        pulse,
        (np.zeros(0), np.zeros(0)),
    )
    times, field = alone.alone = _solved(small, alone)
    scale = float(1 / np.sqrt(alone.own(np.array([pulse.centre])).real[0]))
    return PointFeed(
        number, magnetic, *reading(s, feed), scale, delay, pulse, (times, scale * field)
    )


def reading(s: Structure, feed: Any) -> tuple[Longs, Floats]:
    """Edges, or faces of a magnetic dipole, with the weights that give the field along it at its
    place; each once.
    """
    rows = Rows()
    samples.interpolated(s, np.array([feed.centre], dtype=float), rows, feed.moment == "magnetic")
    along = np.array(feed.along, dtype=float)
    along /= np.linalg.norm(along)
    at, row, weight = (np.concatenate(x) for x in (rows.at, rows.row, rows.weight))
    places, number = np.unique(at, return_inverse=True)
    total = np.bincount(number, weight * along[row])
    return places[total != 0], total[total != 0]


def cell_of(s: Structure, point: Floats) -> tuple[int, int, int]:
    """The cell that a point lies in."""
    i, j, k = (
        int(np.clip(np.searchsorted(line, at, side="right") - 1, 0, len(line) - 2))
        for line, at in zip(s.lines, point, strict=True)
    )
    return i, j, k


def _about(s: Structure, point: Floats, epsilon: float) -> Structure:
    """The cells about a point with one medium in them, in absorbing layers."""
    lines = []
    for line, place in zip(s.lines, point, strict=True):
        middle = int(np.clip(np.searchsorted(line, place), 1, len(line) - 2))
        inner = line[max(0, middle - BESIDE) : middle + BESIDE + 1]
        low, high = inner[1] - inner[0], inner[-1] - inner[-2]
        short = 2 * BESIDE + 1 - len(inner)
        below = LAYERS + (short if middle < BESIDE else 0)
        above = LAYERS + (0 if middle < BESIDE else short)
        lines.append(
            np.concatenate(
                (
                    inner[0] - low * np.arange(below, 0, -1),
                    inner,
                    inner[-1] + high * np.arange(1, above + 1),
                )
            )
        )
    x, y, z = lines
    shape = len(x) - 1, len(y) - 1, len(z) - 1
    nodes = (3, *(n + 1 for n in shape))
    even = np.ones(nodes, dtype=np.float32)
    return Structure(
        x,
        y,
        z,
        np.full((3, 2), LAYERS),
        np.full(shape, epsilon),
        np.zeros(shape),
        np.ones(shape),
        np.zeros(nodes, dtype=bool),
        np.full(nodes, np.inf, dtype=np.float32),
        even,
        even.copy(),
        {},
        {},
        lowest=s.lowest,
    )


def _solved(stepper: Stepper, feed: PointFeed) -> tuple[Floats, Floats]:
    """Times (n,) and the field along a dipole that is alone on a grid."""
    s, dt = stepper.structure, stepper.dt
    stepper.light = feed.launch(stepper, 0, 0.0).light
    rows = Rows(), Rows()
    feed.record(s, *rows)
    series = sums.Series(rows[1 if feed.magnetic else 0].matrix(stepper))
    every = max(1, int(1 / (SAMPLED * feed.pulse.highest * dt)))
    across = max(float(np.ptp(line)) for line in s.lines) * np.sqrt(float(s.epsilon.max()))
    none = np.zeros((every, 0))
    steps = int((feed.pulse.duration + feed.delay + RINGS * across / C0) / dt)
    for n in range(every, steps, every):
        stepper.advance(none, none, none)
        series.add_sample(
            stepper.flat_h if feed.magnetic else stepper.flat_e,
            (n - 0.5 if feed.magnetic else n) * dt,
        )
    times, values = series.total()
    return times, np.asarray(values[:, 0], dtype=float)


def _entry(stepper: Stepper, at: Longs, weight: Floats, magnetic: bool) -> Entry:
    """What a moment of one adds at its edges in a step: −Δt/ε of its density, the share of each
    over the volume it stands for.
    """
    s = stepper.structure
    nodes = (3, *(n + 1 for n in s.shape))
    c, i, j, k = np.unravel_index(at, nodes)
    coefficient = (
        stepper.magnetic_at(c, i, j, k) if magnetic else stepper.electric_at(c, i, j, k)[1]
    )
    volume = samples.face_volumes(s, at) if magnetic else samples.edge_volumes(s, at)
    flat_row = i * (s.shape[1] + 1) + j
    order = np.lexsort((at, flat_row))
    taps = np.zeros((len(at), 4), dtype=np.float32)
    taps[:, 1] = (-coefficient * weight / volume)[order]
    first = np.searchsorted(flat_row[order], np.arange((s.shape[0] + 1) * (s.shape[1] + 1) + 1))
    return Entry(
        stepper.layout.flat_number(at[order]),
        first.astype(np.int64),
        np.zeros(len(at), dtype=np.int64),
        np.full(len(at), EARLY - 1),
        taps,
        np.ones((len(at), 1), dtype=np.float32),
    )
