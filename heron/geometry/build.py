"""All parts of an evaluated document in world coordinates: wires as paths, solids and sheets as
exact shapes, copies included.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from hashlib import sha256
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any, cast

from heron.errors import HeronError, ModelError
from heron.materials import Conductor
from heron.model import Document, Evaluated
from heron.model.substances import conductors_of
from heron.quantities import engineering
from heron.quantities.constants import C0
from heron.shapes.curves import Path
from heron.shapes.transforms import Matrix, identity, rotation, shift
from heron.steps import kind_of
from heron.steps.contract import BodyKind, ChangeKind, WireKind, bodies

if TYPE_CHECKING:
    from heron.shapes.bodies import Body, Displaced

Files = Callable[[str], bytes]


def beside(model: FilePath) -> Files:
    """Files in the same folder as a model file."""

    def read(name: str) -> bytes:
        path = model.parent / name
        if FilePath(name).name != name or not path.is_file():
            raise ModelError(f"there is no file “{name}” beside {model.name}", ("file",))
        return path.read_bytes()

    return read


def digest_of_imports(document: Document, files: Files | None) -> str:
    """SHA-256 of the files that a document's parts are imported from."""
    made = sha256()
    for part in document.parts:
        name = getattr(part, "file", None)
        if name and files is not None:
            try:
                made.update(files(name))
            except HeronError:
                made.update(b"missing")
    return made.hexdigest()


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
    files: Files | None = None

    def part(self, name: str) -> BuiltPart | None:
        """The wire of a name, if there is one."""
        return next((p for p in self.parts if p.name == name), None)

    def body(self, name: str) -> Body | None:
        """The body of a name, if there is one."""
        return next((b for b in self.bodies if b.name == name), None)

    def find(self, name: str, field: str) -> Body:
        """An earlier solid or sheet.

        :raises ModelError: at the field, when there is none.
        """
        found = self.body(name)
        if found is None:
            wire = " (wires cannot be combined)" if self.part(name) else ""
            known = ", ".join(b.name for b in self.bodies) or "none"
            raise ModelError(
                f"there is no earlier solid or sheet “{name}”{wire}; there are {known}", (field,)
            )
        return found

    def add(self, body: Body) -> None:
        """One more body."""
        self.bodies.append(body)

    def replace(self, old: Body, new: Body) -> None:
        """Bodies in the place of one."""
        self.bodies[self.bodies.index(old)] = new

    @cached_property
    def placed(self) -> Displaced:
        """The bodies once those that overlap have made room for each other."""
        return cast("Displaced", bodies.displace(self.bodies))


def build_geometry(model: Evaluated, files: Files | None = None) -> Geometry:
    """Every part that can be built; each that cannot leaves an error with its path.

    :param files: gives the bytes of an imported file by its name; raises :class:`ModelError` when
        there is none.
    """
    result = Geometry(files=files)
    frames = build_frames(model, result.errors)
    conductors, faults = conductors_of(model)
    result.errors += faults
    if any(kind_of("parts", p.kind).makes != "wire" for p in model.document.parts):
        from heron.shapes.kernel import unit_for

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
            _add(i, step, frames, conductors, result)
        except HeronError as error:
            result.errors.append(error.within("parts", i))
    return result


def _add(
    i: int,
    step: Any,
    frames: dict[str, Matrix],
    conductors: dict[str, Conductor],
    result: Geometry,
) -> None:
    """A part, by what its kind makes."""
    kind = kind_of("parts", step.kind)
    if isinstance(kind, WireKind):
        result.parts.append(_wire(i, step, kind, frames, conductors))
        return
    frame = frame_matrix(frames, step.frame)
    if isinstance(kind, BodyKind):
        result.add(bodies.build(i, step, frame, result.unit, kind.shape))
    elif isinstance(kind, ChangeKind):
        kind.change(i, step, frame, result)


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
    """Of a frame by its name, (4, 4); the world for none.

    :raises ModelError: there is no such frame.
    """
    if name not in frames:
        raise ModelError(f"there is no frame “{name}”", ("frame",))
    return frames[name]


def _wire(
    i: int,
    step: Any,
    kind: WireKind,
    frames: dict[str, Matrix],
    conductors: dict[str, Conductor],
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
    path = kind.path(step)
    if path.length <= 2 * step.radius:
        raise ModelError(
            f"the wire is thicker ({2e3 * step.radius:g} mm) than it is long ({1e3 * path.length:g}"
            " mm); make it thinner or longer",
            ("radius",),
        )
    path = path.mapped(frame_matrix(frames, step.frame))
    return BuiltPart(step.name, i, path, step.radius, conductors[step.material])
