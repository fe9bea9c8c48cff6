import { Line } from "@react-three/drei";
import { max, quantile } from "d3-array";
import { useEffect, useMemo } from "react";
import {
  BackSide,
  BufferAttribute,
  BufferGeometry,
  DataTexture,
  DoubleSide,
  LinearFilter,
  NearestFilter,
  SRGBColorSpace,
} from "three";
import type { Packet } from "../api/client";
import { banded, magnitudeBytes, magnitudeRgb } from "../plots/scale";
import { nearest } from "../app/cursor";
import { color } from "../app/theme";
import { Overlay } from "./Overlay";
import type { Extent } from "./extent";

/** dB from the largest value to the bottom of the map. */
export const NEAR_DB = 40,
  PATTERN_DB = 30,
  SURFACE_DB = 40;
const TEXELS = 256;

/** The map as a texture over 0 to 1, in bands or not: crisp edges between few vertices. */
function useRamp(bands: number): DataTexture {
  const texture = useMemo(() => {
    const data = new Uint8Array(4 * TEXELS);
    for (let k = 0; k < TEXELS; k++)
      data.set([...magnitudeBytes(banded((k + 0.5) / TEXELS, bands)), 255], 4 * k);
    const made = new DataTexture(data, TEXELS, 1);
    made.colorSpace = SRGBColorSpace;
    made.magFilter = bands ? NearestFilter : LinearFilter;
    made.needsUpdate = true;
    return made;
  }, [bands]);
  useEffect(() => () => texture.dispose(), [texture]);
  return texture;
}

/** |I| along every segment. */
export function CurrentLens({ packet }: { packet: Packet }) {
  const { points, colors } = useMemo(() => {
    const { start, end, re, im } = packet.arrays;
    const size = Array.from(re!.data, (v, i) => Math.hypot(v, im!.data[i]!));
    const most = Math.max(...size, 1e-30);
    const points: [number, number, number][] = [],
      colors: [number, number, number][] = [];
    for (let s = 0; s < start!.shape[0]!; s++) {
      [start!, end!].forEach((side, e) => {
        points.push([side.data[3 * s]!, side.data[3 * s + 1]!, side.data[3 * s + 2]!]);
        colors.push(magnitudeRgb(size[2 * s + e]! / most));
      });
    }
    return { points, colors };
  }, [packet]);
  return <Line points={points} segments vertexColors={colors} lineWidth={9} />;
}

/** |K| on every piece of metal, 40 dB below its largest value; with `linear` in proportion, what is above 98 % of all alike (edges would leave the rest dark), with a `phase` in rad at that moment. */
export function SurfaceLens({
  packet,
  linear = false,
  phase = null,
  bands = 0,
}: {
  packet: Packet;
  linear?: boolean;
  phase?: number | null;
  bands?: number;
}) {
  const ramp = useRamp(bands);
  const geometry = useDisposed(
    useMemo(() => {
      const { corners, re, im } = packet.arrays;
      const [count, round] = corners!.shape as [number, number, number];
      const peak = Array.from({ length: count }, (_, q) =>
        Math.hypot(...[0, 1, 2].flatMap((k) => [re!.data[3 * q + k]!, im!.data[3 * q + k]!])),
      );
      const most = Math.max(1e-30, (linear ? quantile(peak, 0.98) : max(peak)) ?? 0);
      const size =
        phase === null
          ? peak
          : Array.from({ length: count }, (_, q) =>
              Math.hypot(
                ...[0, 1, 2].map(
                  (k) =>
                    re!.data[3 * q + k]! * Math.cos(phase) - im!.data[3 * q + k]! * Math.sin(phase),
                ),
              ),
            );
      const uv = new Float32Array(2 * round * count);
      const index: number[] = [];
      for (let q = 0; q < count; q++) {
        const tone = linear
          ? size[q]! / most
          : 1 + (20 * Math.log10(Math.max(size[q]! / most, 1e-9))) / SURFACE_DB;
        const first = round * q;
        for (let k = 0; k < round; k++) uv.set([held(tone), 0.5], 2 * (first + k));
        for (let k = 2; k < round; k++) index.push(first, first + k - 1, first + k);
      }
      const out = new BufferGeometry();
      out.setAttribute("position", new BufferAttribute(Float32Array.from(corners!.data), 3));
      out.setAttribute("uv", new BufferAttribute(uv, 2));
      out.setIndex(index);
      return out;
    }, [packet, linear, phase]),
  );
  return (
    <mesh geometry={geometry} renderOrder={4}>
      <meshBasicMaterial
        map={ramp}
        side={DoubleSide}
        polygonOffset
        polygonOffsetFactor={-1}
        polygonOffsetUnits={-1}
      />
    </mesh>
  );
}

