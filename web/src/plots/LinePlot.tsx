import { extent, nice, range, ticks } from "d3-array";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { useAt, useCursor } from "../app/cursor";
import { C0, fixed, number, quantity } from "../format";
import { SMALL, dashes, resolved, useChart } from "./chart";

export interface Curve {
  x: ArrayLike<number>;
  y: ArrayLike<number | null>;
  color: string;
  dash: string;
  label?: string;
  width?: number;
  stack?: boolean;
  /** Points at its samples, or these alone. */ dots?: "too" | "only";
  /** Counted by the axis on the right. */ right?: boolean;
  /** Between which values the curve may be wrong. */ spread?: {
    low: ArrayLike<number>;
    high: ArrayLike<number>;
  };
}
/** A limit over a stretch of x, or all of it. */
export interface Limit {
  y: number;
  from?: number | null;
  to?: number | null;
  color?: string;
  /** Drawn strongly, as something to be kept. */ spec?: boolean;
}
export interface Flag {
  id: string;
  name: string;
  x: number;
  y: number;
  color: string;
}
/** How values of x are written: over `factor`; frequencies in Hz as `wavelength` in vacuum; with `log`, decades are marked and carry their unit. */
export interface Axis {
  unit: string;
  factor: number;
  label?: string;
  log?: boolean;
  wavelength?: boolean;
}
interface Props {
  curves: Curve[];
  x: Axis;
  y: { unit: string; domain?: [number, number]; label?: string; ticks?: number };
  /** The axis of curves that count by the right. */ right?: { unit: string; label?: string };
  /** Shows the cursor and moves it. */
  follow?: boolean;
  /** Shaded stretches of x. */
  bands?: [number, number][];
  limits?: Limit[];
  labels?: boolean;
  flags?: Flag[];
  /** A flag was moved by mouse or keys to this x. */
  onFlag?: (id: string, x: number) => void;
}

const SIDES = { right: 12, top: 29, bottom: 32, left: 48 };
const SECOND = 50; // pixels of a second axis, on the right
const RIGHT = 90; // degrees: wide stretches of angle are marked by right angles or thirds of them
/** A value as the axis has it. */
const shownOn = (x: Axis, v: number): number => (x.wavelength ? C0 / v : v) / x.factor;
/** The value that a place of the axis stands for. */
const meantOn = (x: Axis, u: number): number => {
  const v = u * x.factor;
  return x.wavelength ? C0 / v : v;
};
const FINE = 0.002; // of the width: a step of the keys

