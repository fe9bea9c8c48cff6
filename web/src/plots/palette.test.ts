/** Whether series can be told apart, also by eyes that lack one kind of cone, and whether they stand out from their card. */
import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { magnitude } from "./scale";

const css = readFileSync(new URL("../styles.css", import.meta.url), "utf8");
const SERIES = ["heron", "rust", "moss", "amber", "plum"];

function theme(selector: string): Record<string, string> {
  const block = css.slice(css.indexOf(selector)),
    body = block.slice(0, block.indexOf("}"));
  return Object.fromEntries(
    [...body.matchAll(/--([\w-]+):\s*(#[0-9a-fA-F]{6})/g)].map((m) => [m[1]!, m[2]!]),
  );
}
const day = theme(":root"),
  dusk = { ...day, ...theme('[data-theme="dusk"]') };

type Rgb = [number, number, number];
const channels = (hex: string): Rgb =>
  [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255) as Rgb;
const linear = (c: Rgb): Rgb =>
  c.map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)) as Rgb;
const times = (m: number[][], v: Rgb): Rgb =>
  m.map((row) => row.reduce((s, a, k) => s + a * v[k]!, 0)) as Rgb;

/** Linear RGB as seen without one kind of cone: Machado, Oliveira, Fernandes, IEEE TVCG 15 (2009) 1291, severity 1. From memory. */
const EYES: Record<string, number[][]> = {
  "all cones": [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  protanopia: [
    [0.152286, 1.052583, -0.204868],
    [0.114503, 0.786281, 0.099216],
    [-0.003882, -0.048116, 1.051998],
  ],
  deuteranopia: [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
    [-0.01182, 0.04294, 0.968881],
  ],
  tritanopia: [
    [1.255528, -0.076749, -0.178779],
    [-0.078411, 0.930809, 0.147602],
    [0.004733, 0.691367, 0.3039],
  ],
};

/** CIE 1976 L*a*b* under D65, of linear sRGB (IEC 61966-2-1). */
function lab(rgb: Rgb): Rgb {
  const xyz = times(
    [
      [0.4124, 0.3576, 0.1805],
      [0.2126, 0.7152, 0.0722],
      [0.0193, 0.1192, 0.9505],
    ],
    rgb.map((v) => Math.min(1, Math.max(0, v))) as Rgb,
  );
  const [x, y, z] = xyz.map((v, k) => {
    const t = v / [0.9505, 1, 1.089][k]!;
    return t > 216 / 24389 ? Math.cbrt(t) : ((24389 / 27) * t + 16) / 116;
  }) as Rgb;
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}
const seen = (hex: string, eye: string): Rgb => lab(times(EYES[eye]!, linear(channels(hex))));
const difference = (a: Rgb, b: Rgb): number => Math.hypot(...a.map((v, k) => v - b[k]!));
/** Contrast ratio of WCAG 2.2, 1.4.11. */
function contrast(a: string, b: string): number {
  const [high, low] = [a, b]
    .map((h) => times([[0.2126, 0.7152, 0.0722]], linear(channels(h)))[0])
    .sort((p, q) => q - p) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

it.each([
  ["day", day],
  ["dusk", dusk],
])("tells the first series apart to every eye: %s", (_, tokens) => {
  for (const eye of Object.keys(EYES)) {
    let least = Infinity;
    SERIES.slice(0, 3).forEach((a, i) =>
      SERIES.slice(0, i).forEach((b) => {
        least = Math.min(least, difference(seen(tokens[a]!, eye), seen(tokens[b]!, eye)));
      }),
    );
    console.info(`${eye}: the first three differ by ΔE ${least.toFixed(1)} at least`);
    expect(least).toBeGreaterThan(10);
  }
});

it.each([
  ["day", day],
  ["dusk", dusk],
])("makes series stand out from their card and words from the page: %s", (_, tokens) => {
  for (const name of SERIES) expect(contrast(tokens[name]!, tokens.card!), name).toBeGreaterThan(3);
  for (const name of ["ink", "ink2"])
    for (const ground of ["card", "paper", "faint"])
      expect(contrast(tokens[name]!, tokens[ground]!), `${name} on ${ground}`).toBeGreaterThan(4.5);
});

it("runs from dark to light in magnitude for every eye", () => {
  for (const eye of Object.keys(EYES)) {
    const light = Array.from(
      { length: 21 },
      (_, k) =>
        /(\d+), (\d+), (\d+)/
          .exec(magnitude(k / 20))!
          .slice(1)
          .map((v) => Number(v) / 255) as Rgb,
    ).map((c) => lab(times(EYES[eye]!, linear(c)))[0]);
    light.slice(1).forEach((l, k) => expect(l, eye).toBeGreaterThan(light[k]!));
  }
});
