import { useQueries, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useEffect } from "react";
import { project, run as runDetail, runs, sweep } from "../../api/queries";
import type { RunLine, Sweep } from "../../api/types";
import { Header } from "../../app/Header";
import { nearest, useCursor, useTicks } from "../../app/cursor";
import { useRegister } from "../../app/commands";
import { quantity } from "../../format";
import { series } from "../../plots/scale";
import { CARDS } from "./cards";

export interface Shown { line: RunLine; sweep: Sweep; color: string; dash: string }

const PLAY_MS = 120;
const NONE: number[] = [];

/** One page of linked cards for the ticked runs. */
export function Readout() {
  const { projectId } = useParams({ from: "/projects/$projectId/readout" });
  const id = Number(projectId);
  const { data: p } = useQuery(project(id));
  const { data: all, isPending } = useQuery(runs(id));
  const { ticks, toggle } = useTicks();
  const usable = all?.filter((r) => r.has_results) ?? [];
  const ticked = (ticks[id] ?? usable.slice(0, 1).map((r) => r.number)).filter((n) => usable.some((r) => r.number === n));
  const loaded = useQueries({ queries: ticked.map((n) => sweep(id, n)) });
  const shown: Shown[] = ticked.flatMap((n, i) => {
    const s = loaded[i]?.data;
    return s ? [{ line: usable.find((r) => r.number === n)!, sweep: s, ...series(i) }] : [];
  });
  const first = shown[0];
  const { frequency, set, playing, setPlaying } = useCursor();
  const grid = first?.sweep.frequency_hz ?? NONE;
  const lowest = first ? first.sweep.badges[String(first.sweep.ports[0])]!.minimum.frequency_hz : null;
  const inside = frequency !== null && grid.length > 0 && frequency >= grid[0]! && frequency <= grid[grid.length - 1]!;
  const index = grid.length ? nearest(grid, inside ? frequency : lowest!) : 0;
  const cursor = grid[index] ?? null;
  useEffect(() => {
    if (!playing || grid.length < 2) return;
    const timer = setInterval(() => {
      const at = nearest(grid, useCursor.getState().frequency ?? grid[0]!);
      set(grid[(at + 1) % grid.length]!);
    }, PLAY_MS);
    return () => clearInterval(timer);
  }, [playing, grid, set]);
  const download = (what: string): void => {
    if (first) location.assign(`/api/projects/${id}/runs/${first.line.number}/export/${what}`);
  };
  const exports = [["touchstone", "Touchstone"], ["ports.csv", "CSV"], [`pattern.csv?frequency=${cursor}`, "Pattern CSV"], ["run.nc", "NetCDF"]] as const;
  useRegister("readout", [
    { id: "play", label: playing ? "Pause the cursor" : "Play the cursor", group: "View", shortcut: "P", perform: () => setPlaying(!playing) },
    ...exports.map(([what, label]) => ({ id: `export-${what}`, label: `Export ${label}`, group: "Export", enabled: first !== undefined, perform: () => download(what) })),
  ]);
  return (
    <div className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      <div className="flex min-h-0 flex-1">
        <aside className="w-[204px] shrink-0 overflow-y-auto border-r border-rule bg-card p-3.5">
          <div className="mb-2 flex"><h2 className="font-semibold">Runs shown</h2><Link className="ml-auto text-heron" to="/projects/$projectId/ledger" params={{ projectId }}>Ledger</Link></div>
          <ul>
            {usable.map((r) => {
              const style = series(Math.max(0, ticked.indexOf(r.number)));
              return (
                <li key={r.number} className="border-b border-faint py-2">
                  <label className="flex cursor-pointer items-center gap-2">
                    <input type="checkbox" className="accent-heron" checked={ticked.includes(r.number)} onChange={() => toggle(id, r.number, ticked)} aria-label={`run ${r.number}`} />
                    <svg width="22" height="6" aria-hidden>{ticked.includes(r.number) && <line x2="22" y1="3" y2="3" stroke={style.color} strokeDasharray={style.dash} strokeWidth="2" />}</svg>
                    <span className="num font-medium">run {r.number}</span>
                    <span className="ml-auto text-[11.500px] text-ink2">trust {r.grade}</span>
                  </label>
                  <p className="num pl-6 text-[11.500px] text-ink2">rev {r.revision} · {(r.headline as { text?: string }).text}</p>
                </li>
              );
            })}
          </ul>
          {first && (
            <>
              <h2 className="mb-1 mt-5 font-semibold">Run {first.line.number} as a file</h2>
              <ul>{exports.map(([what, label]) => <li key={label}><button className="py-0.5 text-heron hover:underline" onClick={() => download(what)}>{label}</button></li>)}</ul>
              <Figures shown={first} index={index} />
            </>
          )}
        </aside>
        <main className="flex min-w-0 flex-1 flex-col">
          {cursor !== null && first && (
            <div className="flex h-[50px] shrink-0 items-center gap-4 border-b border-rule px-4">
              <label htmlFor="cursor" className="text-ink2">Frequency</label>
              <output className="num w-32 text-[16px] font-medium" data-cursor={cursor}>{quantity(cursor, "Hz", 5)}</output>
              <div className="relative flex flex-1 items-center">
                <BandBar sweep={first.sweep} />
                <input id="cursor" type="range" min={0} max={grid.length - 1} value={index} onChange={(e) => set(grid[Number(e.target.value)]!)} className="relative w-full accent-heron" />
              </div>
              <button className="w-12 text-heron" onClick={() => setPlaying(!playing)}>{playing ? "pause" : "play"}</button>
            </div>
          )}
          <div className="grid min-h-0 flex-1 grid-cols-3 content-start gap-3 overflow-y-auto p-3">
            {isPending && <p className="text-ink2">Fetching the runs…</p>}
            {!isPending && usable.length === 0 && <p className="col-span-3 text-ink2">No finished run yet. Press Solve on the Bench; it will appear here.</p>}
            {usable.length > 0 && ticked.length === 0 && <p className="col-span-3 text-ink2">Tick a run on the left.</p>}
            {loaded.some((q) => q.error) && <p role="alert" className="col-span-3 text-rust">{loaded.find((q) => q.error)!.error!.message}</p>}
            {cursor !== null && first && CARDS.map(({ name, Card }) => <Card key={name} projectId={id} shown={shown} cursor={cursor} setCursor={(f) => set(f)} />)}
          </div>
        </main>
      </div>
    </div>
  );
}