/** Curves over one axis with a shared cursor and named flags. Wheel with Shift zooms, double click shows all again. Gaps stay gaps. */
export function LinePlot({
  curves,
  x,
  y,
  right: second,
  follow,
  bands = [],
  limits = [],
  labels,
  flags = [],
  onFlag,
}: Props) {
  const named = labels ? legend(curves) : [];
  const [zoomed, setSpan] = useState<{ of: string; span: [number, number] } | null>(null);
  const [x0, x1] = ends(
    curves.map((c) => c.x),
    1,
  )
    .map((v) => shownOn(x, v))
    .sort((a, b) => a - b) as [number, number];
  const [low, high] =
    y.domain ??
    padded(ends([...curves.filter((c) => !c.right).map((c) => c.y), limits.map((l) => l.y)], 1));
  const sides = second ? { ...SIDES, right: SECOND } : SIDES;
  const whole = `${x0} ${x1}`,
    span = zoomed?.of === whole ? zoomed.span : null; // other curves are shown whole again
  const [left, right] = span ?? (x0 === x1 ? [x0 - 1, x1 + 1] : [x0, x1]);
  const { outer, inner, chart, width, height } = useChart(
    (w) => option(curves, x, y, second, sides, [left, right], [low, high], bands, limits, w),
    [
      curves,
      x.unit,
      x.factor,
      x.log,
      x.wavelength,
      y.unit,
      y.label,
      second?.unit,
      second?.label,
      low,
      high,
      left,
      right,
      bands.join(),
      JSON.stringify(limits),
    ],
  );
  const room = Math.max(1, width - SIDES.left - sides.right),
    tall = Math.max(1, height - SIDES.top - SIDES.bottom);
  const share = (v: number): number =>
    x.log ? Math.log(v / left) / Math.log(right / left) : (v - left) / (right - left);
  const place = (v: number): number => SIDES.left + share(shownOn(x, v)) * room;
  const rise = (v: number): number =>
    SIDES.top + (1 - (Math.min(high, Math.max(low, v)) - low) / (high - low)) * tall;
  const value = (t: number): number =>
    meantOn(
      x,
      Math.min(x1, Math.max(x0, x.log ? left * (right / left) ** t : left + t * (right - left))),
    );
  const under = (e: PointerEvent): number =>
    value(
      (e.clientX -
        e.currentTarget.closest("[data-plot]")!.getBoundingClientRect().left -
        SIDES.left) /
        room,
    );
  const inside = (v: number): boolean => shownOn(x, v) >= left && shownOn(x, v) <= right;
  const zoom = (e: React.WheelEvent): void => {
    if (!e.shiftKey || x.log) return;
    const at = shownOn(x, under(e as unknown as PointerEvent)),
      factor = (e.deltaY || e.deltaX) > 0 ? 1.25 : 0.8;
    const next: [number, number] = [
      Math.max(x0, at - (at - left) * factor),
      Math.min(x1, at + (right - at) * factor),
    ];
    setSpan(next[0] <= x0 && next[1] >= x1 ? null : { of: whole, span: next });
  };
  const keys =
    (id: string, at: number) =>
    (e: KeyboardEvent): void => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
      if (!step) return;
      e.preventDefault();
      e.stopPropagation();
      onFlag?.(id, value(share(shownOn(x, at)) + step * FINE * (e.shiftKey ? 10 : 1)));
    };
  return (
    <div className="flex h-full w-full flex-col">
      {named.length > 0 && (
        <ul className="num flex max-h-9 shrink-0 flex-wrap gap-x-3 overflow-hidden pl-1 text-[11px] text-ink2">
          {named.map((c) => (
            <li key={c.label} className="flex items-center gap-1.5 whitespace-nowrap">
              {c.stack ? (
                <span
                  className="size-2.5 rounded-[2px]"
                  style={{ background: c.color, opacity: 0.82 }}
                />
              ) : (
                <svg width="20" height="6" aria-hidden>
                  <line
                    x2="20"
                    y1="3"
                    y2="3"
                    stroke={c.color}
                    strokeDasharray={c.dash}
                    strokeWidth="2"
                  />
                </svg>
              )}
              {c.label}
            </li>
          ))}
        </ul>
      )}
      <div ref={outer} className="min-h-0 flex-1">
        <div
          className={`relative select-none ${follow ? "cursor-crosshair" : ""}`}
          style={{ width, height }}
          data-plot
          data-curves={curves.length}
          data-unit={y.unit}
          data-spreads={curves.filter((c) => c.spread).length}
          data-span={`${left} ${right}`}
          onPointerDown={(e) => {
            if (!follow || e.button !== 0) return;
            e.currentTarget.setPointerCapture(e.pointerId);
            useCursor.getState().set(under(e));
          }}
          onPointerMove={(e) =>
            e.buttons === 1 &&
            e.currentTarget.hasPointerCapture(e.pointerId) &&
            useCursor.getState().set(under(e))
          }
          onWheel={zoom}
          onDoubleClick={() => setSpan(null)}
        >
          <div ref={inner} className="pointer-events-none absolute inset-0" />
          {chart && follow && <CursorLine place={place} inside={inside} tall={tall} />}
          {chart &&
            flags
              .filter((f) => inside(f.x))
              .map((f) => (
                <button
                  key={f.id}
                  type="button"
                  title={`${f.name}: drag, or arrow keys`}
                  aria-label={`Marker ${f.name}`}
                  onKeyDown={keys(f.id, f.x)}
                  className="num absolute z-10 -ml-2.5 -mt-[25px] h-[19px] min-w-5 rounded-sm px-0.5 text-[10px] leading-[17px] text-card"
                  style={{
                    left: place(f.x),
                    top: rise(f.y),
                    background: f.color,
                    cursor: onFlag ? "ew-resize" : "default",
                  }}
                  onPointerDown={(e) => {
                    e.stopPropagation();
                    e.currentTarget.setPointerCapture(e.pointerId);
                  }}
                  onPointerMove={(e) => {
                    if (e.buttons !== 1) return;
                    e.stopPropagation();
                    onFlag?.(f.id, under(e));
                  }}
                >
                  {f.name}
                  <span
                    className="absolute left-1/2 top-full -ml-1 block border-x-4 border-t-[6px] border-x-transparent"
                    style={{ borderTopColor: f.color }}
                  />
                </button>
              ))}
        </div>
      </div>
    </div>
  );
}

