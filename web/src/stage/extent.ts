import type { Examination } from "../api/types";

export interface Extent {
  center: [number, number, number];
  size: number;
}

/** Middle and largest side of the box round all parts and dipoles; a stand-in of 0.1 m for a model of no size. */
export function extentOf(examination: Examination | undefined): Extent {
  const points = examination
    ? [
        ...examination.shapes.flatMap((s) => s.points),
        ...examination.bodies.flatMap((b) => [b.low, b.high]),
        ...examination.dipoles.map((d) => examination.feeds[d.feed]!),
      ]
    : [];
  if (points.length === 0) return { center: [0, 0, 0], size: 0.1 };
  const axis = (i: 0 | 1 | 2): [number, number] =>
    points.reduce<[number, number]>(
      (b, p) => [Math.min(b[0], p[i]), Math.max(b[1], p[i])],
      [Infinity, -Infinity],
    );
  const box = [axis(0), axis(1), axis(2)];
  const center = box.map(([a, b]) => (a + b) / 2) as [number, number, number];
  return { center, size: Math.max(...box.map(([a, b]) => b - a)) || 0.1 };
}
