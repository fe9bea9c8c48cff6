/** Cards of currents and near fields: along wires, on surfaces, on lines, planes and in boxes; by magnitude, in dB, at a moment, in motion. */
import { Canvas } from "@react-three/fiber";
import { OrbitControls } from "@react-three/drei";
import { useQueries, useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useMemo, useState } from "react";
import { evaluated, examination, field, run as runDetail } from "../../../api/queries";
import type { Decay, Model } from "../../../api/types";
import { fixed, quantity, scaled } from "../../../format";
import { HeatMap } from "../../../plots/HeatMap";
import type { Packet } from "../../../api/client";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { ArrowLens, SurfaceLens } from "../../../stage/Lenses";
import { Structure } from "../../../stage/Structure";
import { extentOf } from "../../../stage/extent";
import { useCursor, useFollowing } from "../../../app/cursor";
import { Card, Choice, Nothing, RunChoice } from "../Card";
import type { Frames } from "../animate";
import {
  type CardProps,
  illuminated,
  type Shown,
  useDesk,
  useOneRun,
  useSetting,
} from "../context";
import { WHATS, type What, asked, pointValues, sharesOf, within } from "../values";

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

const WHAT_NAMES = Object.entries(WHATS).map(([k, [name]]) => [k as What, name] as const);
const STRAIGHT_DB = 3; // from an exponential: beyond, a field along a line does not decay
/** What amplitudes refer to. */
const under = (s: Shown | undefined): string => (illuminated(s) ? "as lit" : "for 1 W available");
type Form = "db" | "size" | "moment";
/** Fields for a steady unit drive; as the pulse of the run had them; or of light as wide as a share of the frequency, powers averaged. */
type Reference = "steady" | "pulse" | "1" | "2" | "5" | "10";
const REFERENCES: [Reference, string][] = [
  ["steady", "steady"],
  ["pulse", "as the pulse had it"],
  ...(["1", "2", "5", "10"] as const).map((share): [Reference, string] => [
    share,
    `mean over ${share} %`,
  ]),
];

const decibel = (v: number, what: What): number =>
  (what[0] === "s" ? 10 : 20) * Math.log10(Math.max(Math.abs(v), 1e-12));
const isError = (what: What): boolean => what === "de" || what === "dh";
const steady = (what: What): boolean =>
  what[0] === "s" || what === "w" || what === "r" || isError(what);

interface FieldChoice {
  what: What;
  form: Form;
  choices: ReactNode;
  unit: string;
  query: string;
  badge: { text: string }[];
}

function useField(props: CardProps, minus: string): FieldChoice {
  const [what, setWhat] = useSetting<What>(props, "what", "e");
  const [form, setForm] = useSetting<Form>(props, "form", "db");
  const lit = illuminated(useDesk().shown[0]);
  const [kept, setReference] = useSetting<Reference>(props, "reference", "steady");
  const cursor = useFollowing();
  const offered = REFERENCES.filter(
    ([k]) => k === "steady" || (k === "pulse" ? !steady(what) : minus === "" && !isError(what)),
  );
  const reference = offered.some(([k]) => k === kept) ? kept : "steady",
    mean = reference !== "steady" && reference !== "pulse";
  const own = isError(what) || ((steady(what) || mean) && form === "moment") ? "size" : form;
  const scale = reference === "pulse" ? `${WHATS[what][1]}/Hz` : WHATS[what][1];
  const unit = own === "db" ? (scale ? `dB over 1 ${scale}` : "dB") : scale;
  return {
    what,
    form: own,
    unit,
    query: `&quantity=${asked(what)}${reference === "pulse" ? "&raw=true" : mean ? `&width=${(cursor * Number(reference)) / 100}` : ""}`,
    badge: mean
      ? [{ text: `powers averaged over ${quantity((cursor * Number(reference)) / 100, "Hz", 3)}` }]
      : reference === "pulse"
        ? [{ text: "per Hz of the pulse" }]
        : [],
    choices: (
      <>
        <Choice
          label="Field"
          value={what}
          options={WHAT_NAMES.filter(([k]) => k !== "r" || lit)}
          onChange={setWhat}
        />{" "}
        ·{" "}
        <Choice
          label="Form"
          value={own}
          options={[
            ...(isError(what) ? [] : [["db", "dB"] as const]),
            ["size", "magnitude"],
            ...(steady(what) || mean ? [] : [["moment", "at a moment"] as const]),
          ]}
          onChange={setForm}
        />{" "}
        · <Choice label="Reference" value={reference} options={offered} onChange={setReference} />
      </>
    ),
  };
}

