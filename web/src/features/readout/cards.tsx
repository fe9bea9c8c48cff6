import { Canvas } from "@react-three/fiber";
import { OrbitControls } from "@react-three/drei";
import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { cuts, examination, field, run as runDetail } from "../../api/queries";
import type { Model, Sweep } from "../../api/types";
import { nearest } from "../../app/cursor";
import { compact, complex, fixed, number, quantity } from "../../format";
import { type Curve, LinePlot } from "../../plots/LinePlot";
import { HeatMap } from "../../plots/HeatMap";
import { Polar } from "../../plots/Polar";
import { Smith } from "../../plots/Smith";
import { PatternLens } from "../../stage/Lenses";
import { Structure } from "../../stage/Structure";
import { extentOf } from "../../stage/extent";
import { Mark, type State } from "../../ui/Mark";
import { Card } from "./Card";
import { NearBox, PowerFlux, PowerShare, Signal, Snapshots } from "./captures";
import type { Shown } from "./Readout";
import { type CardProps, at, axis, label, over, port, reflection } from "./shown";

const db = (re: number[], im: number[]): number[] => re.map((r, i) => 20 * Math.log10(Math.max(1e-10, Math.hypot(r, im[i]!))));

function Reflection({ shown, cursor, setCursor }: CardProps) {
  const first = shown[0]!, badge = first.sweep.badges[port(first)]!;
  const many = first.sweep.ports.length > 1;
  const curves = over(shown, (s) => db(reflection(s).re, reflection(s).im));
  if (many && shown.length === 1) {
    const [a, b] = first.sweep.ports;
    const t = first.sweep.s[`${b},${a}`]!;
    curves[0]!.label = `S${a}${a}`;
    curves.push({ x: first.sweep.frequency_hz, y: db(t.re, t.im), color: "var(--rust)", dash: "6 4", label: `S${b}${a}` });
  }
  const values = curves.flatMap((c) => c.y as number[]);
  const bands = badge.bands["-10 dB"];
  return (
    <Card
      title={many ? "|S|" : "|S11|"} note={many && shown.length > 1 ? "S11, dB" : "dB"}
      badges={[
        ...bands.map((b) => ({ text: `−10 dB: ${quantity(b.low_hz, "Hz", 4)}–${quantity(b.high_hz, "Hz", 4)} · ${number(100 * b.relative, 3)} %`, good: true })),
        { text: `min ${fixed(badge.minimum.level_db, 1)} dB at ${quantity(badge.minimum.frequency_hz, "Hz", 4)}` },
      ]}
      table={() => ({ columns: ["frequency_hz", ...shown.map((s) => `run${s.line.number}_s11_db`)], rows: first.sweep.frequency_hz.map((f, i) => [f, ...shown.map((s) => db(reflection(s).re, reflection(s).im)[i] ?? null)]) })}
    >
      <LinePlot curves={curves} x={axis(shown)} y={{ unit: "dB", domain: [Math.max(-60, Math.floor(Math.min(...values, -20) / 10) * 10), 0] }} cursor={cursor} onCursor={setCursor} limit={-10} bands={bands.map((b) => [b.low_hz, b.high_hz])} labels />
    </Card>
  );
}

function Standing({ shown, cursor, setCursor }: CardProps) {
  const first = shown[0]!, bands = first.sweep.badges[port(first)]!.bands["VSWR 2"];
  const value = first.sweep.vswr[port(first)]![at(first, cursor)];
  return (
    <Card title="VSWR" note={`${number(first.sweep.z0_ohm[0]!)} Ω`} badges={[{ text: `${fixed(value, 2)} at the cursor` }, ...bands.map((b) => ({ text: `under 2: ${quantity(b.low_hz, "Hz", 4)}–${quantity(b.high_hz, "Hz", 4)}`, good: true }))]}
      table={() => ({ columns: ["frequency_hz", "vswr"], rows: first.sweep.frequency_hz.map((f, i) => [f, first.sweep.vswr[port(first)]![i] ?? null]) })}>
      <LinePlot curves={over(shown, (s) => s.sweep.vswr[port(s)]!)} x={axis(shown)} y={{ unit: "", label: "ratio", domain: [1, 10] }} cursor={cursor} onCursor={setCursor} limit={2} bands={bands.map((b) => [b.low_hz, b.high_hz])} labels />
    </Card>
  );
}

