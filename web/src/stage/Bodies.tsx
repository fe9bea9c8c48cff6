import { Html } from "@react-three/drei";
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo, useState } from "react";
import { BufferAttribute, BufferGeometry, DoubleSide, Matrix3, Plane, Vector3 } from "three";
import type { Body, Examination } from "../api/types";
import { color } from "../app/theme";
import { useBench } from "../features/bench/model";
import { quantity } from "../format";
import type { Extent } from "./extent";
import { dimensions } from "./dimensions";
import { faceOf, meshOf, nearestEdge, snapped, type Held } from "./meshes";
import { angle, distance, keptSide, useStage, visible, type Hit } from "./state";

const REACH = 0.02; // of the model's size: points nearer than this to a corner are the corner
const AXES = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } as const;

/** Solids and sheets with their edges; media are see-through, metal is not. */
export function Bodies({ examination, extent, quiet }: { examination: Examination; extent: Extent; quiet: boolean }) {
  const stage = useStage();
  const { invalidate } = useThree();
  useEffect(() => invalidate(), [stage, invalidate]);
  const planes = useMemo(() => {
    if (!stage.section) return [];
    const { axis, at } = stage.section;
    // Clipping planes are in world space, where the model is centred and of unit size.
    const k = { x: 0, y: 1, z: 2 }[axis];
    const side = keptSide(stage.section);
    return [new Plane(new Vector3(...AXES[axis]).multiplyScalar(side), (-side * (at - extent.center[k]!)) / extent.size)];
  }, [stage.section, extent]);
  return (
    <>
      {examination.bodies.map((b) => visible(stage, b.name) && <Solid key={b.name} body={b} planes={planes} quiet={quiet} faint={stage.faint.includes(b.name)} extent={extent} />)}
      {stage.marks.length > 0 && <Measure extent={extent} marks={stage.marks} />}
    </>
  );
}

function Solid({ body, planes, quiet, faint, extent }: { body: Body; planes: Plane[]; quiet: boolean; faint: boolean; extent: Extent }) {
  const hover = useBench((s) => s.hover);
  const setHover = useBench((s) => s.setHover);
  const stage = useStage();
  const [aim, setAim] = useState<Hit | null>(null);
  const mesh = meshOf(body.key);
  if (!mesh) return null;
  const step = `parts.${body.step}`, lit = hover === step && !quiet;
  const opacity = (faint ? 0.15 : body.conductor ? 1 : body.solid ? 0.42 : 0.8) * (quiet ? 0.6 : 1);
  const tone = body.colour || color(lit ? "heron" : body.conductor ? (body.solid ? "steel" : "metal") : "moss");
  const hit = (e: ThreeEvent<MouseEvent>): Hit => {
    const normal = e.face!.normal.clone().applyMatrix3(new Matrix3().getNormalMatrix(e.object.matrixWorld)).normalize();
    const local = e.object.worldToLocal(e.point.clone());
    return { part: body.name, step: body.step, point: [local.x, local.y, local.z], normal: [normal.x, normal.y, normal.z], face: mesh.face[e.faceIndex ?? 0]! };
  };
  const active = stage.picking !== null || stage.measuring;
  const take = (e: ThreeEvent<MouseEvent>): Hit => {
    const found = hit(e);
    if (stage.picking?.edges) return { ...found, point: nearestEdge(mesh.lines, found.point)?.at ?? found.point };
    return stage.measuring ? { ...found, point: snapped(mesh.lines, found.point, REACH * extent.size) } : found;
  };
  return (
    <group>
      <mesh
        geometry={mesh.surface} renderOrder={opacity < 1 ? 2 : 1}
        onPointerOver={(e) => { e.stopPropagation(); setHover(step); }} onPointerOut={() => { setHover(null); setAim(null); }}
        onPointerMove={active ? (e) => { e.stopPropagation(); setAim(take(e)); } : undefined}
        onClick={(e) => { if (active && e.delta < 4) { e.stopPropagation(); setAim(null); stage.click(take(e)); } }}
      >
        <meshStandardMaterial color={lit && body.colour ? color("heron") : tone} roughness={0.7} metalness={body.conductor ? 0.15 : 0} side={DoubleSide} transparent={opacity < 1} opacity={opacity} depthWrite={opacity > 0.9} clippingPlanes={planes} polygonOffset polygonOffsetFactor={body.solid ? 2 : 1} polygonOffsetUnits={1} />
      </mesh>
      <lineSegments geometry={mesh.edges} renderOrder={3}><lineBasicMaterial color={color(lit ? "heron" : "ink")} transparent opacity={lit ? 1 : quiet ? 0.3 : 0.65} clippingPlanes={planes} /></lineSegments>
      {active && aim && <Aim mesh={mesh} hit={aim} extent={extent} />}
      {lit && !active && <Dimensions body={body} />}
      {lit && (
        <Html position={body.low.map((c, i) => (c + body.high[i]!) / 2) as [number, number, number]} zIndexRange={[5, 0]} className="pointer-events-none">
          <span className="num block -translate-x-1/2 translate-y-3 whitespace-nowrap rounded bg-card/90 px-1 text-[11.500px] text-heron">{body.name} · {sizes(body)} · {body.material}</span>
        </Html>
      )}
    </group>
  );
}

