/** What is made of the curves and numbers of a study's variants, without a screen. */
import type { StudyDetail, StudyVariable, StudyVariant } from "../../api/types";
import { C0, number, quantity } from "../../format";

/** A value of a variable as it is written: with its unit, or the option that it stands for. */
export const written = (v: StudyVariable, value: number, digits = 4): string =>
  v.options.length
    ? (v.options[Math.round(value)] ?? "")
    : v.unit
      ? quantity(value, v.unit, digits)
      : number(value, digits);

/** All values of a variant, as a legend has them. */
export const named = (study: StudyDetail, variant: StudyVariant): string =>
  study.variables.map((v, k) => `${v.name} ${written(v, variant.point[k]!)}`).join(", ");

export const solvedOf = (study: StudyDetail | undefined): StudyVariant[] =>
  (study?.variants ?? []).filter((v) => v.status === "finished");

/** Which variables have several values among some variants, by their places. */
export function varied(study: StudyDetail): number[] {
  const all = study.variables.map((_, k) => k);
  return all.filter((k) => new Set(study.variants.map((v) => v.point[k])).size > 1);
}

/** Where a value stands between the ends of its variable among some variants. */
export function shareOf(variants: StudyVariant[], k: number): (v: StudyVariant) => number {
  const values = variants.map((v) => v.point[k]!),
    low = Math.min(...values),
    high = Math.max(...values);
  return (v) => (high > low ? (v.point[k]! - low) / (high - low) : 0.5);
}

export type Form = "dB" | "magnitude" | "phase" | "real" | "imaginary";
export type Unwrapped = "no" | "frequency" | "parameter";

/** The phase (°) of a complex number behind a reference plane that is `plane` m towards the antenna. */
const phaseOf = (re: number, im: number, f: number, plane: number): number =>
  (Math.atan2(im, re) * 180) / Math.PI + (720 * f * plane) / C0;

const wrapped = (p: number): number => p - 360 * Math.round(p / 360);

/** Steps of more than half a turn are taken out. */
export function unwrapped(phases: number[]): number[] {
  let turns = 0;
  return phases.map((p, i) => {
    if (i > 0) turns -= Math.round((p - phases[i - 1]!) / 360);
    return p + 360 * turns;
  });
}

/** Rows of complex curves (by variant) in a form; phases go on along the frequency, or from variant to variant in their order. */
export function shaped(
  x: ArrayLike<number>,
  re: ArrayLike<number>,
  im: ArrayLike<number> | null,
  rows: number,
  form: Form,
  unwrap: Unwrapped = "no",
  plane = 0,
): number[][] {
  const n = x.length;
  const at = (r: number, i: number): number => {
    const a = re[r * n + i]!,
      b = im ? im[r * n + i]! : 0;
    if (form === "dB") return 20 * Math.log10(Math.hypot(a, b));
    if (form === "magnitude") return Math.hypot(a, b);
    if (form === "real") return a;
    if (form === "imaginary") return b;
    return wrapped(phaseOf(a, b, x[i]!, plane));
  };
  const out = Array.from({ length: rows }, (_, r) => Array.from({ length: n }, (_, i) => at(r, i)));
  if (form !== "phase" || unwrap === "no") return out;
  if (unwrap === "frequency") return out.map(unwrapped);
  for (let i = 0; i < n; i++) {
    const column = unwrapped(out.map((row) => row[i]!));
    out.forEach((row, r) => (row[i] = column[r]!));
  }
  return out;
}

/** The variant that a tuning or rescaling found best; of a sweep none. */
export const bestOf = (study: StudyDetail): number | null =>
  (study.found.best as { variant?: number } | undefined)?.variant ?? null;

/** In what form curves of variants come first: as phases where outcomes ask for them. */
export const firstForm = (outcomes: string[]): Form =>
  /\barg\(/.test(outcomes.join(" ")) ? "phase" : "dB";

/** What curves of variants show first: of illuminated cells the wave that outcomes speak of, else S11. */
export const firstFormula = (outcomes: string[]): string =>
  /\b(reflection|transmission)\b/.exec(outcomes.join(" "))?.[0] ?? "s11";
