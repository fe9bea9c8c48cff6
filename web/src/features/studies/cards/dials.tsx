/** Dials: sliders of a study's parameters, and what the surrogate of its variants says at once. */
import { useMutation } from "@tanstack/react-query";
import { useMemo } from "react";
import { call } from "../../../api/client";
import { client, study as studyOf } from "../../../api/queries";
import { useFollowing } from "../../../app/cursor";
import { number, quantity, scaled } from "../../../format";
import { type Curve, LinePlot } from "../../../plots/LinePlot";
import { Button } from "../../../ui/Button";
import { type Badge, Card, Choice, Nothing } from "../../readout/Card";
import { type CardProps, useDesk, useSetting } from "../../readout/context";
import { headerOf, impedance, levels, phases, predicted } from "../surrogate";
import { useDials, useStudy } from "../useStudy";

const STEPS = 400;

/** Sliders, and what is known best where they stand. */
export function StudyDials(props: CardProps) {
  const own = useStudy(props);
  const { writable } = useDesk();
  const dials = useDials(own);
  const header = dials.packet && headerOf(dials.packet);
  const s11 = useMemo(
    () => (dials.packet ? predicted(dials.packet, "s11", dials.values) : null),
    [dials.packet, dials.values],
  );
  const solve = useMutation({
    mutationFn: () => {
      const point = [...header!.first];
      header!.variables.forEach((v, k) => (point[v.place] = dials.values[k]!));
      return call("POST", `/projects/${own.projectId}/studies/${own.number}/beside`, { point });
    },
    onSuccess: () =>
      client.invalidateQueries({ queryKey: studyOf(own.projectId, own.number).queryKey }),
  });
  const pending = own.study?.variants.some(
    (v) => v.beside && v.status !== "finished" && v.status !== "failed",
  );
  const badges: Badge[] = [];
  if (s11) {
    const l = levels(s11);
    let best = 0;
    l.y.forEach((y, i) => y < l.y[best]! && (best = i));
    badges.push({
      text: `${number(l.y[best]!, 3)} dB (${number(l.low[best]!, 3)} to ${number(l.high[best]!, 3)}) at ${quantity(s11.x[best]!, "Hz", 4)}`,
      hint: "Smallest |S11| by the surrogate, and the band about it",
    });
  }
  return (
    <Card title="Dials" note={own.choice} badges={badges}>
      {own.count === 0 ? (
        <Nothing>{own.none}</Nothing>
      ) : dials.fault ? (
        <Nothing>{dials.fault[0]!.toUpperCase() + dials.fault.slice(1)}.</Nothing>
      ) : !header ? (
        <Nothing>Fitting {own.count} variants…</Nothing>
      ) : (
        <div className="flex h-full flex-col gap-2 overflow-y-auto pt-1" data-dials>
          {header.variables.map((v, k) => (
            <label key={v.name} className="block">
              <span className="flex justify-between">
                <span>{v.name}</span>
                <span className="num">
                  {v.unit ? quantity(dials.values[k]!, v.unit, 5) : number(dials.values[k]!, 5)}
                </span>
              </span>
              <input
                type="range"
                aria-label={v.name}
                className="w-full accent-heron"
                min={v.low}
                max={v.high}
                step={(v.high - v.low) / STEPS}
                value={dials.values[k]!}
                onChange={(e) =>
                  dials.turn(dials.values.map((u, n) => (n === k ? Number(e.target.value) : u)))
                }
              />
              <span className="num flex justify-between text-[10.500px] text-ink2">
                <span>{v.unit ? quantity(v.low, v.unit, 4) : number(v.low, 4)}</span>
                <span>{v.unit ? quantity(v.high, v.unit, 4) : number(v.high, 4)}</span>
              </span>
            </label>
          ))}
          <div className="mt-auto flex items-center gap-3">
            <p className="text-[11.500px] leading-snug text-ink2">
              From {own.count} variants. The band is to hold nineteen of twenty values.
            </p>
            {writable && (
              <Button
                className="ml-auto shrink-0"
                disabled={solve.isPending || pending}
                onClick={() => solve.mutate()}
                title="Solves this variant, which the surrogate then knows"
              >
                {pending ? "Solving…" : "Solve here"}
              </Button>
            )}
          </div>
          {solve.error && (
            <p role="alert" className="text-rust">
              {solve.error.message}
            </p>
          )}
        </div>
      )}
    </Card>
  );
}

