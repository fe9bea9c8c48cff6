import { describe, expect, it } from "vitest";
import type { RunNews } from "../../api/types";
import { level, ringing } from "./live";

const solved = (frequency_hz: number, s11: [number, number], round = 1, rounds = 1): RunNews => ({
  kind: "frequency",
  frequency_hz,
  s11,
  solved: 1,
  round,
  rounds,
});
const steps = (energy_db: number, s11_db: number[], round = 1, rounds = 1): RunNews => ({
  kind: "time",
  step: 400,
  energy_db,
  port: 1,
  f_hz: s11_db.length ? [1e9, 2e9] : null,
  s11_db,
  round,
  rounds,
});

describe("a sweep that goes on", () => {
  const news = [solved(2e9, [0.1, 0]), solved(1e9, [0, 0.5]), solved(1.5e9, [0.03, 0.04])];
  it("shows its points from low to high, in dB", () => {
    const found = level(news);
    expect(found.map((p) => p.f)).toEqual([1e9, 1.5e9, 2e9]);
    expect(found[0]!.db).toBeCloseTo(-6.02, 2);
    expect(found[1]!.db).toBeCloseTo(20 * Math.log10(0.05), 6);
    expect(found[2]!.db).toBeCloseTo(-20, 6);
  });
  it("shows a perfect match as a level that can be drawn", () => {
    expect(level([solved(1e9, [0, 0])])[0]!.db).toBe(-120);
  });
  it("says nothing of energy", () => {
    expect(ringing(news)).toBe("");
  });
});

describe("a run in time that goes on", () => {
  it("shows its last curve, and none while the pulse is not whole", () => {
    expect(level([steps(-3, [])])).toEqual([]);
    expect(level([steps(-20, [-3, -9])])).toEqual([
      { f: 0, db: -3 },
      { f: 1, db: -9 },
    ]);
  });
  it("says what is left, with a minus sign", () => {
    expect(ringing([steps(-12.4, [])])).toBe(" · −12 dB left");
  });
  it("says in which round it is, where there are several", () => {
    expect(ringing([steps(-12.4, [], 2, 3)])).toBe(" · round 2 of 3 · −12 dB left");
    expect(ringing([solved(1e9, [0, 0], 1, 2)])).toBe(" · round 1 of 2");
  });
});

it("has nothing to show before there is news", () => {
  expect(level([])).toEqual([]);
  expect(ringing([])).toBe("");
});
