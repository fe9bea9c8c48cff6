/** Triangles that metal and borders of media are divided into, and what they are like. */
import { Line } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide } from "three";
import { create } from "zustand";
import type { Packet } from "../api/client";
import { triangles } from "../api/queries";
import type { Examination } from "../api/types";
import { color } from "../app/theme";
import { useBench } from "../features/bench/model";
import { compact, fixed, quantity } from "../format";
import { RAMP_CSS, magnitudeRgb } from "../plots/scale";
import { Key } from "./Key";

const FEWEST = 5; // triangles per wavelength: fewer do not follow the current
const DRAWN = 20_000; // triangles with outlines: of more, lines would hide them

const useShown = create<{ quality: boolean; toggle: () => void }>((set) => ({
  quality: false,
  toggle: () => set((s) => ({ quality: !s.quality })),
}));

interface Props {
  projectId: number;
  stamp: string;
}

function useTriangles({ projectId, stamp }: Props) {
  const document = useBench((s) => s.document)!;
  return useQuery(triangles(document, projectId, stamp));
}

/** Coarse ones in the colour of warnings; with `quality`, from slivers to equal sides. Those of media apart, to be looked through. */
function drawn(packet: Packet, quality: boolean) {
  const { corners, resolved, quality: own, metal } = packet.arrays;
  const count = corners!.shape[0]!,
    positions = Float32Array.from(corners!.data),
    colors = new Float32Array(9 * count);
  const plain = new Color(color("steel")).toArray(),
    medium = new Color(color("moss")).toArray(),
    coarse = new Color(color("rust")).toArray();
  for (let t = 0; t < count; t++) {
    const tone =
      resolved!.data[t]! < FEWEST
        ? coarse
        : quality
          ? magnitudeRgb(own!.data[t]!)
          : metal!.data[t]
            ? plain
            : medium;
    for (let k = 0; k < 3; k++) colors.set(tone, 9 * t + 3 * k);
  }
  const pieces = (of: boolean) => {
    const kept = Array.from({ length: count }, (_, t) => t).filter((t) => !!metal!.data[t] === of);
    const made = new BufferGeometry();
    for (const [name, data] of [
      ["position", positions],
      ["color", colors],
    ] as const) {
      const own = Float32Array.from(kept.flatMap((t) => [...data.subarray(9 * t, 9 * t + 9)]));
      made.setAttribute(name, new BufferAttribute(own, 3));
    }
    return made;
  };
  const at = (t: number, k: number): [number, number, number] => [
    positions[9 * t + 3 * k]!,
    positions[9 * t + 3 * k + 1]!,
    positions[9 * t + 3 * k + 2]!,
  ];
  const lines =
    count > DRAWN
      ? []
      : Array.from({ length: count }, (_, t) =>
          [0, 1, 2].flatMap((k) => [at(t, k), at(t, (k + 1) % 3)]),
        ).flat();
  return { surface: pieces(true), veil: pieces(false), lines };
}

export function TriangleLens(props: Props) {
  const { data } = useTriangles(props);
  const quality = useShown((s) => s.quality);
  const { invalidate } = useThree();
  useEffect(() => invalidate(), [data, quality, invalidate]);
  const made = useMemo(() => data && drawn(data, quality), [data, quality]);
  useEffect(
    () => () => {
      made?.surface.dispose();
      made?.veil.dispose();
    },
    [made],
  );
  if (!made) return null;
  return (
    <>
      <mesh geometry={made.surface}>
        <meshBasicMaterial
          vertexColors
          side={DoubleSide}
          polygonOffset
          polygonOffsetFactor={1}
          polygonOffsetUnits={1}
        />
      </mesh>
      <mesh geometry={made.veil}>
        <meshBasicMaterial
          vertexColors
          side={DoubleSide}
          transparent
          opacity={0.35}
          depthWrite={false}
        />
      </mesh>
      {made.lines.length > 0 && (
        <Line points={made.lines} segments color={color("ink")} lineWidth={0.6} />
      )}
    </>
  );
}

export function TrianglePanel({ examination, ...props }: Props & { examination: Examination }) {
  const { data, error } = useTriangles(props);
  const { quality, toggle } = useShown();
  const mesh = examination.mesh!;
  const { coarse, worst, media } = useMemo(
    () => ({
      media: data?.arrays.metal!.data.some((m) => !m) ?? false,
      coarse: data?.arrays.resolved!.data.reduce((n, v) => n + Number(v < FEWEST), 0) ?? 0,
      worst: data?.arrays.quality!.data.reduce((m, v) => Math.min(m, v), 1) ?? 1,
    }),
    [data],
  );
  return (
    <div
      className="absolute left-4 top-3 w-72 rounded-lg border border-rule bg-card px-3 py-2 text-[12px]"
      data-triangle-panel
    >
      <p className="num">
        {compact(mesh.triangles)} triangles, {compact(mesh.unknowns)} unknowns
      </p>
      <p className="num text-ink2">
        longest sides of {quantity(mesh.smallest_m, "m", 3)} to {quantity(mesh.largest_m, "m", 3)}
      </p>
      <button
        aria-pressed={quality}
        className={`-ml-2 mt-1 rounded px-2 py-0.5 ${quality ? "bg-heron-soft font-medium text-ink" : "text-ink2"} hover:bg-heron-soft`}
        onClick={toggle}
      >
        quality of shape
      </button>
      {error ? (
        <p className="text-rust">{error.message}.</p>
      ) : !data ? (
        <p className="text-ink2">Fetching the triangles…</p>
      ) : (
        <ul className="mt-0.5 flex flex-wrap gap-x-3 gap-y-0.5 text-ink2">
          {quality ? (
            <li className="num flex items-center gap-1">
              <span
                className="h-2.5 w-8 rounded-sm"
                style={{ background: RAMP_CSS.replace("to top", "to right") }}
              />
              0 a sliver – 1 equal sides; least {fixed(worst, 2)}
            </li>
          ) : (
            <Key tone="var(--steel)">metal</Key>
          )}
          {!quality && media && <Key tone="var(--moss)">borders of media</Key>}
          {coarse > 0 && (
            <Key tone="var(--rust)">
              {compact(coarse)} above λ/{FEWEST}
            </Key>
          )}
        </ul>
      )}
    </div>
  );
}
