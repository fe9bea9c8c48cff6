"""The schema of a project's model, version 1.

Every size is an expression; angles are radians or "30 deg".
"""

from __future__ import annotations

import hashlib
import json
from typing import Annotated, Any, Literal, get_args

from pydantic import Discriminator, Field, Tag, ValidationError, model_validator

from heron.errors import ModelError
from heron.model.fields import (
    Capacitance,
    Direction,
    FieldStrength,
    Frequency,
    Inductance,
    Length,
    Name,
    Number,
    ParameterName,
    Point,
    Resistance,
    Step,
    Time,
)
from heron.model.materials import Material
from heron.model.parts import PART_KINDS, Part

VERSION: Literal[1] = 1


class Parameter(Step):
    """A named quantity; ``unit`` is the unit it is shown in and, when given, fixes its dimension;
    ``low`` to ``high`` is where it makes sense.
    """

    name: ParameterName
    expression: Annotated[str, Field(max_length=1000)]
    unit: Annotated[str, Field(max_length=20)] = ""
    comment: Annotated[str, Field(max_length=200)] = ""
    low: Annotated[str, Field(max_length=200)] = ""
    high: Annotated[str, Field(max_length=200)] = ""


class Frame(Step):
    """A local coordinate system: turned about its own x, then y, then z axis, then placed at
    ``origin``.
    """

    name: Name
    origin: Point = ("0", "0", "0")
    turn: tuple[Number, Number, Number] = ("0", "0", "0")
    within: str = ""


class Source(Step):
    """What sends power in.

    In time its pulse covers ``pulse_start`` to ``pulse_stop``; where one is not given, what the
    plan's covers.
    """

    pulse_start: Frequency | None = None
    pulse_stop: Frequency | None = None


class Feed(Source):
    """A gap feed on a wire part, at the fraction ``at`` of its length.

    The gap's field is uniform over ``width`` (default: the wire's diameter). The source behind the
    reference impedance offers ``amplitude``² watts; amplitude 0 only terminates. Between the port
    and the gap there may be R, L and C, in ``series`` with each other and the gap, or all
    ``parallel`` to it.
    """

    kind: Literal["gap"] = "gap"
    number: Annotated[int, Field(ge=1, le=64)]
    part: str
    at: Number = "0.5"
    width: Length | None = None
    impedance: Resistance = "50 ohm"
    amplitude: Number = "1"
    phase: Number = "0"
    network: Literal["none", "series", "parallel"] = "none"
    resistance: Resistance | None = None
    inductance: Inductance | None = None
    capacitance: Capacitance | None = None


class ModeFeed(Source):
    """The mode of a line (microstrip, stripline, coplanar, coaxial) or of a hollow guide, let in
    through a plane across an axis.

    ``centre`` is a point of the plane, on the strip or inner conductor of a line, in the opening of
    a guide; the wave goes in ``towards`` an axis. The opening is found on the grid, unless its
    ``width`` and ``height`` (along the earlier and the later of the other two axes in the order x,
    y, z) are given. ``modes`` above one take as many ports, from ``number`` on; the first of them
    is driven. ``shift`` moves the plane of reference along the wave's way.
    """

    kind: Literal["line", "guide"]
    number: Annotated[int, Field(ge=1, le=64)]
    centre: Point
    towards: Literal["+x", "-x", "+y", "-y", "+z", "-z"] = "+x"
    width: Length | None = None
    height: Length | None = None
    modes: Number = "1"
    shift: Length = "0"
    amplitude: Number = "1"
    phase: Number = "0"


class DipoleFeed(Source):
    """A point dipole at ``centre`` along a vector: a short electric current, or a magnetic one as
    of a small loop across that vector.

    Its port is matched where the dipole is alone: a wave of 1 W is then what it radiates, and S11
    is what its surroundings send back.
    """

    kind: Literal["dipole"]
    number: Annotated[int, Field(ge=1, le=64)]
    centre: Point
    along: Direction = ("0", "0", "1")
    moment: Literal["electric", "magnetic"] = "electric"
    amplitude: Number = "1"
    phase: Number = "0"


def _feed_kind(value: Any) -> str:
    kind = str(
        value.get("kind", "gap") if isinstance(value, dict) else getattr(value, "kind", "gap")
    )
    return "mode" if kind in ("line", "guide") else kind


