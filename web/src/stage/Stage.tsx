import { OrbitControls } from "@react-three/drei";
import { Canvas, useThree } from "@react-three/fiber";
import { useEffect, useMemo, useRef, useState } from "react";
import type { OrthographicCamera, PerspectiveCamera, Vector3 } from "three";
import type { Examination, RunLine } from "../api/types";
import { useRegister } from "../app/commands";
import { useTheme } from "../app/theme";
import { C0, quantity } from "../format";
import { ViewAxes, turned } from "./ViewAxes";
import { GridLens, GridPanel } from "./GridLens";
import { type Lens, LENSES, LensContent, LensLegends } from "./LensView";
import { Structure } from "./Structure";
import { Tools } from "./Tools";
import { TriangleLens, TrianglePanel } from "./TriangleLens";
import { extentOf } from "./extent";
import { moveByKey } from "./keys";
import { useStage } from "./state";

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

const ofRuns = (l: Lens): boolean => l !== "shape" && l !== "grid";

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
  const [also, setAlso] = useState<Lens[]>([]);
  const [view, setView] = useState({ name: "oblique", count: 0 });
  const [zoom, setZoom] = useState(1);
  const theme = useTheme((s) => s.theme);
  const stage = useStage();
  const extent = useMemo(() => extentOf(examination), [examination]);
  const triangles = (examination?.mesh?.triangles ?? 0) > 0,
    laidOut = examination?.grid != null || triangles;
  const offered = (l: Lens): boolean => l === "shape" || (ofRuns(l) ? run !== undefined : laidOut);
  const lens = offered(chosen) ? chosen : "shape";
  const together =
    lens === "grid"
      ? []
      : LENSES.filter((l) => ofRuns(l) && offered(l) && (l === lens || also.includes(l)));
  const show = (l: Lens): void => {
    setLens(l);
    setAlso([]);
  };
  const join = (l: Lens): void =>
    setAlso((a) => (a.includes(l) ? a.filter((o) => o !== l) : [...a, l]));
  const look = (name: string): void => setView((v) => ({ name, count: v.count + 1 }));
  useRegister("stage", [
    ...LENSES.map((l) => ({
      id: `lens-${l}`,
      label: `Lens: ${l}`,
      group: "View",
      enabled: offered(l),
      perform: () => show(l),
    })),
    ...LENSES.filter(ofRuns).map((l) => ({
      id: `lens-also-${l}`,
      label: also.includes(l) ? `Lens: without ${l}` : `Lens: ${l} too`,
      group: "View",
      enabled: offered(l) && l !== lens && lens !== "grid",
      perform: () => join(l),
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
      label: stage.perspective ? "View: parallel projection" : "View: perspective",
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
  return (
    <div
      className="absolute inset-0"
      data-stage
      data-lens={lens}
      data-parts={examination?.shapes.length ?? 0}
      data-extent={extent.size.toPrecision(6)}
      data-help="stage"
      data-bodies={examination?.bodies.length ?? 0}
    >
      <Canvas
        key={stage.perspective ? "perspective" : "flat"}
        flat
        tabIndex={0}
        role="application"
        aria-label="Model: arrow keys turn it, with Shift they move it, + and − zoom"
        data-keys
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
        <ambientLight intensity={1.7} />
        <directionalLight position={[3, -4, 8]} intensity={2.3} />
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
          {lens === "grid" && triangles && <TriangleLens projectId={projectId} stamp={stamp} />}
          {run &&
            together.map((l) => (
              <LensContent key={l} lens={l} projectId={projectId} run={run} extent={extent} />
            ))}
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
      <fieldset
        data-tour="lenses"
        className="absolute bottom-3 left-4 w-[128px] overflow-hidden rounded-lg border border-rule bg-card"
      >
        <legend className="sr-only">Lens</legend>
        {LENSES.map((l) => (
          <div key={l} className={`flex items-center ${lens === l ? "bg-heron-soft" : ""}`}>
            <label
              className={`flex flex-1 items-center gap-2 px-2.5 py-[5px] capitalize has-[:focus-visible]:outline-2 ${lens === l ? "font-semibold" : "text-ink2"} ${offered(l) ? "cursor-pointer" : "opacity-45"}`}
            >
              <input
                type="radio"
                name="lens"
                className="sr-only"
                checked={lens === l}
                disabled={!offered(l)}
                onChange={() => show(l)}
              />
              <span
                className={`size-1.5 rounded-full border ${lens === l ? "border-heron bg-heron" : "border-steel"}`}
              />
              {l}
            </label>
            {ofRuns(l) && l !== lens && lens !== "grid" && offered(l) && (
              <button
                type="button"
                aria-label={`Show ${l} too`}
                aria-pressed={also.includes(l)}
                title={also.includes(l) ? `Without ${l}` : `Show ${l} too`}
                className={`mr-1.5 size-5 rounded leading-none hover:bg-heron-soft ${also.includes(l) ? "bg-heron-soft font-semibold text-ink" : "text-ink2"}`}
                onClick={() => join(l)}
              >
                {also.includes(l) ? "−" : "+"}
              </button>
            )}
          </div>
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
        className="absolute right-4 top-3 flex w-[216px] justify-between rounded-md border border-rule bg-card p-0.5"
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
      {lens === "grid" && triangles && (
        <TrianglePanel projectId={projectId} stamp={stamp} examination={examination!} />
      )}
      {lens === "grid" && examination?.grid && (
        <GridPanel projectId={projectId} stamp={stamp} extent={extent} examination={examination} />
      )}
      {run && together.length > 0 && (
        <LensLegends lenses={together} projectId={projectId} run={run} />
      )}
      <ViewAxes look={look} />
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
    turned(c);
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
  useEffect(() => {
    const frame = get().gl.domElement.closest<HTMLElement>("[data-keys]");
    const press = (e: KeyboardEvent): void => {
      const { camera, invalidate } = get();
      const orbit = controls as unknown as { target: Vector3; update: () => void } | null;
      const view = camera as OrthographicCamera | PerspectiveCamera;
      if (!orbit || e.target !== frame || e.ctrlKey || e.metaKey || e.altKey) return;
      if (!moveByKey(e.key, e.shiftKey, view, orbit.target)) return;
      e.preventDefault();
      e.stopPropagation();
      orbit.update();
      turned(view);
      onZoom(scaleOf(view, size.height));
      invalidate();
    };
    frame?.addEventListener("keydown", press);
    return () => frame?.removeEventListener("keydown", press);
  }, [controls, get, onZoom, size]);
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
        turned(get().camera);
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
    <div className="num pointer-events-none absolute bottom-3 right-4 rounded bg-paper/85 px-1.5 pb-1 text-[11.500px] text-ink2">
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
