"""All parts of an evaluated document as paths in world coordinates, copies included."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from heron.errors import HeronError, ModelError
from heron.geometry.curves import Path
from heron.geometry.parts import BUILDERS
from heron.geometry.transforms import Matrix, identity, reflection, rotation, shift
from heron.materials import LIBRARY, Conductor
from heron.model import Evaluated

MAX_COPIES = 1000


@dataclass(frozen=True)
class BuiltPart:
    """A wire: its path (world, m), radius (m), conductor, and the step it comes from."""

    name: str
    step: int
    path: Path
    radius: float
    conductor: Conductor


@dataclass
class Geometry:
    parts: list[BuiltPart] = field(default_factory=list)
    errors: list[HeronError] = field(default_factory=list)

    def part(self, name: str) -> BuiltPart | None:
        return next((p for p in self.parts if p.name == name), None)


def build_geometry(model: Evaluated) -> Geometry:
    """Paths of every part that can be built; each that cannot leaves an error with its path."""
    result = Geometry()
    frames = build_frames(model, result.errors)
    conductors = _conductors(model, result.errors)
    taken: set[str] = set()
    for i, step in enumerate(model.parts):
        source = model.document.parts[i]
        if source.name in taken:
            result.errors.append(ModelError(f"another part is called “{source.name}”", ("parts", i, "name")))
            continue
        taken.add(source.name)
        if step is None or step.suspended:
            continue
        try:
            if step.kind == "copy":
                _copy(i, step, frames, result)
            else:
                result.parts.append(_wire(i, step, frames, conductors))
        except HeronError as error:
            result.errors.append(error.within("parts", i))
    return result


def build_frames(model: Evaluated, errors: list[HeronError]) -> dict[str, Matrix]:
    """World matrix of every frame by name; the empty name is the world itself."""
    frames: dict[str, Matrix] = {"": identity()}
    for i, f in enumerate(model.frames):
        if f is None:
            continue
        if f.within not in frames:
            errors.append(ModelError(f"there is no earlier frame “{f.within}”", ("frames", i, "within")))
            continue
        local = shift(f.origin)
        for axis, angle in zip(((1, 0, 0), (0, 1, 0), (0, 0, 1)), f.turn, strict=True):
            local = local @ rotation(axis, angle)
        frames[f.name] = frames[f.within] @ local
    return frames


def frame_matrix(frames: dict[str, Matrix], name: str) -> Matrix:
    if name not in frames:
        raise ModelError(f"there is no frame “{name}”", ("frame",))
    return frames[name]


def _wire(i: int, step: Any, frames: dict[str, Matrix], conductors: dict[str, Conductor]) -> BuiltPart:
    if step.radius <= 0:
        raise ModelError(f"the radius must be above zero, not {step.radius * 1e3:g} mm", ("radius",))
    if step.material not in conductors:
        known = ", ".join(conductors)
        raise ModelError(f"there is no conductor “{step.material}”; there are {known}", ("material",))
    path = BUILDERS[step.kind](step)
    if path.length <= 2 * step.radius:
        raise ModelError(
            f"the wire is thicker ({2e3 * step.radius:g} mm) than it is long ({1e3 * path.length:g} mm); make it thinner or longer",
            ("radius",),
        )
    path = path.mapped(frame_matrix(frames, step.frame))
    return BuiltPart(step.name, i, path, step.radius, conductors[step.material])


def _copy(i: int, step: Any, frames: dict[str, Matrix], result: Geometry) -> None:
    source = result.part(step.source)
    if source is None:
        raise ModelError(f"there is no earlier part “{step.source}” to copy", ("source",))
    if step.count != int(step.count) or not 1 <= step.count <= MAX_COPIES:
        raise ModelError(f"the number of copies must be a whole number from 1 to {MAX_COPIES}", ("count",))
    operations: dict[str, Callable[[], Matrix]] = {
        "move": lambda: shift(step.by),
        "turn": lambda: rotation(step.axis, step.angle, step.about),
        "mirror": lambda: reflection(step.axis, step.about),
    }
    frame = frame_matrix(frames, step.frame)
    try:
        local = operations[step.operation]()
    except ValueError as error:
        raise ModelError(str(error), ("axis",)) from error
    once = frame @ local @ _inverse(frame)
    total = identity()
    if not step.keep:
        result.parts.remove(source)
    for k in range(1, int(step.count) + 1):
        total = once @ total
        name = step.name if step.count == 1 else f"{step.name}.{k}"
        result.parts.append(BuiltPart(name, i, source.path.mapped(total), source.radius, source.conductor))


def _inverse(m: Matrix) -> Matrix:
    out = identity()
    out[:3, :3] = m[:3, :3].T
    out[:3, 3] = -m[:3, :3].T @ m[:3, 3]
    return out


def _conductors(model: Evaluated, errors: list[HeronError]) -> dict[str, Conductor]:
    known = dict(LIBRARY)
    for i, m in enumerate(model.materials):
        if m is None:
            continue
        if m.conductivity <= 0:
            errors.append(ModelError("the conductivity must be above zero", ("materials", i, "conductivity")))
            continue
        known[m.name] = Conductor(m.name, m.conductivity, "this project")
    return known
