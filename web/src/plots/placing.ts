/** Places for labels beside points, off the curves that run there and off each other. */
type Pair = readonly [number, number];
export interface Box {
  width: number;
  height: number;
}

const DIRECTIONS = 16,
  GAPS = [4, 10], // pixels between a point and the edge of its label
  STEP = 4, // pixels between points of a curve that are looked at
  ENOUGH = 5; // pixels off a curve that are as good as any more

/** How far a point is outside a box round `centre`; 0 within. */
const outside = ([x, y]: Pair, centre: Pair, { width, height }: Box): number =>
  Math.hypot(
    Math.max(0, Math.abs(x - centre[0]) - width / 2),
    Math.max(0, Math.abs(y - centre[1]) - height / 2),
  );

/** A curve's points and what lies between them, a few pixels apart. */
const dense = (line: Pair[]): Pair[] =>
  line.flatMap((p, i) => {
    const next = line[i + 1] ?? p,
      n = Math.max(1, Math.ceil(Math.hypot(next[0] - p[0], next[1] - p[1]) / STEP));
    return Array.from(
      { length: n },
      (_, k): Pair => [p[0] + ((next[0] - p[0]) * k) / n, p[1] + ((next[1] - p[1]) * k) / n],
    );
  });

/** Offsets of the middles of labels from their points, in pixels: of all directions that which is farthest off curves, other labels and the border; the first direction is up. */
export function placed(
  points: Pair[],
  boxes: Box[],
  lines: Pair[][],
  bounds: Box,
  others: { centre: Pair; box: Box }[] = [],
): Pair[] {
  const curves = lines.flatMap(dense);
  const taken = [...others];
  return points.map((p, i) => {
    const box = boxes[i]!;
    const options = GAPS.flatMap((gap) =>
      Array.from({ length: DIRECTIONS }, (_, k): Pair => {
        const a = (2 * Math.PI * k) / DIRECTIONS;
        return [(box.width / 2 + gap) * Math.sin(a), -(box.height / 2 + gap) * Math.cos(a)];
      }),
    );
    const near = curves.filter(
      (c) => outside(c, p, { width: 2 * box.width, height: 4 * box.height }) === 0,
    );
    const room = (o: Pair): number => {
      const centre: Pair = [p[0] + o[0], p[1] + o[1]];
      const out =
        Math.abs(centre[0]) + box.width / 2 > bounds.width / 2 ||
        Math.abs(centre[1]) + box.height / 2 > bounds.height / 2;
      const hit = taken.some(
        (t) =>
          Math.abs(t.centre[0] - centre[0]) < (t.box.width + box.width) / 2 &&
          Math.abs(t.centre[1] - centre[1]) < (t.box.height + box.height) / 2,
      );
      const off = near.reduce((least, c) => Math.min(least, outside(c, centre, box)), ENOUGH);
      return off - (hit ? 2 * ENOUGH : 0) - (out ? ENOUGH : 0);
    };
    const best = options.reduce((b, o) => (room(o) > room(b) + 1e-9 ? o : b));
    taken.push({ centre: [p[0] + best[0], p[1] + best[1]], box });
    return best;
  });
}
