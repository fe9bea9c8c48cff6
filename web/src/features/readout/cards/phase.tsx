/** Fields that move: the phase of a period, by hand or running. */
import { useEffect, useState } from "react";
import { useCursor } from "../../../app/cursor";
import type { Frames } from "../animate";

const PHASES = 24,
  FRAME_MS = 70;

/** A phase that can run: the moment shown is Re(F e^jφ). */
export function usePhase(): {
  phase: number;
  step: number;
  playing: boolean;
  play: (on: boolean) => void;
  show: (n: number) => void;
  frames: Frames;
} {
  const [step, show] = useState(0);
  const [playing, play] = useState(false);
  const speed = useCursor((s) => s.speed);
  useEffect(() => {
    if (!playing) return;
    const timer = setInterval(() => show((n) => (n + 1) % PHASES), FRAME_MS / speed);
    return () => clearInterval(timer);
  }, [playing, speed]);
  return {
    phase: (2 * Math.PI * step) / PHASES,
    step,
    playing,
    play,
    show,
    frames: {
      count: PHASES,
      show: (i) => {
        play(false);
        show(i);
      },
    },
  };
}

export function PhaseBar({ phase }: { phase: ReturnType<typeof usePhase> }) {
  return (
    <div className="flex shrink-0 items-center gap-2">
      <button
        type="button"
        aria-label={phase.playing ? "Pause" : "Play"}
        className="w-6 rounded hover:bg-heron-soft"
        onClick={() => phase.play(!phase.playing)}
      >
        {phase.playing ? "‖" : "▸"}
      </button>
      <input
        type="range"
        aria-label="Phase"
        className="min-w-0 flex-1 accent-heron"
        min={0}
        max={PHASES - 1}
        value={phase.step}
        onChange={(e) => {
          phase.play(false);
          phase.show(Number(e.target.value));
        }}
      />
      <span className="num w-10 text-right text-[11.500px] text-ink2">
        {Math.round((phase.step * 360) / PHASES)}°
      </span>
    </div>
  );
}
