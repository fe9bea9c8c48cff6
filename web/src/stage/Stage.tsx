import { OrbitControls } from "@react-three/drei";
import { Canvas, useThree } from "@react-three/fiber";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import type { OrthographicCamera, PerspectiveCamera } from "three";
import { field, sweep } from "../api/queries";
import type { Examination, RunLine } from "../api/types";
import { nearest, useCursor } from "../app/cursor";
import { useRegister } from "../app/commands";
import { useTheme } from "../app/theme";
import { C0, quantity } from "../format";
import { RAMP_CSS } from "../plots/scale";
import { GridLens, GridPanel } from "./GridLens";
import { CurrentLens, NearLens, PatternLens, SurfaceLens } from "./Lenses";
import { Structure } from "./Structure";
import { Tools } from "./Tools";
import { extentOf, type Extent } from "./extent";
import { useStage } from "./state";

type Lens = "shape" | "grid" | "current" | "near field" | "pattern";
const LENSES: Lens[] = ["shape", "grid", "current", "near field", "pattern"];
const VIEWS: Record<string, [number, number, number]> = {
  oblique: [1, -1.25, 0.72],
  front: [0, -1, 0.0001],
  side: [1, 0, 0.0001],
  top: [0, -0.0001, 1],
  "oblique back": [-1, 1.25, 0.72],
  back: [0, 1, 0.0001],
  "other side": [-1, 0, 0.0001],
  bottom: [0, -0.0001, -1],
};
/** The views on the stage itself; a second click on one looks from the other side. */
const NEAR: Record<string, string> = {
  oblique: "oblique back",
  front: "back",
  side: "other side",
  top: "bottom",
};
/** Pixels drawn for each on the screen: edges are smoothed by drawing finer, but not while the view turns. */
const STILL = Math.max(2, window.devicePixelRatio),
  TURNING = 1;

/** ``building``: a newer examination than the one shown is on its way. */
interface Props {
  examination?: Examination;
  building: boolean;
  projectId: number;
  run?: RunLine;
  stamp: string;
}