const CHANNELS = [
  ["s11", "|S11|"],
  ["z", "impedance"],
  ["gain", "realized gain"],
  ["reflection", "|reflection|"],
  ["reflection-phase", "phase of reflection"],
  ["transmission", "|transmission|"],
  ["transmission-phase", "phase of transmission"],
  ["phi0", "cut at φ = 0"],
  ["phi90", "cut at φ = 90°"],
] as const;
type Shown = (typeof CHANNELS)[number][0];
/** The surrogate that a choice is read from. */
const channelOf = (shown: string): string => (shown === "z" ? "s11" : shown.replace(/-phase$/, ""));

/** A curve where the dials stand, with its band. */
export function StudyDialCurve(props: CardProps) {
  const own = useStudy(props);
  const [chosen, show] = useSetting<string>(props, "shown", "");
  const at = useFollowing();
  const all = useDials(own);
  const known = all.packet ? Object.keys(headerOf(all.packet).channels) : ["s11"];
  const options = CHANNELS.filter(
    ([name]) =>
      known.includes(channelOf(name)) || (name.startsWith("phi") && known.includes("gain")),
  );
  const shown = chosen || (options[0]?.[0] ?? "s11");
  const angle = shown.startsWith("phi");
  const dials = useDials(own, angle ? shown : "", at);
  const { curves, unit } = useMemo((): { curves: Curve[]; unit: string } => {
    if (!dials.packet) return { curves: [], unit: "" };
    const p = predicted(dials.packet, channelOf(shown), dials.values);
    if (!p) return { curves: [], unit: "" };
    const base = { x: p.x, color: "var(--heron)", dash: "" };
    if (shown === "z") {
      const z = impedance(p, headerOf(dials.packet).reference ?? 50);
      return {
        curves: [
          { ...base, y: z.r, label: "resistance" },
          { ...base, y: z.x, label: "reactance", color: "var(--rust)", dash: "6 4" },
        ],
        unit: "Ω",
      };
    }
    if (shown.endsWith("-phase")) {
      const l = phases(p);
      return { curves: [{ ...base, y: l.y, spread: l }], unit: "°" };
    }
    if (p.im) {
      const l = levels(p);
      return { curves: [{ ...base, y: l.y, spread: l }], unit: "dB" };
    }
    const y = Array.from(p.re);
    const spread = { low: y.map((v, i) => v - p.band[i]!), high: y.map((v, i) => v + p.band[i]!) };
    return { curves: [{ ...base, y, spread }], unit: "dBi" };
  }, [dials.packet, dials.values, shown]);
  return (
    <Card
      title="At the dials"
      note={
        <>
          {own.choice}{" "}
          <Choice label="Shown" value={shown as Shown} options={options} onChange={show} />{" "}
          {angle && `at ${quantity(at, "Hz", 4)}`}
        </>
      }
    >
      {curves.length === 0 ? (
        <Nothing>
          {dials.fault
            ? `${dials.fault[0]!.toUpperCase()}${dials.fault.slice(1)}.`
            : all.packet && options.length === 0
              ? "These variants have neither S11, gain, reflection nor transmission to predict."
              : own.none}
        </Nothing>
      ) : (
        <LinePlot
          curves={curves}
          labels
          follow={!angle}
          x={
            angle
              ? { unit: "°", factor: 1, label: "θ" }
              : scaled(curves[0]!.x[curves[0]!.x.length - 1]!, "Hz")
          }
          y={{ unit }}
        />
      )}
    </Card>
  );
}
