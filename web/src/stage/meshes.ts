/** Meshes of solids and sheets by content key; the server sends each only once. */
import { BufferAttribute, BufferGeometry } from "three";
import type { RawMesh } from "../api/types";

export interface Held {
  surface: BufferGeometry;
  edges: BufferGeometry;
  face: Uint32Array;
  triangles: number;
  lines: Float32Array[];
}
type Point = [number, number, number];
const MOST = 4000;
const held = new Map<string, Held>();

export const heldKeys = (): string[] => {
  if (held.size > MOST) {
    held.forEach((h) => {
      h.surface.dispose();
      h.edges.dispose();
    });
    held.clear();
  }
  return [...held.keys()];
};
export const meshOf = (key: string): Held | undefined => held.get(key);

export function keep(meshes: Record<string, RawMesh>): void {
  for (const [key, raw] of Object.entries(meshes)) if (!held.has(key)) held.set(key, decoded(raw));
}

const buffer = (text: string): ArrayBuffer =>
  Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;

export function decoded(raw: RawMesh): Held {
  const surface = new BufferGeometry();
  const triangles = new Uint32Array(buffer(raw.triangles));
  surface.setAttribute("position", new BufferAttribute(new Float32Array(buffer(raw.points)), 3));
  surface.setIndex(new BufferAttribute(triangles, 1));
  surface.computeVertexNormals(); // each face has corners of its own, so its edges stay sharp
  const edges = new BufferGeometry();
  const points = new Float32Array(buffer(raw.edges));
  edges.setAttribute("position", new BufferAttribute(pairs(points, raw.edge_sizes), 3));
  let from = 0;
  const lines = raw.edge_sizes.map((size) => points.subarray(3 * from, 3 * (from += size)));
  return {
    surface,
    edges,
    lines,
    face: new Uint32Array(buffer(raw.face)),
    triangles: triangles.length / 3,
  };
}

/** Many meshes as one to draw; a single one is itself. `own`: made here, so to be disposed of. */
export function merged(meshes: Held[]): {
  surface: BufferGeometry;
  edges: BufferGeometry;
  own: boolean;
} {
  if (meshes.length === 1) return { ...meshes[0]!, own: false };
  const surface = new BufferGeometry(),
    edges = new BufferGeometry();
  const joined = (of: (m: Held) => BufferGeometry, name: string): Float32Array => {
    const arrays = meshes.map((m) => of(m).getAttribute(name).array as Float32Array);
    const out = new Float32Array(arrays.reduce((n, a) => n + a.length, 0));
    arrays.reduce((at, a) => {
      out.set(a, at);
      return at + a.length;
    }, 0);
    return out;
  };
  for (const name of ["position", "normal"])
    surface.setAttribute(
      name,
      new BufferAttribute(
        joined((m) => m.surface, name),
        3,
      ),
    );
  edges.setAttribute(
    "position",
    new BufferAttribute(
      joined((m) => m.edges, "position"),
      3,
    ),
  );
  const index = new Uint32Array(meshes.reduce((n, m) => n + 3 * m.triangles, 0));
  let at = 0,
    first = 0;
  for (const m of meshes) {
    for (const corner of m.surface.index!.array) index[at++] = corner + first;
    first += m.surface.getAttribute("position").count;
  }
  surface.setIndex(new BufferAttribute(index, 1));
  return { surface, edges, own: true };
}

/** Polylines one after another as separate segments. */
export function pairs(points: Float32Array, sizes: number[]): Float32Array {
  const out = new Float32Array(sizes.reduce((n, s) => n + 6 * Math.max(0, s - 1), 0));
  let from = 0,
    to = 0;
  for (const size of sizes) {
    for (let i = 0; i + 1 < size; i++, to += 6)
      out.set(points.subarray(3 * (from + i), 3 * (from + i + 2)), to);
    from += size;
  }
  return out;
}

/** The triangles of one face. */
export function faceOf(mesh: Held, face: number): BufferGeometry {
  const index = mesh.surface.index!.array,
    own: number[] = [];
  mesh.face.forEach((f, k) => {
    if (f === face) own.push(index[3 * k]!, index[3 * k + 1]!, index[3 * k + 2]!);
  });
  const out = new BufferGeometry();
  out.setAttribute("position", mesh.surface.getAttribute("position"));
  out.setIndex(own);
  return out;
}

/** The edge nearest to a point: its points, and the nearest place on it. */
export function nearestEdge(
  lines: Float32Array[],
  p: Point,
): { line: Float32Array; at: Point; distance: number } | null {
  let best: { line: Float32Array; at: Point; distance: number } | null = null;
  for (const line of lines)
    for (let i = 0; i + 5 < line.length; i += 3) {
      const a = [line[i]!, line[i + 1]!, line[i + 2]!],
        d = [line[i + 3]! - a[0]!, line[i + 4]! - a[1]!, line[i + 5]! - a[2]!];
      const length = d[0]! ** 2 + d[1]! ** 2 + d[2]! ** 2 || 1;
      const t = Math.min(
        1,
        Math.max(0, a.reduce((sum, c, k) => sum + (p[k]! - c) * d[k]!, 0) / length),
      );
      const at = a.map((c, k) => c + t * d[k]!) as Point;
      const distance = Math.hypot(at[0] - p[0], at[1] - p[1], at[2] - p[2]);
      if (!best || distance < best.distance) best = { line, at, distance };
    }
  return best;
}

/** The end of an edge within `reach` of a point, or else the point itself. */
export function snapped(lines: Float32Array[], p: Point, reach: number): Point {
  let found = p,
    least = reach;
  for (const line of lines)
    for (const i of [0, line.length - 3]) {
      const distance = Math.hypot(line[i]! - p[0], line[i + 1]! - p[1], line[i + 2]! - p[2]);
      if (distance < least) {
        least = distance;
        found = [line[i]!, line[i + 1]!, line[i + 2]!];
      }
    }
  return found;
}
