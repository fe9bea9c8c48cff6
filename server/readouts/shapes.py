"""What evaluations of runs answer."""

from __future__ import annotations

from pydantic import BaseModel


class ScatteredCut(BaseModel):
    """dBsm against the angle from +z all round."""

    phi_deg: float
    angle_deg: list[float]
    level_dbsm: list[float]


class Cut(BaseModel):
    """dBi against an angle, with the figures of its lobes; the axial ratio in dB, negative where
    left-handed.
    """

    plane: str
    angle_deg: list[float]
    level_dbi: list[float]
    axial_ratio_db: list[float | None]
    peak_deg: float
    beamwidth_deg: float | None
    front_to_back_db: float | None
    side_lobe_db: float | None
    first_side_lobe_db: float | None


class Components(BaseModel):
    total: float
    theta: float
    phi: float
    right: float
    left: float


class Polarisation(BaseModel):
    """The ellipse in a direction; realized gain of its components."""

    axial_ratio_db: float
    tilt_deg: float
    right: bool
    realized_gain_dbi: Components
    frequency_hz: float


class PhaseCentreRow(BaseModel):
    frequency_hz: float
    place_m: tuple[float, float, float]
    rms_deg: float
    largest_deg: float


class PhaseCentre(BaseModel):
    rows: list[PhaseCentreRow]


class TimeDomain(BaseModel):
    time_s: list[float]
    reflection: list[float]
    impedance_ohm: list[float]
    resolution_s: float
    z0_ohm: float


class Decay(BaseModel):
    """The fit of a line capture's field: 1/e length, phase constant."""

    length_m: float | None
    beta_rad_per_m: float
    rest_db: float


class Verdict(BaseModel):
    """Whether a run keeps a spec line, and where it is worst."""

    passed: bool | None
    worst: float | None
    frequency_hz: float | None
    margin: float | None
    reason: str


class Spec(BaseModel):
    formula: str
    above: bool
    limit: float
    unit: str
    level: float
    low_hz: float | None
    high_hz: float | None


class SpecState(BaseModel):
    """A spec line as understood, or what is wrong with it; verdicts by run."""

    text: str
    error: str
    spec: Spec | None
    verdicts: dict[str, Verdict]


class Words(BaseModel):
    adm: str
    fdm: str
    gdm: str


class Histogram(BaseModel):
    """Shares of the abscissae by grade."""

    adm: dict[str, float]
    fdm: dict[str, float]
    gdm: dict[str, float]


class Grade(BaseModel):
    """Feature selective validation of two curves (IEEE Std 1597.1)."""

    adm: float
    fdm: float
    gdm: float
    grade: str
    grades: Words
    histogram: Histogram
    x_hz: list[float]
    difference: list[float]
    gdm_at: list[float]


class RecognisedColumn(BaseModel):
    heading: str
    quantity: str
    form: str
    guessed: bool