function Impedance({ shown, cursor, setCursor }: CardProps) {
  const first = shown[0]!, z = first.sweep.z[port(first)]!;
  const resonances = first.sweep.badges[port(first)]!.resonances;
  const curves = shown.flatMap((s): Curve[] => {
    const own = s.sweep.z[port(s)]!;
    const tag = shown.length > 1 ? ` ${s.line.number}` : "";
    return [
      { x: s.sweep.frequency_hz, y: own.re, color: s.color, dash: s.dash, label: `R${tag}` },
      { x: s.sweep.frequency_hz, y: own.im, color: shown.length > 1 ? s.color : "var(--rust)", dash: shown.length > 1 ? "2 3" : "6 4", label: `X${tag}` },
    ];
  });
  return (
    <Card title="Input impedance" note="Ω" badges={[{ text: complex(z.re[at(first, cursor)] ?? NaN, z.im[at(first, cursor)] ?? NaN) }, ...resonances.slice(0, 2).map((r) => ({ text: `X = 0 at ${quantity(r.frequency_hz, "Hz", 4)} · ${number(r.resistance_ohm, 3)} Ω${r.q ? ` · Q ${number(r.q, 2)}` : ""}` }))]}
      table={() => ({ columns: ["frequency_hz", "r_ohm", "x_ohm"], rows: first.sweep.frequency_hz.map((f, i) => [f, z.re[i] ?? null, z.im[i] ?? null]) })}>
      <LinePlot curves={curves} x={axis(shown)} y={{ unit: "Ω" }} cursor={cursor} onCursor={setCursor} limit={0} labels />
    </Card>
  );
}

function SmithCard({ shown, cursor }: CardProps) {
  const first = shown[0]!, i = at(first, cursor), z = first.sweep.z[port(first)]!;
  return (
    <Card title="Smith chart" note={`${number(first.sweep.z0_ohm[0]!)} Ω`} badges={[{ text: complex(z.re[i] ?? NaN, z.im[i] ?? NaN) }, { text: `VSWR ${fixed(first.sweep.vswr[port(first)]![i], 2)}` }]}
      table={() => ({ columns: ["frequency_hz", "s11_re", "s11_im"], rows: first.sweep.frequency_hz.map((f, k) => [f, reflection(first).re[k]!, reflection(first).im[k]!]) })}>
      <Smith traces={shown.map((s) => ({ ...reflection(s), color: s.color, dash: s.dash, at: at(s, cursor) }))} />
    </Card>
  );
}

function Gain({ shown, cursor, setCursor }: CardProps) {
  const first = shown[0]!;
  const far = first.sweep.far_field;
  const now = far[nearest(far.map((f) => f.frequency_hz), cursor)]!;
  const pick = (s: Shown, key: "realized_gain_dbi" | "gain_dbi"): Curve => ({ x: s.sweep.far_field.map((f) => f.frequency_hz), y: s.sweep.far_field.map((f) => f[key]), color: s.color, dash: s.dash, label: shown.length > 1 ? `run ${s.line.number}` : key === "gain_dbi" ? "gain" : "realized" });
  const curves = shown.length > 1 ? shown.map((s) => pick(s, "realized_gain_dbi")) : [{ ...pick(first, "gain_dbi"), color: "var(--rust)", dash: "6 4" }, pick(first, "realized_gain_dbi")];
  return (
    <Card title="Peak gain" note="dBi" badges={[{ text: `gain ${fixed(now.gain_dbi, 2)} dBi` }, { text: `realized ${fixed(now.realized_gain_dbi, 2)} dBi` }]}
      table={() => ({ columns: ["frequency_hz", "directivity_dbi", "gain_dbi", "realized_gain_dbi"], rows: far.map((f) => [f.frequency_hz, f.directivity_dbi, f.gain_dbi, f.realized_gain_dbi]) })}>
      <LinePlot curves={curves} x={axis(shown)} y={{ unit: "dBi" }} cursor={cursor} onCursor={setCursor} labels />
    </Card>
  );
}

