import { Line } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide } from "three";
import { create } from "zustand";
import { useQuery } from "@tanstack/react-query";
import { gridCut } from "../api/queries";
import type { Packet } from "../api/client";
import type { Examination, Grid } from "../api/types";
import { color } from "../app/theme";
import { useBench } from "../features/bench/model";
import { compact, number, quantity } from "../format";
import { RAMP_CSS, magnitudeRgb } from "../plots/scale";
import type { Extent } from "./extent";
import { Key } from "./Key";
import type { Axis } from "./state";

const AXES: Axis[] = ["x", "y", "z"];
const STEPS = 200;
const FEWEST = 15,
  MANY = 120; // cells per wavelength: fewer are too few; the scale's other end

interface Place {
  axis: Axis;
  at: number | null;
  sizes: boolean;
  set: (next: Partial<Omit<Place, "set">>) => void;
}
/** Where the grid is laid open; the middle of the model unless chosen. */
const usePlace = create<Place>((set) => ({ axis: "y", at: null, sizes: false, set }));

function useCut(projectId: number, stamp: string, extent: Extent) {
  const document = useBench((s) => s.document)!;
  const { axis, at } = usePlace();
  return useQuery(
    gridCut(document, projectId, axis, at ?? extent.center[AXES.indexOf(axis)]!, stamp),
  );
}

interface Props {
  projectId: number;
  stamp: string;
  extent: Extent;
}

/** One layer of cells with the lines of the grid, what fills them, and the edges that conduct. */
export function GridLens({ projectId, stamp, extent, grid }: Props & { grid: Grid }) {
  const { data } = useCut(projectId, stamp, extent);
  const sizes = usePlace((s) => s.sizes);
  const { invalidate } = useThree();
  useEffect(() => invalidate(), [data, sizes, invalidate]);
  const drawn = useMemo(() => data && laidOpen(data, sizes), [data, sizes]);
  useEffect(() => () => drawn?.cells.dispose(), [drawn]);
  if (!drawn) return null;
  return (
    <>
      <mesh geometry={drawn.cells}>
        <meshBasicMaterial
          vertexColors
          side={DoubleSide}
          transparent
          opacity={0.9}
          polygonOffset
          polygonOffsetFactor={2}
          polygonOffsetUnits={2}
        />
      </mesh>
      <Line
        points={drawn.lines}
        segments
        color={color("ink3")}
        lineWidth={0.6}
        transparent
        opacity={0.55}
      />
      <Line
        points={walls(Number(data!.header.axis), Number(data!.header.place), grid)}
        color={color("amber")}
        lineWidth={1.5}
      />
      {drawn.metal.length > 0 && (
        <Line points={drawn.metal} segments color={color("ink")} lineWidth={3} />
      )}
    </>
  );
}

type Point = [number, number, number];

/** Where a cut meets the inner faces of the outer walls. */
const walls = (axis: number, place: number, { low, high }: Grid): Point[] => {
  const a = (axis + 1) % 3,
    b = (axis + 2) % 3;
  return [
    [low[a]!, low[b]!],
    [high[a]!, low[b]!],
    [high[a]!, high[b]!],
    [low[a]!, high[b]!],
    [low[a]!, low[b]!],
  ].map(([u, v]) => {
    const out: Point = [place, place, place];
    out[a] = u!;
    out[b] = v!;
    return out;
  });
};

function laidOpen(
  packet: Packet,
  sizes: boolean,
): { cells: BufferGeometry; lines: Point[]; metal: Point[] } {
  const axis = Number(packet.header.axis),
    place = Number(packet.header.place);
  const { u, v, epsilon, conductor, resolved, metal } = Object.fromEntries(
    Object.entries(packet.arrays).map(([k, a]) => [k, a.data]),
  ) as Record<string, Float32Array>;
  const at = (a: number, b: number): Point => {
    const out: Point = [0, 0, 0];
    out[axis] = place;
    out[(axis + 1) % 3] = a;
    out[(axis + 2) % 3] = b;
    return out;
  };
  const n = u!.length - 1,
    m = v!.length - 1;
  const positions = new Float32Array(n * m * 12),
    colors = new Float32Array(n * m * 12),
    index: number[] = [];
  const tones = { air: rgb("card"), metal: rgb("steel"), medium: rgb("moss"), coarse: rgb("rust") };
  let used = 0;
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      const c = i * m + j;
      const tone = cellTone(epsilon![c]!, conductor![c]! > 0, resolved![c]!, sizes, tones);
      [
        [i, j],
        [i + 1, j],
        [i + 1, j + 1],
        [i, j + 1],
      ].forEach(([a, b], k) => {
        positions.set(at(u![a!]!, v![b!]!), 3 * (used + k));
        colors.set(tone, 3 * (used + k));
      });
      index.push(used, used + 1, used + 2, used, used + 2, used + 3);
      used += 4;
    }
  const cells = new BufferGeometry();
  cells.setAttribute("position", new BufferAttribute(positions, 3));
  cells.setAttribute("color", new BufferAttribute(colors, 3));
  cells.setIndex(index);
  const lines = [
    ...Array.from(u!, (a): Point[] => [at(a, v![0]!), at(a, v![m]!)]),
    ...Array.from(v!, (b): Point[] => [at(u![0]!, b), at(u![n]!, b)]),
  ].flat();
  const edges: Point[] = [];
  for (let e = 0; e < metal!.length; e += 4)
    edges.push(at(metal![e]!, metal![e + 1]!), at(metal![e + 2]!, metal![e + 3]!));
  return { cells, lines, metal: edges };
}

