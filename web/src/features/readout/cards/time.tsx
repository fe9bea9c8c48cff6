/** Cards of what captures recorded over time, and of power through rectangles. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { packet } from "../../../api/client";
import { signals } from "../../../api/queries";
import { nearest, useCursor } from "../../../app/cursor";
import { fixed, number, quantity, scaled } from "../../../format";
import { HeatMap } from "../../../plots/HeatMap";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { series } from "../../../plots/scale";
import { type Badge, Card, Choice, Nothing } from "../Card";
import { type CardProps, illuminated, useAxis, useDesk, useSetting } from "../context";
import { useCapture } from "./fieldChoice";

const AXES = ["x", "y", "z"];
const FRAME_MS = 60;

export function PowerFlux(props: CardProps) {
  const { shown } = useDesk();
  const axis = useAxis(shown);
  const [name, choice] = useCapture(props, "power_flux");
  const own = shown.filter((s) => s.sweep.power_flux[name ?? ""]?.length);
  const key = own.map((s) => s.line.number + s.color).join() + name;
  const watt = scaled(
    Math.max(0, ...own.flatMap((s) => s.sweep.power_flux[name!]!.map((p) => Math.abs(p.power_w)))),
    "W",
  );
  const curves = useMemo(
    (): Curve[] =>
      own.map((s) => ({
        x: s.sweep.power_flux[name!]!.map((p) => p.frequency_hz),
        y: s.sweep.power_flux[name!]!.map((p) => p.power_w / watt.factor),
        color: s.color,
        dash: s.dash,
        label: own.length > 1 ? s.label : undefined,
      })),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [key],
  );
  const first = own[0];
  if (!first || !name)
    return (
      <Card title="Power through a rectangle">
        <Nothing>No power through a rectangle was captured in this run.</Nothing>
      </Card>
    );
  const points = first.sweep.power_flux[name]!;
  const now = (cursor: number): (typeof points)[number] =>
    points[nearest(points, cursor, (p) => p.frequency_hz)]!;
  const chips = (p: (typeof points)[number]): Badge[] => [
    { text: `${quantity(p.power_w, "W", 4)} at the cursor` },
    ...(typeof p.share_of_source !== "number"
      ? []
      : [{ text: `${fixed(100 * p.share_of_source, 1)} % of what the source offers` }]),
  ];
  return (
    <Card
      title="Power through a rectangle"
      note={choice}
      live={(cursor) => chips(now(cursor))}
      table={() => ({
        columns: ["frequency_hz", "power_w", "share_of_source"],
        rows: points.map((p) => [p.frequency_hz, p.power_w, p.share_of_source ?? null]),
      })}
    >
      <LinePlot curves={curves} x={axis} y={{ unit: watt.unit }} follow labels />
    </Card>
  );
}

/** For times in ns. */
const timeAxis = (time: ArrayLike<number>): { unit: string; factor: number } => {
  const { unit, factor } = scaled(1e-9 * Number(time[time.length - 1] ?? 1), "s");
  return { unit, factor: 1e9 * factor };
};

export function Signal(props: CardProps) {
  const { projectId, shown } = useDesk();
  const axis = useAxis(shown);
  const [name, choice] = useCapture(props, ["point_trace", "far_trace"]);
  const [what, setWhat] = useSetting<"e" | "h">(props, "what", "e");
  const [over, setOver] = useSetting<"time" | "frequency">(props, "over", "time");
  const { line, sweep } = shown[0]!;
  const there = name !== undefined && sweep.traces.includes(name);
  const { data } = useQuery({ ...signals(projectId, line.number, name ?? ""), enabled: there });
  const { data: spectra } = useQuery({
    queryKey: ["spectrum", projectId, line.number, name, what],
    staleTime: Infinity,
    enabled: there && over === "frequency",
    queryFn: () =>
      packet(
        `/projects/${projectId}/runs/${line.number}/spectrum/${encodeURIComponent(name ?? "")}?field=${what}`,
      ),
  });
  const { curves, peak } = useMemo(() => {
    const values = data?.arrays[what];
    if (!data || !values) return { curves: [], peak: 0 };
    const time = data.arrays.time_ns!.data;
    const own = AXES.map((a, k) => ({
      x: time as ArrayLike<number>,
      y: Float32Array.from(time, (_, n) => values.data[3 * n + k]!),
      ...series(k),
      label: `${what.toUpperCase()}${a}`,
      axis: k,
    })).filter((c) => c.y.some((v) => v !== 0));
    const peak = own.reduce((most, c) => c.y.reduce((m, v) => Math.max(m, Math.abs(v)), most), 0);
    if (over === "time") return { curves: own as Curve[], peak };
    const f = spectra?.arrays.frequency,
      level = spectra?.arrays.level;
    return {
      curves:
        f && level
          ? own.map(
              (c): Curve => ({
                ...c,
                x: f.data,
                y: Float32Array.from(f.data, (_, n) => level.data[3 * n + c.axis]!),
              }),
            )
          : [],
      peak,
    };
  }, [data, what, over, spectra]);
  if (!there)
    return (
      <Card title="Field against time">
        <Nothing>
          Run {line.number} was solved at frequencies, or the point lies beyond the walls: there is
          no field against time.
        </Nothing>
      </Card>
    );
  const title = over === "time" ? "time_ns" : "frequency_hz";
  return (
    <Card
      title="Field against time"
      note={
        <>
          {choice} ·{" "}
          <Choice
            label="Field"
            value={what}
            options={[
              ["e", "E"],
              ["h", "H"],
            ]}
            onChange={setWhat}
          />{" "}
          ·{" "}
          <Choice
            label="Over"
            value={over}
            options={[
              ["time", "against time"],
              ["frequency", "spectrum"],
            ]}
            onChange={setOver}
          />
        </>
      }
      badges={
        data
          ? [
              { text: `largest ${quantity(peak, what === "e" ? "V/m" : "A/m", 3)}` },
              { text: illuminated(shown[0]) ? "pulse of 1 V/m" : "pulse of 1 √W at port 1" },
            ]
          : []
      }
      table={
        curves[0] &&
        (() => ({
          columns: [title, ...curves.map((c) => c.label!)],
          rows: Array.from(curves[0]!.x, (t, n) => [t, ...curves.map((c) => c.y[n] ?? null)]),
        }))
      }
    >
      {curves.length > 0 &&
        (over === "time" ? (
          <LinePlot
            curves={curves}
            x={{ ...timeAxis(curves[0]!.x), label: "time" }}
            y={{ unit: what === "e" ? "V/m" : "A/m" }}
            labels
          />
        ) : (
          <LinePlot curves={curves} x={axis} y={{ unit: "dB", domain: [-60, 3] }} labels />
        ))}
    </Card>
  );
}

