/** Numbers that cards work out of what the server sends: field values at points, spectra, the words of bands and spec lines. */
import type { Packet } from "../../api/client";
import type { SpecState } from "../../api/types";
import { quantity } from "../../format";

export const WHATS = { e: ["|E|", "V/m"], h: ["|H|", "A/m"], ex: ["Ex", "V/m"], ey: ["Ey", "V/m"], ez: ["Ez", "V/m"], hx: ["Hx", "A/m"], hy: ["Hy", "A/m"], hz: ["Hz", "A/m"], s: ["|S|", "W/m²"], sx: ["Sx", "W/m²"], sy: ["Sy", "W/m²"], sz: ["Sz", "W/m²"], w: ["|E|/|H|", "Ω"] } as const;
export type What = keyof typeof WHATS;
/** One number per point of a near field: rms of whole vectors, peak of components, mean power density, or the value at a phase. */
export function pointValues(p: Packet, what: What, phase: number | null): Float64Array {
  const { e_re, e_im, h_re, h_im } = p.arrays, n = e_re!.data.length / 3;
  const [re, im] = what[0] === "h" ? [h_re!.data, h_im!.data] : [e_re!.data, e_im!.data];
  const dot = (r: Float32Array, i: Float32Array, q: number): number => { let sum = 0; for (let k = 0; k < 3; k++) sum += r[3 * q + k]! ** 2 + i[3 * q + k]! ** 2; return sum; };
  const power = (q: number, k: number): number => {
    const a = (k + 1) % 3, b = (k + 2) % 3, er = e_re!.data, ei = e_im!.data, hr = h_re!.data, hi = h_im!.data;
    return 0.5 * (er[3 * q + a]! * hr[3 * q + b]! + ei[3 * q + a]! * hi[3 * q + b]! - er[3 * q + b]! * hr[3 * q + a]! - ei[3 * q + b]! * hi[3 * q + a]!);
  };
  const c = phase === null ? 1 : Math.cos(phase), s = phase === null ? 0 : Math.sin(phase);
  const of = (q: number): number => {
    if (what === "w") return Math.sqrt(dot(e_re!.data, e_im!.data, q) / dot(h_re!.data, h_im!.data, q));
    if (what === "s") return Math.hypot(power(q, 0), power(q, 1), power(q, 2));
    if (what[0] === "s") return power(q, "xyz".indexOf(what[1]!));
    if (what === "e" || what === "h") {
      if (phase === null) return Math.sqrt(dot(re, im, q) / 2);
      return Math.hypot(...[0, 1, 2].map((k) => re[3 * q + k]! * c - im[3 * q + k]! * s));
    }
    const k = 3 * q + "xyz".indexOf(what[1]!);
    return phase === null ? Math.hypot(re[k]!, im[k]!) : re[k]! * c - im[k]! * s;
  };
  return Float64Array.from({ length: n }, (_, q) => of(q));
}

/** Magnitude in dB under its largest, of samples (t in ns) at frequencies in Hz: the Fourier integral by the trapezoidal rule. */
export function spectrum(time: ArrayLike<number>, y: ArrayLike<number>, f: number[]): number[] {
  const size = f.map((hz) => {
    let re = 0, im = 0;
    for (let n = 0; n + 1 < time.length; n++) {
      const step = time[n + 1]! - time[n]!, a = 2e-9 * Math.PI * hz * time[n]!;
      re += y[n]! * Math.cos(a) * step;
      im -= y[n]! * Math.sin(a) * step;
    }
    return Math.hypot(re, im);
  });
  const most = Math.max(...size, 1e-300);
  return size.map((v) => 20 * Math.log10(Math.max(v / most, 1e-6)));
}

/** The formula that a spec line limits, in the limit's unit, as cards write theirs. */
export function specFormula(spec: NonNullable<SpecState["spec"]>): string {
  const bare = spec.formula.replace(/^abs\((.*)\)$/, "$1");
  if (spec.level) return `db${spec.level}(${bare})`;
  return spec.unit === "%" ? `100*${spec.formula}` : spec.formula;
}

/** "2.407–2.438 GHz": the unit once, if both have it. */
export function span(b: { low_hz: number; high_hz: number }): string {
  const [low, high] = [quantity(b.low_hz, "Hz", 4), quantity(b.high_hz, "Hz", 4)], unit = high.split(" ")[1]!;
  return low.endsWith(` ${unit}`) ? `${low.split(" ")[0]}–${high}` : `${low}–${high}`;
}
