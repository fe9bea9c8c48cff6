import type { Path, Step } from "../../api/types";
import type { Kind } from "../../api/language";
import { changed, member, useBench } from "./model";

type Point = [number, number, number];
const FACES: [name: string, axis: number, side: number][] = [
  ["−x", 0, -1],
  ["+x", 0, 1],
  ["−y", 1, -1],
  ["+y", 1, 1],
  ["−z", 2, -1],
  ["+z", 2, 1],
];
// drawn from behind to the front, as the stage's oblique view sees them
const ORDER = [0, 3, 4, 5, 2, 1];
const HIDDEN = [0, 3, 4];
const NEXT: Record<string, string> = { open: "PEC", PEC: "PMC", PMC: "open" };
const FILL: Record<string, string> = {
  open: "var(--card)",
  PEC: "var(--steel)",
  PMC: "var(--amber)",
};
const SIZE = 13,
  APART = 10;

const flat = ([x, y, z]: Point): [number, number] => [
  36 + 0.78 * x + 0.62 * y,
  32 + 0.235 * x - 0.293 * y - 0.911 * z,
];

/** Corners of a face on the drawing; hidden ones stand off the cube. */
function corners(n: number): [number, number][] {
  const [, axis, side] = FACES[n]!;
  const far = SIZE + (HIDDEN.includes(n) ? APART : 0);
  return [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map(([a, b]) => {
    const p: Point = [0, 0, 0];
    p[axis] = side * far;
    p[(axis + 1) % 3] = a! * SIZE;
    p[(axis + 2) % 3] = b! * SIZE;
    return flat(p);
  });
}

/** The outer walls as a cube: a click on a face takes its wall from open to PEC to PMC. */
export function WallsCube({ base, kind }: { step: Step; base: Path; kind: Kind }) {
  const edit = useBench((s) => s.edit);
  const reader = useBench((s) => s.role === "reader");
  const walls = useBench(
    (s) => (member(s.document, [...base, "walls"]) ?? kind.defaults.walls) as string[],
  );
  const turn = (n: number): void =>
    edit((d) => changed(d, base, ["walls", n], NEXT[walls[n]!] ?? "open", kind.defaults));
  return (
    <svg
      viewBox="0 0 72 64"
      role="group"
      aria-label="Outer walls"
      className="float-right ml-2 mt-0.5 h-12 w-[54px]"
    >
      {ORDER.map((n) => {
        const [name] = FACES[n]!,
          said = `Wall at ${name}: ${walls[n]}`;
        return (
          <polygon
            key={n}
            points={corners(n)
              .map((p) => p.map((v) => v.toFixed(1)).join())
              .join(" ")}
            fill={FILL[walls[n]!]}
            fillOpacity={HIDDEN.includes(n) && walls[n] === "open" ? 0.4 : 0.95}
            stroke="var(--ink3)"
            strokeWidth="0.8"
            strokeDasharray={walls[n] === "open" ? "2 1.5" : undefined}
            role="button"
            tabIndex={reader ? -1 : 0}
            aria-label={said}
            className={reader ? "" : "cursor-pointer hover:stroke-heron focus-visible:stroke-heron"}
            onClick={() => !reader && turn(n)}
            onKeyDown={(e) => {
              if (reader || (e.key !== "Enter" && e.key !== " ")) return;
              e.preventDefault();
              turn(n);
            }}
          >
            <title>{reader ? said : `${said}; click for ${NEXT[walls[n]!]}`}</title>
          </polygon>
        );
      })}
    </svg>
  );
}
