import { Line } from "@react-three/drei";
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { memo, useEffect, useMemo, useState } from "react";
import { BufferAttribute, BufferGeometry, DoubleSide, Matrix3, Plane, Vector3 } from "three";
import type { Body, Examination } from "../api/types";
import { color } from "../app/theme";
import { Token } from "../features/bench/Token";
import { useBench } from "../features/bench/model";
import { select, useSelected } from "../features/bench/selection";
import { quantity } from "../format";
import { Overlay } from "./Overlay";
import type { Extent } from "./extent";
import { dimensions } from "./dimensions";
import { faceOf, meshOf, merged, nearestEdge, snapped, type Held } from "./meshes";
import { angle, distance, keptSide, useStage, visible, type Hit } from "./state";

const REACH = 0.02; // of the model's size: points nearer than this to a corner are the corner
const HEAVY = 100_000; // triangles beyond which parts below SMALL of the model's size are left out while the view turns
const SMALL = 0.01;
const MOST_NAMED = 6; // bodies of one step that are named at a time
type Triple = [number, number, number];
const AXES = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] } as const;

/** The plane that cuts the structure, in world space, where the model is centred and of unit size. */
export function useSection(extent: Extent): Plane[] {
  const section = useStage((s) => s.section);
  return useMemo(() => {
    if (!section) return [];
    const { axis, at } = section;
    const k = { x: 0, y: 1, z: 2 }[axis];
    const side = keptSide(section);
    return [
      new Plane(
        new Vector3(...AXES[axis]).multiplyScalar(side),
        (-side * (at - extent.center[k]!)) / extent.size,
      ),
    ];
  }, [section, extent]);
}

/** Solids and sheets with their edges; media are see-through, metal is not. Those that look alike are drawn in one go, as an imported platform may have thousands. */
export function Bodies({
  examination,
  extent,
  quiet,
  drawn,
}: {
  examination: Examination;
  extent: Extent;
  quiet: boolean;
  drawn: boolean;
}) {
  const stage = useStage();
  const hover = useBench((s) => s.hover);
  const [aim, setAim] = useState<Hit | null>(null);
  const { invalidate } = useThree();
  useEffect(() => invalidate(), [stage, aim, invalidate]);
  const planes = useSection(extent);
  const { hidden, solo, faint } = stage;
  const shown = useMemo(
    () => examination.bodies.filter((b) => visible({ hidden, solo }, b.name) && meshOf(b.key)),
    [examination, hidden, solo],
  );
  const heavy = useMemo(
    () => shown.reduce((n, b) => n + meshOf(b.key)!.triangles, 0) > HEAVY,
    [shown],
  );
  const alike = useMemo(() => {
    const groups = new Map<string, Body[]>();
    for (const b of shown) {
      const key = [
        faint.includes(b.name),
        b.metallic,
        b.solid,
        b.colour,
        heavy && distance(b.low, b.high) < SMALL * extent.size ? "small" : "",
      ].join();
      const own = groups.get(key);
      if (own) own.push(b);
      else groups.set(key, [b]);
    }
    return groups;
  }, [shown, faint, heavy, extent.size]);
  const chosen = useSelected()
    .filter((c) => c.chapter === "parts")
    .map((c) => c.at)
    .join();
  const highlighted = useMemo(() => {
    const steps = chosen.split(",");
    return quiet
      ? []
      : shown.filter((b) => `parts.${b.step}` === hover || steps.includes(String(b.step)));
  }, [shown, hover, quiet, chosen]);
  const active = stage.picking !== null || stage.measuring;
  const edited = shown.filter((b) => String(b.step) === chosen);
  const measured = edited.length === 1 && !quiet ? edited : highlighted;
  const aimed = aim && shown.find((b) => b.name === aim.part);
  const named = aimed && highlighted.includes(aimed) ? [aimed] : highlighted.slice(0, MOST_NAMED);
  return (
    <>
      {[...alike].map(([key, own]) => (
        <Drawn
          key={key}
          away={stage.turning && key.endsWith("small")}
          bodies={own}
          faint={faint.includes(own[0]!.name)}
          planes={planes}
          quiet={quiet}
          filled={drawn}
        />
      ))}
      {highlighted.length > 0 && (
        <Drawn
          key={`highlighted ${String(hover)} ${chosen}`}
          bodies={highlighted}
          faint={faint.includes(highlighted[0]!.name)}
          planes={planes}
          highlighted
        />
      )}
      {shown.map((b) => (
        <Target key={b.name} body={b} reach={REACH * extent.size} setAim={setAim} />
      ))}
      {active && aim && aimed && <Aim mesh={meshOf(aimed.key)!} hit={aim} extent={extent} />}
      {measured.length === 1 && !active && (
        <Dimensions
          key={measured[0]!.name}
          body={measured[0]!}
          editable={measured === edited}
          size={extent.size}
        />
      )}
      {named.map((b) => (
        <Overlay
          key={b.name}
          position={b.low.map((c, i) => (c + b.high[i]!) / 2) as [number, number, number]}
          zIndexRange={[5, 0]}
          className="pointer-events-none"
        >
          <span className="num block -translate-x-1/2 translate-y-3 whitespace-nowrap rounded bg-card/90 px-1 text-[11.500px] text-heron">
            {b.name} · {sizes(b)} · {b.material}
          </span>
        </Overlay>
      ))}
      {stage.marks.length > 0 && <Measure extent={extent} marks={stage.marks} />}
    </>
  );
}

