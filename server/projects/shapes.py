"""What examining a model answers, as the interface gets it: SI units, m."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

Point = tuple[float, float, float]
Path = list[str | int]


class ParameterValue(BaseModel):
    """SI; the limits of a parameter that has both, and what one of its ``shown`` unit is in SI."""

    value: float
    unit: str
    low: float | None
    high: float | None
    shown: float


class Finding(BaseModel):
    """Something that is wrong, worth a look or could be better, with what would mend it."""

    level: Literal["error", "look", "offer"]
    code: str
    message: str
    why: str
    path: Path
    point: Point | None
    repair: list[Repair]
    repair_label: str


class Repair(BaseModel):
    path: Path
    value: Any


class Shape(BaseModel):
    """A wire: its centre line."""

    name: str
    step: int
    radius: float
    material: str
    points: list[Point]


class Body(BaseModel):
    """A solid or sheet; ``key`` names its mesh."""

    name: str
    step: int
    key: str
    solid: bool
    material: str
    conductor: bool
    metallic: bool
    colour: str
    faces: int
    low: Point
    high: Point


class RawMesh(BaseModel):
    """Triangles and edge lines in m, as base64 of float32 and uint32."""

    points: str
    triangles: str
    face: str
    edges: str
    edge_sizes: list[int]


class Contact(BaseModel):
    model_config = ConfigDict(extra="allow")
    first: str
    second: str
    distance: float
    joined: bool


class Opening(BaseModel):
    """What a line or guide feed looks through, and where the case behind it ends."""

    feed: int
    corners: list[Point]
    axis: int
    sign: int
    back: float


class PulseShape(BaseModel):
    """A pulse that is sent in: its signal, and its spectrum in dB below its largest."""

    names: list[str]
    time_s: list[float]
    value: list[float]
    frequency_hz: list[float]
    level_db: list[float]


class Grid(BaseModel):
    """The space that a grid fills, details finer than it as (axis, place, width), and the pulses
    sent into it; ``box`` are corners of the box of total fields.
    """

    low: Point
    high: Point
    cells: tuple[int, int, int]
    smallest_m: Point
    largest_m: float
    box: tuple[Point, Point] | None
    crowded: list[tuple[int, float, float]]
    openings: list[Opening]
    pulses: list[PulseShape]


class Joint(BaseModel):
    model_config = ConfigDict(extra="allow")
    point: Point
    parts: list[str]


class Mesh(BaseModel):
    """Wires' joints and the ends of their segments; or how many triangles surfaces are divided
    into, and the longest sides of the smallest and the largest.
    """

    joints: list[Joint]
    nodes: list[Point]
    triangles: int = 0
    unknowns: int = 0
    smallest_m: float = 0.0
    largest_m: float = 0.0


class DipoleMark(BaseModel):
    """The direction of a point dipole, a unit vector."""

    feed: int
    along: Point
    magnetic: bool


class BeamMark(BaseModel):
    """Where a beam is narrowest, its radius there, and how far on it is √2 times as wide."""

    focus: Point
    waist: float
    depth: float


class IlluminationMark(BaseModel):
    """Which way a wave travels, and its electric field, unit vectors."""

    name: str
    travels: Point
    electric: Point
    beam: BeamMark | None


class CaptureMark(BaseModel):
    name: str
    kind: str
    points: list[Point]


class LayerMark(BaseModel):
    material: str
    top: float


class FrameMark(BaseModel):
    name: str
    matrix: list[float]


class StageForecast(BaseModel):
    name: str
    seconds: float
    least: float
    most: float
    memory_bytes: float


class ForecastAnswer(BaseModel):
    engine: str
    size: int
    what: str
    field: str
    solves: int
    stages: list[StageForecast]
    reason: str
    base_bytes: float
    seconds: float
    least_seconds: float
    most_seconds: float
    memory_bytes: float


class ExaminationAnswer(BaseModel):
    """A model looked at from every side; ``period`` along x, y and z."""

    bodies: list[Body]
    meshes: dict[str, RawMesh]
    contacts: list[Contact]
    displaced: list[tuple[str, str]]
    values: dict[str, ParameterValue]
    shapes: list[Shape]
    feeds: list[Point | None]
    dipoles: list[DipoleMark]
    loads: list[Point | None]
    ground: float | None
    illuminations: list[IlluminationMark | None]
    captures: list[CaptureMark | None]
    period: tuple[float | None, float | None, float | None]
    layers: list[LayerMark]
    frames: list[FrameMark]
    problems: list[Finding]
    offers: list[Finding]
    forecast: ForecastAnswer | None
    engine: str
    engine_reason: str
    grid: Grid | None
    mesh: Mesh | None
    band: tuple[float, float] | None


class FileBody(BaseModel):
    name: str
    kind: str
    faces: int
    edges: int
    volume_m3: float
    area_m2: float
    size_m: Point


class FileFinding(BaseModel):
    level: Literal["good", "look", "stop"]
    text: str


class FileReport(BaseModel):
    """What reading a file found in it."""

    model_config = ConfigDict(extra="allow")
    bodies: list[FileBody] = []
    findings: list[FileFinding] = []
