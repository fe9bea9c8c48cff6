/** Beside the cards: spec lines with their verdicts, markers with what they read. */
import { useState } from "react";
import type { MarkerEntry, SpecState } from "../../api/types";
import { number, quantity } from "../../format";
import { type Shown, inHertz, provides } from "./context";
import { useReadings } from "./markers";
import { usePage } from "./page";
import { fresh } from "./templates";

/** Spec lines that a run can say something of, over its own band. */
export function specExamples(s: Shown): string[] {
  const { unit, factor } = inHertz([s]),
    f = s.sweep.frequency_hz;
  const at = (share: number): string => number((f[0]! + share * (f.at(-1)! - f[0]!)) / factor, 4);
  const band = `from ${at(0.45)} to ${at(0.55)} ${unit}`;
  return [
    ...(provides(s, "ports") ? [`|S11| < -10 dB ${band}`, "VSWR < 2"] : []),
    ...(provides(s, "far field") ? ["gain > 5 dBi at theta = 0", "total efficiency > 80 %"] : []),
    ...(provides(s, "cells") ? [`reflectance > 0.9 ${band}`, `transmittance < 0.1 ${band}`] : []),
    ...(provides(s, "scattering")
      ? [
          s.sweep.by_wavelength
            ? `extinction_section > 0.01 um^2 ${band}`
            : `rcs < 0.01 m^2 ${band}`,
        ]
      : []),
  ];
}

