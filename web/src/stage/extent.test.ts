import { expect, it } from "vitest";
import type { Examination } from "../api/types";
import { nearest, useTicks } from "../app/cursor";
import { extentOf } from "./extent";

const examination = (...points: [number, number, number][]): Examination =>
  ({
    shapes: [{ name: "w", step: 0, radius: 0.001, material: "perfect conductor", points }],
    bodies: [],
    dipoles: [],
  }) as unknown as Examination;

it("takes the middle and the largest side of everything", () => {
  expect(extentOf(examination([0, 0, -1], [0.5, 0, 3]))).toEqual({ center: [0.25, 0, 1], size: 4 });
});

it("counts solids and sheets by their boxes", () => {
  const body = { low: [-2, 0, 0], high: [2, 1, 1] };
  expect(extentOf({ shapes: [], bodies: [body], dipoles: [] } as unknown as Examination)).toEqual({
    center: [0, 0.5, 0.5],
    size: 4,
  });
});

it("counts point dipoles, and has a size for one alone", () => {
  const one = {
    shapes: [],
    bodies: [],
    dipoles: [{ feed: 1 }],
    feeds: [null, [3, 0, 0]],
  } as unknown as Examination;
  expect(extentOf(one)).toEqual({ center: [3, 0, 0], size: 0.1 });
});

it("has a place to look at when there is nothing", () => {
  expect(extentOf(undefined)).toEqual({ center: [0, 0, 0], size: 0.1 });
  expect(extentOf(examination()).size).toBeGreaterThan(0);
});

it("snaps the cursor to the nearest solved frequency", () => {
  expect([0.9, 1.6, 9].map((f) => nearest([1, 2, 3], f))).toEqual([0, 1, 2]);
});

it("ticks runs newest first, and off again", () => {
  const { toggle } = useTicks.getState();
  toggle(1, 2, []);
  toggle(1, 5, useTicks.getState().ticks[1]!);
  expect(useTicks.getState().ticks[1]).toEqual([5, 2]);
  toggle(1, 2, [5, 2]);
  expect(useTicks.getState().ticks).toEqual({ 1: [5] });
});
