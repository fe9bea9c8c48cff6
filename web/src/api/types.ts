/** Shapes of the API: generated where the server declares them, written here for its open dictionaries. */
import type { components } from "./schema.generated";

type Schemas = components["schemas"];
export type Session = Schemas["Session"];
export type ProjectCard = Schemas["ProjectCard"];
export type RunLine = Schemas["RunLine"];
export type RunDetail = Schemas["RunDetail"];
export type RunNews = RunDetail["live"][number];
export type ExampleLine = Schemas["ExampleLine"];
export type ExpressionValue = Schemas["ExpressionValue"];
export type FileLine = Omit<Schemas["FileLine"], "report"> & {
  report: { bodies?: FileBody[]; findings?: { level: "good" | "look" | "stop"; text: string }[] };
};
export interface FileBody {
  name: string;
  kind: string;
  faces: number;
  edges: number;
  volume_m3: number;
  area_m2: number;
  size_m: [number, number, number];
}
export type TypedStep = Schemas["TypedStep"];
export type MaterialLine = Schemas["MaterialLine"];
export type MaterialCurve = Schemas["MaterialCurve"];
export type Path = (string | number)[];

export interface Parameter {
  name: string;
  expression: string;
  unit: string;
  comment: string;
}
export interface Step {
  kind: string;
  name?: string;
  [key: string]: unknown;
}
export interface Model {
  version: number;
  name: string;
  notes: string;
  parameters: Parameter[];
  frames: Step[];
  parts: Step[];
  materials: Step[];
  feeds: Step[];
  loads: Step[];
  illuminations: Step[];
  surround: Step;
  refinements: Step[];
  captures: Step[];
  plans: Step[];
}
export type ProjectState = Omit<Schemas["ProjectState"], "document"> & { document: Model };

export interface Finding {
  level: "error" | "look";
  code: string;
  message: string;
  why: string;
  path: Path;
  point: [number, number, number] | null;
  repair: { path: Path; value: unknown }[];
  repair_label: string;
}
export interface Shape {
  name: string;
  step: number;
  radius: number;
  material: string;
  points: [number, number, number][];
}
export interface Body {
  name: string;
  step: number;
  key: string;
  solid: boolean;
  material: string;
  conductor: boolean;
  colour: string;
  faces: number;
  low: [number, number, number];
  high: [number, number, number];
}
/** Triangles and edge lines in m, as base64 of float32 and uint32. */
export interface RawMesh {
  points: string;
  triangles: string;
  face: string;
  edges: string;
  edge_sizes: number[];
}
/** The space a grid fills, details finer than it as (axis, place, width), and the pulse sent into it. */
export interface Grid {
  low: [number, number, number];
  high: [number, number, number];
  cells: [number, number, number];
  smallest_m: [number, number, number];
  largest_m: number;
  crowded: [number, number, number][];
  /** Corners of the box of total fields of a lit model. */ box:
    | [[number, number, number], [number, number, number]]
    | null;
  /** What line and guide feeds look through, and where the cases behind them end. */
  openings: {
    feed: number;
    corners: [number, number, number][];
    axis: number;
    sign: number;
    back: number;
  }[];
  pulses: {
    names: string[];
    time_s: number[];
    value: number[];
    frequency_hz: number[];
    level_db: number[];
  }[];
}
export interface Examination {
  grid: Grid | null;
  bodies: Body[];
  contacts: { first: string; second: string; distance: number; joined: boolean }[];
  displaced: [string, string][];
  values: Record<string, { value: number; unit: string }>;
  shapes: Shape[];
  feeds: ([number, number, number] | null)[];
  dipoles: { feed: number; along: number[]; magnetic: boolean }[];
  loads: ([number, number, number] | null)[];
  mesh: {
    joints: { point: [number, number, number]; parts: string[] }[];
    nodes: [number, number, number][];
  } | null;
  ground: number | null;
  captures: ({ name: string; kind: string; points: [number, number, number][] } | null)[];
  illuminations: (Illumination | null)[];
  layers: { material: string; top: number }[];
  /** m, along x, y and z. */ period: (number | null)[];
  frames: { name: string; matrix: number[] }[];
  problems: Finding[];
  forecast: {
    engine: string;
    size: number;
    what: string;
    memory_bytes: number;
    seconds: number;
    least_seconds: number;
    most_seconds: number;
    solves: number;
  } | null;
  engine: string;
  engine_reason: string;
  band: [number, number] | null;
}

/** Unit vectors: which way a wave travels, and its electric field; of a beam, where it is narrowest, its radius there, and how far on it is √2 times as wide. */
export interface Illumination {
  name: string;
  travels: [number, number, number];
  electric: [number, number, number];
  beam: { focus: [number, number, number]; waist: number; depth: number } | null;
}

