/** Where x, y and z point on the screen; a click on an end looks from there. */
import type { Camera } from "three";
import { create } from "zustand";

type Triple = [number, number, number];
interface Turned {
  /** What is right, up and towards the viewer, in the model. */ right: Triple;
  up: Triple;
  near: Triple;
}
const useTurned = create<Turned>(() => ({ right: [1, 0, 0], up: [0, 0, 1], near: [0, -1, 0] }));

/** Tells where the camera looks from. */
export function turned(camera: Camera): void {
  camera.updateMatrixWorld();
  const m = camera.matrixWorld.elements;
  const row = (k: number): Triple => [m[k]!, m[k + 1]!, m[k + 2]!];
  useTurned.setState({ right: row(0), up: row(4), near: row(8) });
}

const ENDS: { letter: string; axis: number; sign: 1 | -1; view: string }[] = [
  { letter: "x", axis: 0, sign: 1, view: "side" },
  { letter: "", axis: 0, sign: -1, view: "other side" },
  { letter: "y", axis: 1, sign: 1, view: "back" },
  { letter: "", axis: 1, sign: -1, view: "front" },
  { letter: "z", axis: 2, sign: 1, view: "top" },
  { letter: "", axis: 2, sign: -1, view: "bottom" },
];
const SIZE = 72,
  ARM = 26;

/** The keyboard has the buttons of the views, so this is for the pointer only. */
export function ViewAxes({ look }: { look: (view: string) => void }) {
  const { right, up, near } = useTurned();
  const ends = ENDS.map((e) => ({
    ...e,
    at: [e.sign * ARM * right[e.axis]!, -e.sign * ARM * up[e.axis]!] as const,
    depth: e.sign * near[e.axis]!,
  })).sort((a, b) => a.depth - b.depth);
  return (
    <svg
      aria-hidden
      data-view-axes
      width={SIZE}
      height={SIZE}
      viewBox={`${-SIZE / 2} ${-SIZE / 2} ${SIZE} ${SIZE}`}
      className="absolute bottom-12 right-3"
    >
      {ends.map(({ letter, axis, sign, view, at: [x, y], depth }) => (
        <g
          key={view}
          data-view={view}
          className="cursor-pointer"
          opacity={0.75 + depth / 4}
          onClick={() => look(view)}
        >
          <title>{`Look from ${sign > 0 ? "+" : "−"}${"xyz"[axis]}`}</title>
          {letter && <line x2={x} y2={y} className="stroke-ink2" strokeWidth={1.2} />}
          <circle
            cx={x}
            cy={y}
            r={letter ? 8 : 4.5}
            className={
              letter
                ? "fill-card stroke-ink2 hover:fill-heron-soft"
                : "fill-rule hover:fill-heron-soft"
            }
          />
          {letter && (
            <text
              x={x}
              y={y + 3.5}
              textAnchor="middle"
              className="num pointer-events-none fill-ink text-[11px]"
            >
              {letter}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}
