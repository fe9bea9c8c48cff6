import { SMALL, resolved, useChart } from "./chart";

const STEPS = 90;

/** The path of the field's tip in a plane across propagation, looking along it: θ̂ to the right, φ̂ down, major half axis 1. */
export function Ellipse({
  ratio,
  tilt,
  right,
  linear,
}: {
  ratio: number;
  tilt: number;
  right: boolean;
  linear: boolean;
}) {
  const { outer, inner, width, height } = useChart(
    (w, h) => {
      const r = Math.max(10, Math.min(w, h) / 2 - 16);
      const turn = right ? 1 : -1;
      const tip = (t: number): [number, number] => {
        const a = Math.cos(t),
          b = turn * (linear ? 0 : ratio) * Math.sin(t);
        const theta = Math.cos(tilt) * a - Math.sin(tilt) * b,
          phi = Math.sin(tilt) * a + Math.cos(tilt) * b;
        return [theta, -phi];
      };
      const line = (data: [number, number][], color: string, lineWidth: number): object => ({
        type: "line",
        silent: true,
        showSymbol: false,
        data,
        lineStyle: { color: resolved(color), width: lineWidth },
      });
      const head = tip(0.9),
        before = tip(0.8);
      return {
        grid: { left: w / 2 - r, right: w / 2 - r, top: h / 2 - r, bottom: h / 2 - r },
        xAxis: { type: "value", min: -1.1, max: 1.1, show: false },
        yAxis: { type: "value", min: -1.1, max: 1.1, show: false },
        series: [
          line(
            [
              [-1.1, 0],
              [1.1, 0],
            ],
            "var(--rule)",
            1,
          ),
          line(
            [
              [0, -1.1],
              [0, 1.1],
            ],
            "var(--rule)",
            1,
          ),
          line(
            Array.from({ length: STEPS + 1 }, (_, i) => tip((2 * Math.PI * i) / STEPS)),
            "var(--heron)",
            2,
          ),
          {
            type: "scatter",
            silent: true,
            symbolSize: 0.1,
            itemStyle: { color: "transparent" },
            label: {
              show: true,
              ...SMALL,
              color: resolved("var(--ink2)"),
              formatter: (p: { data: [number, number, string] }) => p.data[2],
            },
            data: [
              [1.02, 0.08, "θ̂"],
              [0.08, -1.02, "φ̂"],
            ],
          },
          ...(linear
            ? []
            : [
                {
                  type: "scatter",
                  silent: true,
                  symbol: "triangle",
                  symbolSize: 11,
                  symbolRotate:
                    (Math.atan2(head[1] - before[1], head[0] - before[0]) * 180) / Math.PI - 90,
                  itemStyle: { color: resolved("var(--heron)") },
                  data: [head],
                },
              ]),
        ],
      };
    },
    [ratio, tilt, right, linear],
  );
  return (
    <div ref={outer} className="h-full w-full">
      <div className="relative" style={{ width, height }} data-plot>
        <div ref={inner} className="absolute inset-0" />
      </div>
    </div>
  );
}
