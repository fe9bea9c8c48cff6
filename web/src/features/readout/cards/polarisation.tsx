/** Polarisation in a direction, and the phase centre. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { cuts, evaluated } from "../../../api/queries";
import type { PhaseCentre, Polarisation } from "../../../api/types";
import { nearest, useFollowing } from "../../../app/cursor";
import { fixed, scaled } from "../../../format";
import { Ellipse } from "../../../plots/Ellipse";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { series } from "../../../plots/scale";
import { Card, Choice, RunChoice, Value } from "../Card";
import { CurveCard } from "../CurveCard";
import { type CardProps, useAxis, useDesk, useOneRun, useSetting } from "../context";

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
  const axis = useAxis(shown);
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
          <LinePlot curves={curves} x={axis} y={{ unit: length.unit }} follow labels />
        )
      )}
    </Card>
  );
}
