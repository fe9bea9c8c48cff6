/** Currents along wires and on metal. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { examination, field, run as runDetail } from "../../../api/queries";
import type { Model } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { quantity } from "../../../format";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { ArrowLens, SurfaceLens } from "../../../stage/Lenses";
import { Structure } from "../../../stage/Structure";
import { extentOf } from "../../../stage/extent";
import { Scene } from "./Scene";
import { Card, Choice, RunChoice } from "../Card";
import { type CardProps, useDesk, useOneRun, useSetting } from "../context";
import { within } from "../values";
import { under } from "./fieldChoice";
import { PhaseBar, usePhase } from "./phase";

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
        {
          text: `largest ${quantity(peak, "A/m", 3)} ${String(data?.header.under || under(one.run))}`,
        },
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
            <Scene extent={extent} from={[6, -9, 13]} zoom={190}>
              <Structure examination={looked} extent={extent} quiet drawn={false} />
              <SurfaceLens
                packet={drawn ?? data}
                linear={wrong || form === "linear" || form === "moment"}
                phase={form === "moment" ? phase.phase : null}
              />
              {form === "arrows" && (
                <ArrowLens packet={data} phase={phase.phase} size={extent.size} />
              )}
            </Scene>
          </div>
          {moving && <PhaseBar phase={phase} />}
        </div>
      )}
    </Card>
  );
}
