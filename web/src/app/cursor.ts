/** One frequency for every card and lens; runs ticked for overlay. */
import { bisector } from "d3-array";
import { createContext, useContext, useLayoutEffect, useState } from "react";
import { create } from "zustand";

export const useCursor = create<{
  frequency: number | null;
  set: (f: number | null) => void;
  /** The point of the shown sweep that the frequency stands for; what cards read. */
  at: number;
  setAt: (f: number) => void;
  playing: boolean;
  setPlaying: (p: boolean) => void;
  /** Playing: how fast, and whether over frequency or from run to run. */
  speed: number;
  setSpeed: (s: number) => void;
  /** Whether axes show wavelengths; as suits the frequencies unless chosen. */
  wavelength: boolean | null;
  setWavelength: (w: boolean) => void;
  over: "frequency" | "runs";
  setOver: (o: "frequency" | "runs") => void;
}>((set) => ({
  frequency: null,
  set: (frequency) => set({ frequency }),
  at: 0,
  setAt: (at) => set({ at }),
  playing: false,
  setPlaying: (playing) => set({ playing }),
  speed: 1,
  setSpeed: (speed) => set({ speed }),
  wavelength: null,
  setWavelength: (wavelength) => set({ wavelength }),
  over: "frequency",
  setOver: (over) => set({ over }),
}));

/** Ticked run numbers by project; nothing ticked by hand means the newest with results. */
export const useTicks = create<{
  ticks: Record<number, number[]>;
  toggle: (project: number, run: number, shown: number[]) => void;
  /** Goes on with these when newer runs end. */ keep: (project: number, shown: number[]) => void;
}>((set) => ({
  ticks: {},
  toggle: (project, run, shown) =>
    set((s) => ({
      ticks: {
        ...s.ticks,
        [project]: shown.includes(run)
          ? shown.filter((n) => n !== run)
          : [...shown, run].sort((a, b) => b - a),
      },
    })),
  keep: (project, shown) => set((s) => ({ ticks: { ...s.ticks, [project]: shown } })),
}));

/** Which of the ascending values lies nearest. */
export const nearest = <T = number>(
  values: readonly T[],
  f: number,
  of: (v: T) => number = Number,
): number => bisector(of).center(values, f);

/** Whether a part of the page is in view: what is not follows the cursor only to where that rests. */
export class Sight {
  seen = true;
  private readonly woken = new Set<() => void>();

  see(seen: boolean): void {
    this.seen = seen;
    if (seen) this.woken.forEach((wake) => wake());
  }

  onSeen(wake: () => void): () => void {
    this.woken.add(wake);
    return () => this.woken.delete(wake);
  }
}
export const SightContext = createContext<Sight | null>(null);

const FOLLOW_MS = 150,
  REST_MS = 250;

/** The cursor, at most every `pace` ms while it moves, and always where it rests. */
function useFollowed(pace: number): number {
  const sight = useContext(SightContext);
  const [followed, follow] = useState(useCursor.getState().at);
  useLayoutEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined,
      last = 0;
    const go = (): void => {
      clearTimeout(timer);
      timer = undefined;
      last = performance.now();
      follow(useCursor.getState().at);
    };
    const later = (wait: number): void => {
      clearTimeout(timer);
      timer = setTimeout(go, wait);
    };
    go();
    const end = useCursor.subscribe((s, before) => {
      if (s.at === before.at) return;
      const wait = pace - (performance.now() - last);
      if (sight && !sight.seen) later(REST_MS);
      else if (wait <= 0) go();
      else if (!timer) later(wait);
    });
    const woken = sight?.onSeen(go);
    return () => {
      end();
      woken?.();
      clearTimeout(timer);
    };
  }, [pace, sight]);
  return followed;
}

/** The cursor, in every frame of its way. */
export const useAt = (): number => useFollowed(0);

/** The cursor for what must be fetched: at most every so often. */
export const useFollowing = (): number => useFollowed(FOLLOW_MS);
