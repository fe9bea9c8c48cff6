import { Line } from "@react-three/drei";
import { max, quantile } from "d3-array";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, DoubleSide } from "three";
import type { Packet } from "../api/client";
import { magnitudeRgb } from "../plots/scale";
import { color } from "../app/theme";
import type { Extent } from "./extent";

const NEAR_DB = 40,
  PATTERN_DB = 30;

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

const SURFACE_DB = 40;

/** |K| on every rectangle of metal, 40 dB below its largest value; with `linear` in proportion, what is above 98 % of all alike (edges would leave the rest dark), with a `phase` in rad at that moment. */
export function SurfaceLens({
  packet,
  linear = false,
  phase = null,
}: {
  packet: Packet;
  linear?: boolean;
  phase?: number | null;
}) {
  const geometry = useDisposed(
    useMemo(() => {
      const { low, high, normal, re, im } = packet.arrays;
      const count = normal!.data.length;
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
      const positions = new Float32Array(12 * count),
        colors = new Float32Array(12 * count);
      const index: number[] = [];
      for (let q = 0; q < count; q++) {
        const d = normal!.data[q]!,
          a = (d + 1) % 3,
          b = (d + 2) % 3;
        const tone = magnitudeRgb(
          linear
            ? size[q]! / most
            : 1 + (20 * Math.log10(Math.max(size[q]! / most, 1e-9))) / SURFACE_DB,
        );
        [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 1],
        ].forEach(([along, across], k) => {
          const corner = Array.from(low!.data.subarray(3 * q, 3 * q + 3));
          if (along) corner[a] = high!.data[3 * q + a]!;
          if (across) corner[b] = high!.data[3 * q + b]!;
          positions.set(corner, 3 * (4 * q + k));
          colors.set(tone, 3 * (4 * q + k));
        });
        index.push(4 * q, 4 * q + 1, 4 * q + 2, 4 * q, 4 * q + 2, 4 * q + 3);
      }
      const out = new BufferGeometry();
      out.setAttribute("position", new BufferAttribute(positions, 3));
      out.setAttribute("color", new BufferAttribute(colors, 3));
      out.setIndex(index);
      return out;
    }, [packet, linear, phase]),
  );
  return (
    <mesh geometry={geometry} renderOrder={4}>
      <meshBasicMaterial
        vertexColors
        side={DoubleSide}
        polygonOffset
        polygonOffsetFactor={-1}
        polygonOffsetUnits={-1}
      />
    </mesh>
  );
}

const ARROWS_ALONG = 16; // of the model's largest side

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
  const patches = useMemo(() => {
    const { low, high, normal, re, im } = packet.arrays,
      pitch = size / ARROWS_ALONG;
    const found = new Map<
      string,
      { area: number; at: number[]; re: number[]; im: number[]; normal: number }
    >();
    for (let q = 0; q < normal!.data.length; q++) {
      const d = normal!.data[q]!,
        at = [0, 1, 2].map((k) => (low!.data[3 * q + k]! + high!.data[3 * q + k]!) / 2);
      const area = [1, 2].reduce(
        (product, n) =>
          product * (high!.data[3 * q + ((d + n) % 3)]! - low!.data[3 * q + ((d + n) % 3)]!),
        1,
      );
      const key = `${d} ${at.map((v, k) => (k === d ? v.toPrecision(6) : Math.floor(v / pitch))).join(" ")}`;
      const own = found.get(key) ?? {
        area: 0,
        at: [0, 0, 0],
        re: [0, 0, 0],
        im: [0, 0, 0],
        normal: d,
      };
      own.area += area;
      for (let k = 0; k < 3; k++) {
        own.at[k]! += area * at[k]!;
        own.re[k]! += area * re!.data[3 * q + k]!;
        own.im[k]! += area * im!.data[3 * q + k]!;
      }
      found.set(key, own);
    }
    return [...found.values()].map((p) => ({
      normal: p.normal,
      at: p.at.map((v) => v / p.area),
      re: p.re.map((v) => v / p.area),
      im: p.im.map((v) => v / p.area),
    }));
  }, [packet, size]);
  const points = useMemo(() => {
    const peak = patches.reduce((m, p) => Math.max(m, Math.hypot(...p.re, ...p.im)), 1e-30);
    return patches.flatMap(({ at, re, im, normal: d }) => {
      const v = re.map(
        (r, k) => ((r * Math.cos(phase) - im[k]! * Math.sin(phase)) / peak) * (size / 8),
      );
      if (Math.hypot(...v) < size / 400) return [];
      const side = v.map((_, k) =>
        k === d
          ? 0
          : v[(k + 1) % 3 === d ? (k + 2) % 3 : (k + 1) % 3]! * ((k + 1) % 3 === d ? 1 : -1),
      );
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

/** The realized-gain pattern as a surface round the model's middle, 30 dB from centre to peak. */
export function PatternLens({ packet, extent }: { packet: Packet; extent: Extent }) {
  const geometry = useDisposed(
    useMemo(() => {
      const { level_dbi: gain, theta_deg: theta, phi_deg: phi } = packet.arrays;
      const peak = Math.max(...gain!.data);
      const level = (i: number): number => Math.max(0, 1 + (gain!.data[i]! - peak) / PATTERN_DB);
      const [rows, columns] = [theta!.data.length, phi!.data.length];
      const place = (r: number, c: number): [number, number, number] => {
        const t = (theta!.data[r]! * Math.PI) / 180,
          p = (phi!.data[c]! * Math.PI) / 180,
          size = level(r * columns + c) * 0.62 * extent.size;
        return [
          size * Math.sin(t) * Math.cos(p),
          size * Math.sin(t) * Math.sin(p),
          size * Math.cos(t),
        ];
      };
      return grid(rows, columns, place, (r, c) => level(r * columns + c));
    }, [packet, extent.size]),
  );
  return (
    <mesh geometry={geometry} position={extent.center}>
      <meshStandardMaterial
        vertexColors
        side={DoubleSide}
        transparent
        opacity={0.93}
        roughness={1}
      />
    </mesh>
  );
}

/** RMS |E| on a plane, 40 dB below its largest value. */
export function NearLens({ packet }: { packet: Packet }) {
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
      <meshBasicMaterial vertexColors side={DoubleSide} transparent opacity={0.92} />
    </mesh>
  );
}

function grid(
  rows: number,
  columns: number,
  place: (r: number, c: number) => [number, number, number],
  value: (r: number, c: number) => number,
): BufferGeometry {
  const positions = new Float32Array(rows * columns * 3),
    colors = new Float32Array(rows * columns * 3);
  const index: number[] = [];
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const i = r * columns + c;
      positions.set(place(r, c), 3 * i);
      colors.set(magnitudeRgb(value(r, c)), 3 * i);
      if (r + 1 < rows && c + 1 < columns)
        index.push(i, i + columns, i + 1, i + 1, i + columns, i + columns + 1);
    }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(positions, 3));
  geometry.setAttribute("color", new BufferAttribute(colors, 3));
  geometry.setIndex(index);
  geometry.computeVertexNormals();
  return geometry;
}

/** Frees the geometry when it is replaced or the lens closes. */
function useDisposed(geometry: BufferGeometry): BufferGeometry {
  useEffect(() => () => geometry.dispose(), [geometry]);
  return geometry;
}
