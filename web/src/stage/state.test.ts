import { beforeEach, describe, expect, it } from "vitest";
import { angle, distance, keptSide, rule, standing, useStage, visible, type Hit } from "./state";

const hit = (
  point: [number, number, number],
  normal: [number, number, number] = [0, 0, 1],
): Hit => ({ part: "box", step: 0, point, normal, face: 0 });
beforeEach(() => useStage.getState().reset());

describe("clicks", () => {
  it("measure lengths and the angle of three points, then begin anew", () => {
    const { measure, click } = useStage.getState();
    measure(true);
    [hit([0, 0, 0]), hit([0.03, 0, 0]), hit([0.03, 0.04, 0])].forEach(click);
    const [a, b, c] = useStage.getState().marks as [Hit, Hit, Hit];
    expect(distance(a.point, b.point)).toBeCloseTo(0.03);
    expect(angle(a, b, c)).toBeCloseTo(90);
    expect(angle(b, a, c)).toBeCloseTo((Math.atan2(4, 3) * 180) / Math.PI);
    click(hit([1, 1, 1]));
    expect(useStage.getState().marks).toHaveLength(1);
  });

  it("answer a question once, and mean nothing otherwise", () => {
    const got: Hit[] = [];
    const { ask, click } = useStage.getState();
    ask({ edges: false, prompt: "?", apply: (h) => got.push(h) });
    click(hit([1, 2, 3]));
    click(hit([4, 5, 6]));
    expect(got.map((h) => h.point)).toEqual([[1, 2, 3]]);
    expect(useStage.getState().marks).toEqual([]);
  });
});

it("hides, isolates and shows again", () => {
  const { toggle, isolate, showAll } = useStage.getState();
  toggle("hidden", "lid");
  expect(["lid", "box"].map((p) => visible(useStage.getState(), p))).toEqual([false, true]);
  isolate("lid");
  expect(["lid", "box"].map((p) => visible(useStage.getState(), p))).toEqual([true, false]);
  showAll();
  expect(visible(useStage.getState(), "lid")).toBe(true);
});

it("keeps the side of a section that the oblique view looks into", () => {
  expect((["x", "y", "z"] as const).map((axis) => keptSide({ axis }))).toEqual([-1, 1, -1]);
  expect(keptSide({ axis: "y", flipped: true })).toBe(-1);
});

it("writes rules in millimetres, with the facing of faces only", () => {
  expect(rule(hit([0.0012345678, 0, -0.02]), true)).toEqual({
    near: ["1.234568 mm", "0 mm", "-20 mm"],
    facing: ["0", "0", "1"],
  });
  expect(rule(hit([0, 0, 0]), false)).not.toHaveProperty("facing");
});

/** Turned about x by a, then about the new y by b: R = Rx(a)·Ry(b); its third column is the frame's z. */
const third = (a: number, b: number): number[] => [
  Math.sin(b),
  -Math.sin(a) * Math.cos(b),
  Math.cos(a) * Math.cos(b),
];

it.each([
  [0, 0, 1],
  [0, 0, -1],
  [1, 0, 0],
  [0, -1, 0],
  [0.6, 0, 0.8],
  [0.36, 0.48, -0.8],
] as [number, number, number][])(
  "stands a frame on a face whose normal is (%s, %s, %s)",
  (...normal) => {
    const { turn } = standing(hit([0, 0, 0], normal));
    const [a, b] = turn.map((t) => (parseFloat(t) * Math.PI) / 180) as [number, number];
    third(a, b).forEach((v, i) => expect(v).toBeCloseTo(normal[i]!, 6));
  },
);
