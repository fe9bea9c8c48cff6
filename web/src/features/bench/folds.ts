/** Chapters of the sheet that are folded, in every project and session of this browser. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

interface Folds {
  folded: string[];
  fold: (chapter: string) => void;
  unfold: (chapter: string) => void;
}

export const useFolds = create<Folds>()(
  persist(
    (set) => ({
      folded: [],
      fold: (chapter) =>
        set(({ folded }) => ({
          folded: folded.includes(chapter)
            ? folded.filter((c) => c !== chapter)
            : [...folded, chapter],
        })),
      unfold: (chapter) => set(({ folded }) => ({ folded: folded.filter((c) => c !== chapter) })),
    }),
    { name: "odd-heron-folded" },
  ),
);
