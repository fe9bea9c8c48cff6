/** Colour scales and line styles. Magnitudes run from slate to straw; signed data diverge from the paper. */
import { scaleLinear } from "d3-scale";

const STOPS = ["#22313f", "#3c5a73", "#6c8796", "#a9ae96", "#e0cf9a", "#f7ebc4"];
const ramp = scaleLinear<string>()
  .domain(STOPS.map((_, i) => i / (STOPS.length - 1)))
  .range(STOPS)
  .clamp(true);

/** CSS colour of a magnitude between 0 and 1. */
export const magnitude = (t: number): string => ramp(t);

const SIGNED = ["#1f4a66", "#7fa3b8", "#f1ece0", "#d99a72", "#8f3d1c"];
const signedRamp = scaleLinear<string>()
  .domain(SIGNED.map((_, i) => i / (SIGNED.length - 1)))
  .range(SIGNED)
  .clamp(true);
/** CSS colour of a signed value between −1 and 1, as 0 to 1. */
export const signed = (t: number): string => signedRamp(t);
export const SIGNED_CSS = `linear-gradient(to top, ${SIGNED.join(", ")})`;

/** The same as linear-light RGB triples for vertex colours. */
export function magnitudeRgb(t: number): [number, number, number] {
  const [r, g, b] = /(\d+), (\d+), (\d+)/
    .exec(ramp(t))!
    .slice(1)
    .map((v) => Math.pow(Number(v) / 255, 2.2)) as [number, number, number];
  return [r, g, b];
}

export const RAMP_CSS = `linear-gradient(to top, ${STOPS.join(", ")})`;

/** Series differ by pattern as well as colour. */
export const SERIES = [
  { color: "var(--heron)", dash: "" },
  { color: "var(--rust)", dash: "6 4" },
  { color: "var(--moss)", dash: "2 3" },
  { color: "var(--amber)", dash: "9 3 2 3" },
  { color: "var(--plum)", dash: "12 4" },
];
export const series = (i: number): { color: string; dash: string } => SERIES[i % SERIES.length]!;
