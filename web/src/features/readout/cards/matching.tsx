/** Cards of ports: S-parameters, impedance, VSWR, Smith chart, reflection against time. */
import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { evaluated } from "../../../api/queries";
import type { Badges, TimeDomain } from "../../../api/types";
import { nearest } from "../../../app/cursor";
import { complex, fixed, number, quantity } from "../../../format";
import { LinePlot } from "../../../plots/LinePlot";
import { Smith, type SmithGrid } from "../../../plots/Smith";
import { type Badge, Card, Choice, Nothing, Value } from "../Card";
import { CurveCard, type Line } from "../CurveCard";
import { type CardProps, type Shown, at, port, useDesk, useSetting } from "../context";
import { useCurves } from "../curves";
import { useReadings } from "../markers";
import { share, span, uncertain, frequencyWithin } from "../values";

const FORMS = {
  dB: { title: "dB", of: (s: string) => `db20(${s})`, unit: "dB" },
  magnitude: { title: "magnitude", of: (s: string) => `abs(${s})`, unit: "" },
  phase: { title: "phase", of: (s: string) => `deg(arg(${s}))`, unit: "°" },
  unwrapped: { title: "unwrapped phase", of: (s: string) => `deg(unwrap(${s}))`, unit: "°" },
  delay: { title: "group delay", of: (s: string) => `delay(${s})/1 ns`, unit: "ns" },
  real: { title: "real part", of: (s: string) => `re(${s})`, unit: "" },
  imaginary: { title: "imaginary part", of: (s: string) => `im(${s})`, unit: "" },
} as const;
type Form = keyof typeof FORMS;

const badgesOf = (s: Shown | undefined, p: string): Badges | undefined => s?.sweep.badges[p];
const pairName = (ports: number[], a: number, b: number): string =>
  Math.max(...ports) > 9 ? `s${a}_${b}` : `s${a}${b}`;

/** Names of S-parameters to choose from, and those meant by a choice. */
function pairsOf(
  ports: number[],
  chosen: string,
): { options: [string, string][]; names: string[] } {
  const all = ports.flatMap((a) => ports.map((b) => pairName(ports, a, b))),
    first = ports[0]!;
  const groups: Record<string, string[]> = {
    first: ports.map((a) => pairName(ports, a, first)),
    reflections: ports.map((a) => pairName(ports, a, a)),
    all,
  };
  const options: [string, string][] =
    ports.length > 1
      ? [
          ["first", `port ${first} driven`],
          ["reflections", "reflections"],
          ["all", "all"],
          ...all.map((n): [string, string] => [n, n.toUpperCase()]),
        ]
      : [];
  return { options, names: groups[chosen] ?? (all.includes(chosen) ? [chosen] : groups.first!) };
}

