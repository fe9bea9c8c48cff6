/** Patterns in space: round the structure, and as a map of directions. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { Packet } from "../../../api/client";
import { examination, field, run as runDetail } from "../../../api/queries";
import type { Model } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { area, areaUnit, fixed } from "../../../format";
import { HeatMap } from "../../../plots/HeatMap";
import { PatternLens } from "../../../stage/Lenses";
import { Structure } from "../../../stage/Structure";
import { extentOf } from "../../../stage/extent";
import { Card, Choice, RunChoice } from "../Card";
import {
  type CardProps,
  type Shown,
  illuminated,
  useDesk,
  useOneRun,
  useSetting,
} from "../context";
import { uncertain } from "../values";
import { Scene } from "./Scene";
import { nearestFar } from "./figures";

export const KINDS = [
  ["realized_gain", "realized gain"],
  ["gain", "gain"],
  ["directivity", "directivity"],
] as const;

export type Kind = (typeof KINDS)[number][0];

export const COMPONENTS = {
  total: ["total"],
  "theta-phi": ["theta", "phi"],
  "co-cross": ["co", "cross"],
  "right-left": ["right", "left"],
} as const;

export const COMPONENT_NAMES = [
  ["total", "all of it"],
  ["theta-phi", "Eθ and Eφ"],
  ["co-cross", "co and cross"],
  ["right-left", "right and left"],
] as const;

export type Components = keyof typeof COMPONENTS;

export const SHORT: Record<string, string> = {
  theta: "Eθ",
  phi: "Eφ",
  co: "co",
  cross: "cross",
  right: "RHCP",
  left: "LHCP",
  total: "",
};

const MAP_SIZE = 161,
  MAP_STEP = 2,
  MAP_DB = 30;

/** The largest level of a pattern with its error. */
function peakOf(data: Packet, run: Shown): string {
  const { gain_db, rcs_db } = run.sweep.errors,
    peak = Number(data.header.peak_dbi);
  if (!illuminated(run)) return `${uncertain(peak, gain_db, 2)} dBi`;
  if (!run.sweep.by_wavelength) return `${uncertain(peak, rcs_db, 2)} dBsm`;
  const { unit, factor } = areaUnit(area(peak)),
    error = rcs_db ? (area(peak + rcs_db) - area(peak)) / factor : null;
  return `${uncertain(area(peak) / factor, error, 3)} ${unit}`;
}

