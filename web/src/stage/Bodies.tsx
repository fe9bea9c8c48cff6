import { Html } from "@react-three/drei";
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { DoubleSide, Matrix3, Plane, Vector3 } from "three";
import type { Body, Examination } from "../api/types";
import { color } from "../app/theme";
import { useBench } from "../features/bench/model";
import { quantity } from "../format";
import type { Extent } from "./extent";
import { meshOf } from "./meshes";
import { angle, distance, keptSide, useStage, visible, type Hit } from "./state";

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
      {examination.bodies.map((b) => visible(stage, b.name) && <Solid key={b.name} body={b} planes={planes} quiet={quiet} faint={stage.faint.includes(b.name)} />)}
      {stage.marks.length > 0 && <Measure extent={extent} marks={stage.marks} />}
    </>
  );
}

function Solid({ body, planes, quiet, faint }: { body: Body; planes: Plane[]; quiet: boolean; faint: boolean }) {
  const hover = useBench((s) => s.hover);
  const setHover = useBench((s) => s.setHover);
  const stage = useStage();
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
  return (
    <group>
      <mesh
        geometry={mesh.surface} renderOrder={opacity < 1 ? 2 : 1}
        onPointerOver={(e) => { e.stopPropagation(); setHover(step); }} onPointerOut={() => setHover(null)}
        onClick={(e) => { if (active && e.delta < 4) { e.stopPropagation(); stage.click(hit(e)); } }}
      >
        <meshStandardMaterial color={lit && body.colour ? color("heron") : tone} roughness={0.7} metalness={body.conductor ? 0.15 : 0} side={DoubleSide} transparent={opacity < 1} opacity={opacity} depthWrite={opacity > 0.9} clippingPlanes={planes} polygonOffset polygonOffsetFactor={body.solid ? 2 : 1} polygonOffsetUnits={1} />
      </mesh>
      <lineSegments geometry={mesh.edges} renderOrder={3}><lineBasicMaterial color={color(lit ? "heron" : "ink")} transparent opacity={lit ? 1 : quiet ? 0.3 : 0.65} clippingPlanes={planes} /></lineSegments>
      {lit && (
        <Html position={body.low.map((c, i) => (c + body.high[i]!) / 2) as [number, number, number]} zIndexRange={[5, 0]} className="pointer-events-none">
          <span className="num ml-3 block whitespace-nowrap rounded bg-card/90 px-1 text-[11.500px] text-heron">{body.name} · {sizes(body)} · {body.material}</span>
        </Html>
      )}
    </group>
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
