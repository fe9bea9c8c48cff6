"""What a kind of step is: its schema, its sentence, how it is begun, and what is made of it.

A kind is one file that ends in ``KIND = ...`` and one line in its chapter's order. Nothing else
knows it by name: documents are validated, sentences printed and read, menus drawn and parts built
from what stands here.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from importlib import import_module
from typing import TYPE_CHECKING, Any, Literal, Protocol

from numpy import float64
from numpy.typing import NDArray

from heron.steps.fields import Step
from heron.steps.sentence import Sentence

if TYPE_CHECKING:
    from heron.materials import Conductor, Medium
    from heron.shapes.curves import Path

Floats = NDArray[float64]
Found = Iterator[tuple[str, str]]


class Lazy:
    """A module that is loaded when something of it is used: the exact kernel takes a second."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        return getattr(import_module(self._name), name)


exact: Any = Lazy("heron.shapes.primitives")
bodies: Any = Lazy("heron.shapes.bodies")
imports: Any = Lazy("heron.shapes.imports")


@dataclass(frozen=True)
class Chapter:
    """A chapter of the sheet. ``default`` is the kind of a step that names none; ``quiet`` ones are
    not shown while they are empty; of one that is not ``many`` there is always one step. A typed
    step of a ``merged`` one changes the one of its name.
    """

    key: str
    title: str
    many: bool = True
    most: int = 1
    default: str = ""
    quiet: bool = False
    merged: bool = False


CHAPTERS: tuple[Chapter, ...] = (
    Chapter("parameters", "Parameters", most=1000, default="parameter", merged=True),
    Chapter("frames", "Frames", most=200, default="frame", quiet=True),
    Chapter("parts", "Parts", most=2000),
    Chapter("materials", "Materials", most=200, default="conductor"),
    Chapter("feeds", "Feeds", most=64, default="gap"),
    Chapter("loads", "Loads", most=500, default="series", quiet=True),
    Chapter("illuminations", "Illumination", most=20, default="plane_wave", quiet=True),
    Chapter("surround", "Surround", many=False, default="surround"),
    Chapter("refinements", "Refinements", most=100, quiet=True),
    Chapter("captures", "Captures", most=100),
    Chapter("plans", "Plan", most=20, default="plan", merged=True),
    Chapter("studies", "Studies", most=50, default="sweep", quiet=True),
)


@dataclass(frozen=True)
class Entry:
    """A line of the add menu: the group it stands in, its words, and the step it begins with."""

    group: str
    label: str
    step: Mapping[str, Any]


@dataclass(frozen=True)
class Shorthand:
    """A short way to type a step: ``word``, then ``sizes`` as "a x b x c" into these fields, or a
    ``sentence`` of its own.

    ``centred`` parts are typed by their middle in x and y. ``example`` follows the word, if it can
    be typed on an empty sheet. A last unit serves all fields that are ``of_one_unit``; a field has
    the value of another one where it is ``like`` that. A sentence may be of a ``schema`` of its
    own: ``means`` takes what was found, and a function that gives the place of a part nearest to a
    point (expressions), to fields of the kind.
    """

    word: str
    example: str
    sizes: tuple[str, ...] = ()
    centred: bool = False
    sentence: str = ""
    of_one_unit: tuple[str, ...] = ()
    like: Mapping[str, str] = field(default_factory=dict)
    schema: type[Step] | None = None
    means: Callable[[dict[str, Any], Callable[[str, Any], list[str]]], dict[str, Any]] | None = None


@dataclass(frozen=True)
class Pick:
    """A rule that is taken from a click on the stage: at ``path`` of the step, of a face or an
    edge, one more of ``many``, a point, or the whole placement of a frame.
    """

    path: tuple[str, ...]
    of: Literal["face", "edge", "point", "placement"]
    many: bool = False


