/** Cards of the far field: gain, efficiency, where the power goes, cuts, maps, the pattern in space, polarisation, phase centre. */
import { Canvas } from "@react-three/fiber";
import { OrbitControls } from "@react-three/drei";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { cuts, evaluated, examination, field, run as runDetail } from "../../../api/queries";
import type { Packet } from "../../../api/client";
import type { Cut, Model, PhaseCentre, Polarisation, Sweep } from "../../../api/types";
import { fixed, number, quantity, scaled } from "../../../format";
import { Ellipse } from "../../../plots/Ellipse";
import { HeatMap } from "../../../plots/HeatMap";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { Polar } from "../../../plots/Polar";
import { series } from "../../../plots/scale";
import { PatternLens } from "../../../stage/Lenses";
import { Structure } from "../../../stage/Structure";
import { extentOf } from "../../../stage/extent";
import { nearest, useAt, useFollowing } from "../../../app/cursor";
import { Card, Choice, RunChoice, Value, WithLegend } from "../Card";
import { CurveCard, type Line } from "../CurveCard";
import {
  type CardProps,
  type Shown,
  at,
  axis,
  illuminated,
  useDesk,
  useOneRun,
  useSetting,
} from "../context";
import { useReferenceCuts } from "../references";
import { span, uncertain } from "../values";

const KINDS = [
  ["realized_gain", "realized gain"],
  ["gain", "gain"],
  ["directivity", "directivity"],
] as const;
type Kind = (typeof KINDS)[number][0];
const COMPONENTS = {
  total: ["total"],
  "theta-phi": ["theta", "phi"],
  "co-cross": ["co", "cross"],
  "right-left": ["right", "left"],
} as const;
const COMPONENT_NAMES = [
  ["total", "all of it"],
  ["theta-phi", "Eθ and Eφ"],
  ["co-cross", "co and cross"],
  ["right-left", "right and left"],
] as const;
type Components = keyof typeof COMPONENTS;
const SHORT: Record<string, string> = {
  theta: "Eθ",
  phi: "Eφ",
  co: "co",
  cross: "cross",
  right: "RHCP",
  left: "LHCP",
  total: "",
};

export function Gain(props: CardProps) {
  const { shown } = useDesk();
  const [kind, setKind] = useSetting<Kind | "both">(props, "kind", "both");
  const [where, setWhere] = useSetting<"peak" | "direction">(props, "where", "peak");
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const way = where === "peak" ? "" : `(${theta} deg, ${phi} deg)`;
  const kinds: Kind[] =
    kind === "both" ? (shown.length > 1 ? ["realized_gain"] : ["realized_gain", "gain"]) : [kind];
  const lines: Line[] = kinds.map((k) => ({
    formula: `db10(${k}${way})`,
    name: k.replace("realized_gain", "realized"),
  }));
  const error = shown[0]!.sweep.errors.gain_db;
  return (
    <CurveCard
      props={props}
      title={where === "peak" ? "Peak gain" : "Gain in a direction"}
      lines={lines}
      y={{ unit: "dBi" }}
      note={
        <>
          <Choice
            label="Quantity"
            value={kind}
            options={[["both", "realized and gain"], ...KINDS]}
            onChange={setKind}
          />{" "}
          ·{" "}
          <Choice
            label="Where"
            value={where}
            options={[
              ["peak", "at its peak"],
              ["direction", "in a direction"],
            ]}
            onChange={setWhere}
          />
          {where === "direction" && (
            <>
              {" "}
              <Value label="θ" value={theta} unit="°" onChange={setTheta} />{" "}
              <Value label="φ" value={phi} unit="°" onChange={setPhi} />
            </>
          )}
        </>
      }
      badges={(value, cursor) => [
        ...lines.map((l, k) => ({
          text: `${l.name} ${uncertain(value(k) ?? NaN, k === 0 ? error : null, 2)} dBi`,
        })),
        ...(where === "peak"
          ? [
              {
                text: `at θ ${fixed(nearestFar(shown[0]!, cursor).peak_theta_deg, 0)}° φ ${fixed(nearestFar(shown[0]!, cursor).peak_phi_deg, 0)}°`,
              },
            ]
          : []),
      ]}
    />
  );
}

