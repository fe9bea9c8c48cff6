import { type ReactNode, useEffect, useMemo, useState } from "react";
import { number } from "../../format";
import { type Curve, type Flag, type Limit, LinePlot, ends } from "../../plots/LinePlot";
import { SERIES } from "../../plots/scale";
import { type Badge, Card, Nothing, type Table } from "./Card";
import { Grading } from "./Grading";
import type { CardProps } from "./context";
import { inHertz, useAxis, useDesk, useSetting } from "./context";
import { type Answer, useCurves } from "./curves";
import { locate, useReadings, valueAt } from "./markers";
import { specFormula, unwound } from "./values";

export interface Line {
  formula: string;
  name: string;
  part?: "re" | "im" | "abs";
  color?: string;
  /** Counted by the axis on the right. */ right?: boolean;
  /** Formulas of the values between which it may be wrong. */ spread?: [string, string];
}
interface Props {
  props: CardProps;
  title: string;
  note?: ReactNode;
  lines: Line[];
  y: {
    unit: string;
    label?: string;
    domain?: [number, number];
    /** Limits of the axis from those of the data. */ fit?: (
      low: number,
      high: number,
    ) => [number, number];
  };
  badges?: Badge[] | ((value: (line: number) => number | null, cursor: number) => Badge[]);
  bands?: [number, number][];
  limits?: Limit[];
  extra?: [string, () => void][];
  /** Stacked areas of the first run. */
  stack?: boolean;
}

const values = (a: Answer, part: Line["part"]): ArrayLike<number> =>
  !a.im || part === "re"
    ? a.re
    : part === "im"
      ? a.im
      : Float32Array.from(a.re, (r, i) => Math.hypot(r, a.im![i]!));

