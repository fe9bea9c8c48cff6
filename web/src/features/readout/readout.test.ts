import { expect, it } from "vitest";
import type { MarkerEntry, RunLine, SpecState } from "../../api/types";
import { labels } from "./context";
import { crossing, locate, valueAt } from "./markers";
import { pointValues, share, sharesOf, span, specFormula, unwound, within } from "./values";

const run = (number: number, values: Record<string, [number, string]>): RunLine =>
  ({
    number,
    values: Object.fromEntries(
      Object.entries(values).map(([k, [value, unit]]) => [k, { value, unit }]),
    ),
  }) as unknown as RunLine;

it("tells runs apart by what differs", () => {
  const lines = [
    run(3, { f0: [868e6, "Hz"], length: [0.16, "m"] }),
    run(2, { f0: [868e6, "Hz"], length: [0.17, "m"] }),
  ];
  expect(labels(lines)).toEqual(["3: length 160 mm", "2: length 170 mm"]);
  expect(labels(lines.slice(0, 1))).toEqual(["run 3"]);
  expect(labels([lines[0]!, { ...lines[0]!, number: 9 }])).toEqual(["run 3", "run 9"]);
});

const curve = { x: [1, 2, 3, 4], y: [0, -20, -5, NaN] };
const marker = (mode: MarkerEntry["mode"], more: Partial<MarkerEntry> = {}): MarkerEntry => ({
  id: mode,
  card: "c",
  name: mode,
  mode,
  x: null,
  level: null,
  first: null,
  second: null,
  ...more,
});

it("reads curves between samples and not beyond", () => {
  expect(valueAt(curve, 1.5)).toBe(-10);
  expect(valueAt(curve, 3)).toBe(-5);
  expect(valueAt(curve, 3.5)).toBeNull();
  expect(valueAt(curve, 5)).toBeNull();
});

it("finds the crossing nearest to where it is asked for", () => {
  expect(crossing(curve, -10, 1)).toBeCloseTo(1.5);
  expect(crossing(curve, -10, 3)).toBeCloseTo(2 + 10 / 15);
  expect(crossing(curve, -30, 1)).toBeNull();
});

it("locates markers of every mode", () => {
  const [a, b] = [marker("minimum"), marker("at", { x: 1.5 })];
  expect(locate(a, curve, [])).toEqual({ x: 2, y: -20 });
  expect(locate(marker("maximum"), curve, [])).toEqual({ x: 1, y: 0 });
  expect(locate(b, curve, [])).toEqual({ x: 1.5, y: -10 });
  expect(locate(marker("crossing", { level: -10, x: 1 }), curve, [])).toEqual({ x: 1.5, y: -10 });
  expect(locate(marker("delta", { first: "minimum", second: "at" }), curve, [a, b])).toEqual({
    x: -0.5,
    y: 10,
  });
  expect(locate(marker("delta", { first: "minimum", second: "gone" }), curve, [a, b])).toBeNull();
});

it("matches spec lines with the curves that show them", () => {
  const spec = (formula: string, unit: string, level: number): NonNullable<SpecState["spec"]> => ({
    formula,
    unit,
    level,
    above: false,
    limit: 0,
    low_hz: null,
    high_hz: null,
  });
  expect(specFormula(spec("abs(s11)", "dB", 20))).toBe("db20(s11)");
  expect(specFormula(spec("gain(0 deg, 0 deg)", "dBi", 10))).toBe("db10(gain(0 deg, 0 deg))");
  expect(specFormula(spec("total_efficiency", "%", 0))).toBe("100*total_efficiency");
  expect(specFormula(spec("vswr1", "", 0))).toBe("vswr1");
});

it("writes a band's unit once where it can", () => {
  expect(span({ low_hz: 2.4e9, high_hz: 2.48e9 })).toBe("2.4–2.48 GHz");
  expect(span({ low_hz: 9e8, high_hz: 1.1e9 })).toBe("900 MHz–1.1 GHz");
  expect([0.00458, 0.0128, 0.1452].map((relative) => share({ relative }))).toEqual([
    "0.46\u00a0%",
    "1.3\u00a0%",
    "14.5\u00a0%",
  ]);
});

it("gives steady values, and components and vectors at a moment", () => {
  const array = (shape: number[], ...v: number[]): { shape: number[]; data: Float32Array } => ({
    shape,
    data: Float32Array.from(v),
  });
  const component = {
    header: {},
    arrays: { value: array([2], 1, 2), re: array([2, 1], 1, 0), im: array([2, 1], 0, 2) },
  };
  expect(Array.from(pointValues(component, "ex", null))).toEqual([1, 2]);
  expect(pointValues(component, "ex", Math.PI)[0]).toBeCloseTo(-1, 6);
  expect(pointValues(component, "ex", Math.PI / 2)[1]).toBeCloseTo(-2, 6);
  const vector = {
    header: {},
    arrays: { value: array([1], 5), re: array([1, 3], 3, 4, 0), im: array([1, 3], 0, 0, 1) },
  };
  expect(pointValues(vector, "e", 0)[0]).toBeCloseTo(5, 6);
  expect(pointValues(vector, "e", Math.PI / 2)[0]).toBeCloseTo(1, 6);
  expect(Array.from(pointValues({ header: {}, arrays: { value: array([1], 7) } }, "w", 1))).toEqual(
    [7],
  );
  const known = {
    header: {},
    arrays: { value: array([2], 1, 2), error: array([2, 2], 0.5, 0.25, 0.125, 0.0625) },
  };
  expect(Array.from(pointValues(known, "dh", null))).toEqual([25, 6.25]);
  expect(Array.from(pointValues(vector, "de", null))).toEqual([NaN]);
  expect(within(sharesOf(known, "e")!)).toBe("± 50\u00a0%, 50\u00a0% at most");
});

it("breaks a phase where it goes round", () => {
  const { x, y } = unwound([1, 2, 3, 4], [150, 175, -175, -140]);
  expect(x).toEqual([1, 2, 2.5, 3, 4]);
  expect(y).toEqual([150, 175, null, -175, -140]);
  expect(unwound([1, 2], [10, Number.NaN]).y).toEqual([10, null]);
});
