/** Cards that a study begins with, by its kind; how somebody arranges them is kept in the browser. */
import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { CardEntry } from "../../api/types";

type Short = string | [kind: string, width: number, settings?: CardEntry["settings"]];
const CURVES: Short = ["study-curves", 2];
const LOOKED: Short[] = ["cuts", "pattern"];

const BY_KIND: Record<string, (axes: number) => Short[]> = {
  sweep: (axes) => [
    CURVES,
    axes > 1 ? "study-map" : "study-outcome",
    "study-dials",
    "study-dial-curve",
    "study-table",
    ...(axes > 1 ? ["study-outcome", "study-parallel"] : []),
    "study-smith",
    ...LOOKED,
  ],
  tune: () => ["study-found", CURVES, "study-table", "study-parallel", "study-outcome", ...LOOKED],
  tolerance: () => [
    "study-found",
    CURVES,
    "study-parallel",
    "study-outcome",
    "study-table",
    "study-dials",
    "study-dial-curve",
  ],
  sensitivity: () => [["study-found", 2], "study-table", CURVES],
  rescale: () => ["study-found", CURVES, "study-table", ...LOOKED],
};

/** Cards that suit a study of a kind which nobody has arranged; it varies so many values. */
export function suited(study: string, axes: number): CardEntry[] {
  const list = (BY_KIND[study] ?? BY_KIND.sweep!)(axes);
  return list.map((entry, k) => {
    const [kind, width, settings] = typeof entry === "string" ? [entry, 1, {}] : entry;
    return { id: `${study}-${k}`, kind, width, height: 1, settings: settings ?? {} };
  });
}

export const useArrangements = create<{
  cards: Record<string, CardEntry[]>;
  keep: (key: string, cards: CardEntry[]) => void;
  forget: (key: string) => void;
}>()(
  persist(
    (set) => ({
      cards: {},
      keep: (key, cards) => set((s) => ({ cards: { ...s.cards, [key]: cards } })),
      forget: (key) =>
        set((s) => ({
          cards: Object.fromEntries(Object.entries(s.cards).filter(([k]) => k !== key)),
        })),
    }),
    { name: "odd-heron-studies" },
  ),
);