/** Where accepted power goes that is not radiated, where it is worth a word. */
function lost(share: Sweep["power_share"], i: number): { text: string }[] {
  const accepted = share.accepted?.[i] ?? NaN;
  return (["conductor", "dielectric", "loads"] as const)
    .map((name) => ({ name, part: (100 * (share[name]?.[i] ?? 0)) / accepted }))
    .filter((l) => l.part >= 0.1)
    .map((l) => ({ text: `${l.name} ${fixed(l.part, 1)} %` }));
}

function Efficiency({ shown, cursor, setCursor }: CardProps) {
  const first = shown[0]!, i = at(first, cursor);
  const percent = (v: (number | null)[]): (number | null)[] => v.map((x) => (x === null ? null : 100 * x));
  const curves: Curve[] = shown.length > 1
    ? over(shown, (s) => percent(s.sweep.total_efficiency))
    : [{ x: first.sweep.frequency_hz, y: percent(first.sweep.radiation_efficiency), color: "var(--rust)", dash: "6 4", label: "radiation" }, { x: first.sweep.frequency_hz, y: percent(first.sweep.total_efficiency), color: first.color, dash: "", label: "total" }];
  return (
    <Card title="Efficiency" note={shown.length > 1 ? "total, %" : "%"} badges={[{ text: `radiation ${fixed(100 * (first.sweep.radiation_efficiency[i] ?? NaN), 1)} %` }, { text: `total ${fixed(100 * (first.sweep.total_efficiency[i] ?? NaN), 1)} %` }, ...lost(first.sweep.power_share, i)]}
      table={() => ({ columns: ["frequency_hz", "radiation_efficiency", "total_efficiency"], rows: first.sweep.frequency_hz.map((f, k) => [f, first.sweep.radiation_efficiency[k] ?? null, first.sweep.total_efficiency[k] ?? null]) })}>
      <LinePlot curves={curves} x={axis(shown)} y={{ unit: "%", domain: [0, 118] }} cursor={cursor} onCursor={setCursor} labels />
    </Card>
  );
}

const PLANES = { "φ = 0° and 90°": "phi=0,phi=90", "φ = 0° and θ = 90°": "phi=0,theta=90" };

function Cuts({ projectId, shown, cursor }: CardProps) {
  const [planes, setPlanes] = useState<keyof typeof PLANES>("φ = 0° and 90°");
  const all = useQueries({ queries: shown.map((s) => cuts(projectId, s.line.number, cursor, PLANES[planes])) });
  const first = all[0]?.data;
  const degrees = (v: number | null): string => (v === null ? "–" : `${v.toFixed(0)}°`);
  return (
    <Card title="Cuts" note={<select aria-label="Planes" className="bg-transparent" value={planes} onChange={(e) => setPlanes(e.target.value as keyof typeof PLANES)}>{Object.keys(PLANES).map((k) => <option key={k} className="bg-card">{k}</option>)}</select>}
      badges={first ? [{ text: `HPBW ${first.map((c) => degrees(c.beamwidth_deg)).join(" / ")}` }, { text: `F/B ${first.map((c) => (c.front_to_back_db === null ? "–" : c.front_to_back_db.toFixed(1))).join(" / ").replaceAll("-", "−")} dB` }] : []}
      table={first && (() => ({ columns: ["angle_deg", ...first.map((c) => `${c.plane}_dbi`)], rows: first[0]!.angle_deg.map((a, i) => [a, ...first.map((c) => c.realized_gain_dbi[i]!)]) }))}>
      <Polar curves={all.flatMap((q, i) => (q.data ?? []).map((c, k) => ({ angle: c.angle_deg, value: c.realized_gain_dbi, color: shown.length > 1 ? shown[i]!.color : k === 0 ? "var(--heron)" : "var(--rust)", dash: k === 0 ? "" : "6 4" })))} />
    </Card>
  );
}

