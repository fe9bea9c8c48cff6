/** Cards of what captures recorded: power through rectangles, signals, pictures in time, boxes; and who absorbs what. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { field, signals } from "../../api/queries";
import { fixed, number, quantity } from "../../format";
import { HeatMap } from "../../plots/HeatMap";
import { LinePlot } from "../../plots/LinePlot";
import { series } from "../../plots/scale";
import { Card } from "./Card";
import { type CardProps, at, axis } from "./shown";

const AXES = ["x", "y", "z"];
const FRAME_MS = 60;

/** The captures of one kind, and a way to choose among them. */
function useChoice(names: string[]): [string | undefined, React.ReactNode] {
  const [chosen, choose] = useState("");
  const name = names.includes(chosen) ? chosen : names[0];
  if (names.length < 2) return [name, name];
  return [name, <select key="choice" aria-label="Capture" className="bg-transparent" value={name} onChange={(e) => choose(e.target.value)}>{names.map((n) => <option key={n} className="bg-card">{n}</option>)}</select>];
}
const named = ({ shown }: CardProps, kind: string): string[] => shown[0]!.sweep.captures.filter((c) => c.kind === kind).map((c) => c.name);

function Choice<T extends string>({ label, value, options, onChange }: { label: string; value: T; options: [T, string][]; onChange: (v: T) => void }) {
  return <select aria-label={label} className="bg-transparent" value={value} onChange={(e) => onChange(e.target.value as T)}>{options.map(([v, text]) => <option key={v} value={v} className="bg-card">{text}</option>)}</select>;
}