/** Bodies of one look as one mesh. */
function Drawn({
  bodies,
  faint,
  planes,
  away = false,
  quiet = false,
  filled = true,
  highlighted = false,
}: {
  bodies: Body[];
  faint: boolean;
  planes: Plane[];
  away?: boolean;
  quiet?: boolean;
  filled?: boolean;
  highlighted?: boolean;
}) {
  const { metallic, solid, colour } = bodies[0]!;
  const keys = bodies.map((b) => b.key).join();
  const { surface, edges, own } = useMemo(
    () => merged(keys.split(",").map((k) => meshOf(k)!)),
    [keys],
  );
  useEffect(
    () => () => {
      if (own) {
        surface.dispose();
        edges.dispose();
      }
    },
    [surface, edges, own],
  );
  const opacity = (faint ? 0.15 : metallic ? 1 : solid ? 0.42 : 0.8) * (quiet ? 0.6 : 1);
  const tone = highlighted ? color("heron") : colour || color(metallic ? "steel" : "moss");
  return (
    <group visible={!away}>
      <mesh geometry={surface} visible={filled} renderOrder={opacity < 1 ? 2 : 1}>
        <meshLambertMaterial
          color={tone}
          side={DoubleSide}
          transparent={opacity < 1}
          opacity={opacity}
          depthWrite={opacity > 0.9}
          clippingPlanes={planes}
          polygonOffset
          polygonOffsetFactor={solid ? 2 : 1}
          polygonOffsetUnits={1}
        />
      </mesh>
      <lineSegments geometry={edges} renderOrder={3}>
        <lineBasicMaterial
          color={color(highlighted ? "heron" : "ink")}
          transparent
          opacity={highlighted ? 1 : quiet ? 0.3 : 0.65}
          clippingPlanes={planes}
        />
      </lineSegments>
    </group>
  );
}

/** What the pointer meets of a body; it is not drawn. */
const Target = memo(function Target({
  body,
  reach,
  setAim,
}: {
  body: Body;
  reach: number;
  setAim: (hit: Hit | null) => void;
}) {
  const mesh = meshOf(body.key);
  if (!mesh) return null;
  const { setHover } = useBench.getState();
  const active = (): boolean =>
    useStage.getState().picking !== null || useStage.getState().measuring;
  const take = (e: ThreeEvent<MouseEvent>): Hit => {
    const { picking, measuring } = useStage.getState();
    const normal = e
      .face!.normal.clone()
      .applyMatrix3(new Matrix3().getNormalMatrix(e.object.matrixWorld))
      .normalize();
    const local = e.object.worldToLocal(e.point.clone());
    const hit: Hit = {
      part: body.name,
      step: body.step,
      point: [local.x, local.y, local.z],
      normal: [normal.x, normal.y, normal.z],
      face: mesh.face[e.faceIndex ?? 0]!,
    };
    if (picking?.edges)
      return { ...hit, point: nearestEdge(mesh.lines, hit.point)?.at ?? hit.point };
    return measuring || picking?.points
      ? { ...hit, point: snapped(mesh.lines, hit.point, reach) }
      : hit;
  };
  return (
    <mesh
      geometry={mesh.surface}
      visible={false}
      onPointerOver={(e) => {
        e.stopPropagation();
        setHover(`parts.${body.step}`);
        setAim(take(e));
      }}
      onPointerOut={() => {
        setHover(null);
        setAim(null);
      }}
      onPointerMove={(e) => {
        if (active()) {
          e.stopPropagation();
          setAim(take(e));
        }
      }}
      onClick={(e) => {
        if (e.delta >= 4) return;
        e.stopPropagation();
        if (!active())
          return select(useBench.getState().document!.parts, body.step, {
            more: e.nativeEvent.ctrlKey || e.nativeEvent.metaKey,
          });
        setAim(null);
        useStage.getState().click(take(e));
      }}
    />
  );
});