/** The cursor's line: it moves alone, nothing else of the plot is drawn anew. */
function CursorLine({
  place,
  inside,
  tall,
}: {
  place: (x: number) => number;
  inside: (x: number) => boolean;
  tall: number;
}) {
  const at = useAt();
  if (!inside(at)) return null;
  return (
    <div
      className="pointer-events-none absolute w-px bg-ink"
      style={{ left: 0, top: SIDES.top, height: tall, transform: `translateX(${place(at)}px)` }}
      data-cursor-line
    >
      <span className="absolute -left-1 -top-1.5 block border-x-[4.5px] border-t-[7px] border-x-transparent border-t-ink" />
    </div>
  );
}

/** What of a limit's stretch of x is in view. */
function stretch(x: Axis, l: Limit, left: number, right: number): { from: number; to: number } {
  const [a, b] = [l.from, l.to].map((v) => (v == null ? null : shownOn(x, v))),
    [from, to] = x.wavelength ? [b, a] : [a, b];
  return { from: Math.max(left, from ?? left), to: Math.min(right, to ?? right) };
}

/** Decimals that tell these levels apart, the same for all. */
const decimalsOf = (levels: number[]): number =>
  Math.max(0, ...levels.map((v) => (number(v, 5).split(".")[1] ?? "").length));