/** Pictures of one component of E as they were taken, to step or play through. */
export function Snapshots(props: CardProps) {
  const { projectId, shown } = useDesk();
  const [name, choice] = useCapture(props, "snapshots");
  const [component, setComponent] = useSetting<"0" | "1" | "2">(props, "component", "2");
  const [frame, setFrame] = useState<number | null>(null);
  const speed = useCursor((s) => s.speed);
  const [playing, play] = useState(false);
  const line = shown[0]!.line,
    there = name !== undefined && shown[0]!.sweep.traces.includes(name);
  const { data } = useQuery({ ...signals(projectId, line.number, name ?? ""), enabled: there });
  const frames = data?.arrays.time_ns!.data.length ?? 0;
  useEffect(() => {
    if (!playing || frames === 0) return;
    const timer = setInterval(() => setFrame((f) => ((f ?? 0) + 1) % frames), FRAME_MS / speed);
    return () => clearInterval(timer);
  }, [playing, frames, speed]);
  const pictures = useMemo(() => {
    if (!data || !(data.header.complete as boolean)) return null;
    const { e, points } = data.arrays,
      [columns, rows] = data.header.counts as [number, number],
      count = columns * rows,
      k = Number(component);
    const peaks = Array.from({ length: e!.data.length / (3 * count) }, (_, n) => {
      let most = 0;
      for (let p = 0; p < count; p++)
        most = Math.max(most, Math.abs(e!.data[3 * (n * count + p) + k]!));
      return most;
    });
    const span = (p: number): number =>
      Math.hypot(...[0, 1, 2].map((c) => points!.data[3 * p + c]! - points!.data[c]!));
    return {
      columns,
      rows,
      peaks,
      most: Math.max(...peaks, 1e-30),
      width_m: span(columns - 1),
      height_m: span((rows - 1) * columns),
      of: (n: number) =>
        Float32Array.from({ length: count }, (_, p) => e!.data[3 * (n * count + p) + k]!),
    };
  }, [data, component]);
  if (!there)
    return (
      <Card title="Snapshots">
        <Nothing>
          Run {line.number} was solved at frequencies, or the plane lies beyond the walls: there are
          no pictures in time.
        </Nothing>
      </Card>
    );
  if (data && !pictures)
    return (
      <Card title="Snapshots">
        <Nothing>
          “{name}” reaches beyond the walls of run {line.number}, where nothing is known in time.
          Make it smaller, or the distance to the walls larger.
        </Nothing>
      </Card>
    );
  if (!data || !pictures)
    return (
      <Card title="Snapshots" note={choice}>
        <Nothing>Reading…</Nothing>
      </Card>
    );
  const now = Math.min(frame ?? pictures.peaks.indexOf(pictures.most), frames - 1); // first of all the strongest
  const limit = Math.max(pictures.peaks[now]!, 0.02 * pictures.most);
  return (
    <Card
      title="Snapshots"
      note={
        <>
          {choice} ·{" "}
          <Choice
            label="Component"
            value={component}
            options={[
              ["0", "Ex"],
              ["1", "Ey"],
              ["2", "Ez"],
            ]}
            onChange={setComponent}
          />
        </>
      }
      frames={{
        count: frames,
        show: (i) => {
          play(false);
          setFrame(i);
        },
      }}
      badges={[
        { text: `${number(data.arrays.time_ns!.data[now]!, 3)} ns` },
        { text: `largest ${quantity(pictures.peaks[now]!, "V/m", 3)}` },
      ]}
    >
      <div className="flex h-full flex-col">
        <div className="min-h-0 flex-1">
          <HeatMap
            columns={pictures.columns}
            rows={pictures.rows}
            width_m={pictures.width_m}
            height_m={pictures.height_m}
            values={pictures.of(now)}
            low={-limit}
            high={limit}
            unit="V/m"
            signed
          />
        </div>
        <div className="flex items-center gap-2">
          <button
            type="button"
            aria-label={playing ? "Pause" : "Play"}
            className="w-6 rounded hover:bg-heron-soft"
            onClick={() => play(!playing)}
          >
            {playing ? "‖" : "▸"}
          </button>
          <input
            type="range"
            aria-label="Picture"
            className="min-w-0 flex-1 accent-heron"
            min={0}
            max={frames - 1}
            value={now}
            onChange={(e) => {
              play(false);
              setFrame(Number(e.target.value));
            }}
          />
        </div>
      </div>
    </Card>
  );
}
