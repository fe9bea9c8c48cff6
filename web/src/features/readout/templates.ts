/** Pages to begin from, by kind of problem. */
import type { CardEntry } from "../../api/types";
import { type Shown, provides } from "./context";
import { KINDS } from "./registry";

type Short = string | [kind: string, settings: CardEntry["settings"], width?: number];
export interface Template {
  name: string;
  hint: string;
  /** Whether a page that was never arranged begins with it, unless an earlier one does. */
  suits?: (first: Shown) => boolean;
  cards: Short[];
}

const wide = (s: Shown): boolean => s.sweep.frequency_hz.at(-1)! > 2.2 * s.sweep.frequency_hz[0]!;

export const TEMPLATES: Template[] = [
  {
    name: "resonant antenna",
    hint: "one band: match, pattern, efficiency",
    cards: [
      "s-parameters",
      "smith",
      "pattern",
      "power",
      "cuts",
      "trust",
      "impedance",
      "vswr",
      "gain",
      "efficiency",
      "figures",
    ],
  },
  {
    name: "wideband antenna",
    hint: "a decade: VSWR, gain and phase centre over it",
    suits: (s) => s.sweep.ports.length <= 2 && wide(s) && provides(s, "ports"),
    cards: [
      ["s-parameters", {}, 2],
      "smith",
      "vswr",
      ["gain", { kind: "realized_gain" }],
      "efficiency",
      "time-domain",
      "phase-centre",
      "cuts",
      ["s-parameters", { form: "delay" }],
      "pattern",
      "trust",
    ],
  },
  {
    name: "array",
    hint: "several ports: coupling, lobes, scan",
    suits: (s) => s.sweep.ports.length > 2,
    cards: [
      ["s-parameters", { pairs: "all" }, 2],
      "smith",
      ["cuts", { form: "cartesian" }, 2],
      "pattern",
      ["map", { layout: "up" }],
      "gain",
      "power",
      "trust",
    ],
  },
  {
    name: "circular polarisation",
    hint: "axial ratio, sense, ellipse",
    cards: [
      "s-parameters",
      "axial-ratio",
      "polarisation",
      ["cuts", { components: "right-left" }],
      "pattern",
      "gain",
      "phase-centre",
      "trust",
    ],
  },
  {
    name: "fields and currents",
    hint: "where it is strong, at every captured place",
    cards: [
      "current",
      "surface-current",
      "near-line",
      "near-plane",
      "near-box",
      "power-flux",
      "signal",
      "snapshots",
      "power",
    ],
  },
  {
    name: "characteristic modes",
    hint: "what the metal carries by itself, and how much of it the feed makes use of",
    cards: [
      ["modes", {}, 2],
      ["modes", { form: "share" }],
      ["surface-current", { capture: "mode 1" }],
      ["surface-current", { capture: "mode 2" }],
      "surface-current",
      ["modes", { form: "angle" }],
      "pattern",
      "trust",
    ],
  },
  {
    name: "particle",
    hint: "extinction, scattering and absorption against wavelength, near fields",
    suits: (s) => provides(s, "scattering") && s.sweep.by_wavelength,
    cards: [
      ["sections", {}, 2],
      "near-plane",
      "near-line",
      ["scattered-cuts", {}, 2],
      "pattern",
      "surface-current",
      "signal",
      "trust",
    ],
  },
  {
    name: "scattering",
    hint: "an illuminated body: monostatic and bistatic RCS, currents",
    suits: (s) => provides(s, "scattering"),
    cards: [
      ["rcs", {}, 2],
      "pattern",
      ["scattered-cuts", {}, 2],
      "sections",
      "surface-current",
      "near-plane",
      "near-line",
      "signal",
      "trust",
    ],
  },
  {
    name: "cell",
    hint: "a repeating cell: transmission and reflection over the band",
    suits: (s) => provides(s, "cells"),
    cards: [
      ["cells", {}, 2],
      ["cells", { form: "share" }],
      ["cells", { form: "phase" }],
      ["s-parameters", { pairs: "all" }, 2],
      ["s-parameters", { form: "unwrapped", pairs: "all" }],
      ["s-parameters", { form: "delay" }],
      "near-plane",
      "power",
      "trust",
    ],
  },
  {
    name: "installed",
    hint: "gain towards where it matters, free against mounted",
    cards: [
      ["cuts", { form: "cartesian" }, 2],
      "pattern",
      ["gain", { where: "direction", theta: 90, phi: 0 }],
      ["map", { layout: "angles" }],
      "s-parameters",
      "efficiency",
      "near-plane",
      "trust",
    ],
  },
];
const CAPTURED = KINDS.filter((k) => k.group === "Fields").map((k) => k.kind);

let counter = 0;
/** A name for a card or a marker that no other has. */
export const fresh = (): string => `${Date.now().toString(36)}${(counter++).toString(36)}`;

const made = (cards: Short[]): CardEntry[] =>
  cards.map((c) =>
    typeof c === "string"
      ? { id: fresh(), kind: c, width: 1, height: 1, settings: {} }
      : { id: fresh(), kind: c[0], width: c[2] ?? 1, height: 1, settings: c[1] },
  );

/** Those cards of a template that a run can fill. */
export const offered = (cards: Short[], run: Shown): CardEntry[] =>
  made(cards).filter((c) => KINDS.find((k) => k.kind === c.kind)?.missing?.(run) == null);

/** What a project shows that was never arranged: the template that suits its runs, and a card for everything that was captured. */
export function initial(first: Shown): { template: string; cards: CardEntry[] } {
  const template = TEMPLATES.find((t) => t.suits?.(first)) ?? TEMPLATES[0]!;
  return {
    template: template.name,
    cards: offered(
      [...template.cards, ...CAPTURED.filter((k) => !template.cards.includes(k))],
      first,
    ),
  };
}