/** How far the field of a capture can be believed. */
const trusted = (data: Packet | undefined, what: What): { text: string; hint: string }[] => {
  const shares = data && sharesOf(data, what);
  const hint = "Share of the field by which it may be off: at half of the places, and at the worst";
  return shares
    ? [{ text: within(shares), hint }]
    : data && isError(what)
      ? [{ text: "not known after one round, or of a difference of runs", hint }]
      : [];
};

/** The captures of one kind, or of several, and a way to choose among them. */
export function useCapture(
  props: CardProps,
  kind: string | string[],
  run?: Shown,
): [string | undefined, React.ReactNode] {
  const { shown } = useDesk();
  const names = (run ?? shown[0]!).sweep.captures
    .filter((c) => [kind].flat().includes(c.kind))
    .map((c) => c.name);
  const [kept, choose] = useSetting<string>(props, "capture", "");
  const name = names.includes(kept) ? kept : names[0];
  return [
    name,
    names.length < 2 ? (
      name
    ) : (
      <Choice
        key="choice"
        label="Capture"
        value={name!}
        options={names.map((n) => [n, n] as const)}
        onChange={choose}
      />
    ),
  ];
}

const vtk = (id: number, run: number, name: string, f: number): [string, () => void] => [
  "Save the fields as VTK",
  () =>
    location.assign(
      `/api/projects/${id}/runs/${run}/export/near/${encodeURIComponent(name)}.vtk?frequency=${f}`,
    ),
];