const ARROWS_ALONG = 16; // of the model's largest side

interface Patch {
  area: number;
  at: number[];
  re: number[];
  im: number[];
  normal: number[];
}

/** Means of K over small patches of each side, as large as `pitch`. */
function patchesOf(packet: Packet, pitch: number): Patch[] {
  const { corners, re, im } = packet.arrays;
  const [count, round] = corners!.shape as [number, number, number];
  const found = new Map<string, Patch>();
  for (let q = 0; q < count; q++) {
    const corner = (k: number): number[] =>
      Array.from(corners!.data.subarray(3 * (round * q + k), 3 * (round * q + k) + 3));
    const all = Array.from({ length: round }, (_, k) => corner(k));
    const at = [0, 1, 2].map((k) => all.reduce((sum, c) => sum + c[k]!, 0) / round);
    const [u, v] = [all[1]!, all[round - 1]!].map((c) => c.map((x, k) => x - all[0]![k]!)) as [
      number[],
      number[],
    ];
    const across = cross(u, v),
      size = Math.hypot(...across) || 1,
      area = round === 3 ? size / 2 : size;
    const lead = across.reduce((m, x, k) => (Math.abs(x) > Math.abs(across[m]!) ? k : m), 0);
    const normal = across.map((x) => (x / size) * Math.sign(across[lead]!));
    const height = normal.reduce((sum, x, k) => sum + x * at[k]!, 0);
    const key = [
      ...normal.map((x) => Math.round(2 * x)),
      round === 4 ? height.toPrecision(6) : Math.round((8 * height) / pitch),
      ...at.map((x, k) => (round === 4 && k === lead ? 0 : Math.floor(x / pitch))),
    ].join(" ");
    const own = found.get(key) ?? { area: 0, at: [0, 0, 0], re: [0, 0, 0], im: [0, 0, 0], normal };
    own.area += area;
    for (let k = 0; k < 3; k++) {
      own.at[k]! += area * at[k]!;
      own.re[k]! += area * re!.data[3 * q + k]!;
      own.im[k]! += area * im!.data[3 * q + k]!;
    }
    found.set(key, own);
  }
  const mean = (p: Patch, sums: number[]) => sums.map((v) => v / p.area);
  return [...found.values()].map((p) => ({
    ...p,
    at: mean(p, p.at),
    re: mean(p, p.re),
    im: mean(p, p.im),
  }));
}

const cross = (a: number[], b: number[]): number[] =>
  [0, 1, 2].map((k) => a[(k + 1) % 3]! * b[(k + 2) % 3]! - a[(k + 2) % 3]! * b[(k + 1) % 3]!);

