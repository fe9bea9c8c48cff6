/** Numbers of a study's variants: against a parameter, as a map over two, along parallel axes. */
import { useQuery } from "@tanstack/react-query";
import { max, min, ticks } from "d3-array";
import { scaleLinear } from "d3-scale";
import { useEffect, useMemo, useRef } from "react";
import { studyOutcome } from "../../../api/queries";
import type { StudyDetail, StudyVariant } from "../../../api/types";
import { number, quantity, scaled } from "../../../format";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { RAMP_CSS, banded, magnitude } from "../../../plots/scale";
import { useSize } from "../../../plots/useSize";
import { Card, Choice, Nothing } from "../../readout/Card";
import { type CardProps, useSetting } from "../../readout/context";
import { keyOf, useStudyCursor } from "../cursor";
import { bestOf, named, varied, written } from "../family";
import { type Studied, useStudy } from "../useStudy";
import { Typed } from "./curves";

const PREFIXED = ["Hz", "m", "s", "Ω", "H", "F"];

/** A number of every variant by its place: one of the study's outcomes, or words for another. */
function useOutcome(props: CardProps, own: Studied) {
  const { study } = own;
  const [kept, choose] = useSetting<string>(props, "outcome", "");
  const text = kept || study?.outcomes[0] || "";
  const mine = study?.outcomes.includes(text) ?? false;
  const { data } = useQuery(studyOutcome(own.projectId, own.number, mine ? "" : text, own.count));
  const found = useMemo(() => {
    const out = new Map<number, number>();
    if (mine)
      own.solved.forEach((v) => {
        const value = v.outcomes[text];
        if (value != null) out.set(v.place, value);
      });
    else data?.places.forEach((p, i) => data.values[i] != null && out.set(p, data.values[i]!));
    return out;
  }, [mine, data, own.solved, text]);
  return {
    text,
    found,
    unit: (mine ? study?.units[text] : data?.unit) ?? "",
    fault: mine ? "" : (data?.error ?? ""),
    field: <Typed value={text} label="Outcome" onKeep={choose} />,
    list:
      study && study.outcomes.length > 1 && mine ? (
        <Choice
          label="Outcomes"
          value={text}
          options={study.outcomes.map((t) => [t, t] as const)}
          onChange={choose}
        />
      ) : null,
  };
}

const axisOf = (most: number, unit: string): { unit: string; factor: number } =>
  PREFIXED.includes(unit) ? scaled(most, unit) : { unit, factor: 1 };

/** An outcome against a parameter, the others telling lines apart. */
export function StudyOutcome(props: CardProps) {
  const own = useStudy(props);
  const { study, solved } = own;
  const outcome = useOutcome(props, own);
  const [kept, choose] = useSetting<string>(props, "against", "");
  const looked = useStudyCursor((c) => c.place[keyOf(own.projectId, own.number)]);
  const options = study ? varied(study) : [];
  const against = study?.variables.findIndex((v) => v.name === kept) ?? -1;
  const by = against >= 0 ? against : (options[0] ?? 0);
  const order = kept === "order" || study?.kind === "tune";
  const variable = study?.variables[by];
  const variants = solved.filter((v) => outcome.found.has(v.place));
  const y = axisOf(max([...outcome.found.values()], Math.abs) ?? 1, outcome.unit);
  const x = variable
    ? order
      ? { unit: "", factor: 1, label: "variant" }
      : {
          ...axisOf(max(variants, (v) => Math.abs(v.point[by]!)) ?? 1, variable.unit),
          label: variable.name,
        }
    : { unit: "", factor: 1 };
  const at = (v: StudyVariant): number => (order ? v.place : v.point[by]!);
  const level = (v: StudyVariant): number => outcome.found.get(v.place)! / y.factor;
  const curves: Curve[] = [];
  if (study) {
    const lined = study.kind === "sweep" || order;
    const others = (v: StudyVariant): string =>
      order ? "" : v.point.filter((_, k) => k !== by).join();
    const groups = [...new Set(variants.map(others))];
    groups.forEach((g, i) => {
      const rows = variants.filter((v) => others(v) === g).sort((a, b) => at(a) - at(b));
      if (!lined && i > 0) return;
      const all = lined ? rows : variants;
      curves.push({
        x: all.map(at),
        y: all.map(level),
        color: groups.length > 1 && lined ? magnitude(i / (groups.length - 1)) : "var(--heron)",
        dash: "",
        dots: lined ? "too" : "only",
        label:
          groups.length > 1 && lined && groups.length <= 6
            ? study.variables
                .map((v, k) =>
                  k === by || !options.includes(k)
                    ? ""
                    : `${v.name} ${written(v, rows[0]!.point[k]!, 3)}`,
                )
                .filter(Boolean)
                .join(", ")
            : undefined,
      });
    });
    const marked = variants.find((v) => v.place === looked);
    if (marked)
      curves.push({
        x: [at(marked)],
        y: [level(marked)],
        color: "var(--rust)",
        dash: "",
        dots: "only",
      });
  }
  return (
    <Card
      title="Outcome of variants"
      note={
        <>
          {own.choice} {outcome.list ?? outcome.field}{" "}
          {study && (
            <Choice
              label="Against"
              value={order ? "order" : (variable?.name ?? "")}
              options={[
                ...options.map(
                  (k) => [study.variables[k]!.name, `against ${study.variables[k]!.name}`] as const,
                ),
                ["order", "in their order"] as const,
              ]}
              onChange={choose}
            />
          )}
        </>
      }
      table={() => ({
        columns: [variable?.name ?? "", outcome.text],
        rows: variants.map((v) => [at(v), outcome.found.get(v.place)!]),
      })}
    >
      {outcome.fault ? (
        <p role="alert" className="text-rust">
          {outcome.fault}
        </p>
      ) : curves.length === 0 ? (
        <Nothing>{own.none}</Nothing>
      ) : (
        <LinePlot curves={curves} x={x} y={{ unit: y.unit }} labels />
      )}
    </Card>
  );
}