export function Current(props: CardProps) {
  const { projectId, shown } = useDesk();
  const cursor = useFollowing();
  const [form, setForm] = useSetting<"size" | "db" | "normal" | "phase" | "moment">(
    props,
    "form",
    "size",
  );
  const [kept, setPart] = useSetting<string>(props, "part", "");
  const phase = usePhase();
  const { all, pending } = useQueries({
    queries: shown.map((s) => ({
      ...field(projectId, s.line.number, "current", cursor),
      retry: false,
      enabled: s.sweep.wires,
    })),
    combine: (q) => ({ all: q.map((r) => r.data), pending: q.some((r) => r.isFetching) }),
  });
  const parts = (all.find(Boolean)?.header.parts as string[] | undefined) ?? [];
  const part = parts.includes(kept) ? kept : parts[0];
  const key = shown.map((s) => s.color + s.dash + s.label).join();
  const { curves, peak, shares } = useMemo(() => {
    const peaks = [0],
      shares: number[] = [];
    const curves = all.flatMap((d, i): Curve[] => {
      const own = d ? (d.header.parts as string[]).indexOf(part ?? "") : -1;
      if (!d || own < 0) return [];
      const { span, re, im, part: owner, error } = d.arrays,
        x: number[] = [],
        value: [number, number][] = [],
        off: number[] = [];
      owner!.data.forEach((p, s) => {
        if (p === own)
          for (const e of [0, 1]) {
            x.push(span!.data[2 * s + e]!);
            value.push([re!.data[2 * s + e]!, im!.data[2 * s + e]!]);
            off.push(error?.data[2 * s + e] ?? 0);
          }
      });
      const most = value.reduce((m, [r, j]) => Math.max(m, Math.hypot(r, j)), 1e-30);
      peaks.push(most);
      const of = ([r, j]: [number, number]): number =>
        form === "moment"
          ? 1e3 * (r * Math.cos(phase.phase) - j * Math.sin(phase.phase))
          : form === "phase"
            ? (Math.atan2(j, r) * 180) / Math.PI
            : form === "db"
              ? 20 * Math.log10(Math.max(Math.hypot(r, j) / most, 1e-5))
              : (Math.hypot(r, j) / (form === "normal" ? most : 1)) * (form === "normal" ? 1 : 1e3);
      const sized = form === "size" || form === "db" || form === "normal",
        scaled = (by: number): number[] =>
          value.map(([r, j], k) => of([r * (1 + by * off[k]!), j * (1 + by * off[k]!)]));
      if (error) shares.push(...off);
      return [
        {
          x,
          y: value.map(of),
          spread: error && sized ? { low: scaled(-1), high: scaled(1) } : undefined,
          color: shown[i]!.color,
          dash: shown[i]!.dash,
          label: shown.length > 1 ? shown[i]!.label : undefined,
        },
      ];
    });
    return { curves, peak: Math.max(...peaks), shares };
  }, [all, part, form, phase.phase, key]); // eslint-disable-line react-hooks/exhaustive-deps
  const domain: Record<typeof form, [number, number]> = {
    size: [0, 1.06e3 * peak || 1],
    db: [-40, 0],
    normal: [0, 1.05],
    phase: [-180, 180],
    moment: [-1.06e3 * peak || -1, 1.06e3 * peak || 1],
  };
  return (
    <Card
      title="Current"
      note={
        <>
          along{" "}
          <Choice
            label="Part"
            value={part ?? ""}
            options={parts.map((p) => [p, p] as const)}
            onChange={setPart}
          />{" "}
          ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["size", "magnitude"],
              ["db", "dB"],
              ["normal", "normalised"],
              ["phase", "phase"],
              ["moment", "at a moment"],
            ]}
            onChange={setForm}
          />
        </>
      }
      badges={
        curves.length
          ? [
              { text: `peak ${quantity(peak, "A", 3)} ${under(shown[0])}` },
              ...(shares.length ? [{ text: within(shares) }] : []),
            ]
          : []
      }
      frames={form === "moment" ? phase.frames : undefined}
      table={
        curves[0] &&
        (() => ({
          columns: ["fraction", form],
          rows: Array.from(curves[0]!.x, (x, i) => [x, curves[0]!.y[i] ?? null]),
        }))
      }
    >
      <span hidden data-fetching={pending} />
      {curves.length > 0 && (
        <div className="flex h-full flex-col">
          <div className="min-h-0 flex-1">
            <LinePlot
              curves={curves}
              x={{ unit: "", factor: 1, label: "fraction of length" }}
              y={{
                unit: {
                  size: "mA",
                  moment: "mA",
                  db: "dB of its peak",
                  normal: "of its peak",
                  phase: "°",
                }[form],
                domain: domain[form],
              }}
              labels
            />
          </div>
          {form === "moment" && <PhaseBar phase={phase} />}
        </div>
      )}
    </Card>
  );
}

