import { describe, expect, it } from "vitest";
import { type Command, grouped } from "./commands";

const command = (id: string, group: string, more: Partial<Command> = {}): Command => ({
  id,
  label: id,
  group,
  perform: () => undefined,
  ...more,
});
const ALL = [
  command("theme", "View"),
  command("sign-out", "Account"),
  command("solve", "Run", { likely: true }),
  command("undo", "Edit", { enabled: false }),
  command("box", "Solids"),
  command("part rod", "On the sheet", { sought: true }),
];
const ids = (text: string, last: string[]): string[] =>
  grouped(ALL, text, last).map((g) => `${g.heading}: ${g.commands.map((c) => c.id).join()}`);

describe("the palette", () => {
  it("begins with what is likely next, then what was used last, and ends with view and account", () => {
    expect(ids("", ["theme", "gone", "undo"])).toEqual([
      "Next: solve",
      "Recent: theme",
      "Solids: box",
      "Account: sign-out",
    ]);
  });

  it("finds what fits a text, places too, the best first, and never what cannot be done", () => {
    expect(ids("rod", ["theme"])).toEqual(["On the sheet: part rod"]);
    expect(ids("sol", [])).toEqual(["Solids: box", "Run: solve"]);
    expect(ids("undo", [])).toEqual([]);
  });
});
