/** How the stage shows parts, and what a click on it means just now. */
import { create } from "zustand";

export type Axis = "x" | "y" | "z";
export interface Hit {
  part: string;
  step: number;
  point: [number, number, number];
  normal: [number, number, number];
  face: number;
}
interface Picking {
  prompt: string;
  edges: boolean;
  /** A point is wanted: it keeps to corners and edges. */ points?: boolean;
  apply: (hit: Hit) => void;
}
interface StageState {
  hidden: string[];
  faint: string[];
  solo: string | null;
  section: { axis: Axis; at: number; flipped?: boolean } | null;
  /** dB that a pattern's map covers, and whether maps go in steps. */
  range: number;
  steps: boolean;
  setRange: (range: number) => void;
  setSteps: (on: boolean) => void;
  perspective: boolean;
  turning: boolean;
  measuring: boolean;
  marks: Hit[];
  picking: Picking | null;
  toggle: (list: "hidden" | "faint", part: string) => void;
  isolate: (part: string | null) => void;
  showAll: () => void;
  cut: (section: StageState["section"]) => void;
  measure: (on: boolean) => void;
  ask: (picking: Picking | null) => void;
  click: (hit: Hit) => void;
  setPerspective: (on: boolean) => void;
  turn: (on: boolean) => void;
  reset: () => void;
}

const FRESH = {
  hidden: [],
  faint: [],
  solo: null,
  section: null,
  measuring: false,
  marks: [],
  picking: null,
};

export const useStage = create<StageState>((set, get) => ({
  ...FRESH,
  range: 30,
  steps: false,
  setRange: (range) => set({ range }),
  setSteps: (steps) => set({ steps }),
  perspective: false,
  turning: false,
  toggle: (list, part) =>
    set((s) => ({
      [list]: s[list].includes(part) ? s[list].filter((p) => p !== part) : [...s[list], part],
    })),
  isolate: (solo) => set({ solo }),
  showAll: () => set({ hidden: [], faint: [], solo: null }),
  cut: (section) => set({ section }),
  measure: (measuring) => set({ measuring, marks: [], picking: null }),
  ask: (picking) => set({ picking, measuring: false, marks: [] }),
  click: (hit) => {
    const { picking, measuring, marks } = get();
    if (picking) {
      set({ picking: null });
      picking.apply(hit);
    } else if (measuring) set({ marks: marks.length >= 3 ? [hit] : [...marks, hit] });
  },
  setPerspective: (perspective) => set({ perspective }),
  turn: (turning) => set({ turning }),
  reset: () => set(FRESH),
}));

export const visible = (s: Pick<StageState, "hidden" | "solo">, part: string): boolean =>
  s.solo === null ? !s.hidden.includes(part) : s.solo === part;

/** Which side of a section stays: the one away from the oblique view, unless flipped. */
export const keptSide = (section: { axis: Axis; flipped?: boolean }): 1 | -1 =>
  (section.axis === "y") === !section.flipped ? 1 : -1;

const minus = (a: number[], b: number[]): number[] => a.map((v, i) => v - b[i]!);
const dot = (a: number[], b: number[]): number => a.reduce((t, v, i) => t + v * b[i]!, 0);
export const distance = (a: number[], b: number[]): number => Math.hypot(...minus(b, a));
/** The angle in degrees at the middle one of three points. */
export function angle(a: Hit, middle: Hit, c: Hit): number {
  const u = minus(a.point, middle.point),
    v = minus(c.point, middle.point);
  return (
    (Math.acos(Math.max(-1, Math.min(1, dot(u, v) / (Math.hypot(...u) * Math.hypot(...v))))) *
      180) /
    Math.PI
  );
}

export const round = (v: number): string =>
  Math.abs(v) > 1e-5 || v === 0
    ? `${Number((v * 1e3).toPrecision(7))} mm`
    : `${Number((v * 1e9).toPrecision(7))} nm`;
/** A pick rule of the document from a click. */
export const rule = (hit: Hit, faces: boolean): Record<string, unknown> => ({
  near: hit.point.map(round),
  ...(faces ? { facing: hit.normal.map((v) => String(Number(v.toFixed(4)) + 0)) } : {}),
});

/** A frame that stands on a clicked face: its z along the outward normal, turned about x and then y. */
export function standing(hit: Hit): { origin: string[]; turn: string[] } {
  const [x, y, z] = hit.normal;
  const degrees = (v: number): string => `${Number(((v * 180) / Math.PI).toFixed(6)) + 0} deg`;
  return {
    origin: hit.point.map(round),
    turn: [degrees(Math.atan2(-y, z)), degrees(Math.asin(Math.max(-1, Math.min(1, x)))), "0"],
  };
}
