"""All parts of an evaluated document in world coordinates: wires as paths, solids and sheets as
exact shapes, copies included.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

from heron.errors import HeronError, ModelError
from heron.geometry.curves import Path
from heron.geometry.parts import BUILDERS
from heron.geometry.transforms import Matrix, identity, reflection, rotation, scaling, shift
from heron.materials import Conductor
from heron.model import Evaluated
from heron.model.substances import conductors_of
from heron.quantities import engineering
from heron.quantities.constants import C0

if TYPE_CHECKING:
    from heron.geometry.bodies import Body, Displaced

MAX_COPIES = 1000
Files = Callable[[str], bytes]


def beside(model: FilePath) -> Files:
    """Files in the same folder as a model file."""

    def read(name: str) -> bytes:
        path = model.parent / name
        if FilePath(name).name != name or not path.is_file():
            raise ModelError(f"there is no file “{name}” beside {model.name}", ("file",))
        return path.read_bytes()

    return read


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
    """Wires in ``parts``; solids and sheets as drawn in ``bodies``.

    ``unit`` is the kernel's length unit in m; ``wavelength`` that at the top of the band in m, if
    there is one.
    """

    parts: list[BuiltPart] = field(default_factory=list)
    bodies: list[Body] = field(default_factory=list)
    errors: list[HeronError] = field(default_factory=list)
    unit: float = 1e-3
    wavelength: float | None = None

    def part(self, name: str) -> BuiltPart | None:
        return next((p for p in self.parts if p.name == name), None)

    def body(self, name: str) -> Body | None:
        return next((b for b in self.bodies if b.name == name), None)

    @cached_property
    def placed(self) -> Displaced:
        """The bodies once those that overlap have made room for each other."""
        from heron.geometry.bodies import displace

        return displace(self.bodies)


def build_geometry(model: Evaluated, files: Files | None = None) -> Geometry:
    """Every part that can be built; each that cannot leaves an error with its path.

    :param files: gives the bytes of an imported file by its name; raises :class:`ModelError` when
        there is none.
    """
    result = Geometry()
    frames = build_frames(model, result.errors)
    conductors, faults = conductors_of(model)
    result.errors += faults
    if any(p.kind not in BUILDERS for p in model.document.parts):
        from heron.geometry.exact.kernel import unit_for

        result.wavelength = C0 / max(model.plan.f_stop, 1e-9) if model.plan is not None else None
        result.unit = unit_for(result.wavelength)
    taken: set[str] = set()
    for i, step in enumerate(model.parts):
        source = model.document.parts[i]
        if source.name in taken:
            result.errors.append(
                ModelError(f"another part is called “{source.name}”", ("parts", i, "name"))
            )
            continue
        taken.add(source.name)
        if step is None or step.suspended:
            continue
        try:
            if step.kind in BUILDERS:
                result.parts.append(_wire(i, step, frames, conductors))
            elif step.kind == "copy":
                _copy(i, step, frames, result)
            else:
                _body(i, step, frames, result, files)
        except HeronError as error:
            result.errors.append(error.within("parts", i))
    return result


def _body(
    i: int, step: Any, frames: dict[str, Matrix], result: Geometry, files: Files | None
) -> None:
    """A solid or sheet, or a change of earlier ones."""
    from heron.geometry import bodies

    def find(name: str, field_name: str) -> Body:
        found = result.body(name)
        if found is None:
            wire = " (wires cannot be combined)" if result.part(name) else ""
            known = ", ".join(b.name for b in result.bodies) or "none"
            raise ModelError(
                f"there is no earlier solid or sheet “{name}”{wire}; there are {known}",
                (field_name,),
            )
        return found

    frame = frame_matrix(frames, step.frame)
    if step.kind == "combine":
        if step.first in step.others:
            raise ModelError("a part cannot be combined with itself", ("others",))
        made = bodies.combine(i, step, find)
        if not step.keep:
            spent = {step.first} if step.operation == "imprint" else {step.first, *step.others}
            result.bodies = [b for b in result.bodies if b.name not in spent]
        result.bodies.append(made)
    elif step.kind in ("thicken", "edges"):
        source = find(step.source, "source")
        changed = (bodies.thicken if step.kind == "thicken" else bodies.soften)(i, step, source)
        result.bodies[result.bodies.index(source)] = changed
    elif step.kind == "face":
        result.bodies.append(bodies.face_sheet(i, step, find(step.source, "source")))
    elif step.kind == "import":
        from heron.geometry.imports import imported

        result.bodies += imported(i, step, frame, result.unit, files, result.wavelength)
    else:
        result.bodies.append(bodies.build(i, step, frame, result.unit))


def build_frames(model: Evaluated, errors: list[HeronError]) -> dict[str, Matrix]:
    """World matrix of every frame by name; the empty name is the world itself."""
    frames: dict[str, Matrix] = {"": identity()}
    for i, f in enumerate(model.frames):
        if f is None:
            continue
        if f.within not in frames:
            errors.append(
                ModelError(f"there is no earlier frame “{f.within}”", ("frames", i, "within"))
            )
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


def _wire(
    i: int, step: Any, frames: dict[str, Matrix], conductors: dict[str, Conductor]
) -> BuiltPart:
    if step.radius <= 0:
        raise ModelError(
            f"the radius must be above zero, not {engineering(step.radius, 'm')}", ("radius",)
        )
    if step.material not in conductors:
        known = ", ".join(conductors)
        raise ModelError(
            f"there is no conductor “{step.material}”; there are {known}", ("material",)
        )
    path = BUILDERS[step.kind](step)
    if path.length <= 2 * step.radius:
        raise ModelError(
            f"the wire is thicker ({2e3 * step.radius:g} mm) than it is long ({1e3 * path.length:g}"
            " mm); make it thinner or longer",
            ("radius",),
        )
    path = path.mapped(frame_matrix(frames, step.frame))
    return BuiltPart(step.name, i, path, step.radius, conductors[step.material])


def _copy(i: int, step: Any, frames: dict[str, Matrix], result: Geometry) -> None:
    from heron.geometry import bodies

    source, body = result.part(step.source), result.body(step.source)
    if source is None and body is None:
        raise ModelError(f"there is no earlier part “{step.source}” to copy", ("source",))
    if step.count != int(step.count) or not 1 <= step.count <= MAX_COPIES:
        raise ModelError(
            f"the number of copies must be a whole number from 1 to {MAX_COPIES}", ("count",)
        )
    if step.operation == "scale" and (source is not None or step.factor <= 0):
        raise ModelError(
            (
                "a wire cannot be scaled; scale its lengths by a parameter"
                if source
                else "the factor must be above zero"
            ),
            ("factor",),
        )
    operations: dict[str, Callable[[], Matrix]] = {
        "move": lambda: shift(step.by),
        "turn": lambda: rotation(step.axis, step.angle, step.about),
        "mirror": lambda: reflection(step.axis, step.about),
        "scale": lambda: scaling(step.factor, step.about),
    }
    frame = frame_matrix(frames, step.frame)
    try:
        local = operations[step.operation]()
    except ValueError as error:
        raise ModelError(str(error), ("axis",)) from error
    once = frame @ local @ _inverse(frame)
    total = identity()
    if not step.keep:
        result.parts = [p for p in result.parts if p is not source]
        result.bodies = [b for b in result.bodies if b is not body]
    for k in range(1, int(step.count) + 1):
        total = once @ total
        name = step.name if step.count == 1 else f"{step.name}.{k}"
        if source is not None:
            result.parts.append(
                BuiltPart(name, i, source.path.mapped(total), source.radius, source.conductor)
            )
        if body is not None:
            result.bodies.append(bodies.transformed(body, name, i, total))


def _inverse(m: Matrix) -> Matrix:
    out = identity()
    out[:3, :3] = m[:3, :3].T
    out[:3, 3] = -m[:3, :3].T @ m[:3, 3]
    return out
