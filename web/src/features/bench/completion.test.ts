import { describe, expect, it } from "vitest";
import type { Model } from "../../api/types";
import { completions, isPhrase } from "./completion";

const document = {
  parameters: [{ name: "board_h" }],
  parts: [
    { kind: "box", name: "ground" },
    { kind: "box", name: "lid" },
  ],
  materials: [{ name: "hide wood" }],
} as unknown as Model;
const next = (text: string): string[] => completions(text, document, ["FR4", "copper"], EXAMPLES);
const EXAMPLES = ["box 40 x 20 x 1.6 mm", "cylinder radius 5 mm height 20 mm"];

describe("typed steps", () => {
  it("offers kinds with sizes to overwrite", () => {
    expect(next("cy")).toEqual(["cylinder radius 5 mm height 20 mm"]);
  });
  it("offers nothing before anything is typed, nor after an unknown kind", () => {
    expect(next("")).toEqual([]);
    expect(next("banana 3")).toEqual([]);
  });
  it("offers materials of the project and of the library", () => {
    expect(next("box 4 x 2 x 1 mm, F")).toEqual(["box 4 x 2 x 1 mm, FR4"]);
    expect(next("box 4 x 2 x 1 mm, h")).toEqual(["box 4 x 2 x 1 mm, hide wood"]);
  });
  it("offers parts to stand on, and parameters as sizes", () => {
    expect(next("box 4 x 2 x 1 mm, FR4, on ")).toEqual([
      "box 4 x 2 x 1 mm, FR4, on ground",
      "box 4 x 2 x 1 mm, FR4, on lid",
    ]);
    expect(next("box 4 mm x 2 mm x b")).toEqual(["box 4 mm x 2 mm x board_h"]);
  });
  it("puts the comma where a new word begins", () => {
    expect(next("box 4 x 2 x 1 mm ")[0]).toBe("box 4 x 2 x 1 mm, hide wood");
  });
  it("knows a phrase by its first word", () => {
    expect(isPhrase("Box 40 x 20", EXAMPLES)).toBe(true);
    expect(isPhrase("undo", EXAMPLES)).toBe(false);
  });
});
