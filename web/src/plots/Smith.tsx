import { useId } from "react";
import { useSize } from "./useSize";

export interface Trace { re: number[]; im: number[]; color: string; dash: string; at?: number }
const CIRCLES = [0.2, 0.5, 1, 2, 5];

/** Reflection coefficients on the impedance grid (P. H. Smith, 1939). */
export function Smith({ traces }: { traces: Trace[] }) {
  const [ref, { width, height }] = useSize();
  const r = Math.max(10, Math.min(width, height) / 2 - 14);
  const clip = useId();
  const place = (re: number, im: number): [number, number] => [re * r, -im * r];
  return (
    <div ref={ref} className="h-full w-full">
      {width > 60 && (
        <svg width={width} height={height} viewBox={`${-width / 2} ${-height / 2} ${width} ${height}`} className="num" data-plot>
          <clipPath id={clip}><circle r={r} /></clipPath>
          <g clipPath={`url(#${clip})`} fill="none" stroke="var(--rule)">
            {CIRCLES.map((v) => <circle key={`r${v}`} cx={(v / (1 + v)) * r} r={r / (1 + v)} />)}
            {CIRCLES.flatMap((v) => [v, -v]).map((v) => <circle key={`x${v}`} cx={r} cy={-r / v} r={r / Math.abs(v)} />)}
            <line x1={-r} x2={r} />
          </g>
          <circle r={r} fill="none" stroke="var(--ink3)" />
          {CIRCLES.map((v) => <text key={v} x={((v - 1) / (v + 1)) * r + 2} y={-2} fontSize="9" fill="var(--ink2)">{v}</text>)}
          {traces.map((t, i) => <polyline key={i} points={t.re.map((v, k) => place(v, t.im[k]!).join(",")).join(" ")} fill="none" stroke={t.color} strokeDasharray={t.dash} strokeWidth="1.800" />)}
          {traces.map((t, i) => {
            if (t.at === undefined) return null;
            const [x, y] = place(t.re[t.at]!, t.im[t.at]!);
            return <circle key={i} cx={x} cy={y} r={i === 0 ? 5 : 3.5} fill={i === 0 ? "var(--ink)" : t.color} stroke="var(--card)" />;
          })}
        </svg>
      )}
    </div>
  );
}