export function SurfaceCurrent(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const one = useOneRun(props),
    first = one.run,
    names = first.sweep.surfaces;
  const [kept, choose] = useSetting<string>(props, "capture", "");
  const [form, setForm] = useSetting<"db" | "linear" | "moment" | "arrows" | "error">(
    props,
    "form",
    "db",
  );
  const name = names.includes(kept) ? kept : names[0]!;
  const phase = usePhase(),
    moving = form === "moment" || form === "arrows";
  const { data, isFetching } = useQuery(
    field(projectId, first.line.number, `surface/${encodeURIComponent(name)}`, cursor),
  );
  const { data: detail } = useQuery(runDetail(projectId, first.line.number));
  const { data: looked } = useQuery({
    ...examination(detail?.document as unknown as Model, projectId),
    enabled: detail !== undefined,
  });
  const extent = useMemo(() => extentOf(looked), [looked]);
  const error = data?.arrays.error,
    wrong = form === "error" && error !== undefined;
  const drawn = useMemo(
    () =>
      data && wrong
        ? {
            ...data,
            arrays: {
              ...data.arrays,
              re: {
                shape: [error.data.length, 3],
                data: Float32Array.from({ length: 3 * error.data.length }, (_, q) =>
                  q % 3 ? 0 : error.data[q / 3]!,
                ),
              },
              im: { shape: [error.data.length, 3], data: new Float32Array(3 * error.data.length) },
            },
          }
        : data,
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [data, wrong],
  );
  const peak = useMemo(() => {
    const { re, im } = data?.arrays ?? {};
    let m = 0;
    if (re && im)
      for (let q = 0; q < re.data.length / 3; q++)
        m = Math.max(
          m,
          Math.hypot(...[0, 1, 2].flatMap((k) => [re.data[3 * q + k]!, im.data[3 * q + k]!])),
        );
    return m;
  }, [data]);
  return (
    <Card
      title="Surface current"
      note={
        <>
          {names.length > 1 ? (
            <Choice
              label="Capture"
              value={name}
              options={names.map((n) => [n, n] as const)}
              onChange={choose}
            />
          ) : (
            name
          )}{" "}
          ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["db", "dB"],
              ["linear", "magnitude"],
              ["moment", "at a moment"],
              ["arrows", "arrows"],
              ...(data?.arrays.error ? [["error", "its error"] as const] : []),
            ]}
            onChange={setForm}
          />
          <RunChoice {...one} />
        </>
      }
      badges={[
        { text: `largest ${quantity(peak, "A/m", 3)} ${under(one.run)}` },
        ...(error ? [{ text: within(error.data) }] : []),
        {
          text:
            wrong || form === "linear" || form === "moment"
              ? "in proportion, up to 98 % of all"
              : "40 dB down to dark",
        },
      ]}
      frames={moving ? phase.frames : undefined}
    >
      <span hidden data-fetching={isFetching} />
      {data && looked && (
        <div className="flex h-full flex-col">
          <div className="min-h-0 flex-1">
            <Canvas
              flat
              orthographic
              frameloop="demand"
              dpr={[1, 2]}
              gl={{ preserveDrawingBuffer: true, antialias: true }}
              camera={{ near: -100, far: 200, zoom: 190, position: [6, -9, 13], up: [0, 0, 1] }}
            >
              <ambientLight intensity={2.1} />
              <directionalLight position={[3, -4, 8]} intensity={1.7} />
              <OrbitControls enableDamping={false} />
              <group
                scale={1 / extent.size}
                position={extent.center.map((c) => -c / extent.size) as [number, number, number]}
              >
                <Structure examination={looked} extent={extent} quiet drawn={false} />
                <SurfaceLens
                  packet={drawn ?? data}
                  linear={wrong || form === "linear" || form === "moment"}
                  phase={form === "moment" ? phase.phase : null}
                />
                {form === "arrows" && (
                  <ArrowLens packet={data} phase={phase.phase} size={extent.size} />
                )}
              </group>
            </Canvas>
          </div>
          {moving && <PhaseBar phase={phase} />}
        </div>
      )}
    </Card>
  );
}

/** A ticked run whose fields are taken off those of the others: with one of the model without a scatterer, what the scatterer adds. */
function useMinus(props: CardProps): {
  minus: string;
  less: (s: Shown) => string;
  choice: ReactNode;
} {
  const { shown } = useDesk();
  const [kept, choose] = useSetting<string>(props, "minus", "");
  const minus = shown.length > 1 && shown.some((s) => String(s.line.number) === kept) ? kept : "";
  return {
    minus,
    less: (s) => (minus && minus !== String(s.line.number) ? `&minus=${minus}` : ""),
    choice: shown.length > 1 && (
      <>
        {" "}
        ·{" "}
        <Choice
          label="Less"
          value={minus}
          options={[
            ["", "as it is"],
            ...shown.map(
              (s) => [String(s.line.number), `less run ${s.line.number}`] as [string, string],
            ),
          ]}
          onChange={choose}
        />
      </>
    ),
  };
}