export function Scattering(props: CardProps) {
  const { shown } = useDesk();
  const first = shown[0]!,
    ports = first.sweep.ports;
  const [form, setForm] = useSetting<Form>(props, "form", "dB");
  const [chosen, choose] = useSetting<string>(props, "pairs", "first");
  const { options, names } = pairsOf(ports, chosen);
  const { of, unit } = FORMS[form];
  const title = names.length === 1 ? names[0]!.toUpperCase() : "S";
  const spread = (n: string): [string, string] | undefined =>
    form === "dB"
      ? [`db20(max(abs(${n}) - error_${n}, 0.00001))`, `db20(abs(${n}) + error_${n})`]
      : form === "magnitude"
        ? [`max(abs(${n}) - error_${n}, 0)`, `abs(${n}) + error_${n}`]
        : undefined;
  const lines: Line[] = names.slice(0, 16).map((n, k) => ({
    formula: of(n),
    name: n.toUpperCase(),
    spread: k === 0 ? spread(n) : undefined,
  }));
  const own = badgesOf(first, port(first));
  const { minimum_db, resonance_relative } = first.sweep.errors,
    wrong = minimum_db ?? 0;
  const reflects = names[0] === pairName(ports, ports[0]!, ports[0]!);
  const bands = form === "dB" && reflects ? (own?.bands["-10 dB"] ?? []) : [];
  const badges: Badge[] =
    form === "dB" && reflects && own
      ? [
          ...bands.map((b) => ({
            text: `−10 dB: ${span(b)} · ${quantity(b.high_hz - b.low_hz, "Hz", 3)} · ${share(b)}`,
            good: true,
          })),
          {
            text: `min ${uncertain(own.minimum.level_db, wrong, 1)} dB at ${frequencyWithin(own.minimum.frequency_hz, resonance_relative)}`,
            hint: `Errors by ${first.sweep.errors.basis}`,
          },
        ]
      : [];
  return (
    <CurveCard
      props={props}
      lines={lines}
      title={form === "dB" || form === "magnitude" ? `|${title}|` : title}
      bands={bands.map((b) => [b.low_hz, b.high_hz])}
      limits={form === "dB" && reflects ? [{ y: -10 }] : []}
      note={
        <>
          <Choice
            label="Form"
            value={form}
            options={Object.entries(FORMS).map(([k, f]) => [k as Form, f.title] as const)}
            onChange={setForm}
          />
          {options.length > 0 && (
            <>
              {" "}
              · <Choice label="Which" value={chosen} options={options} onChange={choose} />
            </>
          )}
        </>
      }
      badges={
        form === "dB"
          ? badges
          : (value) => {
              const v = value(0);
              return v === null
                ? []
                : [{ text: `${fixed(v, 3)} ${unit} at the cursor`.replace("  ", " ") }];
            }
      }
      y={{
        unit,
        fit:
          form === "dB"
            ? (low, high) => [
                Math.max(-60, Math.floor(Math.min(low, -20) / 10) * 10),
                Math.max(0, Math.ceil(high)),
              ]
            : undefined,
      }}
    />
  );
}

/** A choice of port where there are several. */
function usePort(props: CardProps): [string, React.ReactNode] {
  const { shown } = useDesk();
  const ports = shown[0]!.sweep.ports.map(String);
  const [kept, choose] = useSetting<string>(props, "port", "");
  const chosen = ports.includes(kept) ? kept : ports[0]!;
  return [
    chosen,
    ports.length > 1 && (
      <Choice
        label="Port"
        value={chosen}
        options={ports.map((p) => [p, `port ${p}`] as const)}
        onChange={choose}
      />
    ),
  ];
}

export function Standing(props: CardProps) {
  const first = useDesk().shown[0]!;
  const [p, choice] = usePort(props);
  const [what, setWhat] = useSetting<"vswr" | "return_loss">(props, "what", "vswr");
  const ratio = what === "vswr",
    bands = ratio
      ? (badgesOf(first, p)?.bands["VSWR 2"] ?? [])
      : (badgesOf(first, p)?.bands["-10 dB"] ?? []);
  return (
    <CurveCard
      props={props}
      title={ratio ? "VSWR" : "Return loss"}
      lines={[{ formula: `${what}${p}`, name: "" }]}
      bands={bands.map((b) => [b.low_hz, b.high_hz])}
      limits={[{ y: ratio ? 2 : 10 }]}
      note={
        <>
          <Choice
            label="Show"
            value={what}
            options={[
              ["vswr", "VSWR"],
              ["return_loss", "return loss"],
            ]}
            onChange={setWhat}
          />{" "}
          · {number(first.sweep.z0_ohm[0]!)} Ω {choice}
        </>
      }
      badges={(value) => [
        { text: `${fixed(value(0), 2)}${ratio ? "" : " dB"} at the cursor` },
        ...bands.map((b) => ({
          text: `${ratio ? "under 2" : "over 10 dB"}: ${span(b)} · ${share(b)}`,
          good: true,
        })),
      ]}
      y={
        ratio
          ? { unit: "", label: "ratio", domain: [1, 10] }
          : {
              unit: "dB",
              fit: (_, high) => [0, Math.min(60, Math.ceil(Math.max(20, high) / 10) * 10)],
            }
      }
    />
  );
}

