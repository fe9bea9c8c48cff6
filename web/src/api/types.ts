/** Names of the API's shapes, which are generated from what the server declares; the document is written here, as its steps are open. */
import type { components } from "./schema.generated";

type Schemas = components["schemas"];
export type Session = Schemas["Session"];
export type ProjectCard = Schemas["ProjectCard"];
export type RunLine = Schemas["RunLine"];
export type RunDetail = Schemas["RunDetail"];
export type Second = Schemas["Second"];
export type RunNews = RunDetail["live"][number];
export type Start = Omit<Schemas["StartLine"], "document"> & { document: Model };
export type ExampleLine = Schemas["ExampleLine"];
export type ExpressionValue = Schemas["ExpressionValue"];
export type Completion = Schemas["CompletionLine"];
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
  studies: Step[];
}
export type ProjectState = Omit<Schemas["ProjectState"], "document"> & { document: Model };

export type CardEntry = Schemas["CardEntry"];
export type PageContent = Schemas["PageContent"];
export type MarkerEntry = Schemas["Marker"];
export type PageState = Schemas["PageState"];
export type TemplateLine = Schemas["TemplateLine"];
export type ReferenceLine = Schemas["ReferenceLine"];
export type FileLine = Schemas["FileLine"];
export type FileBody = Schemas["FileBody"];
export type Finding = Schemas["Finding"];
export type Shape = Schemas["Shape"];
export type Body = Schemas["Body"];
export type RawMesh = Schemas["RawMesh"];
export type Grid = Schemas["Grid"];
export type Illumination = Schemas["IlluminationMark"];
export type FarFigures = Schemas["FarFigures"];
export type Band = Schemas["Band"];
export type Badges = Schemas["Badges"];
export type Sweep = Schemas["Sweep"];
export type ScatteredCut = Schemas["ScatteredCut"];
export type Cut = Schemas["Cut"];
export type ReferencePreview = Schemas["ReferencePreview"];
export type Verdict = Schemas["Verdict"];
export type SpecState = Schemas["SpecState"];
export type Grade = Schemas["Grade"];
export type RunDifferences = Schemas["Differences"];
export type Polarisation = Schemas["Polarisation"];
export type PhaseCentre = Schemas["PhaseCentre"];
export type StudyLine = Schemas["StudyLine"];
export type StudyDetail = Schemas["StudyDetail"];
export type StudyVariant = Schemas["VariantLine"];
export type StudyVariable = Schemas["VariableLine"];
export type StudyForecast = Schemas["StudyForecast"];
export type VariantNumbers = Schemas["VariantNumbers"];
export type TimeDomain = Schemas["TimeDomain"];
export type Decay = Schemas["Decay"];
/** Meshes are kept apart, by their keys. */
export type Examination = Omit<Schemas["ExaminationAnswer"], "meshes">;