export function NearLine(props: CardProps) {
  const { projectId, shown } = useDesk();
  const less = useMinus(props);
  const cursor = useFollowing();
  const [name, choice] = useCapture(props, "near_line");
  const { what, form, unit, choices, query, badge } = useField(props, less.minus);
  const phase = usePhase();
  const own = shown.filter(
    (s) => String(s.line.number) !== less.minus && s.sweep.captures.some((c) => c.name === name),
  );
  const { all, pending, fault } = useQueries({
    queries: own.map((s) =>
      field(
        projectId,
        s.line.number,
        `near/${encodeURIComponent(name ?? "")}`,
        cursor,
        `${query}${less.less(s)}`,
      ),
    ),
    combine: (q) => ({
      all: q.map((r) => (r.error ? undefined : r.data)),
      pending: q.some((r) => r.isFetching),
      fault: q.find((r) => r.error)?.error,
    }),
  });
  const { data: fit } = useQuery({
    ...evaluated<Decay>(
      projectId,
      shown[0]!.line.number,
      `decay/${encodeURIComponent(name ?? "")}?frequency=${cursor}`,
    ),
    retry: false,
  });
  const key = own.map((s) => s.color + s.dash + s.label).join();
  const { curves, most } = useMemo(() => {
    const peaks = [0];
    const curves = all.flatMap((d, i): Curve[] => {
      const points = d?.arrays.points;
      if (!d || !points) return [];
      const x = Array.from({ length: points.data.length / 3 }, (_, k) =>
        Math.hypot(...[0, 1, 2].map((c) => points.data[3 * k + c]! - points.data[c]!)),
      );
      const y = pointValues(d, what, form === "moment" ? phase.phase : null);
      peaks.push(y.reduce((m, v) => Math.max(m, Math.abs(v)), 0));
      const shares = what === "e" || what === "h" ? sharesOf(d, what) : null,
        shown = (v: number): number => (form === "db" ? decibel(v, what) : v);
      const spread =
        shares && form !== "moment"
          ? {
              low: y.map((v, k) => shown(v * (1 - shares[k]!))),
              high: y.map((v, k) => shown(v * (1 + shares[k]!))),
            }
          : undefined;
      return [
        {
          x,
          y: y.map(shown),
          spread,
          color: own[i]!.color,
          dash: own[i]!.dash,
          label: own.length > 1 ? own[i]!.label : undefined,
        },
      ];
    });
    return { curves, most: Math.max(...peaks) };
  }, [all, what, form, phase.phase, key]); // eslint-disable-line react-hooks/exhaustive-deps
  return (
    <Card
      title="Near field on a line"
      note={
        <>
          {choice} · {choices}
          {less.choice}
        </>
      }
      frames={form === "moment" ? phase.frames : undefined}
      extra={name ? [vtk(projectId, shown[0]!.line.number, name, cursor)] : []}
      badges={
        curves[0]
          ? [
              ...badge,
              ...trusted(all[0], what),
              {
                text: `largest ${quantity(most, WHATS[what][1], 3)} ${what === "r" ? "times" : under(shown[0])}`,
              },
              ...(fit?.length_m && fit.rest_db < STRAIGHT_DB
                ? [
                    {
                      text: `|E| ${fit.length_m > 0 ? "falls" : "grows"} to 1/e over ${quantity(Math.abs(fit.length_m), "m", 3)} (±${fixed(fit.rest_db, 1)} dB)`,
                    },
                  ]
                : []),
            ]
          : []
      }
      table={
        curves[0] &&
        (() => ({
          columns: ["distance_m", `${WHATS[what][0]} ${unit}`.replace(/[^\w]+/g, "_")],
          rows: Array.from(curves[0]!.x, (x, i) => [x, curves[0]!.y[i] ?? null]),
        }))
      }
    >
      <span hidden data-fetching={pending} />
      {fault && <Nothing>{fault.message}</Nothing>}
      {curves.length > 0 && (
        <div className="flex h-full flex-col">
          <div className="min-h-0 flex-1">
            <LinePlot
              curves={curves}
              x={{
                ...scaled(Number(curves[0]!.x[curves[0]!.x.length - 1] ?? 1), "m"),
                label: "distance",
              }}
              y={{ unit, domain: form === "moment" ? [-1.5 * most, 1.5 * most] : undefined }}
              labels
            />
          </div>
          {form === "moment" && <PhaseBar phase={phase} />}
        </div>
      )}
    </Card>
  );
}