@dataclass(frozen=True, eq=False)
class Kind:
    """A kind of step.

    ``title`` begins its sentence; ``members`` are what is put at the end of its lists, and
    ``above`` what the member above it then gets where it has nothing. A ``widget`` of the interface
    may stand beside the sentence.
    """

    name: str
    chapter: str
    schema: type[Step]
    title: str
    sentence: str
    menu: tuple[Entry, ...] = ()
    short: tuple[Shorthand, ...] = ()
    picks: tuple[Pick, ...] = ()
    members: Mapping[str, Any] = field(default_factory=dict)
    above: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    widget: str = ""

    @cached_property
    def language(self) -> Sentence:
        """The sentence as a grammar."""
        return Sentence.of(self.sentence, self.schema)

    @cached_property
    def meaning(self) -> str:
        """What it is in a line: the beginning of its schema's description."""
        said = " ".join((self.schema.__doc__ or "").replace("`", "").split())
        return re.split(r"[.;:] |[.;:]$", said)[0]

    def typed(self, short: Shorthand | None) -> Sentence:
        """The sentence that a text is read by, which may be that of a short way to type a step."""
        if short is None or not short.sentence:
            return self.language
        return Sentence.of(short.sentence, short.schema or self.schema)

    @property
    def makes(self) -> str:
        """What other steps may refer to it as."""
        return ""


class Building(Protocol):
    """The geometry that is being built, as steps that use earlier parts may see and change it."""

    parts: list[Any]
    bodies: list[Any]
    unit: float
    wavelength: float | None
    files: Callable[[str], bytes] | None

    def part(self, name: str) -> Any: ...
    def body(self, name: str) -> Any: ...
    def find(self, name: str, field: str) -> Any: ...
    def add(self, body: Any) -> None: ...
    def replace(self, old: Any, new: Any) -> None: ...


@dataclass(frozen=True, eq=False)
class WireKind(Kind):
    """A wire: ``path`` takes an evaluated step to its curve in its own frame, m; ``ends`` names the
    fields of its two end points, where it has them.
    """

    path: Callable[[Any], Path] = field(kw_only=True)
    ends: Callable[[Any], tuple[tuple[str | int, ...], tuple[str | int, ...]] | None] = (
        lambda step: None
    )

    @property
    def makes(self) -> str:
        return "wire"


@dataclass(frozen=True, eq=False)
class BodyKind(Kind):
    """A solid or sheet: ``shape`` takes an evaluated step and the kernel's unit (m) to its exact
    shape in its own frame.

    ``top`` gives the height of its top side as an expression, where its own sizes tell it.
    """

    shape: Callable[[Any, float], Any] = field(kw_only=True)
    sheet: bool = False
    top: Callable[[Any], str | None] = lambda step: None

    @property
    def makes(self) -> str:
        return "body"

    @property
    def place(self) -> str:
        """The field that says where it stands."""
        return next((n for n in ("corner", "centre") if n in self.schema.model_fields), "")


@dataclass(frozen=True, eq=False)
class ChangeKind(Kind):
    """What uses earlier parts: ``change`` takes the number of the step, the evaluated step, its
    frame's matrix and the geometry so far, which it changes.
    """

    change: Callable[[int, Any, Any, Building], None] = field(kw_only=True)
    gives: str = "body"

    @property
    def makes(self) -> str:
        return self.gives


@dataclass(frozen=True, eq=False)
class ImpliedKind(Kind):
    """A feed that brings a part with it: ``implied`` takes the step and the part's name to that
    part and the feed that is on it, whose fields are named as the step's own where they are those.
    """

    implied: Callable[[Any, str], tuple[Step, Step]] = field(kw_only=True)


@dataclass(frozen=True, eq=False)
class MaterialKind(Kind):
    """A material: ``substance`` takes an evaluated step to a conductor or medium.

    It raises :class:`heron.errors.ModelError` with the field that is wrong.
    """

    substance: Callable[[Any], Conductor | Medium] = field(kw_only=True)
    conducts: bool = False

    @property
    def makes(self) -> str:
        return "conductor" if self.conducts else "medium"


@dataclass(frozen=True, eq=False)
class SettingsKind(Kind):
    """Settings of the engine of that name, all with defaults: ``check`` yields a field and what is
    wrong with it, of an evaluated plan and settings.
    """

    check: Callable[[Any, Any], Found] = lambda plan, own: iter(())


@dataclass(frozen=True, eq=False)
class CaptureKind(Kind):
    """What to record: ``points`` are its places (n, 3), m, in its own frame, of fields at
    frequencies or, if ``in_time``, against time; ``outline`` the corners of a line that shows where
    it lies. ``check`` yields a field and what is wrong with it, of an evaluated document and step.
    """

    points: Callable[[Any], Floats] | None = None
    outline: Callable[[Any], Floats] | None = None
    in_time: bool = False
    check: Callable[[Any, Any], Found] = lambda model, step: iter(())