AnyFeed = Annotated[
    Annotated[Feed, Tag("gap")]
    | Annotated[ModeFeed, Tag("mode")]
    | Annotated[DipoleFeed, Tag("dipole")],
    Discriminator(_feed_kind),
]


class Load(Step):
    """R, L and C in series across a gap of the wire's diameter, at the fraction ``at`` of a part's
    length.
    """

    kind: Literal["series"] = "series"
    name: Name
    part: str
    at: Number = "0.5"
    resistance: Resistance = "0 ohm"
    inductance: Inductance = "0 nH"
    capacitance: Capacitance | None = None


class ParallelLoad(Step):
    """R, L and C side by side across a gap of the wire's diameter, at the fraction ``at`` of a
    part's length; what is not given is not there.
    """

    kind: Literal["parallel"]
    name: Name
    part: str
    at: Number = "0.5"
    resistance: Resistance | None = None
    inductance: Inductance | None = None
    capacitance: Capacitance | None = None


def _load_kind(value: Any) -> str:
    return str(
        value.get("kind", "series") if isinstance(value, dict) else getattr(value, "kind", "series")
    )


AnyLoad = Annotated[
    Annotated[Load, Tag("series")] | Annotated[ParallelLoad, Tag("parallel")],
    Discriminator(_load_kind),
]


class PlaneWave(Source):
    """A plane wave that travels along a vector, its electric field along another (of which the part
    across the first counts), of that peak value at the origin.
    """

    kind: Literal["plane_wave"] = "plane_wave"
    name: Name
    travels: Direction = ("0", "0", "1")
    electric: Direction = ("1", "0", "0")
    amplitude: FieldStrength = "1 V/m"
    phase: Number = "0"


class GaussianBeam(PlaneWave):
    """A Gaussian beam along a vector: at ``focus`` its field has that peak value, and in the plane
    across falls to 1/e of it at the radius ``waist``.
    """

    kind: Literal["gaussian_beam"]  # type: ignore[assignment]
    focus: Point = ("0", "0", "0")
    waist: Length


def _light_kind(value: Any) -> str:
    return str(
        value.get("kind", "plane_wave")
        if isinstance(value, dict)
        else getattr(value, "kind", "plane_wave")
    )


AnyLight = Annotated[
    Annotated[PlaneWave, Tag("plane_wave")] | Annotated[GaussianBeam, Tag("gaussian_beam")],
    Discriminator(_light_kind),
]


Mirror = Literal["none", "electric", "magnetic"]
Wall = Literal["open", "electric", "magnetic"]


class Layer(Step):
    """A layer across all of space; without a ``thickness`` it goes on for ever, as only the lowest
    may.
    """

    material: str
    thickness: Length | None = None


class Surround(Step):
    """Open space, or an infinite perfect ground plane at z = ``height`` with open space above.

    ``layers`` lie below z = ``top``, from above downwards, for a model that is lit. ``box`` is the
    distance from the model to the box that an illumination is let in through, a few cells inside
    the walls unless given. ``margin`` is the distance from the model to the walls of engines that
    fill space with a grid; a quarter of the longest wavelength unless given. ``mirror`` names
    planes x = 0, y = 0, z = 0 in which model and feeds are symmetric, so that such an engine needs
    to fill one side only: electric where the tangential electric field is zero, magnetic where the
    tangential magnetic field is. ``walls`` (low x, high x, low y, …) may reflect instead of absorb.
    Along axes with a ``period``, all between minus and plus half of it is repeated without end, as
    a wave across finds it that travels along the third axis; what that is sent back and let through
    has the phases of waves between the ``references``: places along the third axis below the model
    and above it.
    """

    kind: Literal["open", "ground"] = "open"
    height: Length = "0"
    margin: Length | None = None
    box: Length | None = None
    top: Length = "0"
    layers: Annotated[list[Layer], Field(max_length=20)] = []
    mirror: tuple[Mirror, Mirror, Mirror] = ("none", "none", "none")
    walls: tuple[Wall, Wall, Wall, Wall, Wall, Wall] = (
        "open",
        "open",
        "open",
        "open",
        "open",
        "open",
    )
    period: tuple[Length | None, Length | None, Length | None] = (None, None, None)
    references: tuple[Length, Length] = ("0", "0")


