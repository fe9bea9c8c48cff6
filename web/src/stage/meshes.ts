/** Meshes of solids and sheets by content key; the server sends each only once. */
import { BufferAttribute, BufferGeometry } from "three";
import type { RawMesh } from "../api/types";

export interface Held { surface: BufferGeometry; edges: BufferGeometry; face: Uint32Array; triangles: number }
const MOST = 1500;
const held = new Map<string, Held>();

export const heldKeys = (): string[] => {
  if (held.size > MOST) {
    held.forEach((h) => { h.surface.dispose(); h.edges.dispose(); });
    held.clear();
  }
  return [...held.keys()];
};
export const meshOf = (key: string): Held | undefined => held.get(key);

export function keep(meshes: Record<string, RawMesh>): void {
  for (const [key, raw] of Object.entries(meshes)) if (!held.has(key)) held.set(key, decoded(raw));
}

const buffer = (text: string): ArrayBuffer => Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;

export function decoded(raw: RawMesh): Held {
  const surface = new BufferGeometry();
  const triangles = new Uint32Array(buffer(raw.triangles));
  surface.setAttribute("position", new BufferAttribute(new Float32Array(buffer(raw.points)), 3));
  surface.setIndex(new BufferAttribute(triangles, 1));
  surface.computeVertexNormals(); // each face has corners of its own, so its edges stay sharp
  const edges = new BufferGeometry();
  edges.setAttribute("position", new BufferAttribute(pairs(new Float32Array(buffer(raw.edges)), raw.edge_sizes), 3));
  return { surface, edges, face: new Uint32Array(buffer(raw.face)), triangles: triangles.length / 3 };
}

/** Polylines one after another as separate segments. */
export function pairs(points: Float32Array, sizes: number[]): Float32Array {
  const out = new Float32Array(sizes.reduce((n, s) => n + 6 * Math.max(0, s - 1), 0));
  let from = 0, to = 0;
  for (const size of sizes) {
    for (let i = 0; i + 1 < size; i++, to += 6) out.set(points.subarray(3 * (from + i), 3 * (from + i + 2)), to);
    from += size;
  }
  return out;
}