const LETTER = 6.4; // pixels
const BANDS = 10,
  FINE = 180;

/** An outcome over two parameters: in bands of equal steps where all combinations are solved, else point by point. */
export function StudyMap(props: CardProps) {
  const own = useStudy(props);
  const { study, solved } = own;
  const outcome = useOutcome(props, own);
  const [first, chooseFirst] = useSetting<string>(props, "right", "");
  const [second, chooseSecond] = useSetting<string>(props, "up", "");
  const options = study ? varied(study) : [];
  const place = (name: string, fallback: number): number => {
    const k = study?.variables.findIndex((v) => v.name === name) ?? -1;
    return k >= 0 ? k : fallback;
  };
  const a = place(first, options[0] ?? 0),
    b = place(second, options.find((k) => k !== a) ?? a);
  const variants = solved.filter((v) => outcome.found.has(v.place));
  const names = study
    ? options.map((k) => [study.variables[k]!.name, study.variables[k]!.name] as const)
    : [];
  return (
    <Card
      title="Outcome over two parameters"
      note={
        <>
          {own.choice} {outcome.list ?? outcome.field}{" "}
          {study && options.length > 2 && (
            <>
              <Choice
                label="To the right"
                value={study.variables[a]!.name}
                options={names}
                onChange={chooseFirst}
              />{" "}
              <Choice
                label="Upwards"
                value={study.variables[b]!.name}
                options={names}
                onChange={chooseSecond}
              />
            </>
          )}
        </>
      }
    >
      {!study || variants.length === 0 ? (
        <Nothing>{own.none}</Nothing>
      ) : options.length < 2 ? (
        <Nothing>A map takes a study of two parameters; this one varies one.</Nothing>
      ) : (
        <MapPlot
          study={study}
          variants={variants}
          a={a}
          b={b}
          value={(v) => outcome.found.get(v.place)!}
          unit={outcome.unit}
          looked={own}
        />
      )}
    </Card>
  );
}

const EDGE = { left: 52, right: 78, top: 26, bottom: 34 };