function option(
  curves: Curve[],
  x: Props["x"],
  y: Props["y"],
  second: Props["right"],
  sides: typeof SIDES,
  [left, right]: [number, number],
  [low, high]: [number, number],
  bands: [number, number][],
  limits: Limit[],
  width: number,
): Record<string, unknown> {
  const ink = resolved("var(--ink2)"),
    faint = resolved("var(--faint)"),
    line = resolved("var(--ink3)");
  const axis = {
    axisLabel: { ...SMALL, color: ink, hideOverlap: true },
    nameTextStyle: { ...SMALL, color: ink },
    animation: false,
  };
  const held = (u: number): number => Math.max(2 * low - high, Math.min(2 * high - low, u));
  const levels = ticks(low, high, y.ticks ?? 5);
  const [low2, high2] = padded(
    ends(
      curves.filter((c) => c.right).map((c) => c.y),
      1,
    ),
  );
  const levels2 = ticks(low2, high2, y.ticks ?? 5);
  const rising = (
    named: { unit: string; label?: string },
    [bottom, top]: [number, number],
    marks: number[],
  ): Record<string, unknown> => ({
    ...axis,
    type: "value",
    min: bottom,
    max: top,
    axisLine: { show: false, onZero: false },
    axisTick: { show: false },
    splitLine: { show: false },
    name: [named.label, named.unit].filter(Boolean).join(", "),
    nameLocation: "end",
    nameGap: 11,
    nameTextStyle: { ...SMALL, color: ink, align: "left", padding: [0, 0, 0, -44] },
    axisLabel: {
      ...axis.axisLabel,
      customValues: marks,
      formatter: (v: number) =>
        number(v, 5).includes("e") ? number(v, 5) : fixed(v, decimalsOf(marks)),
    },
  });
  const places = x.log
    ? {}
    : {
        customValues:
          x.unit === "°" && right - left > 90
            ? range(Math.ceil(left / RIGHT) * RIGHT, right + 1, width > 420 ? RIGHT / 3 : RIGHT)
            : ticks(left, right, Math.max(2, Math.floor(width / 75))),
      };
  return {
    grid: sides,
    xAxis: {
      ...axis,
      type: x.log ? "log" : "value",
      min: left,
      max: right,
      splitLine: { show: false },
      axisLine: { onZero: false, lineStyle: { color: line } },
      name: x.log ? x.label : [x.label, x.unit].filter(Boolean).join(", "),
      nameLocation: "end",
      nameGap: 0,
      nameTextStyle: {
        ...SMALL,
        color: ink,
        align: "right",
        verticalAlign: "top",
        padding: [17, 0, 0, 0],
      },
      axisTick: { show: true, length: 4, lineStyle: { color: line }, ...places },
      axisLabel: {
        ...axis.axisLabel,
        ...places,
        formatter: (v: number) => (x.log ? quantity(v * x.factor, x.unit, 2) : number(v, 5)),
      },
    },
    yAxis: [
      rising(y, [low, high], levels),
      ...(second
        ? [
            {
              ...rising(second, [low2, high2], levels2),
              position: "right",
              nameTextStyle: { ...SMALL, color: ink, align: "right", padding: [0, -44, 0, 0] },
            },
          ]
        : []),
    ],
    series: [
      {
        type: "line",
        data: [],
        silent: true,
        markLine: {
          silent: true,
          symbol: "none",
          label: { show: false },
          animation: false,
          z: 0,
          lineStyle: { color: faint, type: "solid", width: 1 },
          data: levels.map((v) => ({ yAxis: v })),
        },
      },
      {
        type: "line",
        data: [],
        silent: true,
        markArea: {
          silent: true,
          itemStyle: { color: resolved("var(--moss-soft)") },
          data: bands.map((ends) =>
            ends.map((v) => ({ xAxis: shownOn(x, v) })).sort((a, b) => a.xAxis - b.xAxis),
          ),
        },
        markLine: {
          silent: true,
          symbol: "none",
          label: { show: false },
          animation: false,
          data: limits
            .filter((l) => l.y > low && l.y < high)
            .map((l) => ({ ...l, ...stretch(x, l, left, right) }))
            .map((l) => [
              {
                coord: [l.from, l.y],
                lineStyle: {
                  color: resolved(l.color ?? "var(--moss)"),
                  type: l.spec ? "solid" : [2, 3],
                  width: l.spec ? 2.4 : 1.4,
                },
              },
              { coord: [l.to, l.y] },
            ]),
        },
      },
      ...curves.flatMap((c, k) =>
        (c.spread ? [c.spread.low, c.spread.high] : []).map((edge, upper) => ({
          type: "line",
          silent: true,
          showSymbol: false,
          stack: `spread ${k}`,
          stackStrategy: "all",
          lineStyle: { width: 0 },
          z: 1,
          areaStyle: upper ? { color: resolved(c.color), opacity: 0.2 } : { opacity: 0 },
          data: Array.from(c.x, (v, i) => [
            shownOn(x, v),
            upper ? held(edge[i]!) - held(c.spread!.low[i]!) : held(edge[i]!),
          ]),
        })),
      ),
      ...curves.map((c) => ({
        type: "line",
        silent: true,
        showSymbol: c.dots !== undefined,
        symbol: "circle",
        symbolSize: 5,
        yAxisIndex: c.right ? 1 : 0,
        stack: c.stack ? "all" : undefined,
        areaStyle: c.stack ? { color: resolved(c.color), opacity: 0.82 } : undefined,
        lineStyle: {
          color: resolved(c.color),
          width: c.stack || c.dots === "only" ? 0 : (c.width ?? 1.8),
          type: dashes(c.dash),
          join: "round",
        },
        itemStyle: { color: resolved(c.color) },
        data: Array.from(c.x, (v, i) => {
          const u = c.y[i],
            [bottom, top] = c.right ? [low2, high2] : [low, high],
            reach = top - bottom;
          return [
            shownOn(x, v),
            u == null || !Number.isFinite(u)
              ? c.stack
                ? 0
                : "-"
              : c.stack
                ? u
                : Math.max(bottom - reach, Math.min(top + reach, u)),
          ];
        }),
      })),
    ],
  };
}

const legend = (curves: Curve[]): Curve[] =>
  curves.filter((c, i) => c.label && curves.findIndex((o) => o.label === c.label) === i);

/** Smallest and largest of all values that are there. */
export function ends(lists: ArrayLike<number | null>[], factor: number): [number, number] {
  const [low, high] = extent(
    lists
      .flatMap((list) => extent(Array.from(list), (v) => v ?? undefined))
      .filter((v) => v !== undefined),
  );
  return low === undefined ? [0, 1] : [low / factor, high / factor];
}

/** Round limits a little beyond the data, which do not cross zero where the data do not. */
function padded([a, b]: [number, number]): [number, number] {
  const pad = (b - a || Math.abs(b) || 1) * 0.04,
    [low, high] = nice(a - pad, b + pad, 5);
  return [a >= 0 && b > 0 ? Math.max(0, low) : low, b <= 0 && a < 0 ? Math.min(0, high) : high];
}