export function Impedance(props: CardProps) {
  const first = useDesk().shown[0]!;
  const [p, choice] = usePort(props);
  const [what, setWhat] = useSetting<"z" | "y">(props, "what", "z");
  const [form, setForm] = useSetting<"parts" | "polar">(props, "form", "parts");
  const z = what === "z",
    unit = z ? "ohm" : "mS";
  const lines: Line[] =
    form === "parts"
      ? [
          { formula: `re(${what}${p})/1 ${unit}`, name: z ? "R" : "G" },
          { formula: `im(${what}${p})/1 ${unit}`, name: z ? "X" : "B" },
        ]
      : [
          { formula: `abs(${what}${p})/1 ${unit}`, name: z ? "|Z|" : "|Y|" },
          { formula: `deg(arg(${what}${p}))`, name: "phase, °" },
        ];
  const resonances = badgesOf(first, p)?.resonances ?? [];
  return (
    <CurveCard
      props={props}
      title={z ? "Input impedance" : "Input admittance"}
      lines={lines}
      limits={[{ y: 0 }]}
      y={{ unit: form === "polar" ? `${z ? "Ω" : "mS"} and °` : z ? "Ω" : "mS" }}
      note={
        <>
          <Choice
            label="Show"
            value={what}
            options={[
              ["z", "Z"],
              ["y", "Y"],
            ]}
            onChange={setWhat}
          />{" "}
          ·{" "}
          <Choice
            label="Form"
            value={form}
            options={[
              ["parts", "real, imaginary"],
              ["polar", "magnitude, phase"],
            ]}
            onChange={setForm}
          />{" "}
          {choice}
        </>
      }
      badges={(value) => [
        {
          text:
            form === "parts"
              ? z
                ? complex(value(0) ?? NaN, value(1) ?? NaN)
                : `${fixed(value(0), 2)} + j${fixed(value(1), 2)} mS`.replace("+ j−", "− j")
              : `${fixed(value(0), 1)} ${z ? "Ω" : "mS"} ∠ ${fixed(value(1), 1)}°`,
        },
        ...resonances.slice(0, 2).map((r) => ({
          text: `X = 0 at ${quantity(r.frequency_hz, "Hz", 4)} · ${number(r.resistance_ohm, 3)} Ω${r.q ? ` · Q ${number(r.q, 2)}` : ""}`,
        })),
      ]}
    />
  );
}

const TICKS = 5,
  APART = 0.35; // frequencies written on the chart, and how far from one another in reflection

