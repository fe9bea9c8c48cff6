/** Cards of lit runs: radar cross-section against frequency, in cuts and in space; cross-sections of power. */
import { useQueries } from "@tanstack/react-query";
import { max } from "d3-array";
import { useMemo } from "react";
import { evaluated } from "../../../api/queries";
import type { ScatteredCut } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { fixed, number, quantity, scaled } from "../../../format";
import { type Curve, LinePlot, ends } from "../../../plots/LinePlot";
import { Polar } from "../../../plots/Polar";
import { series } from "../../../plots/scale";
import { Card, Choice, Value, WithLegend } from "../Card";
import { CurveCard } from "../CurveCard";
import { type CardProps, useDesk, useSetting } from "../context";
import { useCurves } from "../curves";

const from = (theta: number, phi: number): string => `θ ${fixed(theta, 0)}° φ ${fixed(phi, 0)}°`;

export function CrossSection(props: CardProps) {
  const { shown } = useDesk();
  const [where, setWhere] = useSetting<"back" | "direction">(props, "where", "back");
  const [form, setForm] = useSetting<"dbsm" | "area">(props, "form", "dbsm");
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const rcs = where === "back" ? "rcs" : `rcs(${theta} deg, ${phi} deg)`;
  const light = shown[0]!.sweep.illuminations[0];
  return (
    <CurveCard
      props={props}
      title="Radar cross-section"
      lines={[{ formula: form === "dbsm" ? `db10(${rcs}/(1 m^2))` : rcs, name: "" }]}
      y={{ unit: form === "dbsm" ? "dBsm" : "m²" }}
      note={
        <>
          <Choice
            label="Where"
            value={where}
            options={[
              ["back", "back to the source"],
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
          )}{" "}
          ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["dbsm", "dBsm"],
              ["area", "m²"],
            ]}
            onChange={setForm}
          />
        </>
      }
      badges={(value) => [
        {
          text:
            form === "dbsm"
              ? `${fixed(value(0), 2)} dBsm`
              : value(0) === null
                ? "–"
                : quantity(value(0)!, "m²", 4),
        },
        ...(where === "back" && light
          ? [{ text: `at ${from(light.theta_deg, light.phi_deg)}` }]
          : []),
      ]}
    />
  );
}

const words = (section: string): string =>
  section.replace("_", " ").replace(/^received(\d+)$/, "received at port $1");

export function PowerSections(props: CardProps) {
  const { projectId, shown } = useDesk();
  const kinds = [
    "extinction",
    "scattered",
    "absorbed",
    ...(shown[0]!.sweep.layered ? ["scattered_below"] : []),
    ...(shown[0]!.sweep.receives ?? []).map((n) => `received${n}`),
  ];
  // The square of the unit of length that suits the largest.
  const { answers } = useCurves(
    projectId,
    shown.map((s) => `run ${s.line.number}`),
    [`${kinds[0]}_section`],
  );
  const side = Math.sqrt(max(answers.flat(), (a) => Math.abs(max(a?.re ?? []) ?? 0)) || 1),
    length = side > 0.3 ? "m" : scaled(side, "m").unit;
  return (
    <CurveCard
      props={props}
      title="Cross-sections of power"
      lines={(shown.length > 1 ? kinds.slice(0, 1) : kinds).map((k) => ({
        formula: `${k}_section/(1 ${length}^2)`,
        name: words(k),
      }))}
      y={{ unit: `${length}²` }}
      note={
        shown.length > 1
          ? "extinction"
          : `taken from the wave, scattered${shown[0]!.sweep.layered ? " (of that into the lowest layer)" : ""}, absorbed${shown[0]!.sweep.receives?.length ? " (of that received)" : ""}`
      }
      badges={(value) =>
        shown.length > 1
          ? []
          : kinds.map((k, n) => ({
              text: `${words(k)} ${value(n) === null ? "–" : number(value(n)!, 3)} ${length}²`,
            }))
      }
    />
  );
}

const POWERS = ["reflectance", "transmittance", "absorptance"];

