/** Near fields on lines, planes and in boxes. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import type { Packet } from "../../../api/client";
import { evaluated, field } from "../../../api/queries";
import type { Decay } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { fixed, quantity, scaled } from "../../../format";
import { HeatMap } from "../../../plots/HeatMap";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { Card, Choice, Nothing, RunChoice } from "../Card";
import { type CardProps, type Shown, useDesk, useOneRun, useSetting } from "../context";
import { WHATS, type What, pointValues, sharesOf } from "../values";
import {
  type Form,
  STRAIGHT_DB,
  decibel,
  trusted,
  under,
  useCapture,
  useField,
  vtk,
} from "./fieldChoice";
import { PhaseBar, usePhase } from "./phase";

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
          label="Minus"
          value={minus}
          options={[
            ["", "as it is"],
            ...shown.map(
              (s) => [String(s.line.number), `minus run ${s.line.number}`] as [string, string],
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
                text: `run ${first.line.number}${less.less(first) && ` minus run ${less.minus}`}, ${what === "r" ? "times the incident" : under(first)}`,
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