export interface FarFigures {
  frequency_hz: number;
  directivity_dbi: number;
  gain_dbi: number;
  realized_gain_dbi: number;
  radiation_efficiency: number;
  total_efficiency: number;
  peak_theta_deg: number;
  peak_phi_deg: number;
}
export interface Band {
  low_hz: number;
  high_hz: number;
  relative: number;
  open_low: boolean;
  open_high: boolean;
}
export interface Badges {
  resonances: { frequency_hz: number; resistance_ohm: number; rising: boolean; q: number | null }[];
  minimum: { frequency_hz: number; level_db: number };
  bands: Record<"-10 dB" | "VSWR 2", Band[]>;
}
/** `errors`: estimates of |ΔS|, of the gain's error and of that of the lowest |S11| in dB, with what they rest on. */
export interface Sweep {
  /** Names of what a run provides, as cards ask for them. */ provides: string[];
  /** What it does not, in words. */ lacks: Record<string, string>;
  frequency_hz: number[];
  solved: boolean[];
  /** Whether layers go through it. */ layered?: boolean;
  /** Ports of a lit run, which receive. */ receives?: number[];
  /** Where the waves of a lit run come from; none of a driven one. */ illuminations: {
    name: string;
    theta_deg: number;
    phi_deg: number;
  }[];
  ports: number[];
  z0_ohm: number[];
  power_share: Record<string, (number | null)[]>;
  badges: Record<string, Badges>;
  absorbed_share: Record<string, (number | null)[]>;
  power_flux: Record<
    string,
    {
      frequency_hz: number;
      power_w: number;
      /** None of a plane wave. */ share_of_source?: number;
    }[]
  >;
  surfaces: string[];
  traces: string[];
  wires: boolean;
  far_field: FarFigures[];
  captures: { name: string; kind: string }[];
  errors: {
    s: number | null;
    gain_db: number | null;
    resonance_relative: number | null;
    minimum_db: number | null;
    efficiency: number | null;
    rcs_db: number | null;
    basis: string;
  };
}
/** dBsm against the angle from +z all round. */
export interface ScatteredCut {
  phi_deg: number;
  angle_deg: number[];
  level_dbsm: number[];
}
export interface Cut {
  plane: string;
  angle_deg: number[];
  level_dbi: number[];
  axial_ratio_db: (number | null)[];
  peak_deg: number;
  beamwidth_deg: number | null;
  front_to_back_db: number | null;
  side_lobe_db: number | null;
  first_side_lobe_db: number | null;
}
export type CardEntry = Schemas["CardEntry"];
export type PageContent = Schemas["PageContent"];
export type MarkerEntry = Schemas["Marker"];
export type PageState = Schemas["PageState"];
export type TemplateLine = Schemas["TemplateLine"];
export type ReferenceLine = Schemas["ReferenceLine"];
export type ReferencePreview = Omit<Schemas["ReferencePreview"], "columns"> & {
  columns: { heading: string; quantity: string; form: string; guessed: boolean }[];
};
export interface Verdict {
  passed: boolean | null;
  worst: number | null;
  frequency_hz: number | null;
  margin: number | null;
  reason: string;
}
export interface SpecState {
  text: string;
  error: string;
  verdicts: Record<string, Verdict>;
  spec: {
    formula: string;
    above: boolean;
    limit: number;
    unit: string;
    level: number;
    low_hz: number | null;
    high_hz: number | null;
  } | null;
}
export interface Grade {
  adm: number;
  fdm: number;
  gdm: number;
  grade: string;
  grades: Record<"adm" | "fdm" | "gdm", string>;
  histogram: Record<"adm" | "fdm" | "gdm", Record<string, number>>;
  x_hz: number[];
  difference: number[];
  gdm_at: number[];
}
export interface RunDifferences {
  values: {
    name: string;
    first: { value: number; unit: string } | null;
    second: { value: number; unit: string } | null;
  }[];
  steps: { chapter: string; step: string; field: string; first: unknown; second: unknown }[];
  results: { name: string; first: string | number | null; second: string | number | null }[];
}
export interface Polarisation {
  axial_ratio_db: number;
  tilt_deg: number;
  right: boolean;
  realized_gain_dbi: Record<"total" | "theta" | "phi" | "right" | "left", number>;
  frequency_hz: number;
}
export interface PhaseCentre {
  rows: {
    frequency_hz: number;
    place_m: [number, number, number];
    rms_deg: number;
    largest_deg: number;
  }[];
}
export interface TimeDomain {
  time_s: number[];
  reflection: number[];
  impedance_ohm: number[];
  resolution_s: number;
  z0_ohm: number;
}
export interface Decay {
  length_m: number | null;
  beta_rad_per_m: number;
  rest_db: number;
}
