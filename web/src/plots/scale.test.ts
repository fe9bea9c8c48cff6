import { expect, it } from "vitest";
import { magnitudeRgb, series, signed } from "./scale";

it("brightens with magnitude and clamps outside", () => {
  const light = (t: number): number => magnitudeRgb(t).reduce((a, b) => a + b);
  const steps = [0, 0.25, 0.5, 0.75, 1].map(light);
  expect([...steps].sort((a, b) => a - b)).toEqual(steps);
  expect(magnitudeRgb(-3)).toEqual(magnitudeRgb(0));
  expect(magnitudeRgb(7)).toEqual(magnitudeRgb(1));
  expect(Math.max(...magnitudeRgb(1))).toBeLessThanOrEqual(1);
});

it("tells series apart without colour", () => {
  expect(new Set([0, 1, 2, 3, 4].map((i) => series(i).dash)).size).toBe(5);
  expect(series(5)).toEqual(series(0));
});

it("gives signed values two sides about the paper", () => {
  expect(new Set([0, 0.5, 1].map(signed)).size).toBe(3);
  expect(signed(-1)).toBe(signed(0));
  expect(signed(2)).toBe(signed(1));
});