/** Where the first port is matched, under the slider. */
function BandBar({ sweep: s }: { sweep: Sweep }) {
  const f = s.frequency_hz, [a, b] = [f[0]!, f[f.length - 1]!];
  return (
    <div className="pointer-events-none absolute inset-x-2 top-1/2 h-3 -translate-y-1/2" aria-hidden>
      {s.badges[String(s.ports[0])]!.bands["-10 dB"].map((band) => (
        <span key={band.low_hz} className="absolute h-full rounded-sm bg-moss/35" style={{ left: `${(100 * (band.low_hz - a)) / (b - a)}%`, width: `${(100 * (band.high_hz - band.low_hz)) / (b - a)}%` }} />
      ))}
    </div>
  );
}

function Figures({ shown, index }: { shown: Shown; index: number }) {
  const { data } = useQuery(runDetail(Number(useParams({ strict: false }).projectId), shown.line.number));
  const far = shown.sweep.far_field.reduce((best, f) => (Math.abs(f.frequency_hz - shown.sweep.frequency_hz[index]!) < Math.abs(best.frequency_hz - shown.sweep.frequency_hz[index]!) ? f : best));
  const rows = [["Directivity", far.directivity_dbi, "dBi"], ["Gain", far.gain_dbi, "dBi"], ["Realized gain", far.realized_gain_dbi, "dBi"], ["Rad. efficiency", 100 * far.radiation_efficiency, "%"], ["Total efficiency", 100 * far.total_efficiency, "%"]] as const;
  return (
    <>
      <h2 className="mb-1 mt-5 font-semibold">At the cursor</h2>
      <table className="w-full text-[12px]"><tbody>
        {rows.map(([name, value, unit]) => <tr key={name} className="border-b border-faint"><td className="py-0.5 text-ink2">{name}</td><td className="num text-right">{value.toFixed(2).replace("-", "−")} {unit}</td></tr>)}
        <tr><td className="py-0.5 text-ink2">Peak at</td><td className="num text-right">θ {far.peak_theta_deg.toFixed(0)}° φ {far.peak_phi_deg.toFixed(0)}°</td></tr>
      </tbody></table>
      {data && <p className="mt-4 text-[11.500px] leading-snug text-ink2">{data.reason}. {data.warnings.join(" ")}</p>}
    </>
  );
}