class FineBox(Step):
    """Cells of at most ``cell`` along every axis in a box; for engines that fill space with a
    grid.
    """

    kind: Literal["fine_box"]
    name: Name
    corner: Point
    size: Point
    cell: Length


class FinePart(Step):
    """Cells of at most ``cell`` along every axis within the bounds of a part."""

    kind: Literal["fine_part"]
    name: Name
    part: str
    cell: Length


Refinement = Annotated[FineBox | FinePart, Field(discriminator="kind")]


class FarField(Step):
    """The far field on a regular grid of θ and φ, both ends included."""

    kind: Literal["far_field"]
    name: Name
    theta_step: Number = "5 deg"
    phi_step: Number = "5 deg"


class Recorded(Step):
    """How a run on a grid records: from the time it ``opens`` to the time it ``closes``, with soft
    ends; and its ``reading``, interpolated between the places of the grid, or of each component at
    the nearest, as they lie.
    """

    opens: Time | None = None
    closes: Time | None = None
    reading: Literal["interpolated", "as they lie"] = "interpolated"


class NearPoint(Recorded):
    kind: Literal["near_point"]
    name: Name
    point: Point
    frame: str = ""


class NearLine(Recorded):
    kind: Literal["near_line"]
    name: Name
    start: Point
    end: Point
    count: Number = "101"
    frame: str = ""


class OnRectangle(Step):
    """A rectangle of ``counts`` points from ``corner`` along the edges ``along`` and ``across``."""

    name: Name
    corner: Point
    along: Point
    across: Point
    counts: tuple[Number, Number] = ("41", "41")
    frame: str = ""


class NearPlane(Recorded, OnRectangle):
    """The field on a rectangle."""

    kind: Literal["near_plane"]


class NearBox(Recorded):
    """A box of ``counts`` points along x, y and z from ``corner``."""

    kind: Literal["near_box"]
    name: Name
    corner: Point
    size: Point
    counts: tuple[Number, Number, Number] = ("21", "21", "21")
    frame: str = ""


class PowerFlux(OnRectangle):
    """The power through a rectangle, counted along the vector product of its edges."""

    kind: Literal["power_flux"]


class SurfaceCurrent(Step):
    """The current on a conducting part, or on all when none is named, at ``frequencies``; at those
    of the plan's patterns when there are none.
    """

    kind: Literal["surface_current"]
    name: Name
    part: str = ""
    frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []


class ScatteredCut(Step):
    """Radar cross-section all round in a plane through the z axis, θ from 0 to 360° at ``phi``, at
    ``frequencies``; at those of the plan's patterns if there are none.
    """

    kind: Literal["scattered_cut"]
    name: Name
    phi: Number = "0"
    step: Number = "2 deg"
    frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []


class PointTrace(Step):
    """E and H at a point against time."""

    kind: Literal["point_trace"]
    name: Name
    point: Point
    frame: str = ""


class FarTrace(Step):
    """E and H of the far field against time, in one direction at a distance."""

    kind: Literal["far_trace"]
    name: Name
    theta: Number = "90 deg"
    phi: Number = "0"
    distance: Length = "1 m"


class Snapshots(OnRectangle):
    """E on a rectangle at every ``interval`` of time."""

    kind: Literal["snapshots"]
    interval: Time
    counts: tuple[Number, Number] = ("61", "61")


CAPTURES = (
    FarField,
    NearPoint,
    NearLine,
    NearPlane,
    NearBox,
    PowerFlux,
    SurfaceCurrent,
    ScatteredCut,
    PointTrace,
    FarTrace,
    Snapshots,
)
Capture = Annotated[
    FarField
    | NearPoint
    | NearLine
    | NearPlane
    | NearBox
    | PowerFlux
    | SurfaceCurrent
    | ScatteredCut
    | PointTrace
    | FarTrace
    | Snapshots,
    Field(discriminator="kind"),
]


