import { expect, it } from "vitest";
import {
  decoded,
  faceOf,
  heldKeys,
  keep,
  meshOf,
  merged,
  nearestEdge,
  pairs,
  snapped,
} from "./meshes";

const base64 = (values: Float32Array | Uint32Array): string =>
  btoa(String.fromCharCode(...new Uint8Array(values.buffer)));
const raw = {
  points: base64(new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0])),
  triangles: base64(new Uint32Array([0, 1, 2])),
  face: base64(new Uint32Array([7])),
  edges: base64(new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 5, 5, 5, 6, 6, 6])),
  edge_sizes: [3, 2],
};

it("decodes triangles, faces and edges", () => {
  const mesh = decoded(raw);
  expect(mesh.triangles).toBe(1);
  expect(Array.from(mesh.face)).toEqual([7]);
  expect(Array.from(mesh.surface.getAttribute("position").array)).toEqual([
    0, 0, 0, 1, 0, 0, 0, 1, 0,
  ]);
  expect(Array.from(mesh.surface.getAttribute("normal").array.slice(0, 3))).toEqual([0, 0, 1]);
  expect(mesh.edges.getAttribute("position").count).toBe(6);
});

it("makes separate segments of polylines", () => {
  expect(Array.from(pairs(new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0, 9, 9, 9]), [3, 1]))).toEqual(
    [0, 0, 0, 1, 0, 0, 1, 0, 0, 2, 0, 0],
  );
});

it("keeps a mesh under its key and names what it holds", () => {
  keep({ abc: raw });
  const first = meshOf("abc");
  keep({ abc: raw });
  expect(meshOf("abc")).toBe(first);
  expect(heldKeys()).toContain("abc");
  expect(meshOf("nothing")).toBeUndefined();
});

it("finds the triangles of a face, the nearest edge and corner", () => {
  const mesh = decoded(raw);
  expect(Array.from(faceOf(mesh, 7).index!.array)).toEqual([0, 1, 2]);
  expect(faceOf(mesh, 3).index!.count).toBe(0);
  const near = nearestEdge(mesh.lines, [0.4, 0.1, 0])!;
  expect(near.at).toEqual([expect.closeTo(0.4), 0, 0]);
  expect(near.distance).toBeCloseTo(0.1);
  expect(near.line).toHaveLength(9);
  expect(snapped(mesh.lines, [0.02, 0, 0], 0.1)).toEqual([0, 0, 0]);
  expect(snapped(mesh.lines, [0.5, 0, 0], 0.1)).toEqual([0.5, 0, 0]);
});

it("draws several meshes as one, and leaves a single one as it is", () => {
  const one = decoded(raw),
    both = merged([one, decoded(raw)]);
  expect(merged([one])).toMatchObject({ surface: one.surface, own: false });
  expect(Array.from(both.surface.index!.array)).toEqual([0, 1, 2, 3, 4, 5]);
  expect(both.surface.getAttribute("position").count).toBe(6);
  expect(Array.from(both.surface.getAttribute("normal").array.slice(15))).toEqual([0, 0, 1]);
  expect(both.edges.getAttribute("position").count).toBe(12);
  expect(both.own).toBe(true);
});
