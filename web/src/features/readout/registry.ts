/** Every kind of card. A new one is one entry: what it is, what it needs, where it goes in the menu. */
import type { ReactNode } from "react";
import { Current, SurfaceCurrent } from "./cards/currents";
import { Cuts } from "./cards/cuts";
import { Figures } from "./cards/figures";
import { Efficiency, Gain, PowerShare } from "./cards/gain";
import { NearBox, NearLine, NearPlane } from "./cards/near";
import { Pattern, PatternMap } from "./cards/pattern";
import { AxialRatio, PhaseCentreCard, PolarisationCard } from "./cards/polarisation";
import { Impedance, Scattering, SmithCard, Standing, TimeReflection } from "./cards/matching";
import { CellShares, CrossSection, PowerSections, ScatteredCuts } from "./cards/scattering";
import { Modes } from "./cards/modes";
import { FormulaCard, Note, Trust } from "./cards/other";
import { PowerFlux, Signal, Snapshots } from "./cards/time";
import { StudyCurves, StudySmith } from "../studies/cards/curves";
import { StudyDialCurve, StudyDials } from "../studies/cards/dials";
import { StudyFound } from "../studies/cards/found";
import { StudyMap, StudyOutcome, StudyParallel } from "../studies/cards/outcome";
import { StudyTable } from "../studies/cards/variants";
import { type CardProps, type Shown, provides } from "./context";

export interface Kind {
  kind: string;
  title: string;
  group: string;
  width?: number;
  /** Why the first ticked run cannot offer it. */ missing?: (s: Shown) => string | null;
  Card: (p: CardProps) => ReactNode;
}

const capture =
  (kind: string | string[], words: string) =>
  (s: Shown): string | null =>
    s.sweep.captures.some((c) => [kind].flat().includes(c.kind))
      ? null
      : `run ${s.line.number} has no ${words}; add one on the Bench`;

/** Why a run that provides none of some capabilities cannot fill a card. */
const needs =
  (...names: string[]) =>
  (s: Shown): string | null =>
    provides(s, ...names) ? null : `run ${s.line.number} has no ${s.sweep.lacks[names[0]!]}`;
const ports = needs("ports"),
  power = needs("power"),
  gain = needs("far field"),
  scattered = needs("scattering"),
  space = needs("far field", "scattering");

