"""Solids and sheets of a document in world coordinates: built step by step, cached, displaced where
they overlap.
"""

from __future__ import annotations

import hashlib
from collections import OrderedDict, defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from types import SimpleNamespace
from typing import Any

import numpy as np

from heron.errors import ModelError
from heron.shapes import operations
from heron.shapes.kernel import (
    FACE,
    SOLID,
    Floats,
    Shape,
    area,
    box,
    combined,
    empty,
    mapped,
    subshapes,
    volume,
)
from heron.shapes.transforms import Matrix

CACHED = 20_000  # results kept between examinations (shapes, figures, meshes)


@dataclass(frozen=True)
class Body:
    """A solid or sheet in world coordinates.

    ``shape`` is the kernel's, in ``unit`` metres; ``key`` names its content, equal keys are equal
    shapes; ``material`` is a name; ``colour`` is from an imported file.
    """

    name: str
    step: int
    shape: Shape
    material: str
    unit: float
    key: str
    priority: int = 0
    colour: str = ""
    imported: bool = False

    @property
    def solid(self) -> bool:
        """Whether it has a volume."""
        return bool(_cache.get(("solid", self.key), lambda: bool(subshapes(self.shape, SOLID))))

    @property
    def volume(self) -> float:
        """m³; 0 for a sheet."""
        return float(_cache.get(("volume", self.key), lambda: volume(self.shape))) * self.unit**3

    @property
    def area(self) -> float:
        """m²: the whole surface of a solid, one side of a sheet."""
        return float(_cache.get(("area", self.key), lambda: area(self.shape))) * self.unit**2

    @property
    def bounds(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,), m; those of imported bodies may be a little wide."""
        low, high = _cache.get(("box", self.key), lambda: box(self.shape, tight=not self.imported))
        return low * self.unit, high * self.unit


class _Cache:
    """Least recently used results by key, shared by all examinations of a process."""

    def __init__(self) -> None:
        self.items: OrderedDict[Any, Any] = OrderedDict()

    def get(self, key: Any, make: Callable[[], Any]) -> Any:
        if key in self.items:
            self.items.move_to_end(key)
            return self.items[key]
        value = self.items[key] = make()
        while len(self.items) > CACHED:
            self.items.popitem(last=False)
        return value


_cache = _Cache()
cached = _cache.get


def key_of(*content: Any) -> str:
    """A digest of evaluated values."""
    return hashlib.sha256(repr([_plain(c) for c in content]).encode()).hexdigest()[:32]


def _plain(value: Any) -> Any:
    if isinstance(value, SimpleNamespace):
        return sorted(
            (k, _plain(v))
            for k, v in vars(value).items()
            if k not in ("comment", "group", "name", "material", "priority", "suspended")
        )
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, (list, tuple)):
        return [_plain(v) for v in value]
    return value


def build(
    i: int, step: Any, frame: Matrix, unit: float, make: Callable[[Any, float], Shape]
) -> Body:
    """A solid or sheet that ``make`` draws from its own sizes in its frame."""
    key = key_of(step, frame, unit)
    shape = cached(("body", key), lambda: mapped(make(step, unit), frame, unit))
    return Body(step.name, i, shape, step.material, unit, key, step.priority)


def combine(i: int, step: Any, find: Callable[[str, str], Body]) -> Body:
    """Fuse, cut, intersect or imprint earlier bodies."""
    first = find(step.first, "first")
    others = [find(name, "others") for name in step.others]
    key = key_of(step.operation, first.key, [o.key for o in others])
    shape = cached(
        ("combined", key), lambda: combined(step.operation, first.shape, [o.shape for o in others])
    )
    if empty(shape):
        words = {
            "cut": "the others remove all of it",
            "intersect": "the parts have nothing in common",
        }
        raise ModelError(
            f"nothing is left: {words.get(step.operation, 'the result is empty')}", ("others",)
        )
    return replace(first, name=step.name, step=i, shape=shape, key=key)


def thicken(i: int, step: Any, source: Body) -> Body:
    """Solids from sheets, by a thickness."""
    key = key_of("thicken", source.key, step.thickness)
    shape = cached(
        ("thick", key), lambda: operations.thickened(source.shape, step.thickness / source.unit)
    )
    return replace(source, name=step.name, step=i, shape=shape, key=key)


def soften(i: int, step: Any, source: Body) -> Body:
    """Rounds or chamfers picked edges."""
    key = key_of(step, source.key)
    shape = cached(("soft", key), lambda: operations.softened(source.shape, step, source.unit))
    return replace(source, name=step.name, step=i, shape=shape, key=key)


def face_sheet(i: int, step: Any, source: Body) -> Body:
    """A sheet from a picked face."""
    key = key_of(step, source.key)
    shape = cached(
        ("face", key), lambda: operations.pick(source.shape, step.pick, FACE, source.unit, "pick")
    )
    return Body(step.name, i, shape, step.material, source.unit, key, step.priority)


def transformed(body: Body, name: str, i: int, m: Matrix) -> Body:
    """A body moved by a matrix (4, 4)."""
    key = key_of("map", body.key, m)
    return replace(
        body,
        name=name,
        step=i,
        shape=cached(("map", key), lambda: mapped(body.shape, m, body.unit)),
        key=key,
    )


@dataclass
class Displaced:
    """What is left of every body after the stronger ones took their room; ``taken`` are pairs
    (weaker, stronger).
    """

    bodies: list[Body] = field(default_factory=list)
    taken: list[tuple[str, str]] = field(default_factory=list)
    vanished: list[Body] = field(default_factory=list)


def near_pairs(lows: Floats, highs: Floats, reach: Floats) -> list[tuple[int, int]]:
    """Index pairs i < j of boxes (n, 3) that come within ``reach`` (n,) of each other, the larger
    counting.
    """
    out: list[tuple[int, int]] = []
    for i in range(len(lows) - 1):
        limit = np.maximum(reach[i], reach[i + 1 :])[:, None]
        near = ((lows[i] - limit <= highs[i + 1 :]) & (lows[i + 1 :] - limit <= highs[i])).all(
            axis=1
        )
        out += [(i, i + 1 + int(j)) for j in np.flatnonzero(near)]
    return out


def displace(bodies: list[Body]) -> Displaced:
    """Where solids of different material overlap, the higher priority stays, among equals the later
    one. Sheets keep their place.
    """
    out = Displaced()
    meeting: dict[int, list[int]] = defaultdict(list)
    if bodies:
        lows, highs = (np.array(side) for side in zip(*(b.bounds for b in bodies), strict=True))
        for i, j in near_pairs(lows, highs, np.zeros(len(bodies))):
            a, b = bodies[i], bodies[j]
            if a.solid and b.solid and a.material != b.material:
                weak, strong = (i, j) if b.priority >= a.priority else (j, i)
                meeting[weak].append(strong)
    for i, body in enumerate(bodies):
        stronger = [bodies[j] for j in meeting[i]]
        stronger = [o for o in stronger if _common(body, o) > 1e-12 * min(body.volume, o.volume)]
        if not stronger:
            out.bodies.append(body)
            continue
        out.taken += [(body.name, o.name) for o in stronger]
        key = key_of("displaced", body.key, [o.key for o in stronger])
        rest = _rest(key, body, stronger)
        if empty(rest):
            out.vanished.append(body)
        else:
            out.bodies.append(replace(body, shape=rest, key=key))
    return out


def _common(a: Body, b: Body) -> float:
    """Volume that two solids share, m³."""
    return float(
        cached(
            ("common", a.key, b.key),
            lambda: volume(combined("intersect", a.shape, [b.shape])) * a.unit**3,
        )
    )


def _rest(key: str, body: Body, stronger: list[Body]) -> Shape:
    return cached(("rest", key), lambda: combined("cut", body.shape, [o.shape for o in stronger]))