export function SmithCard(props: CardProps) {
  const { projectId, shown, references, markers } = useDesk();
  const first = shown[0]!;
  const [p, choice] = usePort(props);
  const [grid, setGrid] = useSetting<SmithGrid>(props, "grid", "impedance");
  const [circle, setCircle] = useSetting<number>(props, "circle", 2);
  const s = pairName(first.sweep.ports, Number(p), Number(p));
  const { answers, pending } = useCurves(
    projectId,
    [
      ...shown.map((r) => `run ${r.line.number}`),
      ...references.map((r) => `reference ${r.line.number}`),
    ],
    [s, `z${p}/1 ohm`, `vswr${p}`],
  );
  const key = [...shown, ...references].map((r) => r.color + r.dash).join();
  const traces = useMemo(
    () =>
      [...shown, ...references].flatMap((r, k) => {
        const a = answers[k]?.[0];
        return a && !a.error && a.im
          ? [{ re: a.re, im: a.im, color: r.color, dash: r.dash, of: k }]
          : [];
      }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [answers, key],
  );
  const [own, z, vswr] = answers[0] ?? [];
  const live = (cursor: number): Badge[] => {
    const i = at(first, cursor);
    return z?.im && vswr
      ? [
          { text: complex(z.re[i] ?? NaN, z.im[i] ?? NaN) },
          { text: `VSWR ${fixed(vswr.re[i], 2)}` },
        ]
      : [];
  };
  const ticks = useMemo(() => {
    const f = first.sweep.frequency_hz;
    if (!own?.im || f.length < TICKS) return [];
    const all = Array.from({ length: TICKS }, (_, k) =>
      Math.round((k * (f.length - 1)) / (TICKS - 1)),
    ).map((n) => ({ re: own.re[n]!, im: own.im![n]!, text: quantity(f[n]!, "Hz", 4) }));
    return all.reduce<typeof all>(
      (kept, t) =>
        kept.every((k) => Math.hypot(k.re - t.re, (k.im - t.im) * 2) > APART) ? [...kept, t] : kept,
      [],
    );
  }, [own, first.sweep.frequency_hz]);
  const readings = useReadings((s) => s.readings);
  const named = markers.flatMap((m) => {
    const r = readings[m.id];
    if (!r || m.mode === "delta" || !own?.im) return [];
    const k = nearest(first.sweep.frequency_hz, r.x);
    return [{ re: own.re[k]!, im: own.im[k]!, text: m.name, marker: true }];
  });
  return (
    <Card
      title="Smith chart"
      note={
        <>
          {number(first.sweep.z0_ohm[0]!)} Ω ·{" "}
          <Choice
            label="Grid"
            value={grid}
            options={[
              ["impedance", "impedance"],
              ["admittance", "admittance"],
              ["both", "both grids"],
            ]}
            onChange={setGrid}
          />{" "}
          · <Value label="VSWR circle" value={circle} unit="" onChange={setCircle} /> {choice}
        </>
      }
      live={live}
      table={
        own?.im
          ? () => ({
              columns: ["frequency_hz", `${s}_re`, `${s}_im`],
              rows: first.sweep.frequency_hz.map((f, k) => [f, own.re[k]!, own.im![k]!]),
            })
          : undefined
      }
    >
      <span hidden data-fetching={pending} />
      <Smith
        traces={traces}
        at={(cursor) =>
          traces.map((t) => (t.of < shown.length ? at(shown[t.of]!, cursor) : undefined))
        }
        grid={grid}
        vswr={circle}
        ticks={[...(shown.length === 1 ? ticks : []), ...named]}
      />
    </Card>
  );
}

export function TimeReflection(props: CardProps) {
  const { projectId, shown } = useDesk();
  const [p, choice] = usePort(props);
  const [what, setWhat] = useSetting<"reflection" | "impedance_ohm">(props, "what", "reflection");
  const all = useQueries({
    queries: shown.map((s) => ({
      ...evaluated<TimeDomain>(projectId, s.line.number, `time-domain?port=${p}`),
      retry: false,
    })),
  });
  const data = all.map((q) => q.data),
    stamp =
      all.map((q) => q.dataUpdatedAt).join() + shown.map((s) => s.color + s.dash + s.label).join();
  const curves = useMemo(
    () =>
      data.flatMap((d, k) => {
        if (!d) return [];
        const last = Math.min(d.time_s.length, 4 * shown[k]!.sweep.frequency_hz.length);
        return [
          {
            x: d.time_s.slice(0, last),
            y: d[what].slice(0, last),
            color: shown[k]!.color,
            dash: shown[k]!.dash,
            label: shown.length > 1 ? shown[k]!.label : undefined,
          },
        ];
      }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [stamp, what],
  );
  const fault = all.find((q) => q.error)?.error,
    first = data.find(Boolean);
  return (
    <Card
      title="Reflection against time"
      note={
        <>
          <Choice
            label="Show"
            value={what}
            options={[
              ["reflection", "reflection"],
              ["impedance_ohm", "impedance"],
            ]}
            onChange={setWhat}
          />{" "}
          {choice}
        </>
      }
      badges={
        first
          ? [
              {
                text: `rise ${quantity(first.resolution_s, "s", 3)}: tells apart ${quantity((first.resolution_s * 299792458) / 2, "m", 2)} of air`,
              },
            ]
          : []
      }
      table={
        curves[0] &&
        (() => ({
          columns: ["time_s", what],
          rows: curves[0]!.x.map((t, i) => [t, curves[0]!.y[i]!]),
        }))
      }
    >
      {curves.length > 0 ? (
        <LinePlot
          curves={curves}
          x={{ unit: "ns", factor: 1e-9, label: "time" }}
          y={{
            unit: what === "reflection" ? "" : "Ω",
            label: what === "reflection" ? "step reflection" : "",
          }}
          limits={what === "reflection" ? [{ y: 0 }] : [{ y: first!.z0_ohm }]}
          labels
        />
      ) : (
        fault && <Nothing>{fault.message[0]!.toUpperCase() + fault.message.slice(1)}.</Nothing>
      )}
    </Card>
  );
}
