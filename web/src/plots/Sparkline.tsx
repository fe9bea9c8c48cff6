import { extent } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";

/** A curve the size of a word. */
export function Sparkline({ values, at }: { values: number[]; at?: number[] }) {
  const [w, h] = [52, 26];
  if (values.length < 2) return <svg width={w} height={h} aria-hidden />;
  const xs = at ?? values.map((_, i) => i);
  const x = scaleLinear()
    .domain(extent(xs) as [number, number])
    .range([1, w - 1]);
  const [low, high] = extent(values) as [number, number];
  const y = scaleLinear()
    .domain([low, high === low ? low + 1 : high])
    .range([h - 2, 2]);
  const path = line<number>(
    (_, i) => x(xs[i]!),
    (v) => y(v),
  )(values);
  return (
    <svg width={w} height={h} className="shrink-0" aria-hidden>
      <path
        d={path ?? ""}
        fill="none"
        className="stroke-heron"
        strokeWidth="1.500"
        strokeLinejoin="round"
      />
    </svg>
  );
}
