import { describe, expect, it } from "vitest";
import type { Path, Step } from "../../api/types";
import { FRESH, SENTENCES, type Word } from "./sentences";

const read = (words: Word[]): Path[] =>
  words.flatMap((w) =>
    typeof w === "string" ? [] : ["pick" in w ? w.pick : "grow" in w ? w.grow : w.token],
  );
const field = (path: Path): string => String(path[0]);

describe.each(Object.entries(FRESH))("a new %s", (kind, { step }) => {
  const sentence = SENTENCES[step.kind ?? kind]!({ ...step, kind: step.kind ?? kind });

  it("reads as a sentence that names every field it starts with", () => {
    const named = new Set(read(sentence.words).map(field));
    const silent = new Set(["kind", "amplitude", "phase", "group"]);
    for (const key of Object.keys(step)) if (!silent.has(key)) expect(named).toContain(key);
  });

  it("names no field twice", () => {
    const all = read(sentence.words).map((p) => p.join("."));
    expect(new Set(all).size).toBe(all.length);
  });
});

it("asks for a direction of a turn as plain numbers, and for places in metres", () => {
  const turn = SENTENCES.copy!({ kind: "copy", operation: "turn" } as Step);
  const units = Object.fromEntries(
    turn.words.flatMap((w) =>
      typeof w === "string" || "pick" in w || "grow" in w ? [] : [[w.token.join("."), w.unit]],
    ),
  );
  expect(units["axis.0"]).toBe("1");
  expect(units["about.0"]).toBe("1 m");
});

it("follows the kind: what a copy does, what the surround is, whether a feed drives", () => {
  const words = (kind: string, step: object): string =>
    SENTENCES[kind]!({ kind, ...step } as Step)
      .words.map((w) =>
        typeof w === "string" ? w : "pick" in w ? "pick" : "grow" in w ? w.says : w.token.join("."),
      )
      .join(" ");
  expect(words("copy", { operation: "mirror" })).toContain("in the plane across");
  expect(words("copy", { operation: "move" })).toContain("by.0");
  expect(words("surround", { kind: "ground" })).toContain("height");
  expect(words("gap", { amplitude: "0" })).toContain("only terminates");
  expect(words("gap", { amplitude: "1" })).toContain("phase");
  expect(
    words("polyline", {
      points: [
        ["0", "0", "0"],
        ["1", "0", "0"],
      ],
      closed: true,
    }),
  ).toContain("and back to the first");
  expect(words("wire", { frame: "mast" })).toContain("in frame");
});
