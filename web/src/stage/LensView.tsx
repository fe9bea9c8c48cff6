/** What a run shows on the stage through a lens, and the legend of its colours. */
import { useThree } from "@react-three/fiber";
import { useQuery } from "@tanstack/react-query";
import { max } from "d3-array";
import { useEffect } from "react";
import type { Packet } from "../api/client";
import { field, sweep } from "../api/queries";
import type { RunLine } from "../api/types";
import { nearest, useCursor } from "../app/cursor";
import { area, areaUnit, fixed, number, quantity } from "../format";
import { rampCss } from "../plots/scale";
import { CurrentLens, NEAR_DB, NearLens, PatternLens, SURFACE_DB, SurfaceLens } from "./Lenses";
import type { Extent } from "./extent";
import { useStage } from "./state";

export type Lens = "shape" | "grid" | "current" | "near field" | "pattern";
export const LENSES: Lens[] = ["shape", "grid", "current", "near field", "pattern"];
const RANGES = [10, 20, 30, 40, 60]; // dB of a pattern

/** What a lens has to show of a run at the cursor. */
function useLens(lens: Lens, projectId: number, run: RunLine) {
  const cursor = useCursor((s) => s.frequency);
  const frequency = cursor ?? Number((run.headline as { frequency_hz?: number }).frequency_hz ?? 0);
  const { data: s } = useQuery(sweep(projectId, run.number));
  const plane = s?.captures.find((c) => c.kind === "near_plane");
  const surface = lens === "current" ? s?.surfaces[0] : undefined;
  const surfaceField = useQuery({
    ...field(projectId, run.number, `surface/${encodeURIComponent(surface ?? "")}`, frequency),
    enabled: surface !== undefined,
  });
  const what =
    lens === "current"
      ? "current"
      : lens === "pattern"
        ? "pattern"
        : plane
          ? `near/${encodeURIComponent(plane.name)}`
          : "";
  const own = useQuery({
    ...field(projectId, run.number, what, frequency),
    enabled: what !== "",
  });
  return { frequency, sweep: s, plane, surface, surfaceField, own };
}

interface Scale {
  name: string;
  /** How many equal steps the map has, when it has steps. */ steps: number;
  /** Values and where they stand, from 0 at the bottom to 1. */ ticks: [string, number][];
}

const sizes = (packet: Packet, parts: number): number[] => {
  const { re, im } = packet.arrays;
  return Array.from({ length: re!.data.length / parts }, (_, q) =>
    Math.hypot(
      ...Array.from({ length: parts }, (_, k) => [
        re!.data[parts * q + k]!,
        im!.data[parts * q + k]!,
      ]).flat(),
    ),
  );
};
/** Ticks of a map in dB below its largest value: every tenth part. */
const decades = (most: number, unit: string, range: number): [string, number][] =>
  Array.from({ length: range / 20 + 1 }, (_, n) => [
    quantity(most / 10 ** n, unit, 3),
    1 - (20 * n) / range,
  ]);

/** The scale of a lens's colours, from what it shows. */
function scaleOf(
  lens: Lens,
  { own, surface, surfaceField, sweep: s }: ReturnType<typeof useLens>,
  range: number,
): Scale | null {
  const illuminated = (s?.illuminations.length ?? 0) > 0;
  if (lens === "pattern" && own.data?.arrays.level_dbi) {
    const peak = max(own.data.arrays.level_dbi.data) ?? 0;
    const step = range / 3;
    const asArea = illuminated && s?.by_wavelength ? areaUnit(area(peak)) : null;
    return {
      name: asArea
        ? `bistatic RCS, ${asArea.unit}`
        : illuminated
          ? "bistatic RCS, dBsm"
          : "realized gain, dBi",
      steps: Math.round(range / 3),
      ticks: [0, 1, 2, 3].map((n) => [
        asArea
          ? number(area(peak - n * step) / asArea.factor, 3)
          : fixed(peak - n * step, n === 0 ? 1 : 0),
        1 - (n * step) / range,
      ]),
    };
  }
  if (surface && surfaceField.data?.arrays.corners)
    return {
      name: "|K| on surfaces",
      steps: SURFACE_DB / 4,
      ticks: decades(max(sizes(surfaceField.data, 3)) ?? 0, "A/m", SURFACE_DB),
    };
  if (lens === "current" && own.data?.arrays.start) {
    const most = max(sizes(own.data, 1)) ?? 0;
    return {
      name: "|I| along wires",
      steps: 0,
      ticks: [1, 0.5, 0].map((t) => [quantity(most * t, "A", 3), t]),
    };
  }
  if (lens === "near field" && own.data?.header.kind === "near_plane")
    return {
      name: "|E| rms",
      steps: NEAR_DB / 4,
      ticks: decades(max(own.data.arrays.value!.data) ?? 0, "V/m", NEAR_DB),
    };
  return null;
}