/** Limits the ticked runs must keep, one sentence each. */
export function SpecPanel({
  specs,
  first,
  writable,
}: {
  specs: SpecState[];
  first: Shown;
  writable: boolean;
}) {
  const run = first.line.number,
    examples = specExamples(first);
  const { content, change } = usePage();
  const [text, type] = useState("");
  const add = (): void => {
    const line = text.trim();
    if (!line) return;
    change((c) => ({ ...c, specs: [...c.specs, { id: fresh(), text: line.slice(0, 200) }] }));
    type("");
  };
  return (
    <section aria-label="Spec lines">
      <h2 className="mb-1 mt-5 font-semibold">Spec lines</h2>
      <ul className="space-y-1">
        {content.specs.map((s, i) => {
          const state = specs.find((k) => k.text === s.text),
            own = state?.verdicts[String(run)];
          const tone = state?.error
            ? "bg-rust-soft"
            : own?.passed === true
              ? "bg-moss-soft"
              : own?.passed === false
                ? "bg-rust-soft"
                : "bg-faint";
          return (
            <li
              key={s.id}
              className={`num group rounded px-1.5 py-1 text-[11.500px] leading-snug ${tone}`}
              data-passed={String(own?.passed ?? "")}
            >
              <span className="flex gap-1">
                <span>
                  {state?.error
                    ? "■"
                    : own?.passed === true
                      ? "✓"
                      : own?.passed === false
                        ? "◆"
                        : "·"}
                </span>
                <span className="min-w-0 flex-1 break-words">{s.text}</span>
                {writable && (
                  <button
                    type="button"
                    aria-label={`Remove spec line ${i + 1}`}
                    className="text-ink2 opacity-0 focus:opacity-100 group-hover:opacity-100"
                    onClick={() =>
                      change((c) => ({ ...c, specs: c.specs.filter((k) => k.id !== s.id) }))
                    }
                  >
                    ×
                  </button>
                )}
              </span>
              {state?.error ? (
                <span className="block pl-3.5 font-sans text-rust">{state.error}.</span>
              ) : own?.passed === null ? (
                <span className="block pl-3.5 font-sans text-ink2">{own.reason}.</span>
              ) : (
                own &&
                state?.spec && (
                  <span className="block pl-3.5 text-ink2">
                    {number(own.worst!, 4)} {state.spec.unit} at{" "}
                    {quantity(own.frequency_hz, "Hz", 4)}
                  </span>
                )
              )}
            </li>
          );
        })}
      </ul>
      {writable && (
        <>
          <input
            aria-label="New spec line"
            list="spec-examples"
            className="num mt-1.5 w-full rounded border border-rule bg-paper px-1.5 py-1 text-[11.500px]"
            placeholder={examples[0]}
            value={text}
            maxLength={200}
            onChange={(e) => type(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && add()}
          />
          <datalist id="spec-examples">
            {examples.map((e) => (
              <option key={e} value={e} />
            ))}
          </datalist>
        </>
      )}
    </section>
  );
}

const MODES: Record<MarkerEntry["mode"], string> = {
  at: "",
  minimum: "min",
  maximum: "max",
  crossing: "crosses",
  delta: "",
};

/** Named places on curves. A marker reads the first curve of its card, for every ticked run. */
export function MarkerPanel({ writable }: { writable: boolean }) {
  const { content, change } = usePage();
  const readings = useReadings((s) => s.readings);
  const markers = content.markers;
  if (markers.length === 0) return null;
  const set = (m: MarkerEntry): void =>
    change((c) => ({ ...c, markers: c.markers.map((k) => (k.id === m.id ? m : k)) }));
  const delta = (m: MarkerEntry): void => {
    const other = markers
      .filter((k) => k.card === m.card && k.mode !== "delta" && k.id !== m.id)
      .at(-1);
    if (other)
      change((c) => ({
        ...c,
        markers: [
          ...c.markers,
          {
            id: fresh(),
            card: m.card,
            name: `${m.name}−${other.name}`.slice(0, 20),
            mode: "delta",
            first: other.id,
            second: m.id,
          },
        ],
      }));
  };
  return (
    <section aria-label="Markers">
      <h2 className="mb-1 mt-5 font-semibold">Markers</h2>
      <ul className="num text-[11.500px]">
        {markers.map((m) => {
          const r = readings[m.id];
          return (
            <li key={m.id} className="group border-b border-faint py-1" data-marker={m.name}>
              <div className="flex items-baseline gap-1.5">
                <input
                  aria-label={`Name of ${m.name}`}
                  className="w-14 bg-transparent font-medium"
                  value={m.name}
                  readOnly={!writable}
                  maxLength={20}
                  onChange={(e) => e.target.value && set({ ...m, name: e.target.value })}
                />
                <span className="text-ink2">
                  {MODES[m.mode]}
                  {m.mode === "crossing" && (
                    <input
                      type="number"
                      aria-label={`Level of ${m.name}`}
                      className="ml-1 w-12 border-b border-faint bg-transparent"
                      value={m.level ?? 0}
                      onChange={(e) => set({ ...m, level: Number(e.target.value) })}
                    />
                  )}
                </span>
                <span className="ml-auto whitespace-nowrap">
                  {r ? `${number(r.x / r.xFactor, 5)} ${r.xUnit}` : "–"}
                </span>
                {writable && (
                  <span className="hidden gap-1 group-focus-within:flex group-hover:flex">
                    <button
                      type="button"
                      title="Difference to the marker before"
                      aria-label={`Delta from ${m.name}`}
                      onClick={() => delta(m)}
                    >
                      Δ
                    </button>
                    <button
                      type="button"
                      aria-label={`Remove marker ${m.name}`}
                      onClick={() =>
                        change((c) => ({
                          ...c,
                          markers: c.markers.filter(
                            (k) => k.id !== m.id && k.first !== m.id && k.second !== m.id,
                          ),
                        }))
                      }
                    >
                      ×
                    </button>
                  </span>
                )}
              </div>
              {r?.runs.map((run) => (
                <div key={run.label} className="flex text-ink2">
                  <span className="truncate">{r.runs.length > 1 ? run.label : ""}</span>
                  <span className="ml-auto whitespace-nowrap text-ink">
                    {Number.isFinite(run.y) ? number(run.y, 4) : "–"} {r.yUnit}
                  </span>
                </div>
              ))}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
