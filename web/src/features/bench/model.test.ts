import { beforeEach, describe, expect, it, vi } from "vitest";
import { Problem, call } from "../../api/client";
import type { Model, ProjectState } from "../../api/types";
import { changed, member, moved, replaced, useBench } from "./model";

vi.mock("../../api/client", async (original) => ({ ...(await original<object>()), call: vi.fn() }));
const server = vi.mocked(call);

const document = {
  version: 1,
  name: "Mast",
  notes: "",
  parameters: [{ name: "a", expression: "1 mm", unit: "", comment: "" }],
  frames: [],
  parts: [],
  materials: [],
  feeds: [],
  loads: [],
  illuminations: [],
  refinements: [],
  surround: { kind: "open" },
  captures: [],
  plans: [],
  studies: [],
} as Model;
const state = (revision: number, doc: Model = document, role = "owner"): ProjectState => ({
  id: 7,
  name: doc.name,
  role,
  revision,
  document: doc,
  can_undo: revision > 1,
  can_redo: false,
});
const named =
  (name: string) =>
  (d: Model): Model => ({ ...d, name });
const settle = async (): Promise<void> => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};

describe("paths into the document", () => {
  const value = { list: [{ x: 1 }, { x: 2 }], other: { y: 3 } };
  it("replaces without touching what was there", () => {
    const next = replaced(value, ["list", 1, "x"], 5);
    expect(next.list[1]!.x).toBe(5);
    expect(value.list[1]!.x).toBe(2);
    expect(next.other).toBe(value.other);
  });
  it("removes a list item when nothing takes its place", () => {
    expect(replaced(value, ["list", 0], undefined).list).toEqual([{ x: 2 }]);
  });
  it("adds where a list ends", () => {
    expect(replaced(value, ["list", 2], { x: 9 }).list).toHaveLength(3);
  });
  it("writes out what a step leaves to its defaults when a part of it changes", () => {
    const bare = { feeds: [{ kind: "dipole" }] } as unknown as Model;
    const defaults = { along: ["0", "0", "1"], near: { at: "2", by: "3" } };
    const at = (path: (string | number)[], next: unknown): unknown =>
      changed(bare, ["feeds", 0], path, next, defaults).feeds[0];
    expect(at(["along", 2], "0")).toEqual({ kind: "dipole", along: ["0", "0", "0"] });
    expect(at(["near", "by"], "4")).toEqual({ kind: "dipole", near: { at: "2", by: "4" } });
    expect(at(["number"], 2)).toEqual({ kind: "dipole", number: 2 });
  });
  it("moves a step up and down, and leaves the others in order", () => {
    const model = {
      ...document,
      parts: ["a", "b", "c", "d"].map((name) => ({ kind: "wire", name })),
    } as Model;
    const names = (m: Model): string => m.parts.map((p) => p.name).join("");
    expect(names(moved(model, "parts", 0, 2))).toBe("bcad");
    expect(names(moved(model, "parts", 3, 1))).toBe("adbc");
    expect(names(model)).toBe("abcd");
  });
  it("finds members, and nothing where there is none", () => {
    expect(member(value, ["list", 0, "x"])).toBe(1);
    expect(member(value, ["nowhere", 3, "x"])).toBeUndefined();
  });
});

describe("saving", () => {
  beforeEach(() => {
    server.mockReset();
    useBench.getState().open(state(1));
  });

  it("sends each edit with the revision it was made from, one after the other", async () => {
    let answer: (s: ProjectState) => void = () => undefined;
    server
      .mockImplementationOnce(
        () =>
          new Promise((r) => {
            answer = r as typeof answer;
          }),
      )
      .mockResolvedValueOnce(state(3));
    useBench.getState().edit(named("Two"));
    useBench.getState().edit(named("Three"));
    await settle();
    expect(server).toHaveBeenCalledTimes(1);
    expect(useBench.getState().state).toBe("saving");
    answer(state(2));
    await settle();
    expect(server.mock.calls[1]![2]).toMatchObject({ parent: 2, document: { name: "Three" } });
    expect(useBench.getState()).toMatchObject({ revision: 3, state: "saved", canUndo: true });
  });

  it("keeps the edit when the server is away, and saves it with the next", async () => {
    server
      .mockRejectedValueOnce(new Problem(0, "The server does not answer.", {}))
      .mockResolvedValueOnce(state(2));
    useBench.getState().edit(named("Offline"));
    await settle();
    expect(useBench.getState()).toMatchObject({
      state: "unsaved",
      fault: "The server does not answer.",
      document: { name: "Offline" },
    });
    useBench.getState().edit((d) => ({ ...d, notes: "back" }));
    await settle();
    expect(server.mock.calls[1]![2]).toMatchObject({
      parent: 1,
      document: { name: "Offline", notes: "back" },
    });
    expect(useBench.getState()).toMatchObject({ state: "saved", fault: "" });
  });

  const clash = new Problem(409, "edith saved revision 2", {
    head: 2,
    document: { ...document, name: "Theirs" },
    author: "edith",
  });

  it("stops at a conflict; taking theirs shows theirs", async () => {
    server.mockRejectedValueOnce(clash);
    useBench.getState().edit(named("Mine"));
    await settle();
    expect(useBench.getState().conflict).toMatchObject({ head: 2, author: "edith" });
    expect(useBench.getState().document!.name).toBe("Mine");
    useBench.getState().takeTheirs();
    expect(useBench.getState()).toMatchObject({
      conflict: null,
      revision: 2,
      document: { name: "Theirs" },
    });
  });

  it("saves mine on top of theirs when asked", async () => {
    server.mockRejectedValueOnce(clash).mockResolvedValueOnce(state(3));
    useBench.getState().edit(named("Mine"));
    await settle();
    useBench.getState().saveMine();
    await settle();
    expect(server.mock.calls[1]![2]).toMatchObject({ parent: 2, document: { name: "Mine" } });
    expect(useBench.getState()).toMatchObject({ conflict: null, state: "saved", revision: 3 });
  });

  it("undoes through the server's history, after what is still being saved", async () => {
    server.mockResolvedValueOnce(state(2, named("Two")(document))).mockResolvedValueOnce(state(1));
    useBench.getState().edit(named("Two"));
    await useBench.getState().history("undo");
    expect(server.mock.calls.map((c) => c[1])).toEqual([
      "/projects/7/revisions",
      "/projects/7/undo",
    ]);
    expect(useBench.getState().document!.name).toBe("Mast");
  });

  it("lets a reader change nothing", async () => {
    useBench.getState().open(state(1, document, "reader"));
    useBench.getState().edit(named("Mine"));
    await settle();
    expect(server).not.toHaveBeenCalled();
    expect(useBench.getState().document!.name).toBe("Mast");
  });
});