/** Formulas of the ticked runs and reference curves over frequency, with cursor, markers, spec lines and grades; one more formula may have an axis of its own on the right. */
export function CurveCard({
  props,
  title,
  note,
  lines: own,
  y,
  badges = [],
  bands = [],
  limits = [],
  extra,
  stack,
}: Props) {
  const desk = useDesk();
  const { projectId, shown, references, specs, markers, setMarker, writable } = desk;
  const [range, setRange] = useSetting<string>(props, "range", "");
  const askRange = (): void => {
    const said = window.prompt(
      `Range of the vertical axis${y.unit && `, ${y.unit}`}: from, to (empty for automatic)`,
      range,
    );
    if (said === null) return;
    if (said.trim() === "" || rangeOf(said)) setRange(said.trim());
    else window.alert(`“${said}” is no range; write two numbers, the lower first, such as −40, 0`);
  };
  const [second, setSecond] = useSetting<string>(props, "right", "");
  const askSecond = (): void => {
    const said = window.prompt(
      "Formula on an axis of its own on the right, such as realized_gain (empty for none)",
      second,
    );
    if (said !== null) setSecond(said.trim());
  };
  const lines: Line[] =
    second && !stack
      ? [
          ...own.map((l) => ({ ...l, name: l.name || title })),
          { formula: second, name: second, right: true },
        ]
      : own;
  const [grading, setGrading] = useState<string | null>(null);
  const formulas = lines.map((l) => l.formula),
    spreads = lines.flatMap((l) => l.spread ?? []);
  const runs = stack ? shown.slice(0, 1) : shown;
  const { answers, pending } = useCurves(
    projectId,
    [
      ...runs.map((s) => `run ${s.line.number}`),
      ...(stack ? [] : references.map((r) => `reference ${r.line.number}`)),
    ],
    [...formulas, ...spreads],
  );
  const key =
    formulas.join("|") +
    lines.map((l) => l.part).join() +
    runs.map((s) => s.color + s.dash + s.label).join() +
    references.map((r) => r.line.name).join();
  const { curves, first, table } = useMemo(() => {
    const curves: Curve[] = [],
      columns: { x: ArrayLike<number>; y: ArrayLike<number>; name: string }[] = [];
    [...runs, ...(stack ? [] : references)].forEach((source, s) =>
      lines.forEach((l, k) => {
        const a = answers[s]?.[k];
        if (!a || a.error || a.x.length === 0) return;
        const data = values(a, l.part);
        if (!Array.prototype.some.call(data, Number.isFinite)) return;
        const isRun = "sweep" in source,
          alone = runs.length === 1 && isRun;
        const style = l.color
          ? { color: l.color, dash: "" }
          : alone && lines.length > 1
            ? SERIES[k % SERIES.length]!
            : { color: source.color, dash: isRun && k > 0 ? "2 3" : source.dash };
        const label = isRun
          ? [runs.length > 1 ? source.label : "", lines.length > 1 ? l.name : ""]
              .filter(Boolean)
              .join(" ")
          : source.line.name;
        const first = l.spread ? lines.length + spreads.indexOf(l.spread[0]) : -1,
          [low, high] = [answers[s]?.[first], answers[s]?.[first + 1]];
        const spread =
          isRun && low && high && !low.error && !high.error && low.re.length === a.x.length
            ? { low: low.re, high: high.re }
            : undefined;
        curves.push({
          ...(WRAPPED.test(l.formula) ? unwound(a.x, data) : gapless(a.x, data)),
          ...style,
          spread,
          label: label || undefined,
          width: k > 0 && !alone ? 1.2 : isRun ? 1.8 : 1.4,
          stack,
          right: l.right,
        });
        columns.push({
          x: a.x,
          y: data,
          name: `${isRun ? `run${source.line.number}` : source.line.name}_${l.name || title}`.replace(
            /[^\w]+/g,
            "_",
          ),
        });
      }),
    );
    const base = columns[0];
    return {
      curves,
      first: lines.map((l, k) => {
        const a = answers[0]?.[k];
        return a && !a.error && a.x.length ? { x: a.x, y: values(a, l.part) } : null;
      }),
      table:
        base &&
        ((): Table => ({
          columns: ["frequency_hz", ...columns.map((o) => o.name)],
          rows: Array.from(base.x, (f) => [f, ...columns.map((o) => valueAt(o, f))]),
        })),
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `key` stands for lines and styles
  }, [answers, key, stack]);
  const unit = useAxis(shown),
    hertz = inHertz(shown);
  const mine = markers.filter((m) => m.card === props.entry.id);
  const mineStamp = JSON.stringify(mine);
  const found = useMemo(
    () => mine.map((m) => ({ marker: m, at: first[0] ? locate(m, first[0], mine) : null })),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [first, mineStamp],
  );
  const tell = useReadings((s) => s.tell);
  useEffect(() => {
    if (found.length === 0) return;
    tell(
      Object.fromEntries(
        found.map(({ marker, at }) => [
          marker.id,
          at && {
            ...at,
            xUnit: hertz.unit,
            xFactor: hertz.factor,
            yUnit: y.unit,
            runs: runs.map((s, k) => {
              const a = answers[k]?.[0];
              const there = a && locate(marker, { x: a.x, y: values(a, lines[0]!.part) }, mine);
              return { label: s.label, y: there?.y ?? NaN };
            }),
          },
        ]),
      ),
    );
  }, [found, answers, key, y.unit]); // eslint-disable-line react-hooks/exhaustive-deps
  const flags: Flag[] = found.flatMap(({ marker, at }) =>
    at && marker.mode !== "delta"
      ? [{ id: marker.id, name: marker.name, x: at.x, y: at.y, color: "var(--plum)" }]
      : [],
  );
  const judged = own.map((l) => l.formula);
  const specLimits: Limit[] = specs.flatMap(({ spec, verdicts }): Limit[] =>
    spec && judged.includes(specFormula(spec))
      ? [
          {
            y: spec.limit,
            from: spec.low_hz,
            to: spec.high_hz,
            color:
              verdicts[String(shown[0]?.line.number)]?.passed === false
                ? "var(--rust)"
                : "var(--moss)",
            spec: true,
          },
        ]
      : [],
  );
  const told = typeof badges === "function" ? badges : null;
  const live =
    told &&
    ((cursor: number): Badge[] =>
      told((k) => (first[k] ? valueAt(first[k], cursor) : null), cursor));
  const verdicts: Badge[] = specs.flatMap(({ spec, verdicts: v, text }): Badge[] => {
    const verdict = v[String(shown[0]?.line.number)];
    if (!spec || !verdict || verdict.passed === null || !judged.includes(specFormula(spec)))
      return [];
    return [
      {
        text: `${verdict.passed ? "✓" : "◆"} ${number(verdict.worst ?? NaN, 3)} ${spec.unit}, limit ${spec.above ? ">" : "<"} ${number(spec.limit, 4)}`,
        hint: text,
        good: verdict.passed,
        bad: !verdict.passed,
      },
    ];
  });
  const gradable = references.find((_, r) => {
    const a = answers[runs.length + r]?.[0];
    return a && !a.error && a.x.length > 1 && Array.prototype.some.call(a.re, Number.isFinite);
  });
  const all = y.fit ? curves.filter((c) => !c.right).map((c) => c.y) : [];
  const other = second && !stack ? answers.map((row) => row[own.length]).find(Boolean) : undefined;
  const byHand = rangeOf(range);
  const domain = byHand ?? y.domain ?? (y.fit && all.length ? y.fit(...ends(all, 1)) : undefined);
  const why = answers.flatMap((row) => row.slice(0, own.length)).find((a) => a?.error)?.error;
  return (
    <Card
      title={title}
      note={note}
      badges={[
        ...verdicts,
        ...(gradable && !lines[0]!.part
          ? [
              {
                text: `against ${gradable.line.name}`,
                hint: "Grade the difference",
                onClick: () => setGrading(gradable.line.name),
              },
            ]
          : []),
        ...(typeof badges === "function" ? [] : badges),
      ]}
      live={live ?? undefined}
      table={table}
      markers={!stack}
      extra={[
        ...(extra ?? []),
        ...(writable ? [["Axis range…", askRange] as [string, () => void]] : []),
        ...(writable && !stack
          ? [[second ? `Right axis: ${second}…` : "Right axis…", askSecond] as [string, () => void]]
          : []),
      ]}
    >
      <span hidden data-fetching={pending} />
      {other?.error && (
        <p role="alert" className="text-[12px] text-rust">
          On the right axis: {other.error}.
        </p>
      )}
      {curves.length > 0 ? (
        <LinePlot
          curves={curves}
          x={unit}
          y={{ ...y, domain }}
          right={
            other && !other.error
              ? { unit: other.unit, label: second.length > 18 ? undefined : second }
              : undefined
          }
          follow
          bands={bands}
          limits={[...limits, ...specLimits]}
          labels
          flags={flags}
          onFlag={
            writable
              ? (id, x) => {
                  const m = mine.find((k) => k.id === id);
                  if (m) setMarker({ ...m, mode: m.mode === "crossing" ? "crossing" : "at", x });
                }
              : undefined
          }
        />
      ) : (
        !pending && (
          <Nothing>
            {why
              ? `${why[0]!.toUpperCase()}${why.slice(1)}.`
              : "The ticked runs say nothing of this."}
          </Nothing>
        )
      )}
      {grading && gradable && (
        <Grading
          projectId={projectId}
          first={`run ${shown[0]!.line.number}`}
          second={`reference ${gradable.line.number}`}
          formula={formulas[0]!}
          names={[`run ${shown[0]!.line.number}`, gradable.line.name]}
          unit={y.unit}
          axis={unit}
          onClose={() => setGrading(null)}
        />
      )}
    </Card>
  );
}

/** "−40, 0" as limits; nothing where it is not two numbers in rising order. */
function rangeOf(text: string): [number, number] | undefined {
  const [low, high, ...more] = text
    .replaceAll("−", "-")
    .split(/[,;]|\bto\b/)
    .map(Number);
  return low !== undefined && high !== undefined && more.length === 0 && low < high
    ? [low, high]
    : undefined;
}

const WRAPPED = /^deg\(arg\(/;

/** Points without the places where there is no value, if values are few: a curve through pattern frequencies has no gaps. */
function gapless(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
): { x: ArrayLike<number>; y: ArrayLike<number | null> } {
  const there = Array.from(y, (v, i) => (Number.isFinite(v) ? i : -1)).filter((i) => i >= 0);
  return there.length === y.length || there.length > y.length / 2
    ? { x, y }
    : { x: there.map((i) => x[i]!), y: there.map((i) => y[i]!) };
}