function MapPlot({
  study,
  variants,
  a,
  b,
  value,
  unit,
  looked,
}: {
  study: StudyDetail;
  variants: StudyVariant[];
  a: number;
  b: number;
  value: (v: StudyVariant) => number;
  unit: string;
  looked: Studied;
}) {
  const [ref, size] = useSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const key = keyOf(looked.projectId, looked.number);
  const chosen = useStudyCursor((c) => c.place[key]);
  const look = useStudyCursor((c) => c.look);
  const xs = [...new Set(variants.map((v) => v.point[a]!))].sort((p, q) => p - q),
    ys = [...new Set(variants.map((v) => v.point[b]!))].sort((p, q) => p - q);
  const values = variants.map(value),
    low = min(values)!,
    high = max(values)!;
  const tone = (v: number): string =>
    magnitude(banded(high > low ? (v - low) / (high - low) : 0.5, BANDS));
  const cells = new Map(variants.map((v) => [`${v.point[a]} ${v.point[b]}`, value(v)]));
  const full = xs.length > 1 && ys.length > 1 && cells.size === xs.length * ys.length;
  const w = Math.max(1, size.width - EDGE.left - EDGE.right),
    h = Math.max(1, size.height - EDGE.top - EDGE.bottom);
  const px = scaleLinear([xs[0]!, xs.at(-1)!], [EDGE.left, EDGE.left + w]),
    py = scaleLinear([ys[0]!, ys.at(-1)!], [EDGE.top + h, EDGE.top]);
  const stamp = values.join();
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !full) return;
    context.clearRect(0, 0, FINE, FINE);
    const within = (list: number[], v: number): [number, number] => {
      let i = 0;
      while (i < list.length - 2 && v > list[i + 1]!) i++;
      return [i, (v - list[i]!) / (list[i + 1]! - list[i]!)];
    };
    const z = (i: number, j: number): number => cells.get(`${xs[i]} ${ys[j]}`)!;
    for (let r = 0; r < FINE; r++)
      for (let c = 0; c < FINE; c++) {
        const [i, u] = within(xs, xs[0]! + ((c + 0.5) / FINE) * (xs.at(-1)! - xs[0]!)),
          [j, t] = within(ys, ys[0]! + ((r + 0.5) / FINE) * (ys.at(-1)! - ys[0]!));
        context.fillStyle = tone(
          (1 - u) * (1 - t) * z(i, j) +
            u * (1 - t) * z(i + 1, j) +
            (1 - u) * t * z(i, j + 1) +
            u * t * z(i + 1, j + 1),
        );
        context.fillRect(c, FINE - 1 - r, 1, 1);
      }
  }, [stamp, full, size.width, size.height, a, b]); // eslint-disable-line react-hooks/exhaustive-deps -- the stamp is all values
  const va = study.variables[a]!,
    vb = study.variables[b]!;
  const sx = axisOf(xs.at(-1)!, va.unit),
    sy = axisOf(ys.at(-1)!, vb.unit);
  return (
    <div ref={ref} className="num relative h-full w-full text-[10.500px] text-ink2">
      {size.width > 60 && (
        <>
          {full && (
            <canvas
              ref={canvas}
              width={FINE}
              height={FINE}
              className="absolute"
              style={{ left: EDGE.left, top: EDGE.top, width: w, height: h }}
            />
          )}
          <svg
            width={size.width}
            height={size.height}
            className="absolute inset-0"
            data-plot
            data-curves={variants.length}
          >
            <rect
              x={EDGE.left}
              y={EDGE.top}
              width={w}
              height={h}
              fill="none"
              stroke="var(--ink3)"
            />
            {ticks(xs[0]! / sx.factor, xs.at(-1)! / sx.factor, Math.max(2, w / 70)).map((t) => (
              <text
                key={t}
                x={px(t * sx.factor)}
                y={EDGE.top + h + 14}
                textAnchor="middle"
                fill="var(--ink2)"
              >
                {number(t, 4)}
              </text>
            ))}
            {ticks(ys[0]! / sy.factor, ys.at(-1)! / sy.factor, Math.max(2, h / 40)).map((t) => (
              <text
                key={t}
                x={EDGE.left - 6}
                y={py(t * sy.factor) + 4}
                textAnchor="end"
                fill="var(--ink2)"
              >
                {number(t, 4)}
              </text>
            ))}
            <text x={EDGE.left + w} y={EDGE.top + h + 28} textAnchor="end" fill="var(--ink2)">
              {[va.name, sx.unit].filter(Boolean).join(", ")}
            </text>
            <text x={2} y={11} fill="var(--ink2)">
              {[vb.name, sy.unit].filter(Boolean).join(", ")}
            </text>
            {variants.map((v) => (
              <circle
                key={v.place}
                cx={px(v.point[a]!)}
                cy={py(v.point[b]!)}
                r={v.place === chosen ? 6 : full ? 2.2 : 5}
                fill={full ? "var(--card)" : tone(value(v))}
                stroke={v.place === chosen ? "var(--rust)" : "var(--ink)"}
                strokeWidth={v.place === chosen ? 2.5 : 0.7}
                className="cursor-pointer"
                onClick={() => look(key, v.place)}
              >
                <title>{`${named(study, v)}: ${quantity(value(v), unit, 4)}`}</title>
              </circle>
            ))}
          </svg>
          <div className="absolute flex gap-1.5" style={{ right: 2, top: EDGE.top, height: h }}>
            <span className="w-2.5 rounded-sm" style={{ background: RAMP_CSS }} />
            <span className="flex w-[46px] flex-col justify-between">
              <span>{quantity(high, unit, 3)}</span>
              <span>{quantity(low, unit, 3)}</span>
            </span>
          </div>
        </>
      )}
    </div>
  );
}

