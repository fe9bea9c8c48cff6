import { Line } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  CatmullRomCurve3,
  CurvePath,
  DoubleSide,
  FrontSide,
  LineCurve3,
  TubeGeometry,
  Vector3,
} from "three";
import type { Examination, Grid, Illumination, Shape, Step } from "../api/types";
import { color } from "../app/theme";
import { useBench } from "../features/bench/model";
import { select, useSelected } from "../features/bench/selection";
import { quantity } from "../format";
import { Bodies, useSection } from "./Bodies";
import { Overlay } from "./Overlay";
import type { Extent } from "./extent";
import { useStage } from "./state";

const PICK_RADIUS = 0.014; // of the model's size, so that thin wires can be hit
const LEAST_RADIUS = 0.0035;
const BESIDE = 1e-6; // of the model's size: what lies in a section plane is not cut away

/** Parts, feeds, loads, ground and captures of the examined document; bodies as their edges only unless ``drawn``. */
export function Structure({
  examination,
  extent,
  quiet,
  drawn = true,
}: {
  examination?: Examination;
  extent: Extent;
  quiet: boolean;
  drawn?: boolean;
}) {
  const document = useBench((s) => s.document);
  const { invalidate } = useThree();
  const hover = useBench((s) => s.hover);
  useEffect(() => invalidate(), [examination, hover, invalidate, quiet, drawn]);
  if (!examination) return null;
  const floor = examination.ground ?? extent.center[2] - extent.size * 0.62;
  return (
    <>
      {examination.layers.length === 0 && (
        <Floor
          at={[extent.center[0], extent.center[1], floor]}
          size={extent.size}
          solid={examination.ground !== null}
        />
      )}
      {examination.layers.map((l, i) => (
        <group key={`layer${i}`}>
          <Floor at={[extent.center[0], extent.center[1], l.top]} size={extent.size} solid />
          {!quiet && (
            <Overlay
              position={[
                extent.center[0] + 0.5 * extent.size,
                extent.center[1] + 0.5 * extent.size,
                l.top,
              ]}
              zIndexRange={[4, 0]}
              className="pointer-events-none"
            >
              <span className="whitespace-nowrap text-[11.500px] text-ink2">
                {l.material} below
              </span>
            </Overlay>
          )}
        </group>
      ))}
      <Bodies examination={examination} extent={extent} quiet={quiet} drawn={drawn} />
      {examination.shapes.map((s) => (
        <Part key={s.name} shape={s} extent={extent} />
      ))}
      {examination.feeds.map(
        (p, i) =>
          p && (
            <Marker
              key={i}
              at={p}
              extent={extent}
              tone="plum"
              label={quiet ? "" : feedLabel(document?.feeds[i], i)}
            />
          ),
      )}
      {examination.dipoles.map(
        (d) =>
          examination.feeds[d.feed] && (
            <Dipole
              key={`dipole${d.feed}`}
              at={examination.feeds[d.feed]!}
              {...d}
              extent={extent}
              strong={hover === `feeds.${d.feed}`}
            />
          ),
      )}
      {examination.grid?.openings.map((o) => (
        <Opening
          key={`opening${o.feed}`}
          opening={o}
          extent={extent}
          strong={hover === `feeds.${o.feed}`}
        />
      ))}
      {examination.loads.map(
        (p, i) =>
          p && (
            <Marker
              key={`load${i}`}
              at={p}
              extent={extent}
              tone="plum"
              label={quiet ? "" : String(document?.loads[i]?.name ?? "load")}
            />
          ),
      )}
      {examination.captures.map(
        (c, i) =>
          c &&
          c.points.length > 1 &&
          hover === `captures.${i}` && (
            <Line
              key={i}
              points={c.points}
              color={color("amber")}
              lineWidth={1}
              dashed
              dashSize={extent.size * 0.02}
              gapSize={extent.size * 0.015}
            />
          ),
      )}
      {examination.illuminations.map(
        (w, i) =>
          w && (
            <Wave
              key={`wave${i}`}
              wave={w}
              extent={extent}
              label={quiet ? "" : w.name}
              strong={hover === `illuminations.${i}`}
            />
          ),
      )}
      {examination.grid?.box && hover?.startsWith("illuminations.") && (
        <Cage corners={examination.grid.box} extent={extent} />
      )}
      {hover === "surround.0" &&
        (document?.surround.mirror as string[] | undefined)?.map(
          (kind, axis) =>
            kind !== "none" && <Mirror key={axis} axis={axis} kind={kind} extent={extent} />,
        )}
      {examination.period.some(Boolean) && <Cell period={examination.period} extent={extent} />}
      {!quiet &&
        examination.frames.map((f) => (
          <Axes key={f.name} name={f.name} matrix={f.matrix} size={extent.size * 0.12} />
        ))}
      {examination.problems.map(
        (p, i) =>
          p.point && (
            <Marker
              key={`p${i}`}
              at={p.point}
              extent={extent}
              tone="rust"
              label={p.code.replaceAll("-", " ")}
            />
          ),
      )}
    </>
  );
}

