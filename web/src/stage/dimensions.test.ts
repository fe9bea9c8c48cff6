import { describe, expect, it } from "vitest";
import type { Step } from "../api/types";
import { dimensions } from "./dimensions";

const body = { low: [0, 0, 0], high: [4, 2, 1] };

describe("sizes beside a part", () => {
  it("writes a box's expressions along its edges", () => {
    expect(
      dimensions({ kind: "box", size: ["L", "-W", "1.6 mm"] } as unknown as Step, body),
    ).toEqual(
      [
        {
          text: "L",
          at: [2, 0, 0],
          line: [
            [0, 0, 0],
            [4, 0, 0],
          ],
        },
        {
          text: "W",
          at: [4, 1, 0],
          line: [
            [4, 0, 0],
            [4, 2, 0],
          ],
        },
        {
          text: "1.6 mm",
          at: [4, 2, 0.5],
          line: [
            [4, 2, 0],
            [4, 2, 1],
          ],
        },
      ].map((l, i) => ({ ...l, name: "", own: ["size", i] })),
    );
  });
  it("knows which way a rectangle lies", () => {
    expect(
      dimensions({ kind: "rectangle", size: ["a", "b"], axis: "x" } as unknown as Step, body).map(
        (l) => l.at,
      ),
    ).toEqual([
      [4, 1, 0],
      [4, 2, 0.5],
    ]);
  });
  it("names the sizes of round parts and leaves out zeros", () => {
    expect(
      dimensions(
        { kind: "cylinder", radius: "r", inner: "0", height: "h" } as unknown as Step,
        body,
      ).map((l) => [l.name + l.text, l.own]),
    ).toEqual([
      ["radius r", ["radius"]],
      ["height h", ["height"]],
    ]);
  });
});