/** Every variant as a line over axes of its values and outcomes. */
export function StudyParallel(props: CardProps) {
  const own = useStudy(props);
  const { study, solved } = own;
  const [ref, size] = useSize();
  const key = keyOf(own.projectId, own.number);
  const chosen = useStudyCursor((c) => c.place[key]);
  const look = useStudyCursor((c) => c.look);
  const best = study ? bestOf(study) : null;
  const axes = study
    ? [
        ...varied(study).map((k) => ({
          name: study.variables[k]!.name,
          of: (v: StudyVariant): number | null => v.point[k]!,
          says: (u: number) => written(study.variables[k]!, u, 3),
        })),
        ...study.outcomes
          .filter((t) => solved.some((v) => v.outcomes[t] != null))
          .map((t) => ({
            name: t,
            of: (v: StudyVariant): number | null => v.outcomes[t] ?? null,
            says: (u: number) => quantity(u, study.units[t] ?? "", 3),
          })),
      ]
    : [];
  const top = 30,
    bottom = 18,
    side = 34;
  const x = (k: number): number =>
    side + (k * (size.width - 2 * side)) / Math.max(1, axes.length - 1);
  const scales = axes.map((axis) => {
    const values = solved.map(axis.of).filter((u) => u !== null);
    return scaleLinear([min(values) ?? 0, max(values) ?? 1], [size.height - bottom, top]);
  });
  const last = axes.length - 1;
  const letters = Math.max(5, Math.floor(size.width / Math.max(1, axes.length) / LETTER) - 1);
  const lines = solved.filter((v) => axes.every((axis) => axis.of(v) !== null));
  const tone = (v: StudyVariant): string => {
    const [low, high] = scales[last]!.domain() as [number, number];
    return magnitude(high > low ? (axes[last]!.of(v)! - low) / (high - low) : 0.5);
  };
  const strong = (v: StudyVariant): number => (v.place === chosen ? 2 : v.place === best ? 1 : 0);
  return (
    <Card title="Parallel coordinates" note={own.choice}>
      <div ref={ref} className="h-full w-full">
        {axes.length < 2 || lines.length === 0 ? (
          <Nothing>{own.none}</Nothing>
        ) : (
          <svg
            width={size.width}
            height={size.height}
            className="num text-[10.500px]"
            data-plot
            data-curves={lines.length}
          >
            {[...lines]
              .sort((p, q) => strong(p) - strong(q))
              .map((v) => (
                <polyline
                  key={v.place}
                  points={axes.map((axis, k) => `${x(k)},${scales[k]!(axis.of(v)!)}`).join(" ")}
                  fill="none"
                  stroke={
                    strong(v) === 2 ? "var(--rust)" : strong(v) === 1 ? "var(--moss)" : tone(v)
                  }
                  strokeWidth={strong(v) ? 3 : 1.2}
                  strokeOpacity={strong(v) ? 1 : 0.75}
                  className="cursor-pointer"
                  onClick={() => look(key, v.place)}
                >
                  <title>{named(study!, v)}</title>
                </polyline>
              ))}
            {axes.map((axis, k) => {
              const [low, high] = scales[k]!.domain() as [number, number];
              const anchor = k === 0 ? "start" : k === last ? "end" : "middle";
              const at = k === 0 ? 2 : k === last ? size.width - 2 : x(k);
              return (
                <g key={axis.name} fill="var(--ink2)">
                  <line
                    x1={x(k)}
                    x2={x(k)}
                    y1={top}
                    y2={size.height - bottom}
                    stroke="var(--ink3)"
                  />
                  <text x={at} y={11} textAnchor={anchor} fill="var(--ink)">
                    {axis.name.length > letters ? `${axis.name.slice(0, letters - 1)}…` : axis.name}
                    <title>{axis.name}</title>
                  </text>
                  <text x={at} y={24} textAnchor={anchor}>
                    {axis.says(high)}
                  </text>
                  <text x={at} y={size.height - 4} textAnchor={anchor}>
                    {axis.says(low)}
                  </text>
                </g>
              );
            })}
          </svg>
        )}
      </div>
    </Card>
  );
}