/** Where accepted power goes that is not radiated, where it is worth a word. */
function lost(share: Sweep["power_share"], i: number): { text: string }[] {
  const accepted = share.accepted?.[i] ?? NaN;
  return (["conductor", "dielectric", "loads"] as const)
    .map((name) => ({ name, part: (100 * (share[name]?.[i] ?? 0)) / accepted }))
    .filter((l) => l.part >= 0.1)
    .map((l) => ({ text: `${l.name} ${fixed(l.part, 1)} %` }));
}

/** The largest level of a pattern with its error. */
function peakOf(data: Packet, run: Shown): string {
  const { gain_db, rcs_db } = run.sweep.errors,
    lit = illuminated(run);
  return `${uncertain(Number(data.header.peak_dbi), lit ? rcs_db : gain_db, 2)} ${lit ? "dBsm" : "dBi"}`;
}

export function Efficiency(props: CardProps) {
  const { shown } = useDesk();
  const first = shown[0]!;
  const off = first.sweep.errors.efficiency,
    percent = (v: number | null): string =>
      `${uncertain(v ?? NaN, off === null ? null : 100 * off, 1)} %`;
  const both: Line[] = [
    { formula: "100*total_efficiency", name: "total" },
    { formula: "100*radiation_efficiency", name: "radiation" },
  ];
  return (
    <CurveCard
      props={props}
      title="Efficiency"
      note={shown.length > 1 ? "total, %" : "%"}
      lines={shown.length > 1 ? both.slice(0, 1) : both}
      y={{ unit: "%", domain: [0, 105] }}
      badges={(value, cursor) => [
        ...(shown.length > 1 ? [] : [{ text: `radiation ${percent(value(1))}` }]),
        { text: `total ${percent(value(0))}` },
        ...lost(first.sweep.power_share, at(first, cursor)),
      ]}
    />
  );
}

const PLANES: [string, string][] = [
  ["phi=0,phi=90", "φ = 0° and 90°"],
  ["phi=0,theta=90", "φ = 0° and θ = 90°"],
  ["phi=0", "φ = 0°"],
  ["phi=90", "φ = 90°"],
  ["phi=45", "φ = 45°"],
  ["theta=90", "θ = 90°"],
];
const degrees = (v: number | null): string => (v === null ? "–" : `${v.toFixed(0)}°`);
const decibels = (v: number | null): string => (v === null ? "–" : fixed(v, 1));
const planeName = (p: string): string =>
  p.replace("phi", "φ").replace("theta", "θ").replace("=", " ") + "°";

