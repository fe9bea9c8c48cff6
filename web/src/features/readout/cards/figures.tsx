/** The figures of all ticked runs side by side. */
import type { Sweep } from "../../../api/types";
import { nearest, useAt } from "../../../app/cursor";
import { fixed, number, quantity } from "../../../format";
import { Card } from "../Card";
import { type Shown, useDesk } from "../context";
import { span, uncertain } from "../values";

const NONE = "–"; // where nothing is radiated

const level = (s: Shown, dbi: number | null): string =>
  dbi === null ? NONE : `${uncertain(dbi, s.sweep.errors.gain_db, 2)} dBi`;
const share = (s: Shown, of: number | null): string =>
  of === null ? NONE : `${uncertain(100 * of, 100 * (s.sweep.errors.efficiency ?? 0), 1)} %`;

/** Figures of one frequency, in words and numbers. */
export function Figures() {
  const { shown } = useDesk();
  const cursor = useAt();
  const rows: [string, (s: (typeof shown)[number]) => string][] = [
    ["Frequency", (s) => quantity(nearestFar(s, cursor).frequency_hz, "Hz", 5)],
    ["Directivity", (s) => level(s, nearestFar(s, cursor).directivity_dbi)],
    ["Gain", (s) => level(s, nearestFar(s, cursor).gain_dbi)],
    ["Realized gain", (s) => level(s, nearestFar(s, cursor).realized_gain_dbi)],
    ["Radiation efficiency", (s) => share(s, nearestFar(s, cursor).radiation_efficiency)],
    ["Total efficiency", (s) => share(s, nearestFar(s, cursor).total_efficiency)],
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

export const nearestFar = (s: { sweep: Sweep }, cursor: number): Sweep["far_field"][number] =>
  s.sweep.far_field[nearest(s.sweep.far_field, cursor, (f) => f.frequency_hz)]!;

function bandText(s: { sweep: Sweep }, name: "-10 dB" | "VSWR 2"): string {
  const band = s.sweep.badges[String(s.sweep.ports[0])]?.bands[name]?.[0];
  return band ? `${span(band)}, ${number(100 * band.relative, 3)} %` : "none";
}
