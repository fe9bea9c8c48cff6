/** Which field of which capture a card shows, and against what. */
import type { ReactNode } from "react";
import type { Packet } from "../../../api/client";
import { useFollowing } from "../../../app/cursor";
import { quantity } from "../../../format";
import { Choice } from "../Card";
import { type CardProps, type Shown, illuminated, useDesk, useSetting } from "../context";
import { WHATS, type What, asked, sharesOf, within } from "../values";

const WHAT_NAMES = Object.entries(WHATS).map(([k, [name]]) => [k as What, name] as const);

export const STRAIGHT_DB = 3; // from an exponential: beyond, a field along a line does not decay

/** What amplitudes refer to. */
export const under = (s: Shown | undefined): string =>
  illuminated(s) ? "as illuminated" : "for 1 W available";

export type Form = "db" | "size" | "moment";

/** Fields for a steady unit drive; as the pulse of the run had them; or of light as wide as a share of the frequency, powers averaged. */
type Reference = "steady" | "pulse" | "1" | "2" | "5" | "10";

const REFERENCES: [Reference, string][] = [
  ["steady", "per unit drive"],
  ["pulse", "raw pulse spectrum"],
  ...(["1", "2", "5", "10"] as const).map((share): [Reference, string] => [
    share,
    `mean over ${share} %`,
  ]),
];

export const decibel = (v: number, what: What): number =>
  (what[0] === "s" ? 10 : 20) * Math.log10(Math.max(Math.abs(v), 1e-12));

const isError = (what: What): boolean => what === "de" || what === "dh";

const steady = (what: What): boolean =>
  what[0] === "s" || what === "w" || what === "r" || isError(what);

interface FieldChoice {
  what: What;
  form: Form;
  choices: ReactNode;
  unit: string;
  query: string;
  badge: { text: string }[];
}

export function useField(props: CardProps, minus: string): FieldChoice {
  const [what, setWhat] = useSetting<What>(props, "what", "e");
  const [form, setForm] = useSetting<Form>(props, "form", "db");
  const isIlluminated = illuminated(useDesk().shown[0]);
  const [kept, setReference] = useSetting<Reference>(props, "reference", "steady");
  const cursor = useFollowing();
  const offered = REFERENCES.filter(
    ([k]) => k === "steady" || (k === "pulse" ? !steady(what) : minus === "" && !isError(what)),
  );
  const reference = offered.some(([k]) => k === kept) ? kept : "steady",
    mean = reference !== "steady" && reference !== "pulse";
  const own = isError(what) || ((steady(what) || mean) && form === "moment") ? "size" : form;
  const scale = reference === "pulse" ? `${WHATS[what][1]}/Hz` : WHATS[what][1];
  const unit = own === "db" ? (scale ? `dB over 1 ${scale}` : "dB") : scale;
  return {
    what,
    form: own,
    unit,
    query: `&quantity=${asked(what)}${reference === "pulse" ? "&raw=true" : mean ? `&width=${(cursor * Number(reference)) / 100}` : ""}`,
    badge: mean
      ? [{ text: `powers averaged over ${quantity((cursor * Number(reference)) / 100, "Hz", 3)}` }]
      : reference === "pulse"
        ? [{ text: "per Hz of the pulse" }]
        : [],
    choices: (
      <>
        <Choice
          label="Field"
          value={what}
          options={WHAT_NAMES.filter(([k]) => k !== "r" || isIlluminated)}
          onChange={setWhat}
        />{" "}
        ·{" "}
        <Choice
          label="Form"
          value={own}
          options={[
            ...(isError(what) ? [] : [["db", "dB"] as const]),
            ["size", "magnitude"],
            ...(steady(what) || mean ? [] : [["moment", "at a moment"] as const]),
          ]}
          onChange={setForm}
        />{" "}
        · <Choice label="Reference" value={reference} options={offered} onChange={setReference} />
      </>
    ),
  };
}

/** How far the field of a capture can be believed. */
export const trusted = (data: Packet | undefined, what: What): { text: string; hint: string }[] => {
  const shares = data && sharesOf(data, what);
  const hint = "Share of the field by which it may be off: at half of the places, and at the worst";
  return shares
    ? [{ text: within(shares), hint }]
    : data && isError(what)
      ? [{ text: "not known after one round, or of a difference of runs", hint }]
      : [];
};

/** The captures of one kind, or of several, and a way to choose among them. */
export function useCapture(
  props: CardProps,
  kind: string | string[],
  run?: Shown,
): [string | undefined, React.ReactNode] {
  const { shown } = useDesk();
  const names = (run ?? shown[0]!).sweep.captures
    .filter((c) => [kind].flat().includes(c.kind))
    .map((c) => c.name);
  const [kept, choose] = useSetting<string>(props, "capture", "");
  const name = names.includes(kept) ? kept : names[0];
  return [
    name,
    names.length < 2 ? (
      name
    ) : (
      <Choice
        key="choice"
        label="Capture"
        value={name!}
        options={names.map((n) => [n, n] as const)}
        onChange={choose}
      />
    ),
  ];
}

export const vtk = (id: number, run: number, name: string, f: number): [string, () => void] => [
  "Save the fields as VTK",
  () =>
    location.assign(
      `/api/projects/${id}/runs/${run}/export/near/${encodeURIComponent(name)}.vtk?frequency=${f}`,
    ),
];