type Rgb = [number, number, number];
const rgb = (token: string): Rgb => new Color(color(token)).toArray() as Rgb;
function cellTone(
  epsilon: number,
  conductor: boolean,
  resolved: number,
  sizes: boolean,
  t: Record<"air" | "metal" | "medium" | "coarse", Rgb>,
): Rgb {
  if (conductor) return t.metal;
  if (resolved < FEWEST * 0.999) return t.coarse;
  if (sizes) return magnitudeRgb(fineness(resolved));
  return mixed(
    t.air,
    t.medium,
    epsilon <= 1.0001 ? 0 : Math.min(0.9, 0.2 + 0.3 * Math.log2(epsilon)),
  );
}
/** Cells per wavelength on the scale of the lens: 0 too few, 1 very many. */
const fineness = (resolved: number): number =>
  Math.log(resolved / FEWEST) / Math.log(MANY / FEWEST);
const mixed = (a: Rgb, b: Rgb, t: number): Rgb => a.map((v, k) => v + t * (b[k]! - v)) as Rgb;

/** Where the cut lies, what it shows, and what the grid is like. */
export function GridPanel({
  projectId,
  stamp,
  extent,
  examination,
}: Props & { examination: Examination }) {
  const { axis, at, sizes, set } = usePlace();
  const { data, error, isFetching } = useCut(projectId, stamp, extent);
  const grid = examination.grid as Grid;
  const mirrored = useBench((s) =>
    (s.document!.surround.mirror as string[] | undefined)
      ?.flatMap((kind, i) => (kind === "none" ? [] : [`${AXES[i]!} = 0`]))
      .join(", "),
  );
  const k = AXES.indexOf(axis);
  const [low, high] = [grid.low[k]!, grid.high[k]!];
  const now = at ?? extent.center[k]!;
  const media = useMemo(
    () =>
      data
        ? [...new Set(Array.from(data.arrays.epsilon!.data, (v) => number(v, 3)))].filter(
            (v) => v !== "1",
          )
        : [],
    [data],
  );
  const coarse = useMemo(
    () =>
      data
        ? data.arrays.resolved!.data.reduce(
            (sum, v, i) => sum + Number(v < FEWEST * 0.999 && !data.arrays.conductor!.data[i]),
            0,
          )
        : 0,
    [data],
  );
  const button = (on: boolean): string =>
    `rounded px-2 py-0.5 text-[12px] ${on ? "bg-heron-soft font-medium text-ink" : "text-ink2"} hover:bg-heron-soft`;
  return (
    <div
      className="absolute left-4 top-3 w-64 rounded-lg border border-rule bg-card px-3 py-2 text-[12px]"
      data-grid-panel
    >
      <p className="num">
        {grid.cells.join(" × ")} = {compact(grid.cells.reduce((a, b) => a * b, 1))} cells
      </p>
      <p className="num text-ink2">
        cells of {quantity(Math.min(...grid.smallest_m), "m", 3)} to{" "}
        {quantity(grid.largest_m, "m", 3)}
      </p>
      <div className="mt-1 flex items-center gap-1">
        {AXES.map((a) => (
          <button
            key={a}
            aria-pressed={a === axis}
            className={button(a === axis)}
            onClick={() => set({ axis: a, at: null })}
          >
            {a}
          </button>
        ))}
        <button
          aria-pressed={sizes}
          className={button(sizes)}
          onClick={() => set({ sizes: !sizes })}
        >
          cell sizes
        </button>
        <span className="num ml-auto whitespace-nowrap">
          {axis} = {quantity(Math.abs(now) < 1e-9 * extent.size ? 0 : now, "m", 3)}
        </span>
      </div>
      <input
        type="range"
        aria-label="Position of the cut"
        className="w-full accent-heron"
        min={0}
        max={STEPS}
        value={Math.round(((now - low) / (high - low)) * STEPS)}
        onChange={(e) => set({ at: low + (Number(e.target.value) / STEPS) * (high - low) })}
      />
      {error ? (
        <p className="text-rust">{error.message}.</p>
      ) : !data ? (
        <p className="text-ink2">Laying the grid open…</p>
      ) : (
        <ul
          className={`flex flex-wrap gap-x-3 gap-y-0.5 text-ink2 ${isFetching ? "opacity-60" : ""}`}
        >
          <Key tone="var(--steel)">conductor</Key>
          {sizes ? (
            <li className="num flex items-center gap-1">
              <span
                className="h-2.5 w-8 rounded-sm"
                style={{ background: RAMP_CSS.replace("to top", "to right") }}
              />
              {FEWEST}–{MANY} cells per λ
            </li>
          ) : media.length > 4 ? (
            <Key tone="var(--moss)">
              media, ε {media[0]} … {media[media.length - 1]}
            </Key>
          ) : (
            media.map((m) => (
              <Key key={m} tone="var(--moss)">
                ε {m}
              </Key>
            ))
          )}
          <Key tone="var(--amber)">outer walls</Key>
          {coarse > 0 && (
            <Key tone="var(--rust)">
              {compact(coarse)} cells above λ/{FEWEST}
            </Key>
          )}
        </ul>
      )}
      {mirrored && (
        <p className="num mt-1 text-ink2">
          One side of {mirrored} is solved; the other is its image.
        </p>
      )}
      {grid.crowded.length > 0 && (
        <p className="num mt-1 text-rust">
          {grid.crowded.length} {grid.crowded.length === 1 ? "detail is" : "details are"} finer than
          the grid.
        </p>
      )}
    </div>
  );
}