function Pattern({ projectId, shown, cursor }: CardProps) {
  const first = shown[0]!;
  const { data } = useQuery(field(projectId, first.line.number, "pattern", cursor));
  const { data: detail } = useQuery(runDetail(projectId, first.line.number));
  const { data: looked } = useQuery({ ...examination(detail?.document as unknown as Model, projectId), enabled: detail !== undefined });
  const extent = useMemo(() => extentOf(looked), [looked]);
  return (
    <Card title="Pattern" note="realized gain, 30 dB to the middle" badges={data ? [{ text: `peak ${fixed(Number(data.header.peak_dbi), 2)} dBi` }] : []}>
      {data && looked && (
        <Canvas flat orthographic frameloop="demand" dpr={[1, 2]} gl={{ preserveDrawingBuffer: true, antialias: true }} camera={{ near: -100, far: 200, zoom: 150, position: [10, -12.5, 7.2], up: [0, 0, 1] }}>
          <ambientLight intensity={2.1} /><directionalLight position={[3, -4, 8]} intensity={1.7} />
          <OrbitControls enableDamping={false} />
          <group scale={1 / extent.size} position={extent.center.map((c) => -c / extent.size) as [number, number, number]}>
            <Structure examination={looked} extent={extent} quiet />
            <PatternLens packet={data} extent={extent} />
          </group>
        </Canvas>
      )}
    </Card>
  );
}

function Current({ projectId, shown, cursor }: CardProps) {
  const all = useQueries({ queries: shown.map((s) => field(projectId, s.line.number, "current", cursor)) });
  const parts = (all[0]?.data?.header.parts as string[] | undefined) ?? [];
  const [chosen, setPart] = useState("");
  const part = parts.includes(chosen) ? chosen : parts[0];
  const curves = all.flatMap((q, i): Curve[] => {
    const d = q.data;
    const own = d ? (d.header.parts as string[]).indexOf(part ?? "") : -1;
    if (!d || own < 0) return [];
    const { span, re, im, part: owner } = d.arrays;
    const points: [number, number][] = [];
    owner!.data.forEach((p, s) => { if (p === own) for (const e of [0, 1]) points.push([span!.data[2 * s + e]!, 1e3 * Math.hypot(re!.data[2 * s + e]!, im!.data[2 * s + e]!)]); });
    return [{ x: points.map((p) => p[0]), y: points.map((p) => p[1]), color: shown[i]!.color, dash: shown[i]!.dash, label: label(shown, shown[i]!) }];
  });
  const peak = Math.max(0, ...curves.flatMap((c) => c.y as number[]));
  if (all.length > 0 && all.every((q) => q.error)) return null; // time-domain runs record fields, not currents
  return (
    <Card title="Current" note={<>|I| along <select aria-label="Part" className="bg-transparent" value={part} onChange={(e) => setPart(e.target.value)}>{parts.map((p) => <option key={p} className="bg-card">{p}</option>)}</select></>}
      badges={[{ text: `peak ${quantity(peak / 1e3, "A", 3)} for 1 W available` }]} table={() => ({ columns: ["fraction", "current_ma"], rows: curves[0]?.x.map((x, i) => [x, curves[0]!.y[i] ?? null]) ?? [] })}>
      {curves.length > 0 && <LinePlot curves={curves} x={{ unit: "", factor: 1, label: "fraction of length" }} y={{ unit: "mA", domain: [0, peak * 1.06 || 1] }} labels />}
    </Card>
  );
}

function NearLine({ projectId, shown, cursor }: CardProps) {
  const [what, setWhat] = useState<"e" | "h">("e");
  const name = shown[0]!.sweep.captures.find((c) => c.kind === "near_line")?.name;
  const with_ = shown.filter((s) => s.sweep.captures.some((c) => c.name === name));
  const all = useQueries({ queries: with_.map((s) => ({ ...field(projectId, s.line.number, `near/${encodeURIComponent(name ?? "")}`, cursor), enabled: name !== undefined })) });
  if (!name) return null;
  const curves = all.flatMap((q, i): Curve[] => {
    const points = q.data?.arrays.points, value = q.data?.arrays[what];
    if (!points || !value) return [];
    const x = Array.from(value.data, (_, k) => Math.hypot(...[0, 1, 2].map((c) => points.data[3 * k + c]! - points.data[c]!)));
    return [{ x, y: Array.from(value.data), color: with_[i]!.color, dash: with_[i]!.dash, label: label(with_, with_[i]!) }];
  });
  const unit = what === "e" ? "V/m" : "A/m";
  const log = curves.map((c) => ({ ...c, y: c.y.map((v) => 20 * Math.log10(Math.max(v!, 1e-12))) }));
  return (
    <Card title="Near field on a line" note={<>{name} · <select aria-label="Field" className="bg-transparent" value={what} onChange={(e) => setWhat(e.target.value as "e" | "h")}><option value="e" className="bg-card">|E| rms</option><option value="h" className="bg-card">|H| rms</option></select></>}
      badges={curves[0] ? [{ text: `largest ${quantity(Math.max(...(curves[0].y as number[])), unit, 3)} for 1 W available` }] : []}
      table={() => ({ columns: ["distance_m", what === "e" ? "e_rms_v_per_m" : "h_rms_a_per_m"], rows: curves[0]?.x.map((x, i) => [x, curves[0]!.y[i] ?? null]) ?? [] })}>
      {log.length > 0 && <LinePlot curves={log} x={{ unit: "mm", factor: 1e-3, label: "distance" }} y={{ unit: `dB over 1 ${unit}` }} labels />}
    </Card>
  );
}

