"""What geometry says about solids and sheets before a run."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from heron.geometry import Geometry
from heron.geometry.contacts import Contact
from heron.materials import known_material
from heron.model import Evaluated
from heron.model.substances import conducting, media_of
from heron.problems import Problem
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.shapes.bodies import Body
from heron.steps import kind_of
from heron.steps.contract import BodyKind

# of the band's longest and shortest wavelength: beyond, the unit is suspected
LARGE, SMALL = 100.0, 1e-3
THIN = 1e-4  # of its longest side: a solid this thin is better a sheet


def body_problems(
    model: Evaluated, geometry: Geometry, meetings: list[Contact]
) -> Iterator[Problem]:
    """Unknown materials, bodies that vanish, near misses, sheets inside conductors, slivers,
    suspected units.
    """
    own = {m.name for m in model.materials if m is not None}
    yield from (Problem("error", "invalid", e.message, path=e.path) for e in media_of(model)[1])
    for body in geometry.bodies:
        here = ("parts", body.step)
        if body.material not in own and not known_material(body.material):
            yield Problem(
                "error",
                "invalid",
                f"there is no material “{body.material}”; choose one of the library or add it to"
                " this project",
                path=(*here, "material"),
            )
    for body in geometry.placed.vanished:
        yield Problem(
            "error",
            "vanished",
            f"nothing is left of “{body.name}”: stronger parts take all its room",
            "later parts displace earlier ones unless the priority says otherwise",
            ("parts", body.step, "priority"),
        )
    yield from _near_misses(model, geometry, meetings)
    yield from _buried(model, geometry)
    for body in geometry.placed.bodies:
        yield from _proportions(model, body)


def _near_misses(
    model: Evaluated, geometry: Geometry, meetings: list[Contact]
) -> Iterator[Problem]:
    metal = {b.name for b in geometry.bodies if conducting(model, b.material)} | {
        p.name for p in geometry.parts
    }
    steps = {b.name: b.step for b in geometry.bodies} | {p.name: p.step for p in geometry.parts}
    for c in meetings:
        if c.joined or not {c.first, c.second} & metal:
            continue
        yield Problem(
            "look",
            "near-miss",
            f"“{c.second}” ends {engineering(c.distance, 'm', 3)} from “{c.first}” without"
            " joining it",
            "no current flows across the gap; if the gap is meant, leave it",
            ("parts", steps[c.second]),
            c.at,
            _closing(model, geometry, c),
            "Close the gap",
        )


def _closing(model: Evaluated, geometry: Geometry, c: Contact) -> list[dict[str, object]]:
    """Moves the second part along the one axis on which the two stand apart, when it has a place
    of its own in the world's frame.
    """
    first, second = geometry.body(c.first), geometry.body(c.second)
    if first is None or second is None:
        return []
    source = model.document.parts[second.step]
    kind = kind_of("parts", source.kind)
    place = kind.place if isinstance(kind, BodyKind) else ""
    if not place or source.frame:
        return []
    (low, high), (low2, high2) = first.bounds, second.bounds
    apart = np.maximum(low2 - high, 0) - np.maximum(low - high2, 0)
    axes = np.flatnonzero(np.abs(apart) > 1e-12)
    if len(axes) != 1:
        return []
    axis = int(axes[0])
    old = getattr(source, place)[axis]
    return [
        {
            "path": ["parts", second.step, place, axis],
            "value": f"{old} {'-' if apart[axis] > 0 else '+'} {abs(apart[axis]) * 1e3:.9g} mm",
        }
    ]


def _buried(model: Evaluated, geometry: Geometry) -> Iterator[Problem]:
    """Sheets that lie wholly inside a conductor's box and touch no face of it."""
    solids = [b for b in geometry.placed.bodies if b.solid and conducting(model, b.material)]
    for sheet in geometry.bodies:
        if sheet.solid:
            continue
        low, high = sheet.bounds
        for solid in solids:
            low2, high2 = solid.bounds
            if (low > low2).all() and (high < high2).all() and _inside(solid, sheet):
                yield Problem(
                    "look",
                    "buried",
                    f"the sheet “{sheet.name}” lies inside the conductor “{solid.name}”",
                    "no field reaches it",
                    ("parts", sheet.step),
                )


def _inside(solid: Body, sheet: Body) -> bool:
    from heron.shapes.kernel import combined, empty

    return empty(combined("cut", sheet.shape, [solid.shape]))


def _proportions(model: Evaluated, body: Body) -> Iterator[Problem]:
    low, high = body.bounds
    sides = np.sort(high - low)
    here = ("parts", body.step)
    if body.solid and sides[0] < THIN * sides[2]:
        yield Problem(
            "look",
            "sliver",
            f"“{body.name}” is {sides[2] / max(sides[0], 1e-300):.3g} times longer than thick",
            "a sheet of the same material needs no cells across its thickness",
            here,
        )
    if model.plan is None or not model.plan.f_start > 0:
        return
    size, longest, shortest = (
        float(sides[2]),
        C0 / model.plan.f_start,
        C0 / max(model.plan.f_stop, model.plan.f_start),
    )
    if SMALL * shortest <= size <= LARGE * longest:
        return
    large = size > longest
    ratio = (
        f"{size / longest:.3g} wavelengths"
        if large
        else f"a {shortest / size:.3g}th of the wavelength"
    )
    yield Problem(
        "look",
        "unit",
        f"“{body.name}” is {engineering(size, 'm', 3)} long, {ratio}; is the unit right?",
        f"a length in the wrong unit is a thousand times too {'large' if large else 'small'}",
        here,
    )
