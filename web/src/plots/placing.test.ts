import { describe, expect, it } from "vitest";
import { placed } from "./placing";

const BOX = { width: 40, height: 10 },
  BOUNDS = { width: 400, height: 300 };
const line = (point: (t: number) => [number, number]): [number, number][] =>
  Array.from({ length: 401 }, (_, k) => point(k - 200));

describe("labels beside points", () => {
  it("are above where nothing is in the way", () => {
    expect(placed([[0, 0]], [BOX], [], BOUNDS)[0]).toEqual([0, -9]);
  });
  it("stay off curves, each other and the border", () => {
    const points: [number, number][] = [
      [0, 0],
      [6, 0],
      [0, -146],
    ];
    const lines = [line((t) => [t, 0]), line((t) => [0.3 * t, t])];
    const offsets = placed(points, [BOX, BOX, BOX], lines, BOUNDS);
    const centres = points.map((p, i) => [p[0] + offsets[i]![0], p[1] + offsets[i]![1]] as const);
    const covered = lines
      .flat()
      .filter(([x, y]) => centres.some(([a, b]) => Math.abs(x - a) < 19 && Math.abs(y - b) < 4));
    expect(covered).toEqual([]);
    const [a, b] = centres as [readonly [number, number], readonly [number, number]];
    expect(Math.abs(a[0] - b[0]) >= 40 || Math.abs(a[1] - b[1]) >= 10).toBe(true);
    expect(centres[2]![1] - 5).toBeGreaterThanOrEqual(-150);
  });
});