/** Arrows of K at a phase in rad: its mean over small patches of each side, the largest as long as an eighth of the model. */
export function ArrowLens({
  packet,
  phase,
  size,
}: {
  packet: Packet;
  phase: number;
  size: number;
}) {
  const patches = useMemo(() => patchesOf(packet, size / ARROWS_ALONG), [packet, size]);
  const points = useMemo(() => {
    const peak = patches.reduce((m, p) => Math.max(m, Math.hypot(...p.re, ...p.im)), 1e-30);
    return patches.flatMap(({ at, re, im, normal }) => {
      const v = re.map(
        (r, k) => ((r * Math.cos(phase) - im[k]! * Math.sin(phase)) / peak) * (size / 8),
      );
      if (Math.hypot(...v) < size / 400) return [];
      const side = cross(v, normal);
      const tip = at.map((p, k) => p + v[k]!),
        barb = (s: number): number[] => tip.map((t, k) => t - 0.3 * v[k]! + s * 0.15 * side[k]!);
      return [at, tip, barb(1), tip, barb(-1), tip] as [number, number, number][];
    });
  }, [patches, phase, size]);
  return points.length > 0 ? (
    <Line
      points={points}
      segments
      color={color("amber")}
      lineWidth={1.8}
      depthTest={false}
      renderOrder={6}
    />
  ) : null;
}

/** The pattern as a surface round the model's middle, `range` dB from centre to peak, with its outline, its cuts at φ = 0, φ = 90° and θ = 90°, and the angles. */
export function PatternLens({
  packet,
  extent,
  range = PATTERN_DB,
  bands = 0,
}: {
  packet: Packet;
  extent: Extent;
  range?: number;
  bands?: number;
}) {
  const ramp = useRamp(bands);
  const { surface, cuts } = useMemo(() => {
    const { level_dbi: gain, theta_deg: theta, phi_deg: phi } = packet.arrays;
    const peak = max(gain!.data) ?? 0;
    const level = (i: number): number => Math.max(0, 1 + (gain!.data[i]! - peak) / range);
    const [rows, columns] = [theta!.data.length, phi!.data.length];
    const place = (r: number, c: number): Triple => {
      const t = (theta!.data[r]! * Math.PI) / 180,
        p = (phi!.data[c]! * Math.PI) / 180,
        size = level(r * columns + c) * REACH * extent.size;
      return [
        size * Math.sin(t) * Math.cos(p),
        size * Math.sin(t) * Math.sin(p),
        size * Math.cos(t),
      ];
    };
    const along = (angle: number): Triple[] => {
      const c = nearest(Array.from(phi!.data), angle);
      return Array.from({ length: rows }, (_, r) => place(r, c));
    };
    const ring = (near: number, far: number): Triple[] => [...along(near), ...along(far).reverse()];
    const level90 = nearest(Array.from(theta!.data), 90);
    return {
      surface: grid(rows, columns, place, (r, c) => level(r * columns + c)),
      cuts: [
        ring(0, 180),
        ring(90, 270),
        Array.from({ length: columns }, (_, c) => place(level90, c)),
      ],
    };
  }, [packet, extent.size, range]);
  const geometry = useDisposed(surface);
  const hull = useDisposed(
    useMemo(() => swollen(surface, OUTLINE * extent.size), [surface, extent.size]),
  );
  return (
    <group position={extent.center}>
      <mesh geometry={geometry}>
        <meshLambertMaterial map={ramp} side={DoubleSide} transparent opacity={0.94} />
      </mesh>
      <mesh geometry={hull}>
        <meshBasicMaterial color={color("ink")} side={BackSide} />
      </mesh>
      {cuts.map((points, n) => (
        <Line
          key={n}
          points={points}
          color={color("ink")}
          lineWidth={1}
          transparent
          opacity={0.55}
        />
      ))}
      <Angles size={extent.size} />
    </group>
  );
}

type Triple = [number, number, number];
const REACH = 0.62, // of the model's size from the centre to the peak
  OUTLINE = 0.006;