class Plan(Step):
    """Engine, band, sampling and accuracy.

    The moments engine reads sampling, tolerance and ``segments_per_wavelength``; the transient
    engine ``cells_per_wavelength`` (of every medium), the ``cells_per_detail`` from an edge of
    metal to what its field ends on, the ``decay`` of the stored energy in dB at which it ends, of a
    band wider than 1 : 2 against the energy at its lowest frequencies, and the ``longest`` run in
    lengths of the pulse. A run solves in several ``rounds``, the last of which is as fine as the
    plan asks and the others coarser, so that its results come with their errors. The pulse covers
    ``pulse_start`` to ``pulse_stop``: the band unless given.
    """

    engine: Annotated[str, Field(max_length=40)] = "auto"
    f_start: Frequency
    f_stop: Frequency
    points: Number = "101"
    spacing: Literal["linear", "logarithmic"] = "linear"
    sampling: Literal["adaptive", "every"] = "adaptive"
    tolerance: Number = "1e-3"
    segments_per_wavelength: Number = "50"
    cells_per_wavelength: Number = "20"
    cells_per_detail: Number = "2.5"
    decay: Number = "60"
    rounds: Number = "3"
    longest: Number = "60"
    pulse_start: Frequency | None = None
    pulse_stop: Frequency | None = None
    pattern_frequencies: Annotated[list[Frequency], Field(max_length=1000)] = []

    @model_validator(mode="before")
    @classmethod
    def _passes(cls, data: Any) -> Any:
        """Older documents have ``passes``, each finer than the one before, and when they end."""
        if not isinstance(data, dict) or not {"passes", "settled"} & data.keys():
            return data
        return {k: v for k, v in data.items() if k not in ("passes", "settled")}


class Document(Step):
    """One project's model."""

    version: Literal[1] = VERSION
    name: Annotated[str, Field(max_length=120)] = "Untitled"
    notes: Annotated[str, Field(max_length=20000)] = ""
    parameters: Annotated[list[Parameter], Field(max_length=1000)] = []
    frames: Annotated[list[Frame], Field(max_length=200)] = []
    parts: Annotated[list[Part], Field(max_length=2000)] = []
    materials: Annotated[list[Material], Field(max_length=200)] = []
    feeds: Annotated[list[AnyFeed], Field(max_length=64)] = []
    loads: Annotated[list[AnyLoad], Field(max_length=500)] = []
    illuminations: Annotated[list[AnyLight], Field(max_length=20)] = []
    surround: Surround = Surround()
    refinements: Annotated[list[Refinement], Field(max_length=100)] = []
    captures: Annotated[list[Capture], Field(max_length=100)] = []
    plan: Plan

    def digest(self) -> str:
        """SHA-256 of the canonical JSON: equal documents have equal digests."""
        text = json.dumps(
            self.model_dump(mode="json"), sort_keys=True, separators=(",", ":"), ensure_ascii=False
        )
        return hashlib.sha256(text.encode()).hexdigest()


def load_document(data: Any) -> Document:
    """A validated document from JSON text or parsed JSON.

    :raises ModelError: naming the first place that is wrong and how many more there are.
    """
    if isinstance(data, (str, bytes)):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise ModelError(f"this is not JSON: {error}") from error
    if not isinstance(data, dict):
        raise ModelError("a model is a JSON object with parameters, parts, feeds and a plan")
    version = data.get("version", VERSION)
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise ModelError(
            f"the model was written by a newer Odd Heron (format {version}; this one reads up to"
            f" {VERSION}); update first",
            ("version",),
        )
    try:
        return Document.model_validate(data)
    except ValidationError as error:
        faults = error.errors(include_url=False, include_input=False)
        raise document_errors(faults)[0] from None


def document_errors(faults: list[Any]) -> list[ModelError]:
    """pydantic's faults as located errors in our words, without the tags of unions in their
    paths.
    """
    kinds = {
        *PART_KINDS,
        *(
            get_args(c.model_fields["kind"].annotation)[0]
            for c in (*CAPTURES, FineBox, FinePart, Load, ParallelLoad)
        ),
        "conductor",
        "dielectric",
        "dispersive",
        "table",
        "gap",
        "mode",
        "dipole",
        "plane_wave",
        "gaussian_beam",
    }
    out = []
    for fault in faults:
        path = tuple(k for k in fault["loc"] if k not in kinds)
        name = f"“{path[-1]}”" if path else "the model"
        words = {
            "extra_forbidden": (
                f"there is no field {name} here; remove it or look for a slip of the pen"
            ),
            "missing": f"{name} is missing",
        }
        out.append(ModelError(words.get(fault["type"], str(fault["msg"])), path))
    return out
