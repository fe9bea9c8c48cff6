"""Modes of the opening of a line or guide feed over frequency, without a run."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from heron.engines.transient.launch import WATCHED, families, section, undispersed
from heron.engines.transient.modes import conductors, cut_offs, impedance, kind, solve
from heron.engines.transient.openings import Aperture
from heron.engines.transient.stepper import Stepper
from heron.engines.transient.structure import Averages, Dispersion, Floats, Structure
from heron.engines.transient.sums import Complexes
from heron.errors import ModelError
from heron.excitation.pulse import pulse_of
from heron.model import Evaluated
from heron.quantities import engineering
from heron.quantities.constants import C0

AROUND = 4  # layers of cells on either side of a feed's plane that its modes depend on


@dataclass(frozen=True)
class Study:
    """Modes over frequency (f,) Hz: effective ``index`` and ``impedance`` in Ω (f, modes), complex;
    ``cut_off`` (modes,) Hz, 0 for those of a line.

    At ``at`` Hz, ``kinds`` (modes,) and E in the middles of cells (modes, na, nb, 2) along the two
    axes across the feed's, of unit largest magnitude; ``u`` (na + 1,) and ``v`` (nb + 1,) are lines
    in m along the ``axes``, ``inside`` (na, nb) the cells that belong to the opening. ``following``
    are the cut-offs in Hz of the modes beyond those. ``index_error`` and ``impedance_error`` in Ω
    (f, modes) are ``None`` where nothing is known.
    """

    frequency: Floats
    index: Complexes
    impedance: Complexes
    cut_off: Floats
    kinds: list[str]
    at: float
    field: Complexes
    u: Floats
    v: Floats
    axes: tuple[int, int]
    inside: NDArray[np.bool_]
    following: Floats
    index_error: Floats | None = None
    impedance_error: Floats | None = None


def study(
    s: Structure, model: Evaluated, feed: int, count: int, at: float, points: int = 41
) -> Study:
    """The ``count`` first modes of feed number ``feed`` of the document on a filled structure, over
    the band of the plan.

    :raises ModelError: it is no line or guide feed; its opening was not found; nothing travels
        there; ``at`` Hz lies outside the band.
    """
    found = next((p for p in s.apertures if p.number == feed), None)
    if found is None:
        error = next((e for e in s.errors if e.path[:2] == ("feeds", feed)), None)
        raise error or ModelError("there is no line or guide feed of this number", ("feeds", feed))
    plan = model.plan
    if not plan.f_start <= at <= plan.f_stop:
        band = f"{engineering(plan.f_start, 'Hz')} to {engineering(plan.f_stop, 'Hz')}"
        raise ModelError(
            f"{engineering(at, 'Hz')} lies outside the band, {band}, over which modes are followed"
        )
    thin, p = _around(s, found)
    stepper = Stepper(thin, np.zeros(0))
    own = families(stepper, p, pulse_of(plan), count + WATCHED, plan.f_stop)[:count]
    frequency = np.linspace(plan.f_start, plan.f_stop, points)
    middle = section(stepper, p, at)
    as_waves = undispersed(frequency, stepper.dt)
    ohms = np.array(
        [
            [impedance(of, family.mode(float(f)), p.ratio) for family in own]
            for f, of in ((f, section(stepper, p, float(f))) for f in as_waves)
        ]
    )
    free = int(conductors(middle).max())
    cuts = cut_offs(middle, count + WATCHED)
    shown = [family.mode(at) for family in own]
    index: Any = (
        np.array([family.continuum(frequency, stepper.dt) for family in own]).T
        * C0
        / (2 * np.pi * frequency)[:, None]
    )
    begin = np.array(
        [family.cut_off or (0.0 if k < free else cuts[k - free]) for k, family in enumerate(own)]
    )
    u, v = (s.lines[q][lo : hi + 1] for q, lo, hi in zip(p.across, p.low, p.high, strict=True))
    inside = ~(p.shut[0][:, :-1] & p.shut[0][:, 1:] & p.shut[1][:-1] & p.shut[1][1:])
    return Study(
        frequency,
        index,
        ohms,
        begin,
        [kind(middle, m) for m in shown],
        at,
        np.array([_in_cells(p, m.e) for m in shown]),
        u,
        v,
        p.across,
        inside,
        cuts[max(count - free, 0) :],
    )


@dataclass(frozen=True)
class Travel:
    """Of an opening: ``low`` and ``high`` (modes,) whether each of its first modes travels at the
    ends of the band; ``cut_off`` Hz of those that have one.
    """

    low: list[bool]
    high: list[bool]
    free: int
    cut_off: Floats


def travel(s: Structure, model: Evaluated, p: Aperture, count: int) -> Travel:
    """Which of the first ``count`` modes of an opening travel in the band.

    :raises ModelError: nothing travels there.
    """
    thin, own = _around(s, p)
    stepper = Stepper(thin, np.zeros(0))
    ends = [section(stepper, own, f) for f in (model.plan.f_start, model.plan.f_stop)]
    low, high = ([m.beta2.real > 0 for m in solve(end, count)] for end in ends)
    return Travel(low, high, int(conductors(ends[1]).max()), cut_offs(ends[1], count))


def _in_cells(p: Aperture, e: Complexes) -> Complexes:
    """(na, nb, 2): means of the edges on both sides of every cell, of unit largest magnitude."""
    na, nb = p.high[0] - p.low[0], p.high[1] - p.low[1]
    a, b = e[: na * (nb + 1)].reshape(na, nb + 1), e[na * (nb + 1) :].reshape(na + 1, nb)
    out = np.stack((0.5 * (a[:, 1:] + a[:, :-1]), 0.5 * (b[1:] + b[:-1])), axis=-1)
    return np.asarray(out / max(float(np.linalg.norm(out, axis=-1).max()), 1e-30))


def _around(s: Structure, p: Aperture) -> tuple[Structure, Aperture]:
    """The layers of cells about an opening as a structure of their own, and the opening in it."""
    low, high = max(p.line - AROUND, 0), min(p.line + AROUND, s.shape[p.axis])
    lines = list(s.lines)
    lines[p.axis] = s.lines[p.axis][low : high + 1]

    def cells(values: Any) -> Any:
        return np.take(values, range(low, high), axis=p.axis)

    def nodes(values: Any) -> Any:
        return np.take(values, range(low, high + 1), axis=p.axis + 1)

    walls = s.walls.copy()
    walls[p.axis] = 0
    thin = Structure(
        lines[0],
        lines[1],
        lines[2],
        walls,
        cells(s.epsilon),
        cells(s.sigma),
        cells(s.mu),
        nodes(s.metal),
        nodes(s.conducts),
        nodes(s.free_edge),
        nodes(s.free_face),
        {},
        {},
        planes=[q for q in s.planes if q.axis != p.axis],
        largest=s.largest,
        lowest=s.lowest,
        middle=s.middle,
        means=None if s.means is None else (cells(s.means[0]), cells(s.means[1])),
        dispersions=[Dispersion(d.name, d.law, cells(d.share), d.whole) for d in s.dispersions],
        solid=None if s.solid is None else cells(s.solid),
        averages=None
        if s.averages is None
        else Averages(*(nodes(values) for values in vars(s.averages).values())),
    )
    return thin, replace(p, line=p.line - low, end=p.end - low)
