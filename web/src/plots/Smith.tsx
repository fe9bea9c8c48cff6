import { useAt } from "../app/cursor";
import { type Box, placed } from "./placing";
import { SMALL, dashes, resolved, useChart } from "./chart";

export interface Trace {
  re: ArrayLike<number>;
  im: ArrayLike<number>;
  color: string;
  dash: string;
}
export type SmithGrid = "impedance" | "admittance" | "both";
interface Props {
  traces: Trace[];
  /** Sample of each trace that is marked at a cursor. */ at?: (
    cursor: number,
  ) => (number | undefined)[];
  grid?: SmithGrid;
  vswr?: number | null;
  /** Named points on the first trace. */ ticks?: {
    re: number;
    im: number;
    text: string;
    marker?: boolean;
  }[];
}

const VALUES = [0.2, 0.5, 1, 2, 5];
const LETTER = 5.6; // pixels of a letter of a label
const labelBox = (text: string): Box => ({ width: LETTER * text.length, height: 11 });
const STEPS = 96,
  REACH = 40; // points on an arc; the largest reactance drawn

/** Points of the circle of constant resistance or reactance `v` (P. H. Smith, 1939), `side` −1 for admittances. */
function arc(kind: "r" | "x", v: number, side: 1 | -1): [number, number][] {
  const out: [number, number][] = [];
  for (let i = 0; i <= STEPS; i++) {
    const t = i / STEPS;
    const u = Math.sinh((kind === "r" ? 2 * t - 1 : t) * Math.asinh(REACH));
    const [r, x] = kind === "r" ? [v, u] : [u, v];
    const d = (r + 1) ** 2 + x * x;
    out.push([(side * (r * r - 1 + x * x)) / d, (side * 2 * x) / d]);
  }
  return out;
}

/** Reflection coefficients on the grid of impedances, admittances or both, with the circle of a VSWR. */
export function Smith({ traces, at, grid = "impedance", vswr, ticks = [] }: Props) {
  const { outer, inner, width, height } = useChart(
    (w, h) => {
      const r = Math.max(10, Math.min(w, h) / 2 - 12),
        ink = resolved("var(--ink2)");
      const sides: (1 | -1)[] = grid === "both" ? [1, -1] : [grid === "impedance" ? 1 : -1];
      const scale = VALUES.map((v): [number, number, string] => [
        ((sides[0] ?? 1) * (v - 1)) / (v + 1),
        0.045,
        String(v),
      ]);
      const offsets = placed(
        ticks.map((k) => [k.re * r, -k.im * r]),
        ticks.map((k) => labelBox(k.text)),
        traces.map((t) => Array.from(t.re, (v, i) => [v * r, -t.im[i]! * r] as const)),
        { width: w, height: h },
        scale.map(([x, y, text]) => ({
          centre: [x * r + LETTER * text.length, -y * r],
          box: labelBox(text),
        })),
      );
      const plain = (data: [number, number][], color: string, more: object = {}): object => ({
        type: "line",
        silent: true,
        showSymbol: false,
        data,
        lineStyle: { color, width: 1, ...more },
      });
      const circle = (radius: number): [number, number][] =>
        Array.from({ length: STEPS + 1 }, (_, i) => [
          radius * Math.cos((2 * Math.PI * i) / STEPS),
          radius * Math.sin((2 * Math.PI * i) / STEPS),
        ]);
      return {
        grid: { left: w / 2 - r, right: w / 2 - r, top: h / 2 - r, bottom: h / 2 - r },
        xAxis: { type: "value", min: -1, max: 1, show: false },
        yAxis: { type: "value", min: -1, max: 1, show: false },
        series: [
          ...sides.flatMap((s) =>
            VALUES.flatMap((v) => [arc("r", v, s), arc("x", v, s), arc("x", -v, s)]).map((a) =>
              plain(
                a,
                resolved(s === 1 ? "var(--rule)" : "var(--faint)"),
                s === -1 && grid === "both" ? { type: [3, 3], color: resolved("var(--rule)") } : {},
              ),
            ),
          ),
          plain(
            [
              [-1, 0],
              [1, 0],
            ],
            resolved("var(--rule)"),
          ),
          plain(circle(1), resolved("var(--ink3)")),
          ...(vswr && vswr > 1
            ? [
                plain(circle((vswr - 1) / (vswr + 1)), resolved("var(--moss)"), {
                  type: [2, 3],
                  width: 1.4,
                }),
              ]
            : []),
          {
            type: "scatter",
            silent: true,
            symbolSize: 0.1,
            itemStyle: { color: "transparent" },
            label: {
              show: true,
              ...SMALL,
              fontSize: 9,
              color: ink,
              position: "right",
              distance: 2,
              formatter: (p: { data: [number, number, string] }) => p.data[2],
            },
            labelLayout: { hideOverlap: true },
            data: scale,
          },
          ...traces.map((t) => ({
            ...plain(
              Array.from(t.re, (v, k): [number, number] => [v, t.im[k]!]),
              resolved(t.color),
            ),
            lineStyle: { color: resolved(t.color), width: 1.8, type: dashes(t.dash) },
          })),
          {
            type: "scatter",
            silent: true,
            symbolSize: 4,
            itemStyle: { color: resolved("var(--card)"), borderColor: ink, borderWidth: 1 },
            label: {
              show: true,
              ...SMALL,
              fontSize: 9,
              color: ink,
              position: "inside",
              formatter: (p: { value: [number, number, string] }) => p.value[2],
            },
            data: ticks.map((k, i) => ({
              value: [k.re, k.im, k.text],
              label: { offset: offsets[i] },
              ...(k.marker
                ? {
                    symbolSize: 7,
                    itemStyle: { color: resolved("var(--plum)") },
                    label: {
                      offset: offsets[i],
                      color: resolved("var(--plum)"),
                      fontWeight: "bold",
                    },
                  }
                : {}),
            })),
          },
        ],
      };
    },
    [traces, grid, vswr, JSON.stringify(ticks)],
  );
  const r = Math.max(10, Math.min(width, height) / 2 - 12);
  return (
    <div ref={outer} className="h-full w-full">
      <div className="relative" style={{ width, height }} data-plot data-curves={traces.length}>
        <div ref={inner} className="absolute inset-0" />
        {width > 60 && at && <Points traces={traces} at={at} r={r} width={width} height={height} />}
      </div>
    </div>
  );
}

/** Where the cursor is on each trace. */
function Points({
  traces,
  at,
  r,
  width,
  height,
}: {
  traces: Trace[];
  at: (cursor: number) => (number | undefined)[];
  r: number;
  width: number;
  height: number;
}) {
  const places = at(useAt());
  return traces.map((t, i) => {
    const k = places[i];
    if (k === undefined || t.re[k] === undefined) return null;
    return (
      <span
        key={i}
        className="absolute rounded-full border border-card"
        data-point={`${t.re[k].toFixed(4)} ${t.im[k]!.toFixed(4)}`}
        style={{
          width: i === 0 ? 11 : 8,
          height: i === 0 ? 11 : 8,
          left: width / 2 + t.re[k] * r,
          top: height / 2 - t.im[k]! * r,
          background: i === 0 ? "var(--ink)" : t.color,
          transform: "translate(-50%, -50%)",
        }}
      />
    );
  });
}
