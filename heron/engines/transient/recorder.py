"""What one model's runs record: the Huygens surface, losses, wire currents, and the captures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from math import pi, sin
from typing import Any, NamedTuple

import numpy as np

from heron.engines.transient import huygens, samples, sums
from heron.engines.transient.apertures import in_cases
from heron.engines.transient.distant import Distant
from heron.engines.transient.launch import Gate
from heron.engines.transient.pointlike import PointFeed
from heron.engines.transient.room import slowest
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import SCATTERED, Floats, Structure
from heron.engines.transient.sums import Complexes
from heron.excitation.pulse import Pulse, pulse_of
from heron.fields import surface
from heron.fields.planes import folded
from heron.geometry.build import build_frames, frame_matrix
from heron.geometry.places import at_frequencies, capture_points, in_time
from heron.model import Evaluated
from heron.quantities.constants import C0

OVERSAMPLED = 6  # samples per period of the highest frequency in the pulse
CURRENT_POINTS = 21  # frequencies of surface currents when none are asked for
MOST_FLOWS = (
    1e7  # places round an illuminated model by frequencies at which power is taken cell by cell
)
MOST_LOSSY = 200_000  # edges whose losses are recorded for each part of an illuminated model
NEAREST = "nearest grid point"


class Window(NamedTuple):
    """From when to when in s a capture records: each end is a raised cosine, ``soft`` s long."""

    opens: float
    closes: float
    soft: float

    def level(self, time: float) -> float:
        """Share of the field at a time in s that is recorded."""
        return _risen((time - self.opens) / self.soft) * _risen((self.closes - time) / self.soft)


def _risen(turns: float) -> float:
    return 0.5 + 0.5 * sin(pi * min(max(turns, -0.5), 0.5))


class Apart(NamedTuple):
    """Matrices over E and H of a capture that does not record all the time."""

    e: Any
    h: Any
    window: Window


class Near(NamedTuple):
    """A capture: its ``points`` (n, 3), its first rows among the E and H sums, or matrices of its
    own, and what turns values on the grid into those at points beyond mirror planes; ``own``,
    whether it is not of all the time or not interpolated, and not to be taken for the field at its
    points.
    """

    name: str
    own: bool
    points: Floats
    first_e: int
    first_h: int
    sign_e: Floats
    sign_h: Floats
    apart: Apart | None = None


class Sheet(NamedTuple):
    """A capture of surface currents: its faces, its ``matrix`` over H, and its frequencies (f,)."""

    name: str
    faces: samples.Faces
    matrix: Any
    frequency: Floats


class Trace(NamedTuple):
    """A capture against time: its ``points`` (n, 3), matrices over E and H (or none), factors
    beyond mirror planes, and ``interval`` in s, 0 for every sample.
    """

    capture: Any
    points: Floats
    e: Any
    h: Any
    sign_e: Floats
    sign_h: Floats
    interval: float


class Recorder:
    """The sums that all runs record, and what they mean."""

    def __init__(
        self,
        model: Evaluated,
        stepper: Stepper,
        frequency: Floats,
        gates: Sequence[Gate | PointFeed] = (),
    ) -> None:
        s = stepper.structure
        highest = max(
            pulse_of(model.plan, source).highest
            for source in model.illuminations or model.feeds or [None]
        )
        self.every = max(1, int(1 / (OVERSAMPLED * highest * stepper.dt)))
        self.gates = gates
        self.gate_sums = [_gate_sums(stepper, g) for g in self.gates]
        self.frequency, self.networks = frequency, stepper.networks
        e, h = sums.Rows(), sums.Rows()
        low, high = (
            [
                n + sign * (SCATTERED if w else 0)
                for n, w in zip(lines, s.walls[:, side], strict=True)
            ]
            for side, (sign, lines) in enumerate(zip((1, -1), s.inner_lines, strict=True))
        )
        shortest = C0 / model.plan.f_stop / slowest(model)
        self.faces = huygens.huygens(s, low, high, e, h, shortest, bool(model.illuminations))
        self.surface_rows = e.count
        once = np.isin(np.arange(3), s.repeats)
        inner = np.where(once, low, s.box[0] + 2), np.where(once, high, s.box[1] - 2)
        around = sum(4 * a * b for a, b in combinations((inner[1] - inner[0]).tolist(), 2))
        largest = 0.0 if around * len(frequency) < MOST_FLOWS else shortest / huygens.PER_WAVELENGTH
        self.inwards = huygens.flows(s, *inner, e, h, largest) if s.box[1].any() else []
        inside = np.zeros(s.metal.shape, dtype=bool)
        ends = [n + (k not in s.repeats) for k, n in enumerate(high)]
        inside[:, low[0] : ends[0], low[1] : ends[1], low[2] : ends[2]] = True
        polar = (
            np.any([share > 0 for share in stepper.coefficients.pole_shares], axis=0)
            if stepper.coefficients.pole_shares and not model.illuminations
            else False
        )
        self.loss_at = np.flatnonzero(
            ((stepper.coefficients.sigma > 0) | polar) & inside & ~in_cases(s)
        )
        if model.illuminations and len(self.loss_at) > MOST_LOSSY:
            # what all absorb together is known from the flux anyway
            self.loss_at = self.loss_at[:0]
        # Their loss against frequency, as conductivities (f, edges), or (1, edges) where nothing
        # depends on it.
        sigma = stepper.coefficients.sigma.reshape(-1)[None, self.loss_at]
        laws = [
            (d.law, share.reshape(-1)[self.loss_at])
            for d, share in zip(s.dispersions, stepper.coefficients.pole_shares, strict=True)
        ]
        self.loss_root = np.sqrt(
            sum((np.outer(law.loss(frequency), own) for law, own in laws), sigma)
        )
        self.metal = s.metal.reshape(-1)[self.loss_at]
        self.loss_shares = samples.loss_shares(
            s, self.loss_at, self.metal, float(frequency[len(frequency) // 2])
        )
        e.add(
            np.arange(len(self.loss_at)),
            self.loss_at,
            np.sqrt(samples.edge_volumes(s, self.loss_at)),
        )
        self.loss_first = e.count
        e.count += len(self.loss_at)
        self.near: list[Near] = []
        for capture, points, on_grid, sign_e, sign_h in _placed(model, s, at_frequencies):
            window, nearest = (
                window_of(capture, pulse_of(model.plan)),
                getattr(capture, "reading", "") == NEAREST,
            )
            if window is None:
                self.near.append(
                    Near(capture.name, nearest, points, e.count, h.count, sign_e, sign_h)
                )
                samples.interpolated(s, on_grid, e, False, nearest)
                samples.interpolated(s, on_grid, h, True, nearest)
            else:
                of_e, of_h = (
                    _matrix(
                        stepper,
                        lambda rows, m=magnetic, at=on_grid, how=nearest: samples.interpolated(
                            s, at, rows, m, how
                        ),
                    )[0]
                    for magnetic in (False, True)
                )
                self.near.append(
                    Near(
                        capture.name, True, points, 0, 0, sign_e, sign_h, Apart(of_e, of_h, window)
                    )
                )
        self.wire_first = h.count
        for edges in s.wires.values():
            samples.wire_currents(s, edges, h)
        self.sheets, self.traces = _sheets(model, stepper), _traces(model, stepper)
        self.distant = [
            Distant(c, self.faces, s.planes, self.every * stepper.dt, stepper.dt)
            for c in model.captures
            if c is not None and c.kind == "far_trace"
        ]
        self.e_matrix, self.h_matrix = e.matrix(stepper), h.matrix(stepper)

    def lost(self, e: Complexes) -> Complexes:
        """Of E sums (f, q, rows) those whose squares are losses, √W."""
        return np.asarray(
            e[:, :, self.loss_first : self.loss_first + len(self.loss_at)].astype(complex)
            * self.loss_root[:, None, :]
        )


def _gate_sums(stepper: Stepper, gate: Gate | PointFeed) -> tuple[Any, Any]:
    e, h = sums.Rows(), sums.Rows()
    gate.record(stepper.structure, e, h)
    return e.matrix(stepper), h.matrix(stepper)


def _matrix(stepper: Stepper, add: Any) -> tuple[Any, Any]:
    """The matrix of sums that ``add`` writes, and what it returns."""
    rows = sums.Rows()
    found = add(rows)
    return rows.matrix(stepper), found


def _sheets(model: Evaluated, stepper: Stepper) -> list[Sheet]:
    s, out = stepper.structure, []
    for capture in model.captures:
        if (
            capture is not None
            and capture.kind == "surface_current"
            and (not capture.part or capture.part in s.names)
        ):
            matrix, faces = _matrix(
                stepper, lambda rows, part=capture.part: samples.surface_currents(s, part, rows)
            )
            out.append(Sheet(capture.name, faces, matrix, current_frequencies(model.plan, capture)))
    return [sheet for sheet in out if len(sheet.faces.axis)]


def current_frequencies(plan: Any, capture: Any) -> Floats:
    """Those a capture of surface currents asks for, else those of the plan's patterns, else some of
    the band.
    """
    asked = capture.frequencies or plan.pattern_frequencies
    return (
        np.array(sorted(set(asked)))
        if asked
        else np.unique(
            np.linspace(plan.f_start, plan.f_stop, min(CURRENT_POINTS, int(plan.points)))
        )
    )


def window_of(capture: Any, pulse: Pulse) -> Window | None:
    """When a capture records, its ends as long as a period of the pulse's middle; ``None`` for all
    the time.
    """
    opens, closes = (getattr(capture, end, None) for end in ("opens", "closes"))
    if opens is None and closes is None:
        return None
    return Window(
        -np.inf if opens is None else opens, np.inf if closes is None else closes, 1 / pulse.centre
    )


def _placed(
    model: Evaluated, s: Structure, wanted: Callable[[Any], bool]
) -> Iterator[tuple[Any, Floats, Floats, Floats, Floats]]:
    """Captures of some kinds with those of their points between the walls, the same on the grid,
    and what mirror planes do to E and H there.
    """
    frames = build_frames(model, [])
    for capture in model.captures:
        if capture is not None and wanted(capture):
            points = capture_points(capture, frame_matrix(frames, capture.frame))
            points = points[surface.within(points, *s.inner)]
            if len(points):
                yield capture, points, *folded(points, s.planes)


def _traces(model: Evaluated, stepper: Stepper) -> list[Trace]:
    s, out = stepper.structure, []
    for capture, points, on_grid, sign_e, sign_h in _placed(model, s, in_time):
        e, h = (
            _matrix(
                stepper, lambda rows, m=magnetic, at=on_grid: samples.interpolated(s, at, rows, m)
            )[0]
            for magnetic in (False, True)
        )
        still = capture.kind == "snapshots"
        out.append(
            Trace(
                capture,
                points,
                e,
                None if still else h,
                sign_e,
                sign_h,
                capture.interval if still else 0.0,
            )
        )
    return out


@dataclass
class PulseRun:
    """One pulse: transforms at any frequencies of the voltages at gaps and loads (f, P + loads) and
    of the currents from ports (f, P), V s and A s, of the waves a and b (f, modes) at each gate, √W
    s; of E and H sums (f, rows); ``surfaces`` are transforms at their own frequencies, ``apart``
    those of E and H of captures with a window, ``traces`` times and values of E and of H; ``left``
    energy over its largest, ``steps`` done.
    """

    pulse: Pulse
    spectra: Callable[[Floats], tuple[Complexes, Complexes]]
    waves: Callable[[Floats], list[tuple[Complexes, Complexes]]]
    e: Any
    h: Any
    surfaces: list[Any]
    apart: list[tuple[Any, Any]]
    traces: list[tuple[Floats, Any, Any]]
    left: float
    steps: int
    stopped: bool
    reason: str