/** The structure in space, seen through a lens. */
export function Stage({ examination, building, projectId, run, stamp }: Props) {
  const [chosen, setLens] = useState<Lens>("shape");
  const [view, setView] = useState({ name: "oblique", count: 0 });
  const [zoom, setZoom] = useState(1);
  const theme = useTheme((s) => s.theme);
  const stage = useStage();
  const extent = useMemo(() => extentOf(examination), [examination]);
  const offered = (l: Lens): boolean =>
    l === "shape" || (l === "grid" ? examination?.grid != null : run !== undefined);
  const lens = offered(chosen) ? chosen : "shape";
  const look = (name: string): void => setView((v) => ({ name, count: v.count + 1 }));
  useRegister("stage", [
    ...LENSES.map((l) => ({
      id: `lens-${l}`,
      label: `Lens: ${l}`,
      group: "View",
      enabled: offered(l),
      perform: () => setLens(l),
    })),
    ...Object.keys(VIEWS).map((v) => ({
      id: `view-${v}`,
      label: `View: ${v}`,
      group: "View",
      shortcut: v === "oblique" ? "F" : undefined,
      perform: () => look(v),
    })),
    {
      id: "perspective",
      label: stage.perspective ? "View: without perspective" : "View: with perspective",
      group: "View",
      perform: () => stage.setPerspective(!stage.perspective),
    },
    {
      id: "measure",
      label: "Measure between points",
      group: "View",
      shortcut: "M",
      perform: () => stage.measure(!stage.measuring),
    },
    {
      id: "section",
      label: stage.section ? "Section off" : "Section plane",
      group: "View",
      perform: () => stage.cut(stage.section ? null : { axis: "y", at: extent.center[1] }),
    },
    { id: "show-all", label: "Show all parts", group: "View", perform: stage.showAll },
  ]);
  const { reset, ask, measure } = stage;
  useEffect(() => reset, [projectId, reset]);
  useEffect(() => {
    const leave = (e: KeyboardEvent): void => {
      if (e.key === "Escape") {
        ask(null);
        measure(false);
      }
    };
    window.addEventListener("keydown", leave);
    return () => window.removeEventListener("keydown", leave);
  }, [ask, measure]);
  const ofRun = run !== undefined && lens !== "shape" && lens !== "grid";
  return (
    <div
      className="absolute inset-0"
      data-stage
      data-lens={lens}
      data-parts={examination?.shapes.length ?? 0}
      data-extent={extent.size.toPrecision(6)}
      data-bodies={examination?.bodies.length ?? 0}
    >
      <Canvas
        key={stage.perspective ? "perspective" : "flat"}
        flat
        orthographic={!stage.perspective}
        frameloop="demand"
        dpr={STILL}
        className={stage.picking || stage.measuring ? "cursor-crosshair" : ""}
        gl={{ preserveDrawingBuffer: true, antialias: false, localClippingEnabled: true }}
        camera={
          stage.perspective
            ? { near: 0.02, far: 60, fov: 32, position: [1.6, -2, 1.15], up: [0, 0, 1] }
            : { near: -100, far: 200, position: [10, -12.5, 7.2], up: [0, 0, 1] }
        }
      >
        <ambientLight intensity={2.1} />
        <directionalLight position={[3, -4, 8]} intensity={1.7} />
        <Camera direction={VIEWS[view.name]!} token={view.count} onZoom={setZoom} />
        <group
          scale={1 / extent.size}
          position={extent.center.map((c) => -c / extent.size) as [number, number, number]}
          key={theme}
        >
          <Structure
            examination={examination}
            extent={extent}
            quiet={lens !== "shape"}
            drawn={lens !== "grid"}
          />
          {lens === "grid" && examination?.grid && (
            <GridLens grid={examination.grid} projectId={projectId} stamp={stamp} extent={extent} />
          )}
          {ofRun && <LensContent lens={lens} projectId={projectId} run={run} extent={extent} />}
        </group>
      </Canvas>
      {building && (
        <p
          role="status"
          className="waits pointer-events-none absolute left-4 top-3 rounded-md border border-rule bg-card px-3 py-1.5 text-ink2"
        >
          Building the model…
        </p>
      )}
      {examination && !building && examination.shapes.length + examination.bodies.length === 0 && (
        <p className="pointer-events-none absolute inset-x-0 top-1/3 text-center text-ink2">
          Nothing built yet. Type a step on the sheet, or add one.
        </p>
      )}
      <fieldset className="absolute bottom-3 left-4 w-[106px] overflow-hidden rounded-lg border border-rule bg-card">
        <legend className="sr-only">Lens</legend>
        {LENSES.map((l) => (
          <label
            key={l}
            className={`flex items-center gap-2 px-2.5 py-[5px] capitalize has-[:focus-visible]:outline-2 ${lens === l ? "bg-heron-soft font-semibold" : "text-ink2"} ${offered(l) ? "cursor-pointer" : "opacity-45"}`}
          >
            <input
              type="radio"
              name="lens"
              className="sr-only"
              checked={lens === l}
              disabled={!offered(l)}
              onChange={() => setLens(l)}
            />
            <span
              className={`size-1.5 rounded-full border ${lens === l ? "border-heron bg-heron" : "border-steel"}`}
            />
            {l}
          </label>
        ))}
      </fieldset>
      {stage.picking && (
        <p
          role="status"
          className="absolute left-1/2 top-14 -translate-x-1/2 rounded-md border border-heron bg-card px-3 py-1.5"
        >
          {stage.picking.prompt}. Escape leaves it.
        </p>
      )}
      <Tools extent={extent} examination={examination} />
      <div
        className="absolute right-4 top-3 flex gap-1 rounded-md border border-rule bg-card p-0.5"
        role="group"
        aria-label="Views"
      >
        {Object.entries(NEAR).map(([v, far]) => {
          const on = view.name === v || view.name === far;
          return (
            <button
              key={v}
              aria-pressed={on}
              title={`A second click looks from the other side: ${far}`}
              className={`rounded px-2 py-0.5 text-[12px] capitalize hover:bg-heron-soft hover:text-ink ${on && view.count > 0 ? "text-ink" : "text-ink2"}`}
              onClick={() => look(view.name === v && view.count > 0 ? far : v)}
            >
              {v}
            </button>
          );
        })}
      </div>
      {lens === "grid" && examination && (
        <GridPanel projectId={projectId} stamp={stamp} extent={extent} examination={examination} />
      )}
      {ofRun && <LensLegend lens={lens} projectId={projectId} run={run} />}
      <ScaleBar metresPerPixel={extent.size / zoom} band={examination?.band ?? null} />
    </div>
  );
}

