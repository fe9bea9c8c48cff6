/** One frequency for every card and lens; runs ticked for overlay. */
import { bisector } from "d3-array";
import { useEffect, useState } from "react";
import { create } from "zustand";

export const useCursor = create<{
  frequency: number | null; set: (f: number | null) => void;
  /** The point of the shown sweep that the frequency stands for; what cards read. */
  at: number; setAt: (f: number) => void; playing: boolean; setPlaying: (p: boolean) => void;
  /** Playing: how fast, and whether over frequency or from run to run. */
  speed: number; setSpeed: (s: number) => void; over: "frequency" | "runs"; setOver: (o: "frequency" | "runs") => void;
}>((set) => ({
  frequency: null,
  set: (frequency) => set({ frequency }),
  at: 0,
  setAt: (at) => set({ at }),
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

/** Which of the ascending values lies nearest. */
export const nearest = <T = number>(values: readonly T[], f: number, of: (v: T) => number = Number): number => bisector(of).center(values, f);

/** The cursor, in every frame of its way. */
export const useAt = (): number => useCursor((s) => s.at);

const FOLLOW_MS = 150;

/** The cursor for what must be fetched: at most every so often while it moves, and always where it rests. */
export function useFollowing(): number {
  const [followed, follow] = useState(useCursor.getState().at);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | null = null, last = 0;
    const go = (): void => { timer = null; last = performance.now(); follow(useCursor.getState().at); };
    go();
    const end = useCursor.subscribe((s, before) => {
      if (s.at === before.at || timer) return;
      const wait = FOLLOW_MS - (performance.now() - last);
      if (wait <= 0) go();
      else timer = setTimeout(go, wait);
    });
    return () => { end(); if (timer) clearTimeout(timer); };
  }, []);
  return followed;
}
