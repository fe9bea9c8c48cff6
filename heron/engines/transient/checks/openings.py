"""Line and guide feeds on a grid."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha256
from typing import Any

import numpy as np

from heron.engines.transient.launch import NEAREST
from heron.engines.transient.study import Travel, travel
from heron.errors import HeronError
from heron.geometry import Geometry
from heron.model import Evaluated
from heron.model.feeds import ports_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.shapes.bodies import cached


def aperture_problems(model: Evaluated, geometry: Geometry, discretisation: Any) -> list[Problem]:
    """Openings whose modes do not travel in the band, or of which more do than are asked for; wires
    through them.
    """
    return [
        p
        for aperture in discretisation.structure.apertures
        for p in _of_aperture(model, discretisation.structure, aperture)
    ]


def _of_aperture(model: Evaluated, s: Any, p: Any) -> Iterator[Problem]:
    here, feed = ("feeds", p.number), model.feeds[p.number]
    if any(_within(p, edge) for edges in s.wires.values() for edge in edges):
        yield Problem(
            "error",
            "invalid",
            f"a thin wire runs through the opening of port {feed.number}, whose modes need solid"
            " conductors",
            "draw it as a rod or cylinder there",
            (*here, "centre"),
        )
        return
    count = len(ports_of(feed))
    try:
        found: Travel = cached(_key(s, p, model, count), lambda: travel(s, model, p, count + 1))
    except HeronError as error:
        yield Problem("error", "invalid", error.message, path=error.within(*here).path)
        return
    start, stop = (engineering(f, "Hz", 4) for f in (model.plan.f_start, model.plan.f_stop))
    for n in range(count):
        if not found.low[n]:
            begins = (
                f" below {engineering(found.cut_off[n - found.free], 'Hz', 4)}"
                if 0 <= n - found.free < len(found.cut_off)
                else ""
            )
            yield Problem(
                "error",
                "cut-off",
                f"mode {n + 1} of port {feed.number} is cut off{begins}, and the band begins at"
                f" {start}",
                (
                    "ask for fewer modes, or raise the band"
                    if n
                    else "raise the band, or feed a larger guide"
                ),
                (*here, "modes" if n else "centre"),
            )
            return
    for n in range(found.free, count):
        cut = float(found.cut_off[n - found.free]) if n - found.free < len(found.cut_off) else 0.0
        if model.plan.f_start < NEAREST * cut:
            above = 100 * (model.plan.f_start / cut - 1)
            yield Problem(
                "error",
                "near-cut-off",
                f"the band begins {above:.1f} % above the cut-off of mode {n + 1} of port"
                f" {feed.number}, {engineering(cut, 'Hz', 4)}, where pulses hardly move and ring"
                " for too long",
                f"begin the band at {engineering(NEAREST * cut, 'Hz', 4)} or above",
                (*here, "centre"),
            )
            return
    if found.high[count]:
        first = count - found.free
        begins = (
            engineering(found.cut_off[first], "Hz", 4) if 0 <= first < len(found.cut_off) else start
        )
        yield Problem(
            "look",
            "next-mode",
            f"at port {feed.number} mode {count + 1} propagates from {begins} on, and the band ends"
            f" at {stop}",
            "what enters that mode is taken up unseen: ask for more modes, or make the opening"
            " smaller",
            (*here, "modes"),
        )


def _within(p: Any, edge: Any) -> bool:
    """Whether an edge of a wire touches the window of an opening, from its plane to the end of its
    case.
    """
    c, *node = edge[:4]
    low, high = min(p.line - p.sign, p.end, p.line), max(p.line + p.sign, p.end, p.line)
    reach = [(node[k], node[k] + (c == k)) for k in range(3)]
    spans = {p.axis: (low, high)} | {q: (p.low[n], p.high[n]) for n, q in enumerate(p.across)}
    return all(reach[k][0] <= spans[k][1] and reach[k][1] >= spans[k][0] for k in range(3))


def _key(s: Any, p: Any, model: Evaluated, count: int) -> tuple[Any, ...]:
    """What the modes of an opening depend on, so that they are solved for once while a model is
    being edited elsewhere.
    """
    layers = slice(min(p.line, p.behind) - 1, max(p.line, p.behind) + 2)
    own = [
        p.window(values, (1, 1))[layers]
        for field in (s.metal, s.free_edge, s.free_face, s.conducts)
        for values in field
    ]
    own += [
        p.window(values, (0, 0))[layers]
        for values in (s.epsilon, s.sigma, s.mu, *(d.share for d in s.dispersions))
    ]
    own += [
        np.diff(s.lines[q])[low:high] for q, low, high in zip(p.across, p.low, p.high, strict=True)
    ]
    digest = sha256(b"".join(np.ascontiguousarray(values).tobytes() for values in own)).digest()
    step = float(s.lines[p.axis][p.line] - s.lines[p.axis][p.line - p.sign])
    return (
        "travel",
        digest,
        p.axis,
        p.low,
        p.high,
        step,
        model.plan.f_start,
        model.plan.f_stop,
        count,
        *(repr(d.law) for d in s.dispersions),
    )
