/** Colour scales and line styles. Magnitudes run from slate to amber; signed data diverge from the paper. */
import { scaleLinear } from "d3-scale";

// even steps of lightness in Oklab, from slate over the heron's blue to amber: stands out from paper and dusk
const STOPS = [
  "#182437",
  "#1c3249",
  "#1f405c",
  "#214f70",
  "#345e76",
  "#466d7c",
  "#657b73",
  "#8d8558",
  "#b78b3f",
  "#db902e",
  "#f9983b",
];
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

/** The same as red, green and blue from 0 to 255. */
export const magnitudeBytes = (t: number): [number, number, number] =>
  /(\d+), (\d+), (\d+)/.exec(ramp(t))!.slice(1).map(Number) as [number, number, number];

/** The same as linear-light RGB triples for vertex colours. */
export const magnitudeRgb = (t: number): [number, number, number] =>
  magnitudeBytes(t).map((v) => Math.pow(v / 255, 2.2)) as [number, number, number];

/** A magnitude in one of so many equal bands; as it is for none. */
export const banded = (t: number, bands: number): number =>
  bands === 0 ? t : (Math.min(bands - 1, Math.floor(Math.max(0, t) * bands)) + 0.5) / bands;

/** The map in bands as a CSS gradient. */
export const rampCss = (bands: number): string =>
  bands === 0
    ? RAMP_CSS
    : `linear-gradient(to top, ${Array.from({ length: bands }, (_, n) => {
        const tone = magnitude((n + 0.5) / bands);
        return `${tone} ${(100 * n) / bands}% ${(100 * (n + 1)) / bands}%`;
      }).join(", ")})`;

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
