import { beforeEach, describe, expect, it } from "vitest";
import type { Model, Step } from "../../api/types";
import { replaced, moved, useBench } from "./model";
import { select, selected, useSelection } from "./selection";

const rods = ["a", "b", "c", "d"].map((name) => ({ kind: "wire", name }) as unknown as Step);
const document = { parts: rods, feeds: [], surround: {} } as unknown as Model;
const now = (): Model => useBench.getState().document!;
const names = (): (string | undefined)[] =>
  selected(now(), useSelection.getState().steps).map((s) => s.step.name);
const pick = (at: number, how = {}): void => select(now().parts, at, how);

describe("selected steps", () => {
  beforeEach(() => {
    useBench.setState({ document, role: "reader" });
    useSelection.getState().set([]);
  });
  it("are one, one more, or all up to one", () => {
    pick(1);
    expect(names()).toEqual(["b"]);
    pick(3, { through: true });
    expect(names()).toEqual(["b", "c", "d"]);
    pick(2, { more: true });
    expect(names()).toEqual(["b", "d"]);
    pick(0);
    expect(names()).toEqual(["a"]);
    pick(0);
    expect(names()).toEqual([]);
  });
  it("stay when they are changed or moved, also when a document comes anew from the server", () => {
    pick(1);
    useBench.setState({ document: replaced(now(), ["parts", 1, "name"], "long") });
    expect(names()).toEqual(["long"]);
    useBench.setState({ document: moved(now(), "parts", 1, 3) });
    expect(names()).toEqual(["long"]);
    useBench.setState({ document: structuredClone(now()) });
    expect(names()).toEqual(["long"]);
  });
  it("are none in another project, however alike", () => {
    pick(1);
    useBench.setState({ document: structuredClone(now()), projectId: 868 });
    expect(names()).toEqual([]);
  });
  it("are none any more when they are gone", () => {
    pick(1);
    useBench.setState({ document: replaced(now(), ["parts", 1], undefined) });
    expect(names()).toEqual([]);
  });
});
