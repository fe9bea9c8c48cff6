import { describe, expect, it } from "vitest";
import {
  ago,
  areaUnit,
  bytes,
  compact,
  complex,
  fixed,
  forecastOf,
  number,
  quantity,
  seconds,
} from "./format";

describe("quantities", () => {
  it.each([
    [868e6, "Hz", "868 MHz"],
    [1.0054e9, "Hz", "1.005 GHz"],
    [0.1603, "m", "160.3 mm"],
    [999.99999e-6, "m", "1 mm"],
    [-2e-12, "F", "−2 pF"],
    [0, "m", "0 m"],
    [73.1, "Ω", "73.1 Ω"],
    [0.5, "", "0.5"],
    [Infinity, "Hz", "∞ Hz"],
    [5e-17, "s", "0.05 fs"],
  ])("%s %s reads %s", (value, unit, text) => {
    expect(quantity(value, unit)).toBe(text);
  });

  it("shows what is not known as a dash", () => {
    expect(quantity(null, "m")).toBe("–");
    expect(fixed(undefined, 2)).toBe("–");
    expect(fixed(NaN, 2)).toBe("–");
    expect(number(NaN)).toBe("–");
  });
});

it("never shows a hyphen for a minus sign", () => {
  for (const text of [
    number(-3.5),
    number(-1e-9),
    fixed(-0.25, 2),
    complex(-3, -4),
    number(-Infinity),
  ])
    expect(text).not.toMatch(/^-/);
  expect(complex(50, -12.34)).toBe("50.0 − j12.3 Ω");
});

it("rounds to significant digits without trailing zeros", () => {
  expect(number(0.30000000000000004)).toBe("0.3");
  expect(number(123456)).toBe("123500");
  expect(number(1.5e7)).toBe("1.500e+7");
});

it("puts times and sizes in people's words", () => {
  expect([0.2, 12.4, 61, 7000].map(seconds)).toEqual([
    "under a second",
    "about 12 s",
    "about 2 min",
    "about 2 h",
  ]);
  expect(forecastOf(12.4, 61)).toBe("about 12 s, at most 2 min");
  expect(forecastOf(0.1, 0.4)).toBe("under a second");
  expect(forecastOf(0.1, 4)).toBe("under a second, at most 4 s");
  expect([3 * 2 ** 20, 2.5 * 2 ** 30, 179_788, 12].map(bytes)).toEqual([
    "3 MiB",
    "2.5 GiB",
    "176 KiB",
    "1 KiB",
  ]);
});

it("reads counts", () => {
  expect([7, 9999, 394740, 2368440].map(compact)).toEqual(["7", "9999", "395 k", "2.37 M"]);
});

it("tells how long ago something was, and areas in the unit that suits", () => {
  const now = Date.parse("2026-11-30T12:00:00Z");
  expect(
    ["2026-11-30T11:59:40Z", "2026-11-30T11:57:00Z", "2026-11-29T11:00:00Z"].map((t) =>
      ago(t, now),
    ),
  ).toEqual(["just now", "3 minutes ago", "yesterday"]);
  expect([5.1e-13, 3.2e-6, 0.04, 12, 8.3e-15].map((a) => areaUnit(a).unit)).toEqual([
    "µm²",
    "mm²",
    "m²",
    "m²",
    "nm²",
  ]);
});