/** Points the camera from a direction and fits the unit-sized model; reports its zoom. */
function Camera({
  direction,
  token,
  onZoom,
}: {
  direction: [number, number, number];
  token: number;
  onZoom: (zoom: number) => void;
}) {
  const get = useThree((s) => s.get);
  const size = useThree((s) => s.size);
  const controls = useThree((s) => s.controls);
  const turning = useRef(false);
  useEffect(() => {
    const { camera, invalidate } = get();
    const c = camera as OrthographicCamera | PerspectiveCamera;
    const flat = "isOrthographicCamera" in c;
    const length = Math.hypot(...direction);
    c.up.set(0, 0, 1);
    c.position.set(
      ...(direction.map((d) => (d / length) * (flat ? 20 : 3)) as [number, number, number]),
    );
    c.lookAt(0, 0, 0);
    c.zoom = flat ? Math.min(size.width, size.height - 40) / 1.5 : 1;
    c.updateProjectionMatrix();
    (
      controls as unknown as {
        target: { set: (...p: number[]) => void };
        update: () => void;
      } | null
    )?.target.set(0, 0, 0);
    (controls as unknown as { update: () => void } | null)?.update();
    onZoom(scaleOf(c, size.height));
    invalidate();
  }, [controls, direction, get, onZoom, size, token]);
  const turns = (on: boolean): void => {
    const { events, setEvents, setDpr } = get();
    turning.current = on;
    if (events.enabled !== on) return;
    setEvents({ enabled: !on });
    setDpr(on ? TURNING : STILL);
    useStage.getState().turn(on);
  };
  // What the pointer meets does not matter while the view turns.
  return (
    <OrbitControls
      makeDefault
      enableDamping={false}
      onStart={() => {
        turning.current = true;
      }}
      onEnd={() => turns(false)}
      onChange={() => {
        if (turning.current) turns(true);
        onZoom(scaleOf(get().camera, size.height));
      }}
    />
  );
}

/** Pixels per model size at the middle of the model. */
function scaleOf(camera: unknown, height: number): number {
  const c = camera as OrthographicCamera | PerspectiveCamera;
  return "isOrthographicCamera" in c
    ? c.zoom
    : height / (2 * c.position.length() * Math.tan((c.fov * Math.PI) / 360));
}

function useFrequency(run: RunLine): number {
  const cursor = useCursor((s) => s.frequency);
  return cursor ?? Number((run.headline as { frequency_hz?: number }).frequency_hz ?? 0);
}

function LensContent({
  lens,
  projectId,
  run,
  extent,
}: {
  lens: Lens;
  projectId: number;
  run: RunLine;
  extent: Extent;
}) {
  const frequency = useFrequency(run);
  const { data: s } = useQuery(sweep(projectId, run.number));
  const plane = s?.captures.find((c) => c.kind === "near_plane");
  const surface = s?.surfaces[0];
  const surfaceField = useQuery({
    ...field(projectId, run.number, `surface/${encodeURIComponent(surface ?? "")}`, frequency),
    enabled: lens === "current" && surface !== undefined,
  });
  const what =
    lens === "current"
      ? "current"
      : lens === "pattern"
        ? "pattern"
        : plane
          ? `near/${encodeURIComponent(plane.name)}`
          : "";
  const { data, isPlaceholderData } = useQuery({
    ...field(projectId, run.number, what, frequency),
    enabled: what !== "",
  });
  const { invalidate } = useThree();
  useEffect(() => invalidate(), [data, surfaceField.data, invalidate]);
  if (lens === "current")
    return (
      <>
        {data?.arrays.start && <CurrentLens packet={data} />}
        {surfaceField.data?.arrays.normal && <SurfaceLens packet={surfaceField.data} />}
      </>
    );
  if (!data) return null;
  if (lens === "pattern" && data.arrays.level_dbi)
    return <PatternLens packet={data} extent={extent} />;
  if (lens === "near field" && data.header.kind === "near_plane" && !isPlaceholderData)
    return <NearLens packet={data} />;
  return null;
}