/** What a click would take: the face, the edge, or the point under the pointer. */
function Aim({ mesh, hit, extent }: { mesh: Held; hit: Hit; extent: Extent }) {
  const { picking, measuring } = useStage();
  const { invalidate } = useThree();
  const edges = picking?.edges === true;
  const shape = useMemo(() => {
    if (measuring) return null;
    if (!edges) return faceOf(mesh, hit.face);
    const line = nearestEdge(mesh.lines, hit.point)?.line;
    return line ? new BufferGeometry().setAttribute("position", new BufferAttribute(line.slice(), 3)) : null;
  }, [mesh, hit.face, hit.point, edges, measuring]);
  useEffect(() => { invalidate(); return () => shape?.dispose(); }, [shape, invalidate]);
  if (measuring || edges)
    return (
      <group>
        {shape && <line><primitive object={shape} attach="geometry" /><lineBasicMaterial color={color("amber")} depthTest={false} linewidth={3} /></line>}
        <mesh position={hit.point} renderOrder={9}><sphereGeometry args={[extent.size * 0.006, 12, 8]} /><meshBasicMaterial color={color("amber")} depthTest={false} /></mesh>
      </group>
    );
  return shape && <mesh geometry={shape} renderOrder={8}><meshBasicMaterial color={color("amber")} transparent opacity={0.55} depthTest={false} side={DoubleSide} /></mesh>;
}

/** The sizes of a part as they are written on the sheet, where they lie. */
function Dimensions({ body }: { body: Body }) {
  const step = useBench((s) => s.document?.parts[body.step]);
  const labels = step && !step.frame ? dimensions(step, body) : [];
  return (
    <>
      {labels.map((l) => (
        <Html key={l.text + l.at.join()} position={l.at} zIndexRange={[4, 0]} className="pointer-events-none">
          <span className="num block -translate-x-1/2 whitespace-nowrap rounded border border-rule bg-card/95 px-1 text-[11.500px]" data-dimension>{l.text}</span>
        </Html>
      ))}
    </>
  );
}

const sizes = (body: Body): string => body.low.map((c, i) => body.high[i]! - c).filter((s) => s > 0).map((s) => quantity(s, "m", 4)).join(" × ");

/** The marked points, the lengths between them, and the angle at the second of three. */
function Measure({ extent, marks }: { extent: Extent; marks: Hit[] }) {
  const points = useMemo(() => new Float32Array(marks.flatMap((m) => m.point)), [marks]);
  return (
    <group>
      {marks.map((m, i) => <mesh key={i} position={m.point}><sphereGeometry args={[extent.size * 0.008, 12, 8]} /><meshBasicMaterial color={color("amber")} depthTest={false} /></mesh>)}
      {marks.length > 1 && (
        <line key={marks.length}>
          <bufferGeometry><bufferAttribute attach="attributes-position" args={[points, 3]} /></bufferGeometry>
          <lineBasicMaterial color={color("amber")} depthTest={false} />
        </line>
      )}
      {marks.slice(1).map((m, i) => (
        <Html key={i} position={m.point.map((c, k) => (c + marks[i]!.point[k]!) / 2) as [number, number, number]} zIndexRange={[6, 0]} className="pointer-events-none">
          <span className="num block whitespace-nowrap rounded bg-card/95 px-1 text-[11.500px]" data-measured>{quantity(distance(marks[i]!, m), "m", 5)}</span>
        </Html>
      ))}
      {marks.length === 3 && (
        <Html position={marks[1]!.point} zIndexRange={[6, 0]} className="pointer-events-none">
          <span className="num block translate-y-4 whitespace-nowrap rounded bg-card/95 px-1 text-[11.500px]">{angle(marks[0]!, marks[1]!, marks[2]!).toFixed(2)}°</span>
        </Html>
      )}
    </group>
  );
}
