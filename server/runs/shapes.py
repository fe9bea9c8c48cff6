"""What reads of runs answer."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

Share = list[float | None]


class FarFigures(BaseModel):
    """Of a far field at a frequency; none where nothing is radiated."""

    model_config = ConfigDict(extra="allow")
    frequency_hz: float
    directivity_dbi: float | None
    gain_dbi: float | None
    realized_gain_dbi: float | None
    radiation_efficiency: float | None
    total_efficiency: float | None
    peak_theta_deg: float
    peak_phi_deg: float


class Band(BaseModel):
    """Where a level is kept; ``open`` where the sweep ends first."""

    low_hz: float
    high_hz: float
    relative: float
    open_low: bool
    open_high: bool


class Resonance(BaseModel):
    frequency_hz: float
    resistance_ohm: float
    rising: bool
    q: float | None


class Minimum(BaseModel):
    frequency_hz: float
    level_db: float


class Badges(BaseModel):
    """Of a port: resonances, the best match, and bands by the name of their level."""

    resonances: list[Resonance]
    minimum: Minimum
    bands: dict[str, list[Band]]


class Comes(BaseModel):
    """Where the wave of an illumination comes from."""

    name: str
    theta_deg: float
    phi_deg: float


class Flux(BaseModel):
    """Power through a rectangle; no share of a plane wave's."""

    frequency_hz: float
    power_w: float
    share_of_source: float | None = None


class CaptureLine(BaseModel):
    name: str
    kind: str


class StatedErrors(BaseModel):
    """Estimates of |ΔS|, of the gain's error and of that of the lowest |S11| in dB, with what they
    rest on.
    """

    model_config = ConfigDict(extra="allow")
    s: float | None
    gain_db: float | None
    resonance_relative: float | None
    minimum_db: float | None
    efficiency: float | None
    rcs_db: float | None
    basis: str


class Sweep(BaseModel):
    """Everything against frequency; ``provides`` and ``lacks`` by the names of capabilities, which
    may say more of themselves. ``receives`` are ports of an illuminated run; ``by_wavelength``
    runs are told by wavelengths unless otherwise wished.
    """

    model_config = ConfigDict(extra="allow")
    provides: list[str]
    lacks: dict[str, str]
    frequency_hz: list[float]
    by_wavelength: bool
    solved: list[bool]
    layered: bool = False
    receives: list[int] = []
    illuminations: list[Comes]
    ports: list[int]
    z0_ohm: list[float]
    power_share: dict[str, Share]
    badges: dict[str, Badges]
    absorbed_share: dict[str, Share]
    power_flux: dict[str, list[Flux]]
    surfaces: list[str]
    modes: int = 0
    mode_angle_error_deg: float | None = None
    traces: list[str]
    wires: bool
    far_field: list[FarFigures]
    captures: list[CaptureLine]
    errors: StatedErrors


class Value(BaseModel):
    value: float
    unit: str


class ValueChange(BaseModel):
    name: str
    first: Value | None
    second: Value | None


class StepChange(BaseModel):
    chapter: str
    step: str
    field: str
    first: Any
    second: Any


class ResultChange(BaseModel):
    name: str
    first: str | int | float | None = Field(union_mode="left_to_right")
    second: str | int | float | None = Field(union_mode="left_to_right")


class Differences(BaseModel):
    """Values of parameters, fields of steps, and results, each in the first and the second run."""

    values: list[ValueChange]
    steps: list[StepChange]
    results: list[ResultChange]


class Apart(BaseModel):
    """By how much two runs differ in something, how that is to be seen, and what to do."""

    name: str
    value: str
    mark: str
    advice: str


class Second(BaseModel):
    """Another engine's run of the same model: ``run`` is its number, if there is one, ``active``
    while it is not solved; ``items`` are what the two differ by, and ``fault`` says why there are
    none.
    """

    run: int | None
    engine: str
    active: bool
    items: list[Apart]
    fault: str