/** The field of a capture of one run, or what is wrong with the wish; what was there before stays while the next is fetched, but not when it fails. */
function useNear(
  run: Shown,
  name: string | undefined,
  cursor: number,
  more: string,
): { data: Packet | undefined; isFetching: boolean; fault: Error | null } {
  const { projectId } = useDesk();
  const { data, isFetching, error } = useQuery({
    ...field(projectId, run.line.number, `near/${encodeURIComponent(name ?? "")}`, cursor, more),
    enabled: name !== undefined,
  });
  return { data: error ? undefined : data, isFetching, fault: error };
}

/** Limits of a map's colours for values of a field. */
function shades(
  values: Float64Array,
  what: What,
  form: Form,
): { values: Float64Array; low: number; high: number; signed: boolean } {
  if (form === "db") {
    const level = values.map((v) => decibel(v, what)),
      high = level.reduce((m, v) => Math.max(m, v), -Infinity);
    return { values: level, low: Math.round(high - 40), high: Math.round(high), signed: false };
  }
  const most = values.reduce((m, v) => (Number.isFinite(v) ? Math.max(m, Math.abs(v)) : m), 1e-30),
    signed =
      (form === "moment" && what !== "e" && what !== "h") || (what[0] === "s" && what !== "s");
  return { values, low: signed ? -most : 0, high: most, signed };
}

export function NearPlane(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const one = useOneRun(props),
    first = one.run,
    less = useMinus(props);
  const [name, choice] = useCapture(props, "near_plane", first);
  const { what, form, unit, choices, query, badge } = useField(props, less.minus);
  const phase = usePhase();
  const { data, isFetching, fault } = useNear(first, name, cursor, `${query}${less.less(first)}`);
  const map = useMemo(() => {
    const points = data?.arrays.points;
    if (!points || data.header.kind !== "near_plane") return null;
    const [columns, rows] = data.header.counts as [number, number];
    const corner = (i: number): number[] => [0, 1, 2].map((k) => points.data[3 * i + k]!);
    const span = (i: number): number => Math.hypot(...corner(i).map((v, k) => v - corner(0)[k]!));
    const now = shades(pointValues(data, what, form === "moment" ? phase.phase : null), what, form);
    const top =
      form === "moment"
        ? shades(pointValues(data, what, null), what, "size").high *
          (what === "e" || what === "h" ? Math.SQRT2 : 1)
        : now.high;
    return {
      ...now,
      low: now.signed ? -top : now.low,
      high: top,
      columns,
      rows,
      width_m: span(columns - 1),
      height_m: span((rows - 1) * columns),
    };
  }, [data, what, form, phase.phase]);
  if (!name)
    return (
      <Card title="Near field on a plane">
        <Nothing>This run has no capture on a plane.</Nothing>
      </Card>
    );
  return (
    <Card
      title="Near field on a plane"
      note={
        <>
          {choice} · {choices}
          <RunChoice {...one} />
          {less.choice}
        </>
      }
      badges={
        data
          ? [
              ...badge,
              ...trusted(data, what),
              {
                text: `run ${first.line.number}${less.less(first) && ` less run ${less.minus}`}, ${what === "r" ? "times the incident" : under(first)}`,
              },
            ]
          : []
      }
      frames={form === "moment" ? phase.frames : undefined}
      extra={[vtk(projectId, first.line.number, name, cursor)]}
    >
      <span hidden data-fetching={isFetching} />
      {fault && <Nothing>{fault.message}</Nothing>}
      {map && (
        <div className="flex h-full flex-col">
          <div className="min-h-0 flex-1">
            <HeatMap {...map} unit={unit} />
          </div>
          {form === "moment" && <PhaseBar phase={phase} />}
        </div>
      )}
    </Card>
  );
}

