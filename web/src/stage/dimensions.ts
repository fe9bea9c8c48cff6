/** Which sizes of a part are written beside it, and where. */
import type { Path, Step } from "../api/types";

type Point = [number, number, number];
interface Bounds {
  low: number[];
  high: number[];
}
export interface Label {
  /** Before the value. */ name: string;
  text: string;
  at: Point;
  /** Of the value in its step. */ own: Path;
  /** From where to where it counts, where that is an edge of the part. */ line?: [Point, Point];
}
const NAMED = [
  "radius",
  "inner",
  "height",
  "bend",
  "pitch",
  "top",
  "thickness",
  "diameter",
  "focus",
];
const plain = (text: string): string => text.replace(/^-\s*/, "").trim();

/** Labels with the expressions of the sheet: along their edges for boxes and rectangles, in a column for round parts. */
export function dimensions(step: Step, body: Bounds): Label[] {
  const { low, high } = body as { low: Point; high: Point };
  const middle = (k: number): number => (low[k]! + high[k]!) / 2;
  const size = step.size as string[] | undefined;
  if (Array.isArray(size)) {
    const axes =
      size.length === 3
        ? [0, 1, 2]
        : ({ x: [1, 2], y: [0, 2], z: [0, 1] }[String(step.axis)] ?? [0, 1]);
    const corners: Point[] = [
      [low[0], low[1], low[2]],
      [high[0], low[1], low[2]],
      [high[0], high[1], low[2]],
      [high[0], high[1], high[2]],
    ];
    return size.map((expression, i) => {
      const line: [Point, Point] = [corners[axes[i]!]!, corners[axes[i]! + 1]!];
      return {
        name: "",
        text: plain(expression),
        at: line[0].map((c, k) => (c + line[1][k]!) / 2) as Point,
        own: ["size", i],
        line,
      };
    });
  }
  const named = NAMED.filter(
    (n) => typeof step[n] === "string" && step[n] !== "0" && step[n] !== "",
  );
  return named.map((n, i) => ({
    name: `${n} `,
    text: String(step[n]),
    own: [n],
    at: [high[0], middle(1), high[2] - ((i + 0.5) / named.length) * (high[2] - low[2])],
  }));
}