/** A wave on its way to the model: its direction, fronts across it, and its electric field. */
function Wave({
  wave,
  extent,
  label,
  strong,
}: {
  wave: Illumination;
  extent: Extent;
  label: string;
  strong: boolean;
}) {
  const size = extent.size;
  const place = (along: number, across: number): [number, number, number] =>
    extent.center.map(
      (c, k) => c + size * (along * wave.travels[k]! + across * wave.electric[k]!),
    ) as [number, number, number];
  const arrow = (
    a: [number, number],
    b: [number, number],
    barb: number,
  ): [number, number, number][] => {
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]],
      long = Math.hypot(dx, dy),
      [u, v] = [dx / long, dy / long];
    const side = (s: number): [number, number, number] =>
      place(b[0] - barb * (u - s * 0.5 * v), b[1] - barb * (v + s * 0.5 * u));
    return [place(...a), place(...b), side(1), place(...b), side(-1), place(...b)];
  };
  const tone = color("amber"),
    width = strong ? 3 : 2;
  return (
    <>
      <Line points={arrow([-0.74, 0], [-0.53, 0], 0.04)} segments color={tone} lineWidth={width} />
      <Line
        points={arrow([-0.69, 0], [-0.69, 0.12], 0.03)}
        segments
        color={tone}
        lineWidth={width}
      />
      {[-0.65, -0.62, -0.59].map((a) => (
        <Line key={a} points={[place(a, -0.05), place(a, 0.05)]} color={tone} lineWidth={1} />
      ))}
      {wave.beam && <Outline wave={wave} beam={wave.beam} size={size} strong={strong} />}
      {label && (
        <Overlay position={place(-0.7, 0.16)} zIndexRange={[4, 0]} className="pointer-events-none">
          <span className="whitespace-nowrap text-[11.500px] text-amber">{label}</span>
        </Overlay>
      )}
    </>
  );
}

/** Where a beam's field has fallen to 1/e, in two planes along it and in that of its focus. */
function Outline({
  wave,
  beam,
  size,
  strong,
}: {
  wave: Illumination;
  beam: NonNullable<Illumination["beam"]>;
  size: number;
  strong: boolean;
}) {
  const [a, b] = [wave.travels, wave.electric],
    side = [0, 1, 2].map(
      (k) => a[(k + 1) % 3]! * b[(k + 2) % 3]! - a[(k + 2) % 3]! * b[(k + 1) % 3]!,
    );
  const at = (along: number, across: number, over: number): [number, number, number] =>
    beam.focus.map((c, k) => c + along * a[k]! + across * b[k]! + over * side[k]!) as [
      number,
      number,
      number,
    ];
  const steps = Array.from(
      { length: 41 },
      (_, n) => (n / 20 - 1) * Math.max(0.6 * size, 1.5 * beam.waist),
    ),
    turns = Array.from({ length: 49 }, (_, n) => (n * Math.PI) / 24);
  const radius = (along: number): number => beam.waist * Math.hypot(1, along / beam.depth);
  const tone = color("amber"),
    width = strong ? 2 : 1;
  return (
    <>
      {[
        [1, 0],
        [-1, 0],
        [0, 1],
        [0, -1],
      ].map(([u, v], n) => (
        <Line
          key={n}
          points={steps.map((s) => at(s, u! * radius(s), v! * radius(s)))}
          color={tone}
          lineWidth={width}
        />
      ))}
      <Line
        points={turns.map((t) => at(0, beam.waist * Math.cos(t), beam.waist * Math.sin(t)))}
        color={tone}
        lineWidth={width}
      />
    </>
  );
}