export const KINDS: Kind[] = [
  {
    kind: "s-parameters",
    title: "S-parameters",
    group: "Matching",
    missing: ports,
    Card: Scattering,
  },
  { kind: "smith", title: "Smith chart", group: "Matching", missing: ports, Card: SmithCard },
  {
    kind: "impedance",
    title: "Impedance, admittance",
    group: "Matching",
    missing: ports,
    Card: Impedance,
  },
  { kind: "vswr", title: "VSWR, return loss", group: "Matching", missing: ports, Card: Standing },
  {
    kind: "time-domain",
    title: "Reflection against time",
    group: "Matching",
    missing: ports,
    Card: TimeReflection,
  },
  { kind: "pattern", title: "Pattern in space", group: "Far field", missing: space, Card: Pattern },
  { kind: "cuts", title: "Cuts", group: "Far field", missing: gain, Card: Cuts },
  { kind: "map", title: "Pattern map", group: "Far field", missing: space, Card: PatternMap },
  {
    kind: "gain",
    title: "Gain against frequency",
    group: "Far field",
    missing: gain,
    Card: Gain,
  },
  {
    kind: "efficiency",
    title: "Efficiency",
    group: "Far field",
    missing: power,
    Card: Efficiency,
  },
  {
    kind: "power",
    title: "Where the power goes",
    group: "Far field",
    missing: power,
    Card: PowerShare,
  },
  {
    kind: "axial-ratio",
    title: "Axial ratio",
    group: "Far field",
    missing: gain,
    Card: AxialRatio,
  },
  {
    kind: "polarisation",
    title: "Polarisation",
    group: "Far field",
    missing: gain,
    Card: PolarisationCard,
  },
  {
    kind: "phase-centre",
    title: "Phase centre",
    group: "Far field",
    missing: gain,
    Card: PhaseCentreCard,
  },
  {
    kind: "rcs",
    title: "Radar cross-section",
    group: "Scattering",
    missing: scattered,
    Card: CrossSection,
  },
  {
    kind: "scattered-cuts",
    title: "Bistatic RCS cuts",
    group: "Scattering",
    missing: scattered,
    Card: ScatteredCuts,
  },
  {
    kind: "sections",
    title: "Extinction, scattering, absorption",
    group: "Scattering",
    missing: scattered,
    Card: PowerSections,
  },
  {
    kind: "cells",
    title: "Reflection and transmission",
    group: "Scattering",
    missing: needs("cells"),
    Card: CellShares,
  },
  {
    kind: "current",
    title: "Current along wires",
    group: "Fields",
    missing: (s) =>
      s.sweep.wires ? null : `run ${s.line.number} has no wires whose current was solved for`,
    Card: Current,
  },
  {
    kind: "surface-current",
    title: "Surface current",
    group: "Fields",
    missing: (s) =>
      s.sweep.surfaces.length
        ? null
        : `run ${s.line.number} has no capture of surface currents; add one on the Bench`,
    Card: SurfaceCurrent,
  },
  {
    kind: "modes",
    title: "Characteristic modes",
    group: "Fields",
    missing: needs("characteristic modes"),
    Card: Modes,
  },
  {
    kind: "near-line",
    title: "Near field on a line",
    group: "Fields",
    missing: capture("near_line", "near field on a line"),
    Card: NearLine,
  },
  {
    kind: "near-plane",
    title: "Near field on a plane",
    group: "Fields",
    missing: capture("near_plane", "near field on a plane"),
    Card: NearPlane,
  },
  {
    kind: "near-box",
    title: "Near field in a box",
    group: "Fields",
    missing: capture("near_box", "near field in a box"),
    Card: NearBox,
  },
  {
    kind: "power-flux",
    title: "Power through a rectangle",
    group: "Fields",
    missing: capture("power_flux", "power through a rectangle"),
    Card: PowerFlux,
  },
  {
    kind: "signal",
    title: "Field against time",
    group: "Fields",
    missing: capture(
      ["point_trace", "far_trace"],
      "field against time, at a point or in the far field",
    ),
    Card: Signal,
  },
  {
    kind: "snapshots",
    title: "Snapshots",
    group: "Fields",
    missing: capture("snapshots", "snapshots"),
    Card: Snapshots,
  },
  { kind: "study-curves", title: "Curves of variants", group: "Studies", Card: StudyCurves },
  { kind: "study-outcome", title: "Outcome of variants", group: "Studies", Card: StudyOutcome },
  { kind: "study-map", title: "Outcome over two parameters", group: "Studies", Card: StudyMap },
  { kind: "study-parallel", title: "Parallel coordinates", group: "Studies", Card: StudyParallel },
  { kind: "study-smith", title: "Smith loci of variants", group: "Studies", Card: StudySmith },
  { kind: "study-table", title: "Variants", group: "Studies", Card: StudyTable },
  { kind: "study-found", title: "What was found", group: "Studies", Card: StudyFound },
  { kind: "study-dials", title: "Dials", group: "Studies", Card: StudyDials },
  { kind: "study-dial-curve", title: "At the dials", group: "Studies", Card: StudyDialCurve },
  { kind: "trust", title: "Trust card", group: "Verdict", Card: Trust },
  { kind: "figures", title: "Figures", group: "Verdict", missing: ports, Card: Figures },
  { kind: "formula", title: "Formula", group: "Verdict", Card: FormulaCard },
  { kind: "note", title: "Note", group: "Verdict", Card: Note },
];
export const kindOf = (kind: string): Kind | undefined => KINDS.find((k) => k.kind === kind);
