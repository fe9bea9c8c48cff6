import type { Examination } from "../api/types";
import { quantity } from "../format";
import type { Extent } from "./extent";
import { useStage, type Axis } from "./state";

const AXES: Axis[] = ["x", "y", "z"];
const STEPS = 200;

/** Section plane, measuring, perspective, and a way back to everything shown. */
export function Tools({ extent, examination }: { extent: Extent; examination?: Examination }) {
  const stage = useStage();
  const { section } = stage;
  if (!examination || examination.bodies.length === 0) return null;
  const button = (on: boolean): string =>
    `rounded px-2 py-0.5 text-[12px] ${on ? "bg-heron-soft font-medium text-ink" : "text-ink2"} hover:bg-heron-soft`;
  const k = section ? AXES.indexOf(section.axis) : 1;
  const low = extent.center[k]! - extent.size / 2;
  const hiding = stage.hidden.length + stage.faint.length > 0 || stage.solo !== null;
  return (
    <div
      className="absolute right-4 top-[46px] flex w-[216px] flex-col gap-1.5 rounded-md border border-rule bg-card p-0.5"
      aria-label="Stage tools"
      role="group"
    >
      <div className="flex justify-between">
        <button
          aria-pressed={section !== null}
          className={button(section !== null)}
          onClick={() => stage.cut(section ? null : { axis: "y", at: extent.center[1] })}
        >
          Section
        </button>
        <button
          aria-pressed={stage.measuring}
          className={button(stage.measuring)}
          onClick={() => stage.measure(!stage.measuring)}
        >
          Measure
        </button>
        <button
          aria-pressed={stage.perspective}
          className={button(stage.perspective)}
          onClick={() => stage.setPerspective(!stage.perspective)}
        >
          Perspective
        </button>
      </div>
      {section && (
        <div className="px-1.5 pb-1">
          <div className="flex items-center gap-1 text-[12px] text-ink2">
            {AXES.map((a, i) => (
              <button
                key={a}
                aria-pressed={a === section.axis}
                className={button(a === section.axis)}
                onClick={() => stage.cut({ axis: a, at: extent.center[i]! })}
              >
                {a}
              </button>
            ))}
            <button
              className={button(section.flipped === true)}
              aria-pressed={section.flipped === true}
              onClick={() => stage.cut({ ...section, flipped: !section.flipped })}
            >
              flip
            </button>
            <span className="num ml-auto">
              {quantity(Math.abs(section.at) < 1e-9 * extent.size ? 0 : section.at, "m", 4)}
            </span>
          </div>
          <input
            type="range"
            aria-label="Section position"
            className="w-full accent-heron"
            min={0}
            max={STEPS}
            value={Math.round(((section.at - low) / extent.size) * STEPS)}
            onChange={(e) =>
              stage.cut({ ...section, at: low + (Number(e.target.value) / STEPS) * extent.size })
            }
          />
        </div>
      )}
      {stage.measuring && stage.marks.length === 0 && (
        <p className="px-1.5 pb-1 text-[12px] text-ink2">
          Click two points, a third for the angle.
        </p>
      )}
      {hiding && (
        <button className={button(false)} onClick={stage.showAll}>
          Show all parts
        </button>
      )}
    </div>
  );
}