/** What cells that are repeated without end do to a wave: of its power, or the straight waves alone. */
export function CellShares(props: CardProps) {
  const { shown } = useDesk();
  const [form, setForm] = useSetting<"share" | "db" | "phase">(props, "form", "db");
  const alone = shown.length === 1,
    kinds = form === "phase" ? ["reflection", "transmission"] : POWERS;
  const lines = (alone ? kinds : kinds.slice(1, 2)).map((k) => ({
    formula: form === "phase" ? `deg(arg(${k}))` : form === "db" ? `db10(${k})` : k,
    name: k,
  }));
  const unit = form === "phase" ? "°" : form === "db" ? "dB" : "";
  return (
    <CurveCard
      props={props}
      title="Sent back and let through"
      lines={lines}
      y={{ unit }}
      note={
        <>
          {form === "phase" ? "straight waves · " : "of the power · "}
          {!alone && <>{lines[0]!.name} · </>}
          <Choice
            label="Form"
            value={form}
            options={[
              ["db", "dB"],
              ["share", "share"],
              ["phase", "phase"],
            ]}
            onChange={setForm}
          />
        </>
      }
      badges={(value) =>
        lines.map((l, n) => ({
          text: `${l.name} ${value(n) === null ? "–" : `${fixed(value(n), form === "share" ? 4 : 2)} ${unit}`}`,
        }))
      }
    />
  );
}

const PLANES: [string, string][] = [
  ["0,90", "φ 0° and 90°"],
  ["0", "φ 0°"],
  ["90", "φ 90°"],
  ["45", "φ 45°"],
];
const BELOW_DB = 40;

export function ScatteredCuts(props: CardProps) {
  const { projectId, shown } = useDesk();
  const cursor = useFollowing();
  const [planes, setPlanes] = useSetting<string>(props, "planes", "0,90");
  const [form, setForm] = useSetting<"polar" | "cartesian">(props, "form", "cartesian");
  const { all, pending } = useQueries({
    queries: shown.map((s) =>
      evaluated<ScatteredCut[]>(
        projectId,
        s.line.number,
        `scattered?frequency=${cursor}&phi=${planes}`,
      ),
    ),
    combine: (q) => ({ all: q.map((r) => r.data), pending: q.some((r) => r.isFetching) }),
  });
  const stamp = shown.map((s) => s.color + s.label).join();
  const curves = useMemo(
    (): Curve[] =>
      all.flatMap((found, i) =>
        (found ?? []).map((c, k) => ({
          x: c.angle_deg,
          y: c.level_dbsm,
          ...(shown.length === 1
            ? series(k)
            : { color: shown[i]!.color, dash: k ? "2 3" : shown[i]!.dash }),
          label: shown.length === 1 ? `φ ${c.phi_deg}°` : `${shown[i]!.label} φ ${c.phi_deg}°`,
        })),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [all, stamp],
  );
  const top =
    Math.ceil(
      ends(
        curves.map((c) => c.y),
        1,
      )[1] / 5,
    ) * 5;
  return (
    <Card
      title="Scattered all round"
      note={
        <>
          <Choice label="Planes" value={planes} options={PLANES} onChange={setPlanes} /> ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["cartesian", "over angle"],
              ["polar", "polar"],
            ]}
            onChange={setForm}
          />
        </>
      }
      badges={curves.length ? [{ text: "angle from +z, beyond 180° on the other side" }] : []}
      table={
        curves[0] &&
        (() => ({
          columns: ["angle_deg", ...curves.map((c) => `${c.label}_dbsm`)],
          rows: Array.from(curves[0]!.x, (a, i) => [a, ...curves.map((c) => c.y[i] ?? null)]),
        }))
      }
    >
      <span hidden data-fetching={pending} />
      {curves.length > 0 &&
        (form === "polar" ? (
          <WithLegend lines={curves}>
            <Polar
              curves={curves.map((c) => ({
                angle: c.x,
                value: Array.from(c.y, (v) => v ?? NaN),
                color: c.color,
                dash: c.dash,
              }))}
              unit="dBsm"
            />
          </WithLegend>
        ) : (
          <LinePlot
            curves={curves}
            x={{ unit: "°", factor: 1, label: "θ" }}
            y={{ unit: "dBsm", domain: [top - BELOW_DB, top] }}
            labels
          />
        ))}
    </Card>
  );
}