/** Where the available power ends up at the cursor: what bounces, what leaves, and what each part turns into heat. */
export function PowerShare({ shown, cursor }: CardProps) {
  const { sweep } = shown[0]!;
  const i = at(shown[0]!, cursor);
  const share = (name: string): number => sweep.power_share[name]?.[i] ?? 0;
  const parts = Object.entries(sweep.absorbed_share).map(([name, values]): [string, number, string] => [name, values[i] ?? 0, "var(--rust)"]);
  const rows: [string, number, string][] = [
    ["radiated", share("radiated"), "var(--heron)"], ["not accepted", 1 - share("accepted"), "var(--steel)"],
    ...(parts.length ? parts : [["conductors", share("conductor"), "var(--rust)"], ["media", share("dielectric"), "var(--rust)"]] as [string, number, string][]),
    ["loads", share("loads"), "var(--plum)"],
  ];
  const table = rows.filter(([, v]) => Math.abs(v) >= 5e-5);
  return (
    <Card title="Where the power goes" note="of the available power" badges={[{ text: `${fixed(100 * table.reduce((sum, [, v]) => sum + v, 0), 1)} % accounted for` }]}
      table={() => ({ columns: ["frequency_hz", "radiated", "accepted", ...Object.keys(sweep.absorbed_share)], rows: sweep.frequency_hz.map((f, k) => [f, sweep.power_share.radiated?.[k] ?? null, sweep.power_share.accepted?.[k] ?? null, ...Object.values(sweep.absorbed_share).map((v) => v[k] ?? null)]) })}>
      <ul className="mt-1 h-full overflow-y-auto">
        {table.map(([name, value, tone]) => (
          <li key={name} className="grid grid-cols-[7.5rem_1fr_4rem] items-center gap-2 py-[3px]">
            <span className="truncate" title={name}>{name}</span>
            <span className="h-2 rounded-sm bg-faint"><span className="block h-full rounded-sm" style={{ width: `${Math.min(100, Math.max(0, 100 * value))}%`, background: tone }} /></span>
            <span className="num text-right">{fixed(100 * value, value < 0.0995 ? 2 : 1)} %</span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

export function PowerFlux(props: CardProps) {
  const { shown, cursor, setCursor } = props;
  const [name, choice] = useChoice(named(props, "power_flux"));
  if (!name) return null;
  const own = shown.filter((s) => s.sweep.power_flux[name]?.length);
  const first = own[0];
  if (!first) return null;
  const points = first.sweep.power_flux[name]!;
  const now = points.reduce((best, p) => (Math.abs(p.frequency_hz - cursor) < Math.abs(best.frequency_hz - cursor) ? p : best));
  return (
    <Card title="Power through a rectangle" note={choice} badges={[{ text: `${quantity(now.power_w, "W", 4)} at the cursor` }]} table={() => ({ columns: ["frequency_hz", "power_w"], rows: points.map((p) => [p.frequency_hz, p.power_w]) })}>
      <LinePlot curves={own.map((s) => ({ x: s.sweep.power_flux[name]!.map((p) => p.frequency_hz), y: s.sweep.power_flux[name]!.map((p) => p.power_w), color: s.color, dash: s.dash }))} x={axis(shown)} y={{ unit: "W" }} cursor={cursor} onCursor={setCursor} />
    </Card>
  );
}

export function Signal(props: CardProps) {
  const { projectId, shown } = props;
  const [name, choice] = useChoice(named(props, "point_trace"));
  const [what, setWhat] = useState<"e" | "h">("e");
  const line = shown[0]!.line;
  const { data } = useQuery({ ...signals(projectId, line.number, name ?? ""), enabled: name !== undefined && shown[0]!.sweep.traces.includes(name) });
  if (!name) return null;
  if (!shown[0]!.sweep.traces.includes(name)) return <Card title="Signal at a point"><p className="text-ink2">Run {line.number} was solved at frequencies, or the point lies beyond the walls: there is no signal.</p></Card>;
  const time = data ? Array.from(data.arrays.time_ns!.data) : [];
  const values = data?.arrays[what];
  const curves = values ? AXES.map((a, k) => ({ x: time, y: time.map((_, n) => values.data[3 * n + k]!), ...series(k), label: `${what.toUpperCase()}${a}` })).filter((c) => c.y.some((v) => v !== 0)) : [];
  const peak = curves.reduce((most, c) => c.y.reduce((m, v) => Math.max(m, Math.abs(v)), most), 0);
  return (
    <Card title="Signal at a point" note={<>{choice} · <Choice label="Field" value={what} options={[["e", "E"], ["h", "H"]]} onChange={setWhat} /></>} badges={data ? [{ text: `largest ${quantity(peak, what === "e" ? "V/m" : "A/m", 3)}` }, { text: "pulse of 1 √W at port 1" }] : []}
      table={() => ({ columns: ["time_ns", ...curves.map((c) => c.label)], rows: time.map((t, n) => [t, ...curves.map((c) => c.y[n]!)]) })}>
      {curves.length > 0 && <LinePlot curves={curves} x={{ unit: "ns", factor: 1, label: "time" }} y={{ unit: what === "e" ? "V/m" : "A/m" }} labels />}
    </Card>
  );
}

/** Pictures of one component of E as they were taken, to step or play through. */
export function Snapshots(props: CardProps) {
  const { projectId, shown } = props;
  const [name, choice] = useChoice(named(props, "snapshots"));
  const [component, setComponent] = useState<"0" | "1" | "2">("2");
  const [frame, setFrame] = useState<number | null>(null);
  const [playing, play] = useState(false);
  const line = shown[0]!.line, there = name !== undefined && shown[0]!.sweep.traces.includes(name);
  const { data } = useQuery({ ...signals(projectId, line.number, name ?? ""), enabled: there });
  const frames = data?.arrays.time_ns!.data.length ?? 0;
  useEffect(() => {
    if (!playing || frames === 0) return;
    const timer = setInterval(() => setFrame((f) => ((f ?? 0) + 1) % frames), FRAME_MS);
    return () => clearInterval(timer);
  }, [playing, frames]);
  const pictures = useMemo(() => {
    if (!data || !(data.header.complete as boolean)) return null;
    const { e, points } = data.arrays, [columns, rows] = data.header.counts as [number, number], count = columns * rows, k = Number(component);
    const peaks = Array.from({ length: e!.data.length / (3 * count) }, (_, n) => {
      let most = 0;
      for (let p = 0; p < count; p++) most = Math.max(most, Math.abs(e!.data[3 * (n * count + p) + k]!));
      return most;
    });
    const span = (p: number): number => Math.hypot(...[0, 1, 2].map((c) => points!.data[3 * p + c]! - points!.data[c]!));
    return { columns, rows, peaks, most: Math.max(...peaks, 1e-30), width_m: span(columns - 1), height_m: span((rows - 1) * columns), of: (n: number) => Float32Array.from({ length: count }, (_, p) => e!.data[3 * (n * count + p) + k]!) };
  }, [data, component]);
  if (!name) return null;
  if (!there) return <Card title="Snapshots"><p className="text-ink2">Run {line.number} was solved at frequencies, or the plane lies beyond the walls: there are no pictures in time.</p></Card>;
  if (data && !pictures) return <Card title="Snapshots"><p className="text-ink2">“{name}” reaches beyond the walls of run {line.number}, where nothing is known in time. Make it smaller, or the distance to the walls larger.</p></Card>;
  if (!data || !pictures) return <Card title="Snapshots" note={choice}><p className="text-ink2">Reading…</p></Card>;
  const now = Math.min(frame ?? pictures.peaks.indexOf(pictures.most), frames - 1); // first of all the strongest
  const limit = Math.max(pictures.peaks[now]!, 0.02 * pictures.most);
  return (
    <Card title="Snapshots" note={<>{choice} · <Choice label="Component" value={component} options={[["0", "Ex"], ["1", "Ey"], ["2", "Ez"]]} onChange={setComponent} /></>}
      badges={[{ text: `${number(data.arrays.time_ns!.data[now]!, 3)} ns` }, { text: `largest ${quantity(pictures.peaks[now]!, "V/m", 3)}` }]}>
      <div className="flex h-full flex-col">
        <div className="min-h-0 flex-1"><HeatMap columns={pictures.columns} rows={pictures.rows} width_m={pictures.width_m} height_m={pictures.height_m} values={pictures.of(now)} low={-limit} high={limit} unit="V/m" signed /></div>
        <div className="flex items-center gap-2">
          <button aria-label={playing ? "Pause" : "Play"} className="w-6 rounded hover:bg-heron-soft" onClick={() => play(!playing)}>{playing ? "‖" : "▸"}</button>
          <input type="range" aria-label="Picture" className="min-w-0 flex-1 accent-heron" min={0} max={frames - 1} value={now} onChange={(e) => { play(false); setFrame(Number(e.target.value)); }} />
        </div>
      </div>
    </Card>
  );
}

/** RMS |E| in a box, one layer of it at a time. */
export function NearBox(props: CardProps) {
  const { projectId, shown, cursor } = props;
  const [name, choice] = useChoice(named(props, "near_box"));
  const [across, setAcross] = useState<"0" | "1" | "2">("2");
  const [share, setShare] = useState(0.5);
  const { data } = useQuery({ ...field(projectId, shown[0]!.line.number, `near/${encodeURIComponent(name ?? "")}`, cursor), enabled: name !== undefined });
  if (!name) return null;
  const counts = data?.header.counts as [number, number, number] | undefined;
  if (!data || data.header.kind !== "near_box" || !counts) return <Card title="Near field in a box" note={choice}><p className="text-ink2">Reading…</p></Card>;
  const k = Number(across), [a, b] = [(k + 1) % 3, (k + 2) % 3] as [number, number], layer = Math.round(share * (counts[k]! - 1));
  const node = (u: number, v: number): number => { const n = [0, 0, 0]; n[k] = layer; n[a] = u; n[b] = v; return (n[0]! * counts[1] + n[1]!) * counts[2] + n[2]!; };
  const { e, points } = data.arrays;
  const level = Float64Array.from(e!.data, (v) => 20 * Math.log10(Math.max(v, 1e-9)));
  const high = level.reduce((m, v) => Math.max(m, v), -Infinity);
  const values = Float64Array.from({ length: counts[a]! * counts[b]! }, (_, n) => level[node(n % counts[a]!, Math.floor(n / counts[a]!))]!);
  const place = (n: number, c: number): number => points!.data[3 * n + c]!;
  const span = (u: number, v: number): number => Math.hypot(...[0, 1, 2].map((c) => place(node(u, v), c) - place(node(0, 0), c)));
  return (
    <Card title="Near field in a box" note={<>{choice} · across <Choice label="Across" value={across} options={AXES.map((x, n) => [String(n) as "0", x])} onChange={setAcross} /></>} badges={[{ text: `${AXES[k]!} = ${quantity(place(node(0, 0), k), "m", 3)}` }, { text: `largest ${fixed(high, 1)} dBV/m` }]}>
      <div className="flex h-full flex-col">
        <div className="min-h-0 flex-1"><HeatMap columns={counts[a]!} rows={counts[b]!} values={values} low={Math.round(high - 40)} high={Math.round(high)} width_m={span(counts[a]! - 1, 0)} height_m={span(0, counts[b]! - 1)} unit="dBV/m" /></div>
        <input type="range" aria-label="Layer" className="w-full accent-heron" min={0} max={counts[k]! - 1} value={layer} onChange={(ev) => setShare(Number(ev.target.value) / Math.max(1, counts[k]! - 1))} />
      </div>
    </Card>
  );
}