/** What a click would take: the face, the edge, or the point under the pointer. */
function Aim({ mesh, hit, extent }: { mesh: Held; hit: Hit; extent: Extent }) {
  const { picking, measuring } = useStage();
  const { invalidate } = useThree();
  const edges = picking?.edges === true;
  const shape = useMemo(() => {
    if (measuring) return null;
    if (!edges) return faceOf(mesh, hit.face);
    const line = nearestEdge(mesh.lines, hit.point)?.line;
    return line
      ? new BufferGeometry().setAttribute("position", new BufferAttribute(line.slice(), 3))
      : null;
  }, [mesh, hit.face, hit.point, edges, measuring]);
  useEffect(() => {
    invalidate();
    return () => shape?.dispose();
  }, [shape, invalidate]);
  if (measuring || edges)
    return (
      <group>
        {shape && (
          <line>
            <primitive object={shape} attach="geometry" />
            <lineBasicMaterial color={color("amber")} depthTest={false} linewidth={3} />
          </line>
        )}
        <mesh position={hit.point} renderOrder={9}>
          <sphereGeometry args={[extent.size * 0.006, 12, 8]} />
          <meshBasicMaterial color={color("amber")} depthTest={false} />
        </mesh>
      </group>
    );
  return (
    shape && (
      <mesh geometry={shape} renderOrder={8}>
        <meshBasicMaterial
          color={color("amber")}
          transparent
          opacity={0.55}
          depthTest={false}
          side={DoubleSide}
        />
      </mesh>
    )
  );
}

/** The sizes of a part as they are written on the sheet, where they lie; those of a selected part can be changed here. */
function Dimensions({ body, editable, size }: { body: Body; editable: boolean; size: number }) {
  const step = useBench((s) => s.document?.parts[body.step]);
  const labels = step && !step.frame ? dimensions(step, body) : [];
  return (
    <>
      {labels.map((l) => (
        <group key={l.own.join()}>
          {l.line && <DimensionLine ends={l.line} tick={0.02 * size} />}
          <Overlay
            position={l.at}
            zIndexRange={editable ? [7, 6] : [4, 0]}
            className={editable ? "" : "pointer-events-none"}
          >
            <span
              className="num block -translate-x-1/2 whitespace-nowrap rounded border border-rule bg-card/95 px-1 text-[11.500px]"
              data-dimension
            >
              {l.name}
              {editable ? (
                <Token
                  base={["parts", body.step]}
                  own={l.own}
                  unit=""
                  label={`${body.name} ${l.name || "size "}${l.own.slice(1).join()}`.trim()}
                />
              ) : (
                l.text
              )}
            </span>
          </Overlay>
        </group>
      ))}
    </>
  );
}

/** A length from end to end, with a stroke across each end. */
function DimensionLine({ ends, tick }: { ends: [Triple, Triple]; tick: number }) {
  const along = ends[1].findIndex((c, k) => c !== ends[0][k]);
  const across = (p: Triple, by: number): Triple =>
    p.map((c, k) => (k === (along === 0 ? 1 : 0) ? c + by : c)) as Triple;
  return (
    <Line
      segments
      points={[...ends, ...ends.flatMap((p) => [across(p, -tick), across(p, tick)])]}
      color={color("heron")}
      lineWidth={1.5}
      depthTest={false}
      renderOrder={9}
    />
  );
}

const sizes = (body: Body): string =>
  body.low
    .map((c, i) => body.high[i]! - c)
    .filter((s) => s > 0)
    .map((s) => quantity(s, "m", 4))
    .join(" × ");

/** The marked points, the lengths between them, and the angle at the second of three. */
function Measure({ extent, marks }: { extent: Extent; marks: Hit[] }) {
  const points = useMemo(() => new Float32Array(marks.flatMap((m) => m.point)), [marks]);
  return (
    <group>
      {marks.map((m, i) => (
        <mesh key={i} position={m.point}>
          <sphereGeometry args={[extent.size * 0.008, 12, 8]} />
          <meshBasicMaterial color={color("amber")} depthTest={false} />
        </mesh>
      ))}
      {marks.length > 1 && (
        <line key={marks.length}>
          <bufferGeometry>
            <bufferAttribute attach="attributes-position" args={[points, 3]} />
          </bufferGeometry>
          <lineBasicMaterial color={color("amber")} depthTest={false} />
        </line>
      )}
      {marks.slice(1).map((m, i) => (
        <Overlay
          key={i}
          position={
            m.point.map((c, k) => (c + marks[i]!.point[k]!) / 2) as [number, number, number]
          }
          zIndexRange={[6, 0]}
          className="pointer-events-none"
        >
          <span
            className="num block whitespace-nowrap rounded bg-card/95 px-1 text-[11.500px]"
            data-measured
          >
            {quantity(distance(marks[i]!.point, m.point), "m", 5)}
          </span>
        </Overlay>
      ))}
      {marks.length === 3 && (
        <Overlay position={marks[1]!.point} zIndexRange={[6, 0]} className="pointer-events-none">
          <span className="num block translate-y-4 whitespace-nowrap rounded bg-card/95 px-1 text-[11.500px]">
            {angle(marks[0]!, marks[1]!, marks[2]!).toFixed(2)}°
          </span>
        </Overlay>
      )}
    </group>
  );
}
