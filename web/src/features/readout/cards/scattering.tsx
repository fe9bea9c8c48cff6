/** Cards of illuminated runs: radar cross-section against frequency, in cuts and in space; cross-sections of power. */
import { useQueries } from "@tanstack/react-query";
import { max } from "d3-array";
import { useMemo } from "react";
import { evaluated } from "../../../api/queries";
import type { ScatteredCut } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { area, areaUnit, fixed, number } from "../../../format";
import { type Curve, LinePlot, ends } from "../../../plots/LinePlot";
import { Polar } from "../../../plots/Polar";
import { series } from "../../../plots/scale";
import { Card, Choice, Value, WithLegend } from "../Card";
import { CurveCard } from "../CurveCard";
import { type CardProps, type Shown, useDesk, useSetting } from "../context";
import { useCurves } from "../curves";

const from = (theta: number, phi: number): string => `θ ${fixed(theta, 0)}° φ ${fixed(phi, 0)}°`;

/** The unit of area that suits the largest value of a formula in m². */
function useAreaUnit(shown: Shown[], formula: string): { unit: string; factor: number } {
  const { projectId } = useDesk();
  const { answers } = useCurves(
    projectId,
    shown.map((s) => `run ${s.line.number}`),
    [formula],
  );
  return areaUnit(max(answers.flat(), (a) => Math.abs(max(a?.re ?? []) ?? 0)) || 1);
}

export function CrossSection(props: CardProps) {
  const { shown } = useDesk();
  const [where, setWhere] = useSetting<"back" | "direction">(props, "where", "back");
  const small = shown[0]!.sweep.by_wavelength;
  const [form, setForm] = useSetting<"dbsm" | "area">(props, "form", small ? "area" : "dbsm");
  const [theta, setTheta] = useSetting<number>(props, "theta", 0);
  const [phi, setPhi] = useSetting<number>(props, "phi", 0);
  const rcs = where === "back" ? "rcs" : `rcs(${theta} deg, ${phi} deg)`;
  const light = shown[0]!.sweep.illuminations[0];
  const unit = useAreaUnit(shown, rcs);
  return (
    <CurveCard
      props={props}
      title={where === "back" ? "Monostatic RCS" : "Bistatic RCS"}
      lines={[
        {
          formula: form === "dbsm" ? `db10(${rcs}/(1 m^2))` : `${rcs}/(${unit.factor} m^2)`,
          name: "",
        },
      ]}
      y={{ unit: form === "dbsm" ? "dBsm" : unit.unit }}
      note={
        <>
          <Choice
            label="Where"
            value={where}
            options={[
              ["back", "monostatic"],
              ["direction", "bistatic, towards"],
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
              ["area", unit.unit],
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
              : `${value(0) === null ? "–" : number(value(0)!, 4)} ${unit.unit}`,
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
  const { shown } = useDesk();
  const kinds = [
    "extinction",
    "scattered",
    "absorbed",
    ...(shown[0]!.sweep.layered ? ["scattered_below"] : []),
    ...(shown[0]!.sweep.receives ?? []).map((n) => `received${n}`),
  ];
  const { unit, factor } = useAreaUnit(shown, `${kinds[0]}_section`);
  return (
    <CurveCard
      props={props}
      title="Extinction, scattering, absorption"
      lines={(shown.length > 1 ? kinds.slice(0, 1) : kinds).map((k) => ({
        formula: `${k}_section/(${factor} m^2)`,
        name: words(k),
      }))}
      y={{ unit }}
      note={
        shown.length > 1
          ? "extinction"
          : `cross-sections${shown[0]!.sweep.layered ? ", scattering also into the lowest layer" : ""}${shown[0]!.sweep.receives?.length ? ", absorption also by ports" : ""}`
      }
      badges={(value) =>
        shown.length > 1
          ? []
          : kinds.map((k, n) => ({
              text: `${words(k)} ${value(n) === null ? "–" : number(value(n)!, 3)} ${unit}`,
            }))
      }
    />
  );
}

const POWERS = ["reflectance", "transmittance", "absorptance"];

/** What cells that are repeated without end do to a wave: of its power, or the zero-order waves alone. */
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
      title="Reflection and transmission"
      lines={lines}
      y={{ unit }}
      note={
        <>
          {form === "phase" ? "zero-order wave · " : "of the power · "}
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
  const [form, setForm] = useSetting<"polar" | "cartesian" | "area">(
    props,
    "form",
    shown[0]!.sweep.by_wavelength ? "area" : "cartesian",
  );
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
  const { unit, factor } = areaUnit(
    max(all.flat(), (c) => area(max(c?.level_dbsm ?? []) ?? -Infinity)) || 1,
  );
  const inArea = form === "area";
  const curves = useMemo(
    (): Curve[] =>
      all.flatMap((found, i) =>
        (found ?? []).map((c, k) => ({
          x: c.angle_deg,
          y: inArea ? c.level_dbsm.map((v) => area(v) / factor) : c.level_dbsm,
          ...(shown.length === 1
            ? series(k)
            : { color: shown[i]!.color, dash: k ? "2 3" : shown[i]!.dash }),
          label: shown.length === 1 ? `φ ${c.phi_deg}°` : `${shown[i]!.label} φ ${c.phi_deg}°`,
        })),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [all, stamp, inArea, factor],
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
      title="Bistatic RCS cuts"
      note={
        <>
          <Choice label="Planes" value={planes} options={PLANES} onChange={setPlanes} /> ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["cartesian", "dBsm over angle"],
              ["area", `${unit} over angle`],
              ["polar", "dBsm, polar"],
            ]}
            onChange={setForm}
          />
        </>
      }
      badges={curves.length ? [{ text: "angle from +z, beyond 180° on the other side" }] : []}
      table={
        curves[0] &&
        (() => ({
          columns: ["angle_deg", ...curves.map((c) => `${c.label}_${inArea ? unit : "dbsm"}`)],
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
            y={inArea ? { unit } : { unit: "dBsm", domain: [top - BELOW_DB, top] }}
            labels
          />
        ))}
    </Card>
  );
}
