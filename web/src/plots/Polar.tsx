import { max } from "d3-array";
import { SMALL, dashes, resolved, useChart } from "./chart";

export interface PolarCurve {
  angle: ArrayLike<number>;
  value: ArrayLike<number>;
  color: string;
  dash: string;
}
const RINGS = 4,
  RING_DB = 10;

/** Cuts in dB with 0° at the top, clockwise; the outer ring is a round number above the peak. */
export function Polar({ curves, unit = "dBi" }: { curves: PolarCurve[]; unit?: string }) {
  const peak = max(curves, (c) => max(Array.from(c.value))) ?? 0;
  const outer = Math.ceil(peak / 5) * 5,
    inner_ = outer - RINGS * RING_DB;
  const {
    outer: ref,
    inner,
    width,
    height,
  } = useChart(
    (w, h) => {
      const ink = resolved("var(--ink2)"),
        rule = resolved("var(--rule)");
      return {
        polar: { center: ["50%", "50%"], radius: Math.max(10, Math.min(w / 2 - 40, h / 2 - 20)) },
        angleAxis: {
          min: 0,
          max: 360,
          startAngle: 90,
          clockwise: true,
          interval: 30,
          axisLine: { lineStyle: { color: resolved("var(--ink3)") } },
          axisTick: { show: false },
          splitLine: { lineStyle: { color: resolved("var(--faint)") } },
          axisLabel: {
            ...SMALL,
            color: ink,
            showMaxLabel: false,
            formatter: (v: number) =>
              v % 90 === 0 ? `${String(v > 180 ? v - 360 : v).replace("-", "−")}°` : "",
          },
        },
        radiusAxis: {
          min: inner_,
          max: outer,
          interval: RING_DB,
          axisLine: { show: false },
          axisTick: { show: false },
          splitLine: { lineStyle: { color: rule } },
          z: 3,
          axisLabel: {
            ...SMALL,
            fontSize: 9,
            color: ink,
            rotate: 0,
            margin: 2,
            showMinLabel: false,
            formatter: (v: number) =>
              `${String(v).replace("-", "−")}${v === outer ? ` ${unit}` : ""}`,
          },
        },
        series: curves.map((c) => ({
          type: "line",
          coordinateSystem: "polar",
          silent: true,
          showSymbol: false,
          lineStyle: { color: resolved(c.color), width: 1.8, type: dashes(c.dash) },
          data: Array.from(c.value, (v, i) => [Math.max(inner_, v), (c.angle[i]! + 360) % 360]),
        })),
      };
    },
    [curves, outer, inner_, unit],
  );
  return (
    <div ref={ref} className="h-full w-full">
      <div className="relative" style={{ width, height }} data-plot data-curves={curves.length}>
        <div ref={inner} className="absolute inset-0" />
      </div>
    </div>
  );
}
