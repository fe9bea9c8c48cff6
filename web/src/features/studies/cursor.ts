/** Which variant is looked at, and where the dials stand, by project and study. */
import { create } from "zustand";

export const keyOf = (project: number, study: number): string => `${project}.${study}`;

export const useStudyCursor = create<{
  place: Record<string, number>;
  dials: Record<string, number[]>;
  playing: boolean;
  look: (key: string, place: number) => void;
  turn: (key: string, values: number[]) => void;
}>((set) => ({
  place: {},
  dials: {},
  playing: false,
  look: (key, place) => set((s) => ({ place: { ...s.place, [key]: place } })),
  turn: (key, values) => set((s) => ({ dials: { ...s.dials, [key]: values } })),
}));
