import { extent } from "d3-array";
import { scaleLinear, scaleLog } from "d3-scale";
import { line } from "d3-shape";
import { type PointerEvent, useId } from "react";
import { number, quantity } from "../format";
import { useSize } from "./useSize";

export interface Curve { x: number[]; y: (number | null)[]; color: string; dash: string; label?: string }
interface Props {
  curves: Curve[];
  /** With `log`, decades are marked and carry their unit. */
  x: { unit: string; factor: number; label?: string; log?: boolean };
  y: { unit: string; domain?: [number, number]; label?: string; ticks?: number };
  cursor?: number | null;
  onCursor?: (x: number) => void;
  /** Shaded stretches of x. */
  bands?: [number, number][];
  limit?: number;
  labels?: boolean;
}

const MARGIN_TOP = { bare: 10, legend: 26 };
const SIDES = { right: 12, bottom: 30, left: 46 };

/** Curves over one axis with a shared cursor. Values outside the y domain are clipped, gaps stay gaps. */
export function LinePlot({ curves, x, y, cursor, onCursor, bands = [], limit, labels }: Props) {
  const [ref, { width, height }] = useSize();
  const clip = useId();
  const named = labels ? legend(curves) : [];
  const MARGIN = { ...SIDES, top: named.length ? MARGIN_TOP.legend : MARGIN_TOP.bare };
  const xs = curves.flatMap((c) => extent(c.x) as [number, number]).map((v) => v / x.factor);
  const ys = curves.flatMap((c) => c.y.filter((v): v is number => v !== null));
  const [x0, x1] = extent(xs) as [number, number];
  const [low, high] = y.domain ?? padded(extent(ys) as [number, number]);
  const sx = (x.log ? scaleLog() : scaleLinear()).domain(x0 === x1 ? [x0 - 1, x1 + 1] : [x0, x1]).range([MARGIN.left, width - MARGIN.right]);
  const sy = scaleLinear().domain([low, high]).range([height - MARGIN.bottom, MARGIN.top]);
  const place = (e: PointerEvent<SVGSVGElement>): void => {
    const box = e.currentTarget.getBoundingClientRect();
    const at = sx.invert(((e.clientX - box.left) / box.width) * width);
    onCursor?.(Math.min(x1, Math.max(x0, at)) * x.factor);
  };
  const draw = line<[number, number | null]>().defined((p) => p[1] !== null).x((p) => sx(p[0] / x.factor)).y((p) => sy(Math.max(low - (high - low), Math.min(high + (high - low), p[1]!))));
  return (
    <div ref={ref} className="h-full w-full">
      {width > 60 && height > 60 && ys.length > 0 && (
        <svg
          width={width} height={height} viewBox={`0 0 ${width} ${height}`} className={`num select-none ${onCursor ? "cursor-crosshair" : ""}`} data-plot
          onPointerDown={(e) => { e.currentTarget.setPointerCapture(e.pointerId); place(e); }} onPointerMove={(e) => e.buttons === 1 && place(e)}
        >
          <clipPath id={clip}><rect x={MARGIN.left} y={MARGIN.top} width={width - MARGIN.left - MARGIN.right} height={height - MARGIN.top - MARGIN.bottom} /></clipPath>
          {bands.map(([a, b], i) => <rect key={i} x={sx(a / x.factor)} width={Math.max(1, sx(b / x.factor) - sx(a / x.factor))} y={MARGIN.top} height={height - MARGIN.top - MARGIN.bottom} fill="var(--moss-soft)" />)}
          {sy.ticks(y.ticks ?? 5).map((t) => (
            <g key={t}>
              <line x1={MARGIN.left} x2={width - MARGIN.right} y1={sy(t)} y2={sy(t)} stroke="var(--faint)" />
              <text x={MARGIN.left - 6} y={sy(t) + 3.5} textAnchor="end" fontSize="10.500" fill="var(--ink2)">{number(t, 5)}</text>
            </g>
          ))}
          {sx.ticks(Math.max(3, Math.floor(width / 80))).filter((t) => !x.log || Number.isInteger(Math.log10(t))).map((t) => (
            <g key={t}>
              <line x1={sx(t)} x2={sx(t)} y1={height - MARGIN.bottom} y2={height - MARGIN.bottom + 4} stroke="var(--ink3)" />
              <text x={sx(t)} y={height - MARGIN.bottom + 15} textAnchor="middle" fontSize="10.500" fill="var(--ink2)">{x.log ? quantity(t * x.factor, x.unit, 2) : number(t, 5)}</text>
            </g>
          ))}
          <text x={width - MARGIN.right} y={height - 3} textAnchor="end" fontSize="10.500" fill="var(--ink2)">{x.log ? x.label : [x.label, x.unit].filter(Boolean).join(", ")}</text>
          <text x={4} y={height - 3} fontSize="10.500" fill="var(--ink2)">{[y.label, y.unit].filter(Boolean).join(", ")}</text>
          <line x1={MARGIN.left} x2={width - MARGIN.right} y1={height - MARGIN.bottom} y2={height - MARGIN.bottom} stroke="var(--ink3)" />
          {limit !== undefined && limit > low && limit < high && <line x1={MARGIN.left} x2={width - MARGIN.right} y1={sy(limit)} y2={sy(limit)} stroke="var(--moss)" strokeDasharray="2 3" />}
          <g clipPath={`url(#${clip})`}>
            {curves.map((c, i) => <path key={i} d={draw(c.x.map((v, k): [number, number | null] => [v, c.y[k] ?? null])) ?? ""} fill="none" stroke={c.color} strokeWidth="1.800" strokeDasharray={c.dash} strokeLinejoin="round" />)}
          </g>
          {named.map((c, i) => (
            <g key={c.label} transform={`translate(${MARGIN.left + 8 + i * 92} 8)`}>
              <line x2="18" stroke={c.color} strokeWidth="1.800" strokeDasharray={c.dash} />
              <text x="23" y="3.500" fontSize="10.500" fill="var(--ink2)">{c.label}</text>
            </g>
          ))}
          {cursor != null && cursor / x.factor >= x0 && cursor / x.factor <= x1 && (
            <g>
              <line x1={sx(cursor / x.factor)} x2={sx(cursor / x.factor)} y1={MARGIN.top} y2={height - MARGIN.bottom} stroke="var(--ink)" />
              <path d={`M${sx(cursor / x.factor) - 4.5} ${MARGIN.top - 6}h9l-4.500 7z`} fill="var(--ink)" />
            </g>
          )}
        </svg>
      )}
    </div>
  );
}

const legend = (curves: Curve[]): Curve[] => curves.filter((c, i) => c.label && curves.findIndex((o) => o.label === c.label) === i);

function padded([a, b]: [number, number]): [number, number] {
  const pad = (b - a || Math.abs(b) || 1) * 0.08;
  return [a - pad, b + pad];
}
