/** One frequency for every card and lens; runs ticked for overlay. */
import { create } from "zustand";

export const useCursor = create<{
  frequency: number | null; set: (f: number | null) => void; playing: boolean; setPlaying: (p: boolean) => void;
  /** Playing: how fast, and whether over frequency or from run to run. */
  speed: number; setSpeed: (s: number) => void; over: "frequency" | "runs"; setOver: (o: "frequency" | "runs") => void;
}>((set) => ({
  frequency: null,
  set: (frequency) => set({ frequency }),
  playing: false,
  setPlaying: (playing) => set({ playing }),
  speed: 1,
  setSpeed: (speed) => set({ speed }),
  over: "frequency",
  setOver: (over) => set({ over }),
}));

/** Ticked run numbers by project; nothing ticked by hand means the newest with results. */
export const useTicks = create<{ ticks: Record<number, number[]>; toggle: (project: number, run: number, shown: number[]) => void }>((set) => ({
  ticks: {},
  toggle: (project, run, shown) => set((s) => ({
    ticks: { ...s.ticks, [project]: shown.includes(run) ? shown.filter((n) => n !== run) : [...shown, run].sort((a, b) => b - a) },
  })),
}));

export const nearest = (values: number[], f: number): number => values.reduce((best, v, i) => (Math.abs(v - f) < Math.abs(values[best]! - f) ? i : best), 0);