function feedLabel(feed: Step | undefined, i: number): string {
  const what =
    feed?.kind === "dipole"
      ? feed.moment === "magnetic"
        ? "magnetic dipole"
        : "point dipole"
      : feed?.kind === "line" || feed?.kind === "guide"
        ? `${feed.kind} feed`
        : `gap feed · ${String(feed?.impedance ?? "").replace("ohm", "Ω")}`;
  return `port ${String(feed?.number ?? i + 1)} · ${what}`;
}

/** A point dipole: an arrow along its current, or, of a magnetic one, with the loop of current that it stands for. */
function Dipole({
  at,
  along,
  magnetic,
  extent,
  strong,
}: {
  at: [number, number, number];
  along: number[];
  magnetic: boolean;
  extent: Extent;
  strong: boolean;
}) {
  const size = extent.size * 0.08,
    least = along.map(Math.abs).indexOf(Math.min(...along.map(Math.abs)));
  const side = along.map((v, k) => (k === least ? 1 : 0) - v * along[least]!),
    long = Math.hypot(...side);
  const [u, v] = [
    side.map((s) => s / long),
    [0, 1, 2].map(
      (k) =>
        (along[(k + 1) % 3]! * side[(k + 2) % 3]! - along[(k + 2) % 3]! * side[(k + 1) % 3]!) /
        long,
    ),
  ];
  const place = (a: number, b: number, c = 0): [number, number, number] =>
    at.map((p, k) => p + size * (a * along[k]! + b * u[k]! + c * v[k]!)) as [
      number,
      number,
      number,
    ];
  const tone = color("plum"),
    width = strong ? 3 : 2;
  return (
    <>
      <Line
        points={[place(-1, 0), place(1, 0), place(0.6, 0.18), place(1, 0), place(0.6, -0.18)]}
        color={tone}
        lineWidth={width}
      />
      {magnetic && (
        <Line
          points={Array.from({ length: 33 }, (_, n) =>
            place(0, 0.5 * Math.cos((n * Math.PI) / 16), 0.5 * Math.sin((n * Math.PI) / 16)),
          )}
          color={tone}
          lineWidth={width}
        />
      )}
    </>
  );
}

/** What a line or guide feed looks through, which way its wave goes in, and, when asked for, the case behind it. */
function Opening({
  opening: { corners, axis, sign, back },
  extent,
  strong,
}: {
  opening: Grid["openings"][number];
  extent: Extent;
  strong: boolean;
}) {
  const behind = corners.map(
    (c) => c.map((v, k) => (k === axis ? back : v)) as [number, number, number],
  );
  const middle = [0, 1, 2].map((k) => corners.reduce((sum, c) => sum + c[k]! / 4, 0)) as [
    number,
    number,
    number,
  ];
  const size = extent.size * 0.12;
  const at = (along: number, across: number): [number, number, number] =>
    middle.map((v, k) => v + (k === axis ? sign * along : k === (axis + 1) % 3 ? across : 0)) as [
      number,
      number,
      number,
    ];
  const tone = color("plum");
  return (
    <>
      <Line points={[...corners, corners[0]!]} color={tone} lineWidth={strong ? 3 : 2} />
      <Line
        points={[
          at(0, 0),
          at(size, 0),
          at(0.75 * size, 0.1 * size),
          at(size, 0),
          at(0.75 * size, -0.1 * size),
        ]}
        color={tone}
        lineWidth={strong ? 3 : 2}
      />
      {strong && (
        <Line
          points={[...behind, behind[0]!]}
          color={tone}
          lineWidth={1}
          dashed
          dashSize={extent.size * 0.02}
          gapSize={extent.size * 0.015}
        />
      )}
      {strong && (
        <Line
          points={corners.flatMap((c, n) => [c, behind[n]!])}
          segments
          color={tone}
          lineWidth={1}
          dashed
          dashSize={extent.size * 0.02}
          gapSize={extent.size * 0.015}
        />
      )}
    </>
  );
}