export function Cuts(props: CardProps) {
  const { projectId, shown, references } = useDesk();
  const cursor = useFollowing();
  const [planes, setPlanes] = useSetting<string>(props, "planes", PLANES[0]![0]);
  const [form, setForm] = useSetting<"polar" | "cartesian">(props, "form", "polar");
  const [kind, setKind] = useSetting<Kind>(props, "kind", "realized_gain");
  const [components, setComponents] = useSetting<Components>(props, "components", "total");
  const [reference, setReference] = useSetting<number>(props, "reference", 0);
  const parts = COMPONENTS[components];
  const { data: all, isFetching } = useQuery(
    cuts(
      projectId,
      shown.map((s) => s.line.number),
      cursor,
      planes,
      `&quantity=${kind}&component=${parts.join()}&reference=${reference}`,
    ),
  );
  const given = useReferenceCuts(projectId, references, kind);
  const key = shown.map((s) => s.color + s.dash + s.label).join() + planes + components;
  const lines = useMemo(
    () => [
      ...(all ?? []).slice(0, shown.length * parts.length).flatMap((data: Cut[], q) =>
        data.map((c, k) => {
          const s = shown[Math.floor(q / parts.length)]!,
            part = parts[q % parts.length]!,
            alone = shown.length === 1;
          const style = alone
            ? series(parts.length > 1 ? 2 * k + (q % parts.length) : k)
            : { color: s.color, dash: k + (q % parts.length) > 0 ? "2 3" : s.dash };
          return {
            angle: c.angle_deg,
            value: c.level_dbi,
            ...style,
            label: [alone ? "" : s.label, planeName(c.plane), SHORT[part]]
              .filter(Boolean)
              .join(" "),
            legend: alone ? [planeName(c.plane), SHORT[part]].filter(Boolean).join(" ") : s.label,
          };
        }),
      ),
      ...given.map((g) => ({ ...g, legend: g.label })),
    ],
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [all, key, given],
  );
  const first = all?.[0];
  const curves = useMemo(
    (): Curve[] =>
      lines.map((l) => ({ x: l.angle, y: l.value, color: l.color, dash: l.dash, label: l.label })),
    [lines],
  );
  const top =
    Math.ceil(
      Math.max(-90, ...lines.map((l) => l.value.reduce((a, b) => Math.max(a, b), -200))) / 5,
    ) * 5;
  return (
    <Card
      title="Cuts"
      note={
        <>
          <Choice label="Planes" value={planes} options={PLANES} onChange={setPlanes} /> ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["polar", "polar"],
              ["cartesian", "over angle"],
            ]}
            onChange={setForm}
          />{" "}
          · <Choice label="Quantity" value={kind} options={KINDS} onChange={setKind} /> ·{" "}
          <Choice
            label="Components"
            value={components}
            options={COMPONENT_NAMES}
            onChange={setComponents}
          />
          {components === "co-cross" && (
            <>
              {" "}
              <Value label="co along" value={reference} unit="°" onChange={setReference} />
            </>
          )}
        </>
      }
      badges={
        first
          ? [
              { text: `HPBW ${first.map((c) => degrees(c.beamwidth_deg)).join(" / ")}` },
              { text: `F/B ${first.map((c) => decibels(c.front_to_back_db)).join(" / ")} dB` },
              ...(first.some((c) => c.first_side_lobe_db !== null)
                ? [
                    {
                      text: `first side lobe ${first.map((c) => decibels(c.first_side_lobe_db)).join(" / ")} dB`,
                    },
                  ]
                : []),
            ]
          : []
      }
      table={
        first &&
        (() => ({
          columns: ["angle_deg", ...lines.map((l) => `${l.label}_dbi`)],
          rows: first[0]!.angle_deg.map((a, i) => [a, ...lines.map((l) => l.value[i] ?? null)]),
        }))
      }
    >
      <span hidden data-fetching={isFetching} />
      {lines.length > 0 &&
        (form === "polar" ? (
          <WithLegend lines={lines.map((l) => ({ ...l, label: l.legend }))}>
            <Polar curves={lines} />
          </WithLegend>
        ) : (
          <LinePlot
            curves={curves}
            x={{ unit: "°", factor: 1, label: planes.startsWith("theta") ? "φ" : "θ" }}
            y={{ unit: "dBi", domain: [top - 40, top] }}
            labels
          />
        ))}
    </Card>
  );
}

