/** Numbers for people: engineering prefixes, tabular digits, a real minus sign. */

const PREFIXES: [number, string][] = [
  [1e12, "T"],
  [1e9, "G"],
  [1e6, "M"],
  [1e3, "k"],
  [1, ""],
  [1e-3, "m"],
  [1e-6, "µ"],
  [1e-9, "n"],
  [1e-12, "p"],
  [1e-15, "f"],
];
const PREFIXED = new Set([
  "m",
  "s",
  "Hz",
  "V",
  "A",
  "W",
  "Ω",
  "S",
  "F",
  "H",
  "V/m",
  "A/m",
  "B",
  "m/s",
  "S/m",
]);

const sign = (text: string): string => text.replace("-", "−");

/** A plain number with so many significant digits and no trailing zeros. */
export function number(value: number, digits = 4): string {
  if (!Number.isFinite(value)) return value > 0 ? "∞" : value < 0 ? "−∞" : "–";
  if (value !== 0 && (Math.abs(value) < 1e-4 || Math.abs(value) >= 1e7))
    return sign(value.toExponential(digits - 1));
  return sign(String(Number(value.toPrecision(digits))));
}

/** 868000000, "Hz" → "868 MHz". Units that take no prefix stand as they are. */
export function quantity(value: number | null | undefined, unit: string, digits = 4): string {
  if (value === null || value === undefined) return "–";
  if (!PREFIXED.has(unit) || value === 0 || !Number.isFinite(value))
    return `${number(value, digits)} ${unit}`.trim();
  const [factor, prefix] =
    PREFIXES.find(([f]) => Math.abs(value) >= f * 0.9999999) ?? PREFIXES[PREFIXES.length - 1]!;
  return `${number(value / factor, digits)} ${prefix}${unit}`;
}

/** Speed of light in vacuum, m/s. */
export const C0 = 299792458;

const AREAS: [square: number, unit: string][] = [
  [1e-18, "nm²"],
  [1e-12, "µm²"],
  [1e-6, "mm²"],
  [1, "m²"],
];
/** The unit for areas up to `most` m², of which there are less than ten thousand then. */
export function areaUnit(most: number): { unit: string; factor: number } {
  const [factor, unit] =
    AREAS.find(([square]) => Math.abs(most) < 1e4 * square) ?? AREAS[AREAS.length - 1]!;
  return { unit, factor };
}

/** The area in m² that a level in dBsm means. */
export const area = (dbsm: number): number => 10 ** (dbsm / 10);

/** The unit with the prefix that suits numbers up to `most`, and what to divide by. */
export function scaled(most: number, unit: string): { unit: string; factor: number } {
  const [factor, prefix] = PREFIXES.find(([f]) => Math.abs(most) >= f * 0.9999999) ?? [1, ""];
  return { unit: `${prefix}${unit}`, factor };
}

/** A number with fixed decimals, for columns that must not jump. */
export const fixed = (value: number | null | undefined, decimals: number): string =>
  value === null || value === undefined || !Number.isFinite(value)
    ? "–"
    : sign(value.toFixed(decimals));

export const complex = (re: number, im: number, decimals = 1): string =>
  `${fixed(re, decimals)} ${im < 0 ? "−" : "+"} j${Math.abs(im).toFixed(decimals)} Ω`;

const AGO: [seconds: number, name: Intl.RelativeTimeFormatUnit][] = [
  [31_536_000, "year"],
  [2_592_000, "month"],
  [86_400, "day"],
  [3600, "hour"],
  [60, "minute"],
];
const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto" });

/** How long ago a time (ISO 8601) was: "3 hours ago". */
export function ago(time: string, now = Date.now()): string {
  const passed = (now - Date.parse(time)) / 1000;
  const [unit, name] = AGO.find(([s]) => passed >= s) ?? [];
  return unit === undefined ? "just now" : relative.format(-Math.round(passed / unit), name!);
}

/** 394740 → "395 k": a count as one reads it. */
export const compact = (n: number): string =>
  n >= 1e6
    ? `${number(n / 1e6, 3)} M`
    : n >= 1e4
      ? `${Math.round(n / 1e3)} k`
      : String(Math.round(n));

const roughly = (s: number): string =>
  s < 60
    ? `${Math.round(s)} s`
    : s < 5400
      ? `${Math.ceil(s / 60)} min`
      : `${Math.ceil(s / 3600)} h`;
export const seconds = (s: number): string => (s < 1 ? "under a second" : `about ${roughly(s)}`);
/** How long something takes, and the most that it may. */
export const forecastOf = (s: number, most: number): string =>
  most < 1 ? seconds(s) : `${seconds(s)}, at most ${roughly(most)}`;

export const bytes = (b: number): string =>
  b >= 2 ** 30
    ? `${(b / 2 ** 30).toFixed(1)} GiB`
    : b >= 2 ** 20
      ? `${Math.round(b / 2 ** 20)} MiB`
      : `${Math.ceil(b / 2 ** 10)} KiB`;
