/** What a run that goes on tells of itself. */
import type { RunNews } from "../../api/types";

/** |S11| as far as it is known: the last whole curve of a time-domain run, or the points a sweep has solved. */
export function level(live: RunNews[]): { f: number; db: number }[] {
  const last = live[live.length - 1];
  if (last?.kind === "time") return last.s11_db.map((db, i) => ({ f: i, db }));
  return live
    .filter((p) => p.kind === "frequency")
    .map((p) => ({
      f: p.frequency_hz,
      db: 20 * Math.log10(Math.max(1e-6, Math.hypot(...p.s11))),
    }))
    .sort((a, b) => a.f - b.f);
}

/** What a time-domain run has left in it, and in which round it is. */
export const ringing = (live: RunNews[]): string => {
  const last = live[live.length - 1];
  if (!last) return "";
  return (
    (last.rounds > 1 ? ` · round ${last.round} of ${last.rounds}` : "") +
    (last.kind === "time" ? ` · ${last.energy_db.toFixed(0).replace("-", "−")} dB left` : "")
  );
};
