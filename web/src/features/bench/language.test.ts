import { describe, expect, it } from "vitest";
import type { Step } from "../../api/types";
import { inWords, kindOf, reading, references } from "./language";
import type { Kind, Node, Slot } from "../../api/language";

const slot = (path: (string | number)[], more: Partial<Slot> = {}): Slot => ({
  node: "slot",
  path,
  type: "expression",
  unit: "m",
  choices: [],
  of: "",
  empty: "",
  ...more,
});
const words = (text: string): Node => ({ node: "words", text });

const POST: Kind = {
  name: "post",
  chapter: "parts",
  title: "Post",
  makes: "body",
  nodes: [
    slot(["name"], { type: "name" }),
    words("through"),
    {
      node: "each",
      path: ["points"],
      between: "to",
      nodes: [{ node: "group", path: [], nodes: [slot([0]), slot([1])], empty: "" }],
      defaults: {},
    },
    {
      node: "clause",
      nodes: [words(", back to the first")],
      when: { path: ["closed"], value: true },
      shown: false,
      of: "",
    },
    {
      node: "clause",
      nodes: [words(", width"), slot(["width"])],
      when: null,
      shown: false,
      of: "",
    },
    {
      node: "clause",
      nodes: [words(": moved by"), slot(["by"])],
      when: { path: ["does"], value: "move" },
      shown: true,
      of: "",
    },
    {
      node: "clause",
      nodes: [words(": turned by"), slot(["angle"])],
      when: { path: ["does"], value: "turn" },
      shown: true,
      of: "",
    },
    words(", of"),
    slot(["material"], { type: "reference", of: "material" }),
  ],
  defaults: {
    closed: false,
    width: "1 mm",
    does: "move",
    by: "0",
    angle: "0",
    material: "perfect conductor",
  },
  menu: [],
  picks: [],
  members: { points: ["0", "0"] },
  above: {},
  widget: "",
};
const post = (more: object = {}): Step =>
  ({
    kind: "post",
    name: "a",
    points: [
      ["0", "0"],
      ["1 m", "0"],
    ],
    ...more,
  }) as Step;
const said = (step: Step, unfolded = false): string =>
  reading(POST, step, unfolded)
    .words.map((w) =>
      typeof w === "string"
        ? w
        : "token" in w
          ? `{${w.token.join(".")}}`
          : "toggle" in w
            ? `<${w.on ? "on" : "off"}${w.says}>`
            : "list" in w
              ? `+${w.list.join(".")}`
              : "pick",
    )
    .join(" ");

describe("a sentence from its template", () => {
  it("folds away what is a default", () => {
    expect(said(post())).toBe(
      "{name} through ( {points.0.0} , {points.0.1} ) to ( {points.1.0} , {points.1.1} ) : moved by {by} , of {material}",
    );
    expect(reading(POST, post()).folded).toBe(true);
  });

  it("shows what differs, and only the clause of what is chosen", () => {
    expect(said(post({ width: "2 mm", does: "turn" }))).toContain(", width {width}");
    expect(said(post({ does: "turn" }))).toContain(": turned by {angle}");
    expect(said(post({ does: "turn" }))).not.toContain("{by}");
  });

  it("shows all of it unfolded, with words to switch and lists to lengthen", () => {
    const whole = said(post(), true);
    expect(whole).toContain("<off, back to the first>");
    expect(whole).toContain(", width {width}");
    expect(whole).toContain("+points");
    expect(said(post({ closed: true }))).toContain("<on, back to the first>");
  });

  it("says a step in words, as the sheet shows it folded", () => {
    expect(inWords(POST, post({ width: "2 * a", material: "copper" }))).toBe(
      "Post a through (0, 0) to (1 m, 0), width 2 × a: moved by 0, of copper",
    );
    expect(inWords(POST, post({ width: "w" }), "", { w: { value: 0.0015, unit: "m" } })).toContain(
      "width 1.5 mm (w)",
    );
  });

  it("names what a step refers to", () => {
    expect(references(POST, post(), ["material"])).toEqual([["material"]]);
    expect(references(POST, post(), ["frame"])).toEqual([]);
  });

  it("finds kinds by chapter, and the chapter's own where a step names none", () => {
    const plan = { ...POST, name: "plan", chapter: "plan" };
    const language = {
      chapters: [
        { key: "parts", title: "", many: true, default: "", quiet: false },
        { key: "plan", title: "", many: false, default: "plan", quiet: false },
      ],
      kinds: [POST, { ...POST, name: "other" }, plan],
      examples: [],
      references: {},
    };
    expect(kindOf(language, "parts", { kind: "other" }).name).toBe("other");
    expect(kindOf(language, "plan", {}).name).toBe("plan");
    expect(() => kindOf(language, "parts", { kind: "none" })).toThrow("no kind of step");
  });
});