const AXES = ["x", "y", "z"];

/** A field in a box, one layer of it at a time. */
export function NearBox(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const one = useOneRun(props),
    first = one.run,
    less = useMinus(props);
  const [name, choice] = useCapture(props, "near_box", first);
  const [across, setAcross] = useSetting<"0" | "1" | "2">(props, "across", "2");
  const { what, form, unit, choices, query, badge } = useField(props, less.minus);
  const phase = usePhase();
  const [share, setShare] = useState(0.5);
  const { data, isFetching, fault } = useNear(first, name, cursor, `${query}${less.less(first)}`);
  const values = useMemo(
    () =>
      data?.header.kind === "near_box"
        ? shades(pointValues(data, what, form === "moment" ? phase.phase : null), what, form)
        : null,
    [data, what, form, phase.phase],
  );
  const counts = data?.header.counts as [number, number, number] | undefined;
  if (!data || !values || !counts || !name)
    return (
      <Card
        title="Near field in a box"
        note={
          <>
            {choice} · {choices}
            {less.choice}
          </>
        }
      >
        <Nothing>{fault ? fault.message : "Reading…"}</Nothing>
      </Card>
    );
  const k = Number(across),
    [a, b] = [(k + 1) % 3, (k + 2) % 3] as [number, number],
    layer = Math.round(share * (counts[k]! - 1));
  const node = (u: number, v: number): number => {
    const n = [0, 0, 0];
    n[k] = layer;
    n[a] = u;
    n[b] = v;
    return (n[0]! * counts[1] + n[1]!) * counts[2] + n[2]!;
  };
  const { points } = data.arrays;
  const picked = Float64Array.from(
    { length: counts[a]! * counts[b]! },
    (_, n) => values.values[node(n % counts[a]!, Math.floor(n / counts[a]!))]!,
  );
  const place = (n: number, c: number): number => points!.data[3 * n + c]!;
  const span = (u: number, v: number): number =>
    Math.hypot(...[0, 1, 2].map((c) => place(node(u, v), c) - place(node(0, 0), c)));
  return (
    <Card
      title="Near field in a box"
      note={
        <>
          {choice} · {choices} · across{" "}
          <Choice
            label="Across"
            value={across}
            options={AXES.map((x, n) => [String(n) as "0", x] as const)}
            onChange={setAcross}
          />
          <RunChoice {...one} />
          {less.choice}
        </>
      }
      frames={form === "moment" ? phase.frames : undefined}
      extra={[vtk(projectId, first.line.number, name, cursor)]}
      badges={[
        ...badge,
        ...trusted(data, what),
        { text: `${AXES[k]!} = ${quantity(place(node(0, 0), k), "m", 3)}` },
        {
          text: `largest ${form === "db" ? `${fixed(values.high, 1)} ${unit}` : quantity(values.high, WHATS[what][1], 3)}`,
        },
      ]}
    >
      <span hidden data-fetching={isFetching} />
      <div className="flex h-full flex-col">
        <div className="min-h-0 flex-1">
          <HeatMap
            columns={counts[a]!}
            rows={counts[b]!}
            values={picked}
            low={values.low}
            high={values.high}
            signed={values.signed}
            width_m={span(counts[a]! - 1, 0)}
            height_m={span(0, counts[b]! - 1)}
            unit={unit}
          />
        </div>
        <input
          type="range"
          aria-label="Layer"
          className="w-full shrink-0 accent-heron"
          min={0}
          max={counts[k]! - 1}
          value={layer}
          onChange={(ev) => setShare(Number(ev.target.value) / Math.max(1, counts[k]! - 1))}
        />
        {form === "moment" && <PhaseBar phase={phase} />}
      </div>
    </Card>
  );
}