/** The edges of the box of total fields. */
function Cage({
  corners: [low, high],
  extent,
}: {
  corners: [[number, number, number], [number, number, number]];
  extent: Extent;
}) {
  const at = (n: number): [number, number, number] =>
    [0, 1, 2].map((k) => (n & (1 << k) ? high : low)[k]!) as [number, number, number];
  const points = [0, 1, 2].flatMap((k) =>
    [0, 1, 2, 3, 4, 5, 6, 7]
      .filter((n) => !(n & (1 << k)))
      .flatMap((n) => [at(n), at(n | (1 << k))]),
  );
  return (
    <>
      <Line
        points={points}
        segments
        color={color("amber")}
        lineWidth={1}
        dashed
        dashSize={extent.size * 0.02}
        gapSize={extent.size * 0.015}
      />
      <Overlay
        position={[low[0], low[1], high[2]]}
        zIndexRange={[4, 0]}
        className="pointer-events-none"
      >
        <span className="whitespace-nowrap pl-1 text-[11.500px] text-amber">
          total fields inside, scattered outside
        </span>
      </Overlay>
    </>
  );
}

/** The outline of what is repeated without end, and the beginnings of the cells beside it. */
function Cell({ period, extent }: { period: (number | null)[]; extent: Extent }) {
  const [a, b] = [0, 1, 2].filter((k) => period[k]) as [number, number?];
  const at = (u: number, v: number): [number, number, number] =>
    extent.center.map((c, k) => (k === a ? u * period[a]! : k === b ? v * period[b]! : c)) as [
      number,
      number,
      number,
    ];
  const ends = [-0.5, 0.5].flatMap((s): [number, number, number][] => [
    at(s, -0.65),
    at(s, 0.65),
    at(-0.65, s),
    at(0.65, s),
  ]);
  return b === undefined ? null : (
    <Line
      points={ends}
      segments
      color={color("amber")}
      lineWidth={1}
      dashed
      dashSize={extent.size * 0.02}
      gapSize={extent.size * 0.015}
    />
  );
}

/** The outline of a plane in which the model is its own mirror image. */
function Mirror({ axis, kind, extent }: { axis: number; kind: string; extent: Extent }) {
  const half = extent.size * 0.5;
  const corners = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
    [-1, -1],
  ].map((signs) => {
    const at = extent.center.map((c, k) => (k === axis ? 0 : c)) as [number, number, number];
    [(axis + 1) % 3, (axis + 2) % 3].forEach((k, i) => {
      at[k]! += signs[i]! * half;
    });
    return at;
  });
  return (
    <>
      <Line
        points={corners}
        color={color("amber")}
        lineWidth={1.5}
        dashed
        dashSize={extent.size * 0.02}
        gapSize={extent.size * 0.015}
      />
      <Overlay position={corners[0]} zIndexRange={[4, 0]} className="pointer-events-none">
        <span className="whitespace-nowrap text-[11.500px] text-amber">
          {kind} mirror plane {"xyz"[axis]} = 0
        </span>
      </Overlay>
    </>
  );
}

/** A frame's own x, y and z, the longest lettered with its name. */
function Axes({ name, matrix: m, size }: { name: string; matrix: number[]; size: number }) {
  const origin: [number, number, number] = [m[3]!, m[7]!, m[11]!];
  const tip = (k: number): [number, number, number] => [
    origin[0] + m[k]! * size,
    origin[1] + m[4 + k]! * size,
    origin[2] + m[8 + k]! * size,
  ];
  return (
    <>
      {["x", "y", "z"].map((letter, k) => (
        <group key={letter}>
          <Line points={[origin, tip(k)]} color={color("amber")} lineWidth={1.5} />
          <Overlay position={tip(k)} zIndexRange={[4, 0]} className="pointer-events-none">
            <span className="num whitespace-nowrap rounded bg-paper/85 px-0.5 text-[10.500px] text-amber">
              {k === 2 ? `${name} z` : letter}
            </span>
          </Overlay>
        </group>
      ))}
    </>
  );
}