const LEGEND: Record<Lens, [string, string, string]> = {
  shape: ["", "", ""],
  grid: ["", "", ""],
  current: ["|I|", "largest", "0"],
  "near field": ["|E| rms", "largest", "−40 dB"],
  pattern: ["realized gain", "peak", "−30 dB"],
};

function LensLegend({ lens, projectId, run }: { lens: Lens; projectId: number; run: RunLine }) {
  const frequency = useFrequency(run);
  const set = useCursor((s) => s.set);
  const { data } = useQuery(sweep(projectId, run.number));
  const current = useQuery({
    ...field(projectId, run.number, "current", frequency),
    enabled: lens === "current",
  });
  const surface = lens === "current" && data !== undefined && data.surfaces.length > 0;
  const [name, top, bottom] = surface
    ? ["|K| on surfaces", "largest", "−40 dB"]
    : lens === "pattern" && data && data.illuminations.length > 0
      ? ["cross-section", "peak", "−30 dB"]
      : LEGEND[lens];
  if (lens === "current" && current.error && data && !surface)
    return (
      <p className="absolute left-4 top-4 max-w-72 rounded-md border border-rule bg-card px-3 py-2 text-ink2">
        Run {run.number} has no currents to show. Add a surface current to the captures and solve.
      </p>
    );
  if (!data) return null;
  const at = nearest(data.frequency_hz, frequency);
  if (lens === "near field" && !data.captures.some((c) => c.kind === "near_plane"))
    return (
      <p className="absolute left-4 top-4 max-w-72 rounded-md border border-rule bg-card px-3 py-2 text-ink2">
        Run {run.number} has no near-field plane. Add one to the captures and solve.
      </p>
    );
  return (
    <div className="absolute left-4 top-3 rounded-lg border border-rule bg-card px-3 py-2">
      <p className="num text-[12px]">
        run {run.number} · {quantity(data.frequency_hz[at]!, "Hz", 5)}
      </p>
      <input
        type="range"
        aria-label="Frequency"
        min={0}
        max={data.frequency_hz.length - 1}
        value={at}
        onChange={(e) => set(data.frequency_hz[Number(e.target.value)]!)}
        className="w-40 accent-heron"
      />
      <div className="mt-1 flex items-stretch gap-2 text-[11.500px] text-ink2">
        <span className="w-2.5 rounded-sm" style={{ background: RAMP_CSS, height: 54 }} />
        <span className="flex flex-col justify-between">
          <span className="num">{top}</span>
          <span>{name}</span>
          <span className="num">{bottom}</span>
        </span>
      </div>
    </div>
  );
}

function ScaleBar({
  metresPerPixel,
  band,
}: {
  metresPerPixel: number;
  band: [number, number] | null;
}) {
  const most = 150 * metresPerPixel;
  const decade = 10 ** Math.floor(Math.log10(most));
  const length = [5, 2, 1].map((m) => m * decade).find((l) => l <= most) ?? decade;
  const width = length / metresPerPixel;
  const middle = band ? (band[0] + band[1]) / 2 : null;
  return (
    <div className="num pointer-events-none absolute bottom-4 right-5 text-[11.500px] text-ink2">
      <div className="flex justify-between gap-4" style={{ minWidth: width }}>
        <span>{quantity(length, "m", 3)}</span>
        {middle && (
          <span>
            {((length * middle) / C0).toPrecision(2)} λ at {quantity(middle, "Hz", 3)}
          </span>
        )}
      </div>
      <div className="ml-auto mt-0.5 h-1.5 border-x border-b border-ink2" style={{ width }} />
    </div>
  );
}
