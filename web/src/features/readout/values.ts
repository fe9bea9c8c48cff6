/** What cards make of what the server sends: fields at a moment, the words of bands and spec lines. */
import type { Packet } from "../../api/client";
import type { SpecState } from "../../api/types";
import { compact, fixed, number, quantity } from "../../format";

export const WHATS = {
  e: ["|E|", "V/m"],
  h: ["|H|", "A/m"],
  ex: ["Ex", "V/m"],
  ey: ["Ey", "V/m"],
  ez: ["Ez", "V/m"],
  hx: ["Hx", "A/m"],
  hy: ["Hy", "A/m"],
  hz: ["Hz", "A/m"],
  s: ["|S|", "W/m²"],
  sx: ["Sx", "W/m²"],
  sy: ["Sy", "W/m²"],
  sz: ["Sz", "W/m²"],
  w: ["|E|/|H|", "Ω"],
  r: ["|E|/|E0|", ""],
  de: ["error of E", "%"],
  dh: ["error of H", "%"],
} as const;
export type What = keyof typeof WHATS;
/** Errors come with the field itself. */
export const asked = (what: What): string => (what === "de" ? "e" : what === "dh" ? "h" : what);

/** Shares by which E or H of a near field may be off, point by point; null where nothing is known of it. */
export function sharesOf(p: Packet, what: What): Float64Array | null {
  const error = p.arrays.error,
    side = what === "h" || what === "dh" ? 1 : 0;
  return error
    ? Float64Array.from({ length: error.shape[0]! }, (_, q) => error.data[2 * q + side]!)
    : null;
}

/** The middle one of some shares and the largest, as a badge: "± 1.2 %, 8 % at most". */
export function within(shares: ArrayLike<number>): string {
  const sorted = Array.from(shares).sort((a, b) => a - b);
  const percent = (v: number): string => `${number(100 * v, 2)}\u00a0%`;
  return sorted.length
    ? `± ${percent(sorted[sorted.length >> 1]!)}, ${percent(sorted[sorted.length - 1]!)} at most`
    : "";
}

/** The steady value at every point of a near field or, with a phase in rad, the value at that moment: of a component with its sign, of a vector its size. */
export function pointValues(p: Packet, what: What, phase: number | null): Float64Array {
  const { value, re, im } = p.arrays;
  if (what === "de" || what === "dh")
    return (sharesOf(p, what) ?? new Float64Array(value!.data.length).fill(NaN)).map(
      (v) => 100 * v,
    );
  if (phase === null || !re || !im) return Float64Array.from(value!.data);
  const parts = re.shape[1]!,
    c = Math.cos(phase),
    s = Math.sin(phase);
  const at = (k: number): number => re.data[k]! * c - im.data[k]! * s;
  return Float64Array.from({ length: re.shape[0]! }, (_, q) =>
    parts === 1 ? at(q) : Math.hypot(...Array.from({ length: parts }, (_, k) => at(parts * q + k))),
  );
}

/** The formula that a spec line limits, in the limit's unit, as cards write theirs. */
export function specFormula(spec: NonNullable<SpecState["spec"]>): string {
  const bare = spec.formula.replace(/^abs\((.*)\)$/, "$1");
  if (spec.level) return `db${spec.level}(${bare})`;
  return spec.unit === "%" ? `100*${spec.formula}` : spec.formula;
}

/** How large a run was: cells of a grid, or unknowns. */
export const size = (
  run: { unknowns?: number | null; cells?: number | null } | undefined,
): string =>
  run?.cells ? `${compact(run.cells)} cells` : `${compact(run?.unknowns ?? 0)} unknowns`;

/** "2.407–2.438 GHz": the unit once, if both have it. */
export function span(b: { low_hz: number; high_hz: number }): string {
  const [low, high] = [quantity(b.low_hz, "Hz", 4), quantity(b.high_hz, "Hz", 4)],
    unit = high.split(" ")[1]!;
  return low.endsWith(` ${unit}`) ? `${low.split(" ")[0]}–${high}` : `${low}–${high}`;
}

/** A band's width over its middle, to what a badge has room for; it does not part from its sign. */
export function share(b: { relative: number }): string {
  return `${number(100 * b.relative, b.relative < 0.1 ? 2 : 3)}\u00a0%`;
}

/** A value with its error, and no more digits than that allows: "−14.2 ± 0.5"; at most so many decimals. */
export function uncertain(value: number, error: number | null, most: number): string {
  if (!error || error < 0.5 * 10 ** -most) return fixed(value, most);
  const decimals = Math.max(0, Math.min(most, -Math.floor(Math.log10(error))));
  return `${fixed(value, decimals)} ± ${fixed(Math.max(error, 10 ** -decimals), decimals)}`;
}

/** A value with no more digits than its error allows. */
export const certain = (value: number, error: number | null, most: number): string =>
  uncertain(value, error, most).split(" ±")[0]!;

/** A frequency with its relative error: "2.423 ± 0.005 GHz". */
export function frequencyWithin(hz: number, relative: number | null): string {
  const shown = quantity(hz, "Hz", 4);
  if (!relative) return shown;
  const [value, unit] = shown.split(" ") as [string, string],
    factor = hz / Number(value.replace("−", "-"));
  return `${uncertain(hz / factor, (relative * hz) / factor, Math.max(0, (value.split(".")[1] ?? "").length))} ${unit}`;
}

/** A phase in degrees with a gap where it goes round, instead of a line from one end to the other. */
export function unwound(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
): { x: number[]; y: (number | null)[] } {
  const out: { x: number[]; y: (number | null)[] } = { x: [], y: [] };
  for (let i = 0; i < x.length; i++) {
    if (i > 0 && Math.abs(y[i]! - y[i - 1]!) > 180) {
      out.x.push((x[i]! + x[i - 1]!) / 2);
      out.y.push(null);
    }
    out.x.push(x[i]!);
    out.y.push(Number.isFinite(y[i]!) ? y[i]! : null);
  }
  return out;
}
