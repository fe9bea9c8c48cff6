/** The cursor over frequency: its keeper, which needs no place on the page, and its bar. */
import { useEffect, useLayoutEffect } from "react";
import type { RunLine, Sweep } from "../../api/types";
import { nearest, useCursor, useTicks } from "../../app/cursor";
import { C0, quantity } from "../../format";
import { useWavelength } from "./context";

const PLAY_MS = 120,
  RUN_MS = 700;
const SPEEDS = [0.25, 0.5, 1, 2, 4];

/** Moves the cursor along the sweep. */
export function step(grid: number[], by: number): void {
  const { at, set } = useCursor.getState();
  set(grid[Math.min(grid.length - 1, Math.max(0, nearest(grid, at) + by))]!);
}

/** Keeps the cursor on a point of the first run's sweep, and plays it over frequency or from run to run. */
export function CursorKeeper({
  projectId,
  grid,
  lowest,
  usable,
}: {
  projectId: number;
  grid: number[];
  lowest: number;
  usable: RunLine[];
}) {
  const { frequency, set, setAt, playing, setPlaying, speed, over } = useCursor();
  useLayoutEffect(() => {
    if (grid.length === 0) return;
    const inside =
      frequency !== null && frequency >= grid[0]! && frequency <= grid[grid.length - 1]!;
    setAt(grid[nearest(grid, inside ? frequency : lowest)]!);
  }, [frequency, grid, lowest, setAt]);
  useEffect(() => {
    if (!playing) return;
    if (over === "runs") {
      const numbers = usable.map((r) => r.number).reverse();
      if (numbers.length < 2) return setPlaying(false);
      const timer = setInterval(
        () =>
          useTicks.setState((s) => {
            const now = s.ticks[projectId]?.[0] ?? numbers.at(-1)!;
            return {
              ticks: {
                ...s.ticks,
                [projectId]: [numbers[(numbers.indexOf(now) + 1) % numbers.length]!],
              },
            };
          }),
        RUN_MS / speed,
      );
      return () => clearInterval(timer);
    }
    if (grid.length < 2) return;
    const timer = setInterval(
      () => set(grid[(nearest(grid, useCursor.getState().at) + 1) % grid.length]!),
      PLAY_MS / speed,
    );
    return () => clearInterval(timer);
  }, [playing, grid, set, speed, over, projectId, usable, setPlaying]);
  return null;
}

/** The cursor: its slider over the first run's points, and playing. */
export function CursorBar({ grid, sweep }: { grid: number[]; sweep: Sweep }) {
  const { playing, setPlaying, speed, setSpeed, over, setOver, at, set } = useCursor();
  const wavelength = useWavelength(sweep);
  return (
    <>
      <select
        aria-label="Axes in"
        value={String(wavelength)}
        onChange={(e) => useCursor.getState().setWavelength(e.target.value === "true")}
        className="bg-transparent text-ink2"
      >
        <option className="bg-card" value="false">
          Frequency
        </option>
        <option className="bg-card" value="true">
          Wavelength
        </option>
      </select>
      <output className="num w-28 text-[16px] font-medium" data-cursor={at}>
        {wavelength ? quantity(C0 / at, "m", 5) : quantity(at, "Hz", 5)}
      </output>
      <span
        className="num w-24 whitespace-nowrap text-[12px] text-ink2"
        title={wavelength ? "frequency" : "wavelength in vacuum"}
      >
        {wavelength ? quantity(at, "Hz", 4) : `λ ${quantity(C0 / at, "m", 4)}`}
      </span>
      <div className="relative flex min-w-24 flex-1 items-center">
        <BandBar sweep={sweep} />
        <input
          id="cursor"
          aria-label="Frequency"
          type="range"
          min={0}
          max={grid.length - 1}
          value={nearest(grid, at)}
          onChange={(e) => set(grid[Number(e.target.value)]!)}
          className="relative w-full accent-heron"
        />
      </div>
      <button
        type="button"
        aria-label="One step back"
        className="text-ink2 hover:text-ink"
        onClick={() => step(grid, -1)}
      >
        ‹
      </button>
      <button type="button" className="w-11 text-heron" onClick={() => setPlaying(!playing)}>
        {playing ? "pause" : "play"}
      </button>
      <button
        type="button"
        aria-label="One step on"
        className="text-ink2 hover:text-ink"
        onClick={() => step(grid, 1)}
      >
        ›
      </button>
      <select
        aria-label="Play over"
        className="cursor-pointer bg-transparent text-[12px] text-ink2 [field-sizing:content]"
        value={over}
        onChange={(e) => setOver(e.target.value as "frequency" | "runs")}
      >
        <option className="bg-card" value="frequency">
          frequency
        </option>
        <option className="bg-card" value="runs">
          runs
        </option>
      </select>
      <select
        aria-label="Speed"
        className="num cursor-pointer bg-transparent text-[12px] text-ink2 [field-sizing:content]"
        value={speed}
        onChange={(e) => setSpeed(Number(e.target.value))}
      >
        {SPEEDS.map((s) => (
          <option key={s} className="bg-card" value={s}>
            {s}×
          </option>
        ))}
      </select>
    </>
  );
}

/** Where the first port is matched, under the slider. */
function BandBar({ sweep: s }: { sweep: Sweep }) {
  const f = s.frequency_hz,
    [a, b] = [f[0]!, f[f.length - 1]!];
  return (
    <div
      className="pointer-events-none absolute inset-x-2 top-1/2 h-3 -translate-y-1/2"
      aria-hidden
    >
      {(s.badges[String(s.ports[0])]?.bands["-10 dB"] ?? []).map((band) => (
        <span
          key={band.low_hz}
          className="absolute h-full rounded-sm bg-moss/35"
          style={{
            left: `${(100 * (band.low_hz - a)) / (b - a)}%`,
            width: `${(100 * (band.high_hz - band.low_hz)) / (b - a)}%`,
          }}
        />
      ))}
    </div>
  );
}