function NearPlane({ projectId, shown, cursor }: CardProps) {
  const first = shown[0]!;
  const name = first.sweep.captures.find((c) => c.kind === "near_plane")?.name;
  const { data } = useQuery({ ...field(projectId, first.line.number, `near/${encodeURIComponent(name ?? "")}`, cursor), enabled: name !== undefined });
  const map = useMemo(() => {
    const points = data?.arrays.points, e = data?.arrays.e;
    if (!points || !e || data.header.kind !== "near_plane") return null;
    const [columns, rows] = data.header.counts as [number, number];
    const corner = (i: number): number[] => [0, 1, 2].map((k) => points.data[3 * i + k]!);
    const span = (i: number): number => Math.hypot(...corner(i).map((v, k) => v - corner(0)[k]!));
    const values = Float64Array.from(e.data, (v) => 20 * Math.log10(Math.max(v, 1e-9)));
    const high = Math.max(...values);
    return { columns, rows, values, low: Math.round(high - 40), high: Math.round(high), width_m: span(columns - 1), height_m: span((rows - 1) * columns) };
  }, [data]);
  if (!name) return null;
  return <Card title="Near field on a plane" note={`${name} · |E| rms`} badges={data ? [{ text: `run ${first.line.number}, 1 W available` }] : []}>{map && <HeatMap {...map} unit="dBV/m" />}</Card>;
}

function Trust({ projectId, shown }: CardProps) {
  const { data } = useQuery(runDetail(projectId, shown[0]!.line.number));
  const items = (data?.trust ?? []) as { name: string; value: string; mark: State; advice: string }[];
  return (
    <Card title="Trust card" note={`run ${shown[0]!.line.number}`} badges={data ? [{ text: `grade ${data.grade}`, good: data.grade === "A" }] : []}>
      <ul className="mt-1">
        {items.map((i) => (
          <li key={i.name} className="border-b border-faint py-1.5">
            <div className="flex items-center gap-3"><Mark state={i.mark} /><span>{i.name}</span><span className="num ml-auto">{i.value}</span></div>
            {i.mark !== "good" && <p className="pl-5 text-[12px] text-ink2">{i.advice}.</p>}
          </li>
        ))}
      </ul>
      <p className="num mt-3 text-[11.500px] text-ink2">{compact(data?.unknowns ?? 0)} unknowns · {data?.solves} {data?.solves === 1 ? "solve" : "solves"} · {number(data?.wall_s ?? 0, 2)} s</p>
    </Card>
  );
}

/** The page, in order. A new card is one entry. */
export const CARDS: { name: string; Card: (p: CardProps) => React.ReactNode }[] = [
  { name: "reflection", Card: Reflection }, { name: "smith", Card: SmithCard }, { name: "pattern", Card: Pattern },
  { name: "impedance", Card: Impedance }, { name: "cuts", Card: Cuts }, { name: "trust", Card: Trust },
  { name: "vswr", Card: Standing }, { name: "gain", Card: Gain }, { name: "efficiency", Card: Efficiency },
  { name: "current", Card: Current }, { name: "near-line", Card: NearLine }, { name: "near-plane", Card: NearPlane },
  { name: "power-share", Card: PowerShare }, { name: "power-flux", Card: PowerFlux }, { name: "near-box", Card: NearBox },
  { name: "signal", Card: Signal }, { name: "snapshots", Card: Snapshots },
];