export function LensContent({
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
  const seen = useLens(lens, projectId, run);
  const { range, steps } = useStage();
  const { data, isPlaceholderData } = seen.own;
  const { invalidate } = useThree();
  const bands = steps ? (scaleOf(lens, seen, range)?.steps ?? 0) : 0;
  useEffect(() => invalidate(), [data, seen.surfaceField.data, invalidate, bands, range]);
  if (lens === "current")
    return (
      <>
        {data?.arrays.start && <CurrentLens packet={data} />}
        {seen.surfaceField.data?.arrays.corners && (
          <SurfaceLens packet={seen.surfaceField.data} bands={bands} />
        )}
      </>
    );
  if (!data) return null;
  if (lens === "pattern" && data.arrays.level_dbi)
    return <PatternLens packet={data} extent={extent} range={range} bands={bands} />;
  if (lens === "near field" && data.header.kind === "near_plane" && !isPlaceholderData)
    return <NearLens packet={data} bands={bands} />;
  return null;
}

const missing = "max-w-72 rounded-md border border-rule bg-card px-3 py-2 text-ink2";

/** The frequency that is shown, and beside each other the scales of what is shown together. */
export function LensLegends({
  lenses,
  projectId,
  run,
}: {
  lenses: Lens[];
  projectId: number;
  run: RunLine;
}) {
  const { frequency, sweep: s } = useLens(lenses[0]!, projectId, run);
  const set = useCursor((c) => c.set);
  const at = s ? nearest(s.frequency_hz, frequency) : 0;
  return (
    <div className="absolute left-4 top-3 flex max-h-[calc(100%-13rem)] flex-col flex-wrap items-start gap-1.5">
      {s && (
        <div className="rounded-lg border border-rule bg-card px-3 py-2">
          <p className="num text-[12px]">
            run {run.number} · {quantity(s.frequency_hz[at]!, "Hz", 5)}
          </p>
          <input
            type="range"
            aria-label="Frequency"
            min={0}
            max={s.frequency_hz.length - 1}
            value={at}
            onChange={(e) => set(s.frequency_hz[Number(e.target.value)]!)}
            className="w-40 accent-heron"
          />
        </div>
      )}
      {lenses.map((lens) => (
        <LensLegend key={lens} lens={lens} projectId={projectId} run={run} />
      ))}
    </div>
  );
}

function LensLegend({ lens, projectId, run }: { lens: Lens; projectId: number; run: RunLine }) {
  const seen = useLens(lens, projectId, run);
  const { range, setRange, steps, setSteps } = useStage();
  const { sweep: s } = seen;
  if (lens === "current" && seen.own.error && s && !seen.surface)
    return (
      <p className={missing}>
        Run {run.number} has no currents to show. Add a surface current to the captures and solve.
      </p>
    );
  if (!s) return null;
  if (lens === "near field" && !seen.plane)
    return (
      <p className={missing}>
        Run {run.number} has no near-field plane. Add one to the captures and solve.
      </p>
    );
  const scale = scaleOf(lens, seen, range);
  if (!scale) return null;
  return (
    <div className="min-w-[7.5rem] rounded-lg border border-rule bg-card px-3 py-2 text-[11.500px] text-ink2">
      <p className="mb-1.5">{scale.name}</p>
      <div className="relative ml-0.5 h-24" role="img" aria-label={`Colours: ${scale.name}`}>
        <span
          className="absolute inset-y-0 left-0 w-2.5 rounded-sm"
          style={{ background: rampCss(steps ? scale.steps : 0) }}
        />
        {scale.ticks.map(([text, place]) => (
          <span
            key={place}
            className="num absolute left-2.5 flex -translate-y-1/2 items-center gap-1 whitespace-nowrap leading-none"
            style={{ top: `${100 * (1 - place)}%` }}
          >
            <span className="h-px w-1.5 bg-ink3" />
            {text}
          </span>
        ))}
      </div>
      {scale.steps > 0 && (
        <p className="mt-2 flex items-center gap-3">
          {lens === "pattern" && (
            <label>
              over{" "}
              <select
                aria-label="Range of the pattern"
                value={range}
                onChange={(e) => setRange(Number(e.target.value))}
                className="num bg-transparent"
              >
                {RANGES.map((r) => (
                  <option key={r} value={r} className="bg-card">
                    {r} dB
                  </option>
                ))}
              </select>
            </label>
          )}
          <label className="flex items-center gap-1">
            <input
              type="checkbox"
              className="accent-heron"
              checked={steps}
              onChange={(e) => setSteps(e.target.checked)}
            />
            in steps
          </label>
        </p>
      )}
    </div>
  );
}