function Part({ shape, extent }: { shape: Shape; extent: Extent }) {
  const hover = useBench((s) => s.hover);
  const setHover = useBench((s) => s.setHover);
  const planes = useSection(extent);
  const chosen = useSelected().some((c) => c.chapter === "parts" && c.at === shape.step);
  const highlighted = chosen || hover === `parts.${shape.step}`;
  const tube = useTube(shape.points, Math.max(shape.radius, LEAST_RADIUS * extent.size));
  const pick = useTube(shape.points, Math.max(shape.radius, PICK_RADIUS * extent.size));
  const middle = shape.points[Math.floor((shape.points.length - 1) / 2)]!,
    next = shape.points[Math.ceil((shape.points.length - 1) / 2)]!;
  return (
    <>
      <mesh geometry={tube}>
        <meshLambertMaterial
          color={color(highlighted ? "heron" : "steel")}
          side={planes.length ? DoubleSide : FrontSide}
          clippingPlanes={planes}
        />
      </mesh>
      <mesh
        geometry={pick}
        onPointerOver={() => setHover(`parts.${shape.step}`)}
        onPointerOut={() => setHover(null)}
        onClick={(e) => {
          const { picking, measuring } = useStage.getState();
          if (e.delta >= 4 || picking || measuring) return;
          e.stopPropagation();
          select(useBench.getState().document!.parts, shape.step, {
            more: e.nativeEvent.ctrlKey || e.nativeEvent.metaKey,
          });
        }}
      >
        <meshBasicMaterial transparent opacity={0} depthWrite={false} />
      </mesh>
      {highlighted && (
        <Overlay
          position={middle.map((c, i) => (c + next[i]!) / 2) as [number, number, number]}
          zIndexRange={[5, 0]}
          className="pointer-events-none"
        >
          <span className="num ml-3 whitespace-nowrap rounded bg-card/90 px-1 text-[11.500px] text-heron">
            {shape.name} · ⌀ {quantity(2 * shape.radius, "m", 3)} · {shape.material}
          </span>
        </Overlay>
      )}
    </>
  );
}

function useTube(points: [number, number, number][], radius: number): TubeGeometry {
  const tube = useMemo(() => {
    const vectors = points.map((p) => new Vector3(...p));
    const straight = new CurvePath<Vector3>();
    vectors.slice(1).forEach((v, i) => straight.add(new LineCurve3(vectors[i]!, v)));
    // Many points come from a smooth curve; few are corners that must stay sharp.
    const smooth = points.length > 16;
    return new TubeGeometry(
      smooth ? new CatmullRomCurve3(vectors) : straight,
      smooth ? points.length * 2 : Math.max(1, (points.length - 1) * 24),
      radius,
      10,
      false,
    );
  }, [points, radius]);
  useEffect(() => () => tube.dispose(), [tube]);
  return tube;
}

function Marker({
  at,
  extent,
  tone,
  label,
}: {
  at: [number, number, number];
  extent: Extent;
  tone: string;
  label: string;
}) {
  const planes = useSection(extent);
  const place = new Vector3(...at.map((c, k) => (c - extent.center[k]!) / extent.size));
  if (planes.some((p) => p.distanceToPoint(place) < -BESIDE)) return null; // cut away
  return (
    <group position={at}>
      <mesh>
        <sphereGeometry args={[extent.size * 0.014, 16, 12]} />
        <meshStandardMaterial color={color(tone)} roughness={0.6} />
      </mesh>
      {label && (
        <Overlay zIndexRange={[5, 0]} className="pointer-events-none">
          <span
            className={`num block translate-x-6 translate-y-2.5 whitespace-nowrap rounded bg-paper/85 px-1 text-[11.500px] ${tone === "plum" ? "text-plum" : "text-rust"}`}
          >
            {label}
          </span>
        </Overlay>
      )}
    </group>
  );
}

/** A faint measured floor, or the ground plane itself. */
function Floor({
  at,
  size,
  solid,
}: {
  at: [number, number, number];
  size: number;
  solid: boolean;
}) {
  const decade = 10 ** Math.floor(Math.log10(size));
  const step = [0.1, 0.2, 0.5].map((m) => m * decade).find((s) => size / s <= 8) ?? decade;
  const n = Math.ceil((1.1 * size) / step);
  const lines = useMemo(() => {
    const out: [number, number, number][] = [];
    for (let i = -n; i <= n; i++) {
      out.push(
        [i * step, -n * step, 0],
        [i * step, n * step, 0],
        [-n * step, i * step, 0],
        [n * step, i * step, 0],
      );
    }
    return out;
  }, [n, step]);
  return (
    <group position={at}>
      <Line points={lines} segments color={color("rule")} lineWidth={1} />
      {solid && (
        <mesh position={[0, 0, -size * 0.002]}>
          <planeGeometry args={[2 * n * step, 2 * n * step]} />
          <meshBasicMaterial color={color("steel")} transparent opacity={0.25} depthWrite={false} />
        </mesh>
      )}
    </group>
  );
}
