/** Gain, efficiency and where the power goes, over frequency. */
import type { Sweep } from "../../../api/types";
import { useAt } from "../../../app/cursor";
import { fixed } from "../../../format";
import { Card, Choice, Value } from "../Card";
import { CurveCard, type Line } from "../CurveCard";
import { type CardProps, at, useDesk, useSetting } from "../context";
import { uncertain } from "../values";
import { nearestFar } from "./figures";
import { KINDS, type Kind } from "./pattern";

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

const SHARES: [string, string, string][] = [
  ["radiated", "radiated", "var(--heron)"],
  ["conductor_loss", "conductors", "var(--rust)"],
  ["dielectric_loss", "dielectrics", "var(--moss)"],
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
          ["dielectrics", share("dielectric"), "var(--rust)"],
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
