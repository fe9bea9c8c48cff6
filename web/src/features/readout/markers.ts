/** Named places on curves, and what they read there. */
import { bisectRight } from "d3-array";
import { create } from "zustand";
import type { MarkerEntry } from "../../api/types";

export interface Reading {
  x: number;
  y: number;
  xUnit: string;
  xFactor: number;
  yUnit: string;
  runs: { label: string; y: number }[];
}
export interface Plotted {
  x: ArrayLike<number>;
  y: ArrayLike<number | null>;
}

/** What the cards last read at their markers. */
export const useReadings = create<{
  readings: Record<string, Reading | null>;
  tell: (of: Record<string, Reading | null>) => void;
}>((set) => ({
  readings: {},
  tell: (of) => set((s) => ({ readings: { ...s.readings, ...of } })),
}));

/** The curve between its samples: a straight line; nothing beyond them. */
export function valueAt({ x, y }: Plotted, at: number): number | null {
  const n = x.length;
  if (n === 0 || at < x[0]! - 1e-9 * Math.abs(x[0]!) || at > x[n - 1]! * (1 + 1e-9)) return null;
  const high = Math.min(n - 1, Math.max(1, bisectRight(x, at))),
    low = Math.max(0, high - 1);
  const a = y[low],
    b = y[high];
  if (at === x[low] && a != null && Number.isFinite(a)) return a;
  if (a == null || b == null || !Number.isFinite(a) || !Number.isFinite(b)) return null;
  return x[high] === x[low] ? a : a + ((at - x[low]!) / (x[high]! - x[low]!)) * (b - a);
}

/** Where the curve crosses a level, nearest to `near`. */
export function crossing({ x, y }: Plotted, level: number, near: number): number | null {
  let best: number | null = null;
  for (let i = 0; i + 1 < x.length; i++) {
    const a = y[i],
      b = y[i + 1];
    if (
      a == null ||
      b == null ||
      !Number.isFinite(a + b) ||
      (a - level) * (b - level) > 0 ||
      a === b
    )
      continue;
    const at = x[i]! + ((level - a) / (b - a)) * (x[i + 1]! - x[i]!);
    if (best === null || Math.abs(at - near) < Math.abs(best - near)) best = at;
  }
  return best;
}

function extreme({ x, y }: Plotted, sign: 1 | -1): number | null {
  let best = -1;
  for (let i = 0; i < x.length; i++) {
    const v = y[i];
    if (v != null && Number.isFinite(v) && (best < 0 || sign * v > sign * y[best]!)) best = i;
  }
  return best < 0 ? null : x[best]!;
}

/** Abscissa and value of a marker on a curve; of a delta, its differences. `all` are the markers it may refer to. */
export function locate(
  marker: MarkerEntry,
  curve: Plotted,
  all: MarkerEntry[],
): { x: number; y: number } | null {
  if (marker.mode === "delta") {
    const [a, b] = [marker.first, marker.second].map((id) =>
      all.find((m) => m.id === id && m.mode !== "delta"),
    );
    const from = a && locate(a, curve, all),
      to = b && locate(b, curve, all);
    return from && to ? { x: to.x - from.x, y: to.y - from.y } : null;
  }
  const x =
    marker.mode === "at"
      ? (marker.x ?? null)
      : marker.mode === "crossing"
        ? crossing(curve, marker.level ?? 0, marker.x ?? 0)
        : extreme(curve, marker.mode === "maximum" ? 1 : -1);
  const y = x === null ? null : valueAt(curve, x);
  return x === null || y === null ? null : { x, y };
}