/** The pattern laid flat: over θ and φ, or over direction cosines of one half of space. */
export function PatternMap(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const [layout, setLayout] = useSetting<"angles" | "up" | "down">(props, "layout", "up");
  const [kind, setKind] = useSetting<Kind>(props, "kind", "realized_gain");
  const [component, setComponent] = useSetting<string>(props, "component", "total");
  const one = useOneRun(props),
    first = one.run;
  const { data, isFetching } = useQuery(
    field(
      projectId,
      first.line.number,
      "pattern",
      cursor,
      `&step=${MAP_STEP}&quantity=${kind}&component=${component}`,
    ),
  );
  const map = useMemo(() => {
    const level = data?.arrays.level_dbi,
      theta = data?.arrays.theta_deg,
      phi = data?.arrays.phi_deg;
    if (!level || !theta || !phi) return null;
    const [rows, columns] = [theta.data.length, phi.data.length];
    const high = level.data.reduce((m, v) => Math.max(m, v), -Infinity);
    const scale = { low: Math.round(high - MAP_DB), high: Math.ceil(high) };
    if (layout === "angles")
      return {
        ...scale,
        columns,
        rows,
        values: Float32Array.from(
          level.data,
          (_, i) => level.data[(rows - 1 - Math.floor(i / columns)) * columns + (i % columns)]!,
        ),
        width: 2,
        height: 1,
        sides: ["φ 0° to 360°", "θ 180° to 0°"] as [string, string],
      };
    const values = new Float32Array(MAP_SIZE * MAP_SIZE).fill(NaN);
    for (let r = 0; r < MAP_SIZE; r++)
      for (let c = 0; c < MAP_SIZE; c++) {
        const u = (2 * c) / (MAP_SIZE - 1) - 1,
          v = (2 * r) / (MAP_SIZE - 1) - 1,
          s = Math.hypot(u, v);
        if (s > 1) continue;
        const t = (layout === "up" ? Math.asin(s) : Math.PI - Math.asin(s)) / Math.PI,
          p = (Math.atan2(v, u) / (2 * Math.PI) + 1) % 1;
        values[r * MAP_SIZE + c] =
          level.data[Math.round(t * (rows - 1)) * columns + Math.round(p * (columns - 1))]!;
      }
    return {
      ...scale,
      columns: MAP_SIZE,
      rows: MAP_SIZE,
      values,
      width: 1,
      height: 1,
      sides: ["u = sin θ cos φ", "v = sin θ sin φ"] as [string, string],
    };
  }, [data, layout]);
  return (
    <Card
      title="Pattern map"
      note={
        <>
          <Choice
            label="Layout"
            value={layout}
            options={[
              ["up", "u-v, upper half"],
              ["down", "u-v, lower half"],
              ["angles", "θ over φ"],
            ]}
            onChange={setLayout}
          />{" "}
          · <Choice label="Quantity" value={kind} options={KINDS} onChange={setKind} /> ·{" "}
          <Choice
            label="Component"
            value={component}
            options={Object.entries(SHORT).map(([k, n]) => [k, n || "total"] as const)}
            onChange={setComponent}
          />
          <RunChoice {...one} />
        </>
      }
      badges={data ? [{ text: `peak ${peakOf(data, first)}` }] : []}
    >
      <span hidden data-fetching={isFetching} />
      {map && (
        <HeatMap
          columns={map.columns}
          rows={map.rows}
          values={map.values}
          low={map.low}
          high={map.high}
          width_m={map.width}
          height_m={map.height}
          sides={map.sides}
          unit={illuminated(first) ? "dBsm" : "dBi"}
        />
      )}
    </Card>
  );
}

export function Pattern(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const one = useOneRun(props),
    first = one.run;
  const [kind, setKind] = useSetting<Kind>(props, "kind", "realized_gain");
  const [component, setComponent] = useSetting<string>(props, "component", "total");
  const { data, isFetching } = useQuery(
    field(
      projectId,
      first.line.number,
      "pattern",
      cursor,
      `&quantity=${kind}&component=${component}`,
    ),
  );
  const { data: detail } = useQuery(runDetail(projectId, first.line.number));
  const { data: looked } = useQuery({
    ...examination(detail?.document as unknown as Model, projectId),
    enabled: detail !== undefined,
  });
  const extent = useMemo(() => extentOf(looked), [looked]);
  const isIlluminated = illuminated(first),
    now = isIlluminated ? null : nearestFar(first, cursor);
  return (
    <Card
      title={isIlluminated ? "3-D RCS" : "Pattern"}
      note={
        isIlluminated ? (
          <>
            radar cross-section
            <RunChoice {...one} />
          </>
        ) : (
          <>
            <Choice label="Quantity" value={kind} options={KINDS} onChange={setKind} /> ·{" "}
            <Choice
              label="Component"
              value={component}
              options={Object.entries(SHORT).map(([k, n]) => [k, n || "total"] as const)}
              onChange={setComponent}
            />
            <RunChoice {...one} />
          </>
        )
      }
      badges={
        data
          ? [
              {
                text: `peak ${peakOf(data, first)}${component === "total" && now ? ` at θ ${fixed(now.peak_theta_deg, 0)}° φ ${fixed(now.peak_phi_deg, 0)}°` : ""}`,
              },
              { text: "centre = peak − 30 dB" },
            ]
          : []
      }
      extra={[
        [
          "Save the pattern as glTF",
          () =>
            location.assign(
              `/api/projects/${projectId}/runs/${first.line.number}/export/pattern.glb?frequency=${cursor}&quantity=${kind}&component=${component}`,
            ),
        ],
      ]}
    >
      <span hidden data-fetching={isFetching} />
      {data && looked && (
        <Scene extent={extent} from={[10, -12.5, 7.2]} zoom={150}>
          <Structure examination={looked} extent={extent} quiet />
          <PatternLens packet={data} extent={extent} />
        </Scene>
      )}
    </Card>
  );
}
