/** Surrogates as the server fits them, evaluated here: a slider asks nobody. */
import type { Packet } from "../../api/client";
import { unwrapped } from "./family";

export interface DialVariable {
  name: string;
  unit: string;
  nominal: number;
  low: number;
  high: number;
  place: number;
}
interface Channel {
  unit: string;
  reach: number;
  /** Of a curve's columns the first 2 p + 2 are p poles, their residues, a constant and a slope. */ poles: number;
  noise: number;
  low: number[];
  scale: number[];
}
export interface Predicted {
  x: ArrayLike<number>;
  re: Float64Array;
  im: Float64Array | null;
  /** Half the width of the band. */ band: Float64Array;
}
export interface DialsHeader {
  variables: DialVariable[];
  first: number[];
  channels: Record<string, Channel>;
  reference: number | null;
}
export const headerOf = (p: Packet): DialsHeader => p.header as unknown as DialsHeader;

const kept = new WeakMap<Packet, Map<string, Float64Array>>();

/** An array of a packet with all its digits: it comes as the sum of two. */
function exact(p: Packet, key: string): Float64Array | null {
  const own = kept.get(p) ?? new Map<string, Float64Array>();
  kept.set(p, own);
  const found = own.get(key);
  if (found) return found;
  const first = p.arrays[key]?.data,
    rest = p.arrays[`${key}_rest`]?.data;
  if (!first || !rest) return null;
  const sum = Float64Array.from(first, (v, i) => v + rest[i]!);
  own.set(key, sum);
  return sum;
}

/** Adds to a curve what poles, their residues, a constant and a slope over the axis make of it. */
function addPoles(
  re: Float64Array,
  im: Float64Array,
  own: [Float64Array, Float64Array],
  axis: Float64Array,
): void {
  const [a, b] = own,
    count = a.length / 2 - 1;
  axis.forEach((x, i) => {
    re[i]! += a[2 * count]! + a[2 * count + 1]! * x;
    im[i]! += b[2 * count]! + b[2 * count + 1]! * x;
    for (let k = 0; k < count; k++) {
      const c = x - a[k]!,
        d = -b[k]!,
        size = c * c + d * d,
        r = a[count + k]!,
        q = b[count + k]!;
      re[i]! += (r * c + q * d) / size;
      im[i]! += (q * c - r * d) / size;
    }
  });
}

/** A channel at a point of the variables, SI, by Gaussian kernels about the solved variants and a linear trend. */
export function predicted(p: Packet, name: string, point: number[]): Predicted | null {
  const channel = headerOf(p).channels[name];
  if (!channel) return null;
  const array = (key: string) => exact(p, `${name}_${key}`);
  const points = array("points")!,
    lengths = array("lengths")!,
    inverse = array("inverse")!,
    spread = array("spread")!,
    least = array("least")!,
    [n, d] = p.arrays[`${name}_points`]!.shape as [number, number],
    x = array("x")!,
    m = x.length,
    own = channel.poles ? 2 * channel.poles + 2 : 0,
    columns = own + m;
  const u = point.map((v, k) => (v - channel.low[k]!) / channel.scale[k]!);
  const kernels = Float64Array.from({ length: n }, (_, r) => {
    let squares = 0;
    for (let k = 0; k < d; k++) squares += ((u[k]! - points[r * d + k]!) / lengths[k]!) ** 2;
    return Math.exp(-0.5 * squares);
  });
  let known = 0;
  for (let a = 0; a < n; a++)
    for (let b = 0; b < n; b++) known += kernels[a]! * inverse[a * n + b]! * kernels[b]!;
  const deviation = channel.reach * Math.sqrt(Math.max(0, 1 + channel.noise - known));
  const part = (side: "re" | "im"): Float64Array | null => {
    const trend = array(`trend_${side}`),
      weights = array(`weights_${side}`);
    if (!trend || !weights) return null;
    const out = new Float64Array(columns);
    for (let i = 0; i < columns; i++) {
      out[i] = trend[i]!;
      for (let k = 0; k < d; k++) out[i]! += u[k]! * trend[(k + 1) * columns + i]!;
    }
    for (let r = 0; r < n; r++)
      for (let i = 0; i < columns; i++) out[i]! += kernels[r]! * weights[r * columns + i]!;
    return out;
  };
  const all = [part("re")!, part("im")] as const,
    re = all[0].slice(own),
    im = all[1]?.slice(own) ?? null;
  if (own && im)
    addPoles(re, im, [all[0].subarray(0, own), all[1]!.subarray(0, own)], array("axis")!);
  return {
    x,
    re,
    im,
    band: Float64Array.from({ length: m }, (_, i) => Math.max(deviation * spread[i]!, least[i]!)),
  };
}

/** |S| in dB, and between which levels it lies. */
export function levels(p: Predicted): { y: number[]; low: number[]; high: number[] } {
  const db = (v: number): number => 20 * Math.log10(Math.max(v, 1e-4));
  const size = Array.from(p.re, (re, i) => Math.hypot(re, p.im ? p.im[i]! : 0));
  return {
    y: size.map(db),
    low: size.map((s, i) => db(s - p.band[i]!)),
    high: size.map((s, i) => db(s + p.band[i]!)),
  };
}

/** The phase in degrees, which goes on along the frequency, and between which it lies: anywhere where the band takes in zero. */
export function phases(p: Predicted): { y: number[]; low: number[]; high: number[] } {
  const y = unwrapped(
    Array.from(p.re, (re, i) => (180 / Math.PI) * Math.atan2(p.im?.[i] ?? 0, re)),
  );
  const half = Array.from(p.re, (re, i) => {
    const share = p.band[i]! / Math.hypot(re, p.im?.[i] ?? 0);
    return share < 1 ? (180 / Math.PI) * Math.asin(share) : 180;
  });
  return { y, low: y.map((v, i) => v - half[i]!), high: y.map((v, i) => v + half[i]!) };
}

/** Resistance and reactance that a reflection coefficient means. */
export function impedance(p: Predicted, reference: number): { r: number[]; x: number[] } {
  const out = { r: [] as number[], x: [] as number[] };
  p.re.forEach((a, i) => {
    const b = p.im?.[i] ?? 0,
      size = (1 - a) ** 2 + b * b;
    out.r.push((reference * (1 - a * a - b * b)) / size);
    out.x.push((reference * 2 * b) / size);
  });
  return out;
}
