/** A model as a line drawing: axonometric, fitted to its box. */
type Point = [number, number, number];

const flat = ([x, y, z]: Point): [number, number] => [
  0.866 * (x - y) * 0.9,
  -z + 0.42 * (x + y) * 0.9,
];

export function Sketch({ outline }: { outline: { points: Point[] }[] }) {
  const lines = outline.map((part) => part.points.map(flat));
  const all = lines.flat();
  if (all.length === 0) return <p className="grid h-full place-items-center text-ink2">empty</p>;
  const xs = all.map((p) => p[0]),
    ys = all.map((p) => p[1]);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const scale = Math.min(200 / Math.max(x1 - x0, 1e-9), 104 / Math.max(y1 - y0, 1e-9));
  const place = ([x, y]: [number, number]): string =>
    `${120 + (x - (x0 + x1) / 2) * scale},${70 + (y - (y0 + y1) / 2) * scale}`;
  return (
    <svg viewBox="0 0 240 140" className="size-full" aria-hidden>
      {lines.map((line, i) => (
        <polyline
          key={i}
          points={line.map(place).join(" ")}
          fill="none"
          className="stroke-steel"
          strokeWidth="1.4"
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      ))}
    </svg>
  );
}