/** The axes that θ and φ are counted from, and how they are counted. */
function Angles({ size }: { size: number }) {
  const far = 0.72 * size,
    near = 0.3 * size;
  const arc = (point: (a: number) => Triple): Triple[] =>
    Array.from({ length: 13 }, (_, k) => point((k / 12) * (Math.PI / 5)));
  const ends: [string, Triple][] = [
    ["x", [far, 0, 0]],
    ["y", [0, far, 0]],
    ["z, θ = 0", [0, 0, far]],
  ];
  const theta = arc((a) => [far * 0.97 * Math.sin(a), 0, far * 0.97 * Math.cos(a)]),
    phi = arc((a) => [far * 0.97 * Math.cos(a), far * 0.97 * Math.sin(a), 0]);
  return (
    <>
      {ends.map(([letter, tip], k) => (
        <group key={letter}>
          <Line
            points={[tip.map((v) => (v * near) / far) as Triple, tip]}
            color={color("ink2")}
            lineWidth={1.2}
          />
          <Label at={tip.map((v) => 1.05 * v) as Triple} text={letter} name={k} />
        </group>
      ))}
      {[theta, phi].map((points, k) => (
        <group key={k}>
          <Line points={points} color={color("ink2")} lineWidth={1.2} />
          <Label at={points[points.length - 1]!} text={k ? "φ" : "θ"} name={k} />
        </group>
      ))}
    </>
  );
}

function Label({ at, text, name }: { at: Triple; text: string; name: number }) {
  return (
    <Overlay key={name} position={at} zIndexRange={[4, 0]} occlude className="pointer-events-none">
      <span className="num ml-1 block -translate-y-4 whitespace-nowrap text-[11px] text-ink2">
        {text}
      </span>
    </Overlay>
  );
}

/** A surface moved outwards along its normals, whose far side is the outline of the near one. */
function swollen(surface: BufferGeometry, by: number): BufferGeometry {
  const out = surface.clone(),
    at = out.getAttribute("position"),
    normal = out.getAttribute("normal");
  for (let i = 0; i < at.count; i++)
    at.setXYZ(
      i,
      at.getX(i) + by * normal.getX(i),
      at.getY(i) + by * normal.getY(i),
      at.getZ(i) + by * normal.getZ(i),
    );
  return out;
}

/** RMS |E| on a plane, 40 dB below its largest value. */
export function NearLens({ packet, bands = 0 }: { packet: Packet; bands?: number }) {
  const ramp = useRamp(bands);
  const geometry = useDisposed(
    useMemo(() => {
      const [columns, rows] = packet.header.counts as [number, number];
      const { points, value } = packet.arrays;
      const most = Math.max(...value!.data, 1e-30);
      const at = (r: number, c: number): number => r * columns + c;
      return grid(
        rows,
        columns,
        (r, c) => [0, 1, 2].map((k) => points!.data[3 * at(r, c) + k]!) as [number, number, number],
        (r, c) => 1 + (20 * Math.log10(Math.max(value!.data[at(r, c)]! / most, 1e-9))) / NEAR_DB,
      );
    }, [packet]),
  );
  return (
    <mesh geometry={geometry}>
      <meshBasicMaterial map={ramp} side={DoubleSide} transparent opacity={0.92} />
    </mesh>
  );
}

/** Within the texture, away from its ends, where it would begin again. */
const held = (t: number): number => Math.min(1 - 0.5 / TEXELS, Math.max(0.5 / TEXELS, t));

function grid(
  rows: number,
  columns: number,
  place: (r: number, c: number) => [number, number, number],
  value: (r: number, c: number) => number,
): BufferGeometry {
  const positions = new Float32Array(rows * columns * 3),
    uv = new Float32Array(rows * columns * 2);
  const index: number[] = [];
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const i = r * columns + c;
      positions.set(place(r, c), 3 * i);
      uv.set([held(value(r, c)), 0.5], 2 * i);
      if (r + 1 < rows && c + 1 < columns)
        index.push(i, i + columns, i + 1, i + 1, i + columns, i + columns + 1);
    }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(positions, 3));
  geometry.setAttribute("uv", new BufferAttribute(uv, 2));
  geometry.setIndex(index);
  geometry.computeVertexNormals();
  return geometry;
}

/** Frees the geometry when it is replaced or the lens closes. */
function useDisposed(geometry: BufferGeometry): BufferGeometry {
  useEffect(() => () => geometry.dispose(), [geometry]);
  return geometry;
}
