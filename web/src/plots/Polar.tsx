import { useSize } from "./useSize";

export interface PolarCurve { angle: number[]; value: number[]; color: string; dash: string }
const RINGS = 4, RING_DB = 10;

/** Cuts in dB with 0° at the top, clockwise; the outer ring is a round number above the peak. */
export function Polar({ curves }: { curves: PolarCurve[] }) {
  const [ref, { width, height }] = useSize();
  const r = Math.max(10, Math.min(width / 2 - 34, height / 2 - 18));
  const peak = Math.max(-90, ...curves.flatMap((c) => c.value));
  const outer = Math.ceil(peak / 5) * 5;
  const size = (v: number): number => Math.max(0, 1 + (v - outer) / (RINGS * RING_DB)) * r;
  const spokes = [0, 30, 60, 90, 120, 150, 180, -150, -120, -90, -60, -30];
  return (
    <div ref={ref} className="h-full w-full">
      {width > 60 && curves.length > 0 && (
        <svg width={width} height={height} viewBox={`${-width / 2} ${-height / 2} ${width} ${height}`} className="num" data-plot>
          {Array.from({ length: RINGS }, (_, i) => <circle key={i} r={((i + 1) / RINGS) * r} fill="none" stroke={i === RINGS - 1 ? "var(--ink3)" : "var(--rule)"} />)}
          {spokes.map((a) => <line key={a} x2={r * Math.sin((a * Math.PI) / 180)} y2={-r * Math.cos((a * Math.PI) / 180)} stroke="var(--faint)" />)}
          {spokes.filter((a) => a % 90 === 0).map((a) => (
            <text key={a} x={(r + 15) * Math.sin((a * Math.PI) / 180)} y={-(r + 9) * Math.cos((a * Math.PI) / 180) + 3.5} textAnchor="middle" fontSize="10" fill="var(--ink2)">{a === 180 ? "180°" : `${String(a).replace("-", "−")}°`}</text>
          ))}
          {Array.from({ length: RINGS - 1 }, (_, i) => <text key={i} x={3} y={-((i + 1) / RINGS) * r - 2} fontSize="9" fill="var(--ink2)">{String(outer - (RINGS - 1 - i) * RING_DB).replace("-", "−")}</text>)}
          <text x={3} y={-r + 9} fontSize="9" fill="var(--ink2)">{String(outer).replace("-", "−")} dBi</text>
          {curves.map((c, i) => (
            <polyline
              key={i} fill="none" stroke={c.color} strokeDasharray={c.dash} strokeWidth="1.800"
              points={c.value.map((v, k) => { const a = (c.angle[k]! * Math.PI) / 180; return `${size(v) * Math.sin(a)},${-size(v) * Math.cos(a)}`; }).join(" ")}
            />
          ))}
        </svg>
      )}
    </div>
  );
}