const MAP_SIZE = 161,
  MAP_STEP = 2,
  MAP_DB = 30;

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
  const lit = illuminated(first),
    now = lit ? null : nearestFar(first, cursor);
  return (
    <Card
      title={lit ? "Scattered in space" : "Pattern"}
      note={
        lit ? (
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
              { text: "30 dB to the middle" },
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
        <Canvas
          flat
          orthographic
          frameloop="demand"
          dpr={[1, 2]}
          gl={{ preserveDrawingBuffer: true, antialias: true }}
          camera={{ near: -100, far: 200, zoom: 150, position: [10, -12.5, 7.2], up: [0, 0, 1] }}
        >
          <ambientLight intensity={2.1} />
          <directionalLight position={[3, -4, 8]} intensity={1.7} />
          <OrbitControls enableDamping={false} />
          <group
            scale={1 / extent.size}
            position={extent.center.map((c) => -c / extent.size) as [number, number, number]}
          >
            <Structure examination={looked} extent={extent} quiet />
            <PatternLens packet={data} extent={extent} />
          </group>
        </Canvas>
      )}
    </Card>
  );
}

export function AxialRatio(props: CardProps) {
  const { projectId, shown } = useDesk();
  const cursor = useFollowing();
  const [over, setOver] = useSetting<"frequency" | "angle">(props, "over", "frequency");
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const toggle = (
    <Choice
      label="Over"
      value={over}
      options={[
        ["frequency", "over frequency"],
        ["angle", "over θ"],
      ]}
      onChange={setOver}
    />
  );
  const { data: all } = useQuery({
    ...cuts(
      projectId,
      shown.map((s) => s.line.number),
      cursor,
      `phi=${phi}`,
    ),
    enabled: over === "angle",
  });
  const key = shown.map((s) => s.color + s.dash + s.label).join();
  const curves = useMemo(
    (): Curve[] =>
      (all ?? []).slice(0, shown.length).flatMap((d, i) =>
        d[0]
          ? [
              {
                x: d[0].angle_deg,
                y: d[0].axial_ratio_db.map((v) => (v === null ? null : Math.abs(v))),
                color: shown[i]!.color,
                dash: shown[i]!.dash,
                label: shown.length > 1 ? shown[i]!.label : undefined,
              },
            ]
          : [],
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [all, key],
  );
  if (over === "frequency") {
    return (
      <CurveCard
        props={props}
        title="Axial ratio"
        lines={[{ formula: `db20(axial_ratio(${theta} deg, ${phi} deg))`, name: "" }]}
        limits={[{ y: 3 }]}
        y={{ unit: "dB", fit: (_, high) => [0, Math.min(40, Math.max(6, Math.ceil(high)))] }}
        note={
          <>
            {toggle} <Value label="θ" value={theta} unit="°" onChange={setTheta} />{" "}
            <Value label="φ" value={phi} unit="°" onChange={setPhi} />
          </>
        }
        badges={(value) => [
          {
            text: `${fixed(value(0), 1)} dB at the cursor${(value(0) ?? 0) > 40 ? ": linear" : ""}`,
          },
        ]}
      />
    );
  }
  return (
    <Card
      title="Axial ratio"
      note={
        <>
          {toggle} <Value label="φ" value={phi} unit="°" onChange={setPhi} />
        </>
      }
      table={
        curves[0] &&
        (() => ({
          columns: ["theta_deg", "axial_ratio_db"],
          rows: Array.from(curves[0]!.x, (a, i) => [a, curves[0]!.y[i] ?? null]),
        }))
      }
    >
      {curves.length > 0 && (
        <LinePlot
          curves={curves}
          x={{ unit: "°", factor: 1, label: "θ" }}
          y={{ unit: "dB", domain: [0, 40] }}
          limits={[{ y: 3 }]}
          labels
        />
      )}
    </Card>
  );
}

export function PolarisationCard(props: CardProps) {
  const { projectId } = useDesk();
  const cursor = useFollowing();
  const one = useOneRun(props),
    first = one.run;
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const { data, error } = useQuery({
    ...evaluated<Polarisation>(
      projectId,
      first.line.number,
      `polarisation?frequency=${cursor}&theta=${theta}&phi=${phi}`,
    ),
    retry: false,
  });
  const linear = (data?.axial_ratio_db ?? 0) > 40;
  return (
    <Card
      title="Polarisation"
      note={
        <>
          towards <Value label="θ" value={theta} unit="°" onChange={setTheta} />{" "}
          <Value label="φ" value={phi} unit="°" onChange={setPhi} />
          <RunChoice {...one} />
        </>
      }
      badges={
        data
          ? [
              { text: linear ? "linear" : `axial ratio ${fixed(data.axial_ratio_db, 1)} dB` },
              ...(linear ? [] : [{ text: data.right ? "right-hand" : "left-hand" }]),
              { text: `tilt ${fixed(data.tilt_deg, 0)}° from θ̂` },
            ]
          : []
      }
    >
      {error && <p className="text-ink2">{error.message}.</p>}
      {data && !error && (
        <div className="flex h-full gap-3">
          <div className="min-w-0 flex-1">
            <Ellipse
              ratio={10 ** (-data.axial_ratio_db / 20)}
              tilt={(data.tilt_deg * Math.PI) / 180}
              right={data.right}
              linear={linear}
            />
          </div>
          <table className="num h-fit w-36 self-center text-[12px]">
            <tbody>
              {(
                [
                  ["total", "total"],
                  ["theta", "Eθ"],
                  ["phi", "Eφ"],
                  ["right", "RHCP"],
                  ["left", "LHCP"],
                ] as const
              ).map(([k, n]) => (
                <tr key={k} className="border-b border-faint">
                  <td className="py-0.5 font-sans text-ink2">{n}</td>
                  <td className="text-right">
                    {data.realized_gain_dbi[k] <= -99
                      ? "none"
                      : `${fixed(data.realized_gain_dbi[k], 1)} dBi`}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Card>
  );
}

const AXES = ["x", "y", "z"] as const;

export function PhaseCentreCard(props: CardProps) {
  const { projectId, shown } = useDesk();
  const one = useOneRun(props),
    first = one.run;
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const [cone, setCone] = useSetting<number>(props, "cone", 30);
  const { data, error } = useQuery({
    ...evaluated<PhaseCentre>(
      projectId,
      first.line.number,
      `phase-centre?theta=${theta}&phi=${phi}&cone=${cone}`,
    ),
    retry: false,
  });
  const length = useMemo(
    () =>
      scaled(Math.max(...(data?.rows ?? []).flatMap((r) => r.place_m.map(Math.abs)), 1e-12), "m"),
    [data],
  );
  const curves = useMemo(
    (): Curve[] =>
      data
        ? AXES.map((a, k) => ({
            x: data.rows.map((r) => r.frequency_hz),
            y: data.rows.map((r) => r.place_m[k]! / length.factor),
            ...series(k),
            label: a,
          }))
        : [],
    [data, length.factor],
  );
  return (
    <Card
      title="Phase centre"
      note={
        <>
          cone of <Value label="±" value={cone} unit="°" onChange={setCone} /> about{" "}
          <Value label="θ" value={theta} unit="°" onChange={setTheta} />{" "}
          <Value label="φ" value={phi} unit="°" onChange={setPhi} />
          <RunChoice {...one} />
        </>
      }
      live={(cursor) => {
        const now = data?.rows[nearest(data.rows, cursor, (r) => r.frequency_hz)];
        return now
          ? [
              {
                text: `(${now.place_m.map((v) => fixed(v / length.factor, 1)).join(", ")}) ${length.unit}`,
              },
              {
                text: `phase within ±${fixed(now.largest_deg, 1)}° of half power`,
                good: now.largest_deg < 10,
              },
            ]
          : [];
      }}
      table={
        data &&
        (() => ({
          columns: ["frequency_hz", "x_m", "y_m", "z_m", "rms_deg"],
          rows: data.rows.map((r) => [r.frequency_hz, ...r.place_m, r.rms_deg]),
        }))
      }
    >
      {error ? (
        <p className="text-ink2">{error.message}.</p>
      ) : (
        curves.length > 0 && (
          <LinePlot curves={curves} x={axis(shown)} y={{ unit: length.unit }} follow labels />
        )
      )}
    </Card>
  );
}

const SHARES: [string, string, string][] = [
  ["radiated", "radiated", "var(--heron)"],
  ["conductor_loss", "conductors", "var(--rust)"],
  ["dielectric_loss", "media", "var(--moss)"],
  ["load_loss", "loads", "var(--plum)"],
  ["mismatch", "not accepted", "var(--steel)"],
];

/** Where the available power ends up: over the band by kind, or at the cursor part by part. */
export function PowerShare(props: CardProps) {
  const [view, setView] = useSetting<"band" | "cursor">(props, "view", "band");
  const choice = (
    <>
      <Choice
        label="View"
        value={view}
        options={[
          ["band", "over the band"],
          ["cursor", "at the cursor, by part"],
        ]}
        onChange={setView}
      />{" "}
      · of the available power
    </>
  );
  if (view === "band") {
    return (
      <CurveCard
        props={props}
        stack
        title="Where the power goes"
        note={choice}
        y={{ unit: "%", domain: [0, 100] }}
        lines={SHARES.map(([name, label, color]) => ({
          formula: `100*${name}`,
          name: label,
          color,
        }))}
        badges={(value) =>
          SHARES.map(([, label], k) => ({ label, v: value(k) }))
            .filter((s) => Math.abs(s.v ?? 0) >= 0.05)
            .map((s) => ({ text: `${s.label} ${fixed(s.v, 1)} %` }))
        }
      />
    );
  }
  return <ShareBars choice={choice} />;
}

function ShareBars({ choice }: { choice: React.ReactNode }) {
  const { shown } = useDesk();
  const { sweep } = shown[0]!,
    i = at(shown[0]!, useAt());
  const share = (name: string): number => sweep.power_share[name]?.[i] ?? 0;
  const parts = Object.entries(sweep.absorbed_share).map(
    ([name, values]): [string, number, string] => [name, values[i] ?? 0, "var(--rust)"],
  );
  const rows: [string, number, string][] = [
    ["radiated", share("radiated"), "var(--heron)"],
    ["not accepted", 1 - share("accepted"), "var(--steel)"],
    ...(parts.length
      ? parts
      : ([
          ["conductors", share("conductor"), "var(--rust)"],
          ["media", share("dielectric"), "var(--rust)"],
        ] as [string, number, string][])),
    ["loads", share("loads"), "var(--plum)"],
  ];
  const table = rows.filter(([, v]) => Math.abs(v) >= 5e-5);
  return (
    <Card
      title="Where the power goes"
      note={choice}
      badges={[
        { text: `${fixed(100 * table.reduce((sum, [, v]) => sum + v, 0), 1)} % accounted for` },
      ]}
      table={() => ({
        columns: ["frequency_hz", "radiated", "accepted", ...Object.keys(sweep.absorbed_share)],
        rows: sweep.frequency_hz.map((f, k) => [
          f,
          sweep.power_share.radiated?.[k] ?? null,
          sweep.power_share.accepted?.[k] ?? null,
          ...Object.values(sweep.absorbed_share).map((v) => v[k] ?? null),
        ]),
      })}
    >
      <ul className="mt-1 h-full overflow-y-auto">
        {table.map(([name, value, tone]) => (
          <li key={name} className="grid grid-cols-[7.5rem_1fr_4rem] items-center gap-2 py-[3px]">
            <span className="truncate" title={name}>
              {name}
            </span>
            <span className="h-2 rounded-sm bg-faint">
              <span
                className="block h-full rounded-sm"
                style={{ width: `${Math.min(100, Math.max(0, 100 * value))}%`, background: tone }}
              />
            </span>
            <span className="num text-right">{fixed(100 * value, value < 0.0995 ? 2 : 1)} %</span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

/** Figures of one frequency, in words and numbers. */
export function Figures() {
  const { shown } = useDesk();
  const cursor = useAt();
  const rows: [string, (s: (typeof shown)[number]) => string][] = [
    ["Frequency", (s) => quantity(nearestFar(s, cursor).frequency_hz, "Hz", 5)],
    [
      "Directivity",
      (s) => `${uncertain(nearestFar(s, cursor).directivity_dbi, s.sweep.errors.gain_db, 2)} dBi`,
    ],
    ["Gain", (s) => `${uncertain(nearestFar(s, cursor).gain_dbi, s.sweep.errors.gain_db, 2)} dBi`],
    [
      "Realized gain",
      (s) => `${uncertain(nearestFar(s, cursor).realized_gain_dbi, s.sweep.errors.gain_db, 2)} dBi`,
    ],
    [
      "Radiation efficiency",
      (s) =>
        `${uncertain(100 * nearestFar(s, cursor).radiation_efficiency, 100 * (s.sweep.errors.efficiency ?? 0), 1)} %`,
    ],
    [
      "Total efficiency",
      (s) =>
        `${uncertain(100 * nearestFar(s, cursor).total_efficiency, 100 * (s.sweep.errors.efficiency ?? 0), 1)} %`,
    ],
    [
      "Peak at",
      (s) =>
        `θ ${fixed(nearestFar(s, cursor).peak_theta_deg, 0)}° φ ${fixed(nearestFar(s, cursor).peak_phi_deg, 0)}°`,
    ],
    ["Lowest |S11|", (s) => String((s.line.headline as { text?: string }).text ?? "–")],
    ["−10 dB band", (s) => bandText(s, "-10 dB")],
    ["VSWR 2 band", (s) => bandText(s, "VSWR 2")],
    [
      "Resonance",
      (s) => {
        const r = s.sweep.badges[String(s.sweep.ports[0])]?.resonances[0];
        return r
          ? `${quantity(r.frequency_hz, "Hz", 4)}${r.q ? `, Q ${number(r.q, 2)}` : ""}`
          : "none in the band";
      },
    ],
  ];
  const shownRuns = shown.slice(0, 6);
  return (
    <Card
      title="Figures"
      note="at the cursor"
      table={() => ({
        columns: [
          "run",
          "directivity_dbi",
          "gain_dbi",
          "realized_gain_dbi",
          "radiation_efficiency",
          "total_efficiency",
        ],
        rows: shown.map((s) => {
          const f = nearestFar(s, cursor);
          return [
            s.line.number,
            f.directivity_dbi,
            f.gain_dbi,
            f.realized_gain_dbi,
            f.radiation_efficiency,
            f.total_efficiency,
          ];
        }),
      })}
    >
      <div className="h-full overflow-auto">
        <table className="w-full text-[12px]">
          {shownRuns.length > 1 && (
            <thead>
              <tr>
                <th />{" "}
                {shownRuns.map((s) => (
                  <th key={s.line.number} className="num pl-3 text-right font-medium">
                    {s.label}
                  </th>
                ))}
              </tr>
            </thead>
          )}
          <tbody>
            {rows.map(([name, of]) => (
              <tr key={name} className="border-b border-faint">
                <td className="whitespace-nowrap py-[3px] text-ink2">{name}</td>
                {shownRuns.map((s) => (
                  <td key={s.line.number} className="num whitespace-nowrap pl-3 text-right">
                    {of(s)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Card>
  );
}

const nearestFar = (s: { sweep: Sweep }, cursor: number): Sweep["far_field"][number] =>
  s.sweep.far_field[nearest(s.sweep.far_field, cursor, (f) => f.frequency_hz)]!;

function bandText(s: { sweep: Sweep }, name: "-10 dB" | "VSWR 2"): string {
  const band = s.sweep.badges[String(s.sweep.ports[0])]?.bands[name]?.[0];
  return band ? `${span(band)}, ${number(100 * band.relative, 3)} %` : "none";
}
