/** Cuts of patterns, with the figures of their lobes. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { cuts } from "../../../api/queries";
import type { Cut } from "../../../api/types";
import { useFollowing } from "../../../app/cursor";
import { fixed } from "../../../format";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { Polar } from "../../../plots/Polar";
import { series } from "../../../plots/scale";
import { Card, Choice, Value, WithLegend } from "../Card";
import { type CardProps, useDesk, useSetting } from "../context";
import { useReferenceCuts } from "../references";
import { COMPONENTS, COMPONENT_NAMES, type Components, KINDS, type Kind, SHORT } from "./pattern";

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
